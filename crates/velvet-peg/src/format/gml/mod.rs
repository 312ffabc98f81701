//! GML, in: simple features of GML 3.2 (OGC 07-036r1, profile 10-100r3) and of its elder versions.
//!
//! Each kind of feature is a layer, named by its element; where its geometries are in several
//! systems, one a system. Properties are columns: those inside others are joined by `_`, one that
//! stands several times is numbered (`use`, `use_2`), attributes of a property stand beside it
//! (`area_uom`). Geometries beyond the first of a feature are columns of well-known text. Places are
//! turned to x, y where the name of their system asks for the order of the registry.

mod curve;
mod features;
mod read;
mod schema;
mod shape;
mod system;
mod tree;

use crate::error::Result;
use crate::format_support::{
    Attributes, Capability, FileStart, FormatDescription, OpenedLayer, ReadOptions, UNLIMITED,
};
use std::path::Path;

/// GML.
#[derive(Debug)]
pub(super) struct Gml;

impl FormatDescription for Gml {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "GML",
            extensions: &["gml"],
            writes: false,
            several_layers: true,
            m: false,
            attributes: Attributes::Columns,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        // Other XML may use its elements in places, such as schemas.
        start.text.starts_with('<')
            && start.text.contains("http://www.opengis.net/gml")
            && !start.text.contains("http://www.opengis.net/kml")
            && !["<LandXML", "<xs:schema", "<xsd:schema", "<schema"]
                .iter()
                .any(|root| start.text.contains(root))
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        read::open(path, options)
    }
}
