//! Coordinate columns of a table, under every name that people use.

use super::heading;
use super::typed::Typed;
use clap::Args;
use velvet_peg::table::NumberFormat;

/// Coordinate columns of a table, under every name that people use.
#[derive(Debug, Clone, Args)]
pub(crate) struct ColumnArguments {
    /// Column of longitudes or eastings; guessed from the header if not given.
    #[arg(long, visible_aliases = ["lon", "e"], value_name = "COLUMN", help_heading = heading::COORDINATES)]
    x: Option<String>,
    /// Column of latitudes or northings; guessed from the header if not given.
    #[arg(long, visible_aliases = ["lat", "n"], value_name = "COLUMN", help_heading = heading::COORDINATES)]
    y: Option<String>,
    /// Column of heights.
    #[arg(long, value_name = "COLUMN", help_heading = heading::COORDINATES, hide_short_help = true)]
    z: Option<String>,
    /// Angles are packed as DDDMMSS.s.
    #[arg(long, help_heading = heading::COORDINATES, hide_short_help = true)]
    pub(crate) packed: bool,
    /// Coordinates have a comma for the decimal point.
    #[arg(long, help_heading = heading::COORDINATES, hide_short_help = true)]
    decimal_comma: bool,
    /// What groups thousands in coordinates (a character; a blank for all kinds of blanks).
    #[arg(long, value_name = "CHARACTER", help_heading = heading::COORDINATES, hide_short_help = true)]
    thousands: Option<char>,
}

impl ColumnArguments {
    /// What was said, as it would be typed again.
    pub(crate) fn typed(&self) -> String {
        self.typed_as(self.x.as_ref(), self.y.as_ref())
    }

    /// As [`ColumnArguments::typed`], with the columns exchanged; none if they were not named.
    pub(crate) fn typed_exchanged(&self) -> Option<String> {
        let (x, y) = (self.x.as_ref()?, self.y.as_ref()?);
        Some(self.typed_as(Some(y), Some(x)))
    }

    fn typed_as(&self, x: Option<&String>, y: Option<&String>) -> String {
        Typed::default()
            .value("--x", x)
            .value("--y", y)
            .value("--z", self.z.as_ref())
            .flag("--packed", self.packed)
            .flag("--decimal-comma", self.decimal_comma)
            .value("--thousands", self.thousands.map(|sign| sign.to_string()))
            .text()
    }

    pub(crate) fn columns(&self) -> velvet_peg::table::CoordinateColumns {
        velvet_peg::table::CoordinateColumns {
            x: self.x.clone(),
            y: self.y.clone(),
            z: self.z.clone(),
            numbers: NumberFormat { decimal_comma: self.decimal_comma, thousands: self.thousands },
        }
    }
}
