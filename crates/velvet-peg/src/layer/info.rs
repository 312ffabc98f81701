//! What is known of a layer without reading its features.

use super::GeometryKind;
use arrow_schema::SchemaRef;
use velvet_peg_core::{Bounds, Crs, LengthUnit};

/// What is known of a layer without reading its features.
#[derive(Clone, Debug)]
pub struct LayerInfo {
    /// Name.
    pub name: String,
    /// Reference system; none if the data has none.
    pub crs: Option<Crs>,
    /// Where the reference system is known from.
    pub crs_origin: CrsOrigin,
    /// Attribute columns.
    pub schema: SchemaRef,
    /// Kind of all geometries; none if mixed or unknown.
    pub kind: Option<GeometryKind>,
    /// True for a table of attributes alone: its features have no geometry.
    pub bare: bool,
    /// Unit of the coordinates, where the file states one and no reference system.
    pub unit: Option<LengthUnit>,
    /// True for a layer beside those of the file's subject, such as the sheets of a drawing: it is
    /// read where it is named.
    pub aside: bool,
    /// True if vertices have heights.
    pub has_z: bool,
    /// True if vertices have measures.
    pub has_m: bool,
    /// Number of features, if known.
    pub count: Option<u64>,
    /// Smallest box around the coordinates in the layer's own units, if known: `south`,
    /// `north` bound y; `west`, `east` bound x.
    pub extent: Option<Bounds>,
}

impl LayerInfo {
    /// True for a layer of features of the file's subject: not one of attributes alone, not one
    /// aside.
    pub(crate) fn is_main(&self) -> bool {
        !self.bare && !self.aside
    }
}

/// Where the reference system of a layer is known from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CrsOrigin {
    /// It is missing, or was given by whoever made the layer.
    #[default]
    Given,
    /// The file states it.
    File,
    /// A side file (`.prj`) states it.
    SideFile,
    /// The standard of the format fixes it.
    Format,
}

impl CrsOrigin {
    /// In words.
    pub fn name(self) -> &'static str {
        match self {
            CrsOrigin::Given => "given",
            CrsOrigin::File => "stated in the file",
            CrsOrigin::SideFile => "from a side file",
            CrsOrigin::Format => "fixed by the format's standard",
        }
    }
}
