//! Derived projected systems: the plane of a projected one, turned, scaled and shifted or stretched and skewed as
//! well (ISO 19162:2019, DERIVEDPROJCRS; EPSG methods 9621, 9656 and 9624).
//!
//! Ordinates are those of easting and northing, in this order, whatever order the axes of the base are
//! listed in. Both systems count in the same unit.

use super::identify::identify;
use super::names::squeezed;
use super::node::Node;
use super::read::{Reader, area};
use crate::crs::{AxisUnit, Crs};
use crate::error::Result;
use crate::extent::Extent;
use crate::projection::{PlaneAffine, PlaneMove, PlaneSimilarity};
use crate::unit::LengthUnit;
use velvet_peg_epsg::{method_name, parameter_name};

const OFFSETS: u32 = 9656;

/// Coefficients that differ by less are those of a similarity.
const ALIKE: f64 = 1e-12;

impl Reader<'_> {
    /// Reads a derived projected system.
    pub(super) fn derived(&self, node: &Node) -> Result<Crs> {
        let element = node
            .child(&["BASEPROJCRS"])
            .ok_or_else(|| self.error(node, "a derived projected system needs its BASEPROJCRS"))?;
        let unit = match self.unit_of(node, "LENGTHUNIT")? {
            Some(AxisUnit::Length(unit)) => unit,
            _ => match self.axes(node, None)?.first().and_then(|axis| axis.length()) {
                Some(unit) => unit,
                None => LengthUnit::METRE,
            },
        };
        let base = self.projected_in(element, unit)?;
        if base.length_unit().is_none_or(|of_base| of_base.metres() != unit.metres()) {
            return Err(self.error(
                node,
                "a derived projected system in another unit than its base is not understood",
            ));
        }
        // The registry's own, where it is that.
        let base = match identify(&base).same() {
            Some(code) => Crs::from_epsg(code)?,
            None => base,
        };
        let turn = self.turn(node, unit)?;
        let crs = Crs::turned(node.name(), &base, turn)
            .map_err(|error| self.error(node, &error.to_string()))?;
        Ok(match area(node) {
            Some(bounds) => crs.with_extent(Extent::stated(bounds)),
            None => crs,
        })
    }

    fn turn(&self, node: &Node, unit: LengthUnit) -> Result<PlaneMove> {
        let holder = node.child(&["DERIVINGCONVERSION", "CONVERSION"]).ok_or_else(|| {
            self.error(node, "a derived projected system needs its DERIVINGCONVERSION")
        })?;
        let method =
            holder.child(&["METHOD"]).ok_or_else(|| self.error(holder, "it has no METHOD"))?;
        let known = [PlaneMove::SIMILARITY, OFFSETS, PlaneMove::AFFINE].into_iter().find(|code| {
            method.epsg() == Some(*code)
                || method_name(*code).is_some_and(|name| squeezed(name) == squeezed(method.name()))
        });
        let value = |code: u32| -> Result<f64> {
            let name = squeezed(parameter_name(code).unwrap_or_default());
            let element = holder
                .children("PARAMETER")
                .find(|element| element.epsg() == Some(code) || squeezed(element.name()) == name)
                .ok_or_else(|| {
                    let name = parameter_name(code).unwrap_or_default();
                    self.error(method, &format!("it lacks its parameter `{name}`"))
                })?;
            let number = element.number(0).ok_or_else(|| {
                self.error(element, &format!("`{}` needs a number", element.name()))
            })?;
            let length = self.unit_of(element, "LENGTHUNIT")?;
            let angle = self.unit_of(element, "ANGLEUNIT")?;
            Ok(match (length, angle) {
                (Some(AxisUnit::Length(stated)), _) if stated.metres() != unit.metres() => {
                    number * stated.metres() / unit.metres()
                }
                (None, Some(AxisUnit::Angle(stated))) => number * stated.degrees(),
                _ => number,
            })
        };
        let similarity = |origin: (f64, f64), scale: f64, rotation_deg: f64| {
            PlaneSimilarity::new(origin, scale, rotation_deg)
                .map(PlaneMove::Similarity)
                .map_err(|error| self.error(holder, &error.to_string()))
        };
        match known {
            Some(PlaneMove::SIMILARITY) => {
                similarity((value(8621)?, value(8622)?), value(1061)?, value(8614)?)
            }
            Some(OFFSETS) => similarity((value(8728)?, value(8729)?), 1.0, 0.0),
            Some(_) => {
                let origin = (value(8623)?, value(8639)?);
                let (first, second) = ((value(8624)?, value(8640)?), (value(8625)?, value(8641)?));
                let alike =
                    (first.0 - second.1).abs() < ALIKE && (second.0 + first.1).abs() < ALIKE;
                if alike {
                    let rotation = second.0.atan2(first.0).to_degrees();
                    return similarity(origin, first.0.hypot(second.0), rotation);
                }
                PlaneAffine::new(origin, first, second)
                    .map(PlaneMove::Affine)
                    .map_err(|error| self.error(holder, &error.to_string()))
            }
            None => Err(self.error(
                method,
                &format!("`{}` is not a method between planes that is known", method.name()),
            )),
        }
    }
}
