//! The vertical side of a reference system: what its third number is.

use super::{Axis, AxisUnit};
use crate::unit::LengthUnit;
use std::borrow::Cow;
use velvet_peg_epsg::{CoordinateSystemRow, CrsRow, DatumRow};

/// A vertical reference system, alone or as the part of a compound one.
#[derive(Clone, Debug, PartialEq)]
pub struct VerticalCrs {
    /// EPSG code of the vertical system, if it comes from the registry.
    pub code: Option<u32>,
    /// Name of the system.
    pub name: Cow<'static, str>,
    /// EPSG code of the vertical datum.
    pub datum_code: Option<u32>,
    /// Name of the vertical datum.
    pub datum_name: Cow<'static, str>,
    /// Unit of heights.
    pub unit: LengthUnit,
    /// True where depths are counted, positive downward.
    pub down: bool,
}

impl VerticalCrs {
    pub(crate) fn from_row(row: &CrsRow) -> Option<VerticalCrs> {
        let axis = CoordinateSystemRow::find(row.coordinate_system?)?.axes.into_iter().next()?;
        let axis = Axis::from_row(&axis);
        let datum_code = row.datum.or_else(|| CrsRow::find(row.base?)?.datum);
        Some(VerticalCrs {
            code: Some(row.code),
            name: row.name.into(),
            datum_code,
            datum_name: datum_code
                .and_then(DatumRow::find)
                .map_or("unknown", |row| row.name)
                .into(),
            unit: match axis.unit {
                AxisUnit::Length(unit) => unit,
                _ => return None,
            },
            down: axis.direction == "down",
        })
    }

    /// True if heights in both refer to one surface, whatever their unit and sense.
    pub fn is_same_datum(&self, other: &VerticalCrs) -> bool {
        match (self.datum_code, other.datum_code) {
            (Some(a), Some(b)) => a == b,
            (None, None) => self.datum_name == other.datum_name,
            _ => false,
        }
    }

    /// Metres upward of one unit along the axis.
    pub(crate) fn up_m(&self) -> f64 {
        if self.down { -self.unit.metres() } else { self.unit.metres() }
    }
}

/// What the third coordinate of a system stands for.
#[derive(Clone, Debug, PartialEq)]
pub enum Height {
    /// The system has none; a third number is carried along as it is.
    None,
    /// Height above the ellipsoid, in this unit.
    Ellipsoidal(LengthUnit),
    /// Height above (or depth below) the surface of a vertical datum.
    GravityRelated(VerticalCrs),
    /// Part of geocentric coordinates.
    Geocentric,
}
