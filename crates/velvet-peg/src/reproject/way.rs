//! Which way coordinates are carried to another reference system, where somebody says.

use velvet_peg_core::{Bounds, PlanOptions, Policy};

/// Which way coordinates are carried to another reference system: the best that can be run, if
/// nothing is said.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::convert::Way;
/// use velvet_peg::{ConvertLayer, Crs, LayerReader};
/// let way = Way { operations: vec![1173], ..Way::default() }; // NAD27 to WGS 84 (4)
/// let target = Some(Crs::from_epsg(4267)?);
/// let reader = LayerReader::open(&file("fields.geojson"), None)?;
/// let done = ConvertLayer { target, way, ..ConvertLayer::default() }.run(&reader, &file("nad27.gpkg"))?;
/// assert_eq!(done.converter.unwrap().route().accuracy_m(), Some(10.0));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Way {
    /// Epoch of the coordinates, decimal years, for operations between moving frames.
    pub epoch: Option<f64>,
    /// EPSG codes of the operations to take, in their order; the best if none.
    pub operations: Vec<u32>,
    /// Refuse where a more accurate operation exists that cannot be run here: a file of a grid is
    /// missing, or an epoch.
    pub require_best: bool,
}

impl Way {
    pub(crate) fn plan(&self, area: Option<Bounds>) -> PlanOptions {
        PlanOptions {
            area,
            epoch: self.epoch,
            operations: self.operations.clone(),
            policy: if self.require_best { Policy::RequireBest } else { Policy::Best },
            ..PlanOptions::default()
        }
    }
}
