//! A source or the result of a step as a part of a map.

use crate::draw::MapRaster;
use crate::layer_io::LayerReader;

/// A part of a map.
pub(super) enum MapPart {
    Layer(Box<LayerReader>),
    Raster(Box<MapRaster>),
}
