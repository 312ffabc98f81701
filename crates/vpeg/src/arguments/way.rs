//! Which way coordinates are carried to another reference system.

use crate::reference;
use clap::Args;
use velvet_peg::convert::Way;
use velvet_peg::job::{Epoch, OperationCode};
use velvet_peg::{Bounds, Error, PlanOptions, Policy};

#[derive(Debug, Args)]
pub(crate) struct WayArguments {
    /// Epoch of the coordinates in decimal years, such as 2026.9: operations between moving
    /// frames need it.
    #[arg(long, value_name = "YEAR", value_parser = reference::year, requires = "to", hide_short_help = true)]
    epoch: Option<f64>,
    /// Operations to take from datum to datum, in their order, such as EPSG:1188; the best if not
    /// given (`vpeg crs show REF --to REF --at PLACE` lists them).
    #[arg(long, value_name = "EPSG:CODE", value_delimiter = ',', requires = "to")]
    operation: Vec<OperationCode>,
    /// Refuse where a more accurate operation needs a file or an epoch that is not there.
    #[arg(long, requires = "to", hide_short_help = true)]
    require_best: bool,
}

impl WayArguments {
    pub(crate) fn way(&self) -> Way {
        Way {
            epoch: self.epoch,
            operations: self.operation.iter().map(|operation| operation.code()).collect(),
            require_best: self.require_best,
        }
    }

    /// The same for a place.
    pub(crate) fn plan(&self, area: Option<Bounds>) -> PlanOptions {
        let Way { epoch, operations, require_best } = self.way();
        let policy = if require_best { Policy::RequireBest } else { Policy::Best };
        PlanOptions { area, epoch, operations, policy, ..PlanOptions::default() }
    }

    pub(crate) fn operations(&self) -> Vec<OperationCode> {
        self.operation.clone()
    }

    pub(crate) fn requires_best(&self) -> bool {
        self.require_best
    }

    pub(crate) fn epoch(&self) -> Result<Option<Epoch>, Error> {
        self.epoch.map(Epoch::new).transpose()
    }
}
