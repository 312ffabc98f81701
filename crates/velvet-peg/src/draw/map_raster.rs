//! A raster of a map.

use crate::error::Result;
use crate::layer_io::LayerReader;
use crate::raster::RasterReader;

/// Parts of a side of the outline by which a raster is found: a side may be bent in the map's system.
const PARTS: usize = 32;

/// A raster that is drawn under the layers of a map.
#[derive(Debug)]
pub struct MapRaster {
    /// It has no say in what the map shows.
    pub(super) context: bool,
    reader: RasterReader,
    outline: LayerReader,
}

impl MapRaster {
    /// Of an open raster.
    ///
    /// # Errors
    /// If nothing says where its pixels lie, or they lie where its system has no places.
    pub fn new(reader: RasterReader) -> Result<MapRaster> {
        let outline = LayerReader::of_layer(&reader.outline_of_sides(PARTS)?, reader.path());
        Ok(MapRaster { context: false, reader, outline })
    }

    /// The same without a say in what the map shows.
    pub fn as_context(self) -> MapRaster {
        MapRaster { context: true, ..self }
    }

    /// Its outline as a layer.
    pub fn outline(&self) -> &LayerReader {
        &self.outline
    }

    /// The raster.
    pub fn reader(&self) -> &RasterReader {
        &self.reader
    }
}
