//! The reference system that a text names for a map.

use super::options::MapLayers;
use crate::crs::read_reference_for_raster;
use crate::crs::reference::read_reference_for;
use crate::error::{Error, Result};
use crate::notice::Notice;
use std::path::Path;
use velvet_peg_core::Crs;

impl MapLayers {
    /// Reads a `REF` for the map: `utm` and `state-plane` choose the zone of the first layer, or of the first
    /// raster where there is no layer. Paths are taken from `folder`.
    ///
    /// # Errors
    /// As [`read_reference_for`], and if there is neither layer nor raster.
    pub fn system(&self, text: &str, folder: &Path) -> Result<(Crs, Vec<Notice>)> {
        match (self.layers.first(), self.rasters.first()) {
            (Some(layer), _) => {
                let (crs, notice) = read_reference_for(text, folder, layer)?;
                Ok((crs, notice.into_iter().collect()))
            }
            (None, Some(raster)) => read_reference_for_raster(text, folder, raster.reader()),
            (None, None) => Err(Error::usage("there is no layer to draw a map of")),
        }
    }
}
