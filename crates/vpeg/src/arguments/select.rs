//! Which features and columns are kept, and what is computed.

use super::heading;
use clap::Args;
use velvet_peg::Selection;

/// Which features and columns are kept, and what is computed.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct SelectArguments {
    /// Keep what this SQL condition is true for: "cfs > 5 AND name LIKE 'N%'"; geometries
    /// through ST_X(geometry), ST_Area(geometry) and the like (`vpeg fields --functions`).
    #[arg(long = "where", value_name = "SQL", help_heading = heading::CHOOSING)]
    condition: Option<String>,
    /// Compute a column: "acres = Acres(ST_Area(geometry))"; several times for several.
    #[arg(long, value_name = "NAME=SQL", help_heading = heading::CHOOSING)]
    set: Vec<String>,
    /// Columns to keep, in this order; all if not given.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',', help_heading = heading::CHOOSING)]
    keep: Vec<String>,
}

impl SelectArguments {
    pub(crate) fn selection(&self) -> Selection {
        Selection {
            condition: self.condition.clone(),
            set: self.set.clone(),
            keep: self.keep.clone(),
            ..Selection::default()
        }
    }
}
