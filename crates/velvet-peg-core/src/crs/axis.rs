//! Axes of a coordinate system.

use crate::unit::{AngleUnit, LengthUnit};
use std::borrow::Cow;
use velvet_peg_epsg::AxisRow;

/// One axis of a reference system.
#[derive(Clone, Debug, PartialEq)]
pub struct Axis {
    /// Name, such as "Easting".
    pub name: Cow<'static, str>,
    /// Abbreviation, such as "E".
    pub abbreviation: Cow<'static, str>,
    /// Direction in the registry's words: `east`, `north`, `up`, `South along 90°E` ...
    pub direction: Cow<'static, str>,
    /// Unit of the numbers along it.
    pub unit: AxisUnit,
}

/// The unit of an axis.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum AxisUnit {
    /// A length.
    Length(LengthUnit),
    /// An angle.
    Angle(AngleUnit),
    /// Something else, or not stated.
    Other,
}

impl AxisUnit {
    /// Name, such as "US survey foot".
    pub fn name(&self) -> &'static str {
        match self {
            AxisUnit::Length(unit) => unit.name(),
            AxisUnit::Angle(unit) => unit.name(),
            AxisUnit::Other => "unknown unit",
        }
    }
}

impl Axis {
    pub(crate) fn new(
        name: &'static str,
        abbreviation: &'static str,
        direction: &'static str,
        unit: AxisUnit,
    ) -> Axis {
        Axis {
            name: name.into(),
            abbreviation: abbreviation.into(),
            direction: direction.into(),
            unit,
        }
    }

    pub(crate) fn from_row(row: &AxisRow) -> Axis {
        let unit = row.unit.map_or(AxisUnit::Other, |code| {
            match (LengthUnit::from_epsg(code), AngleUnit::from_epsg(code)) {
                (Ok(unit), _) => AxisUnit::Length(unit),
                (_, Ok(unit)) => AxisUnit::Angle(unit),
                _ => AxisUnit::Other,
            }
        });
        Axis::new(row.name, row.abbreviation, row.orientation, unit)
    }

    /// Unit of length, if it is one.
    pub fn length(&self) -> Option<LengthUnit> {
        match self.unit {
            AxisUnit::Length(unit) => Some(unit),
            _ => None,
        }
    }

    /// True if numbers along both mean the same, whatever the axes are called.
    pub(crate) fn counts_like(&self, other: &Axis) -> bool {
        self.direction.eq_ignore_ascii_case(&other.direction) && self.unit == other.unit
    }
}
