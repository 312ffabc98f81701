//! Whether features lie where they are said to, by all that they say of it: their coordinates, and
//! columns of longitude and latitude among their attributes.

use super::PositionSample;
use super::own_columns::OwnColumns;
use crate::layer::{Batch, GeometryColumn, LayerInfo};
use crate::notice::Notice;
use velvet_peg_core::Crs;

/// Gathers features of a layer, and weighs what they say of where it lies.
pub(crate) struct Evidence {
    crs: Option<Crs>,
    cloud: PositionSample,
    own: Option<OwnColumns>,
}

impl Evidence {
    /// Of a layer, in the system that it is in or is to be in.
    pub(crate) fn new(info: &LayerInfo, crs: Option<&Crs>) -> Evidence {
        Evidence {
            crs: crs.cloned(),
            cloud: PositionSample::default(),
            own: OwnColumns::new(&info.schema, crs),
        }
    }

    /// Takes in features.
    pub(crate) fn add(&mut self, batch: &Batch) {
        self.add_as(batch, &batch.geometry);
    }

    /// As [`Evidence::add`], with the geometries that the features had before they were carried.
    pub(crate) fn add_as(&mut self, batch: &Batch, geometry: &GeometryColumn) {
        for (x, y) in geometry.x.iter().zip(&geometry.y) {
            self.cloud.gather(*x, *y);
        }
        if let Some(own) = self.own.as_mut().filter(|own| !own.is_full()) {
            own.add(&batch.columns(), geometry);
        }
    }

    /// Ends the gathering; the middle of the data, if there is any.
    pub(crate) fn settle(&mut self) -> Option<(f64, f64)> {
        self.cloud.settle();
        self.cloud.centre()
    }

    /// A warning of a layer that cannot lie where it is said to; after [`Evidence::settle`].
    pub(crate) fn notice(&self) -> Option<Notice> {
        let own = || self.own.as_ref()?.notice();
        self.cloud.against(self.crs.as_ref()?).or_else(own)
    }
}
