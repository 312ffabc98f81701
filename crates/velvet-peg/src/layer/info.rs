//! What is known of a layer without reading its features.

use super::GeometryKind;
use arrow_schema::SchemaRef;
use velvet_peg_core::{Bounds, Converter, Crs, LengthUnit};

/// Begins the lines of a description that say how coordinates came about (ISO 19115-1: lineage).
pub(crate) const LINEAGE: &str = "Lineage: ";

/// What is known of a layer without reading its features.
#[derive(Clone, Debug)]
pub struct LayerInfo {
    /// Name.
    pub name: String,
    /// What is said of the layer in words, in lines: what the file that it was read from says, and a line
    /// `Lineage: ...` for each conversion and each system declared since. GeoPackage, GeoParquet and FlatGeobuf keep it.
    pub description: Option<String>,
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

    /// How the coordinates came about: the conversions and declared systems that the description tells, the
    /// first one first.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{ConvertLayer, Crs, LayerReader};
    /// let to = ConvertLayer { target: Some(Crs::from_epsg(4269)?), ..ConvertLayer::default() };
    /// to.run(&LayerReader::open(&file("fields.geojson"), None)?, &file("fields.gpkg"))?;
    /// let converted = LayerReader::open(&file("fields.gpkg"), None)?;
    /// let lineage: Vec<&str> = converted.info().lineage().collect();
    /// assert!(lineage[0].starts_with("converted from EPSG:4326 WGS 84 to EPSG:4269 NAD83: "));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    pub fn lineage(&self) -> impl Iterator<Item = &str> {
        self.description
            .iter()
            .flat_map(|text| text.lines())
            .filter_map(|l| l.strip_prefix(LINEAGE))
    }

    /// What else the description says, line by line.
    pub fn said(&self) -> impl Iterator<Item = &str> {
        self.description.iter().flat_map(|text| text.lines()).filter(|l| !l.starts_with(LINEAGE))
    }

    /// Adds those lines to the description that it lacks.
    pub(crate) fn add_to_description(&mut self, text: &str) {
        for line in text.lines() {
            let is_there = self.description.iter().flat_map(|text| text.lines()).any(|l| l == line);
            if !is_there {
                self.push_line(line);
            }
        }
    }

    fn push_line(&mut self, line: &str) {
        let description = self.description.get_or_insert_default();
        if !description.is_empty() {
            description.push('\n');
        }
        description.push_str(line);
    }

    /// Takes another system for coordinates that stay as they are, and adds that to the description.
    pub(crate) fn take_declaration(&mut self, crs: &Crs) {
        let before = match &self.crs {
            Some(old) if old == crs => return,
            Some(old) => format!(" (before {})", old.label()),
            None => String::new(),
        };
        self.push_line(&format!(
            "{LINEAGE}declared as {}{before}: no coordinate was moved",
            crs.label()
        ));
        self.crs = Some(crs.clone());
    }

    /// Takes the system that a converter leads to, and adds to the description by which operations.
    pub(crate) fn take_conversion(&mut self, converter: &Converter) {
        self.push_line(&lineage(converter));
        self.crs = Some(converter.target().clone());
        self.extent = None;
    }
}

/// The line of a description that says by which operations coordinates were converted.
pub(crate) fn lineage(converter: &Converter) -> String {
    let (from, to) = (converter.source().label(), converter.target().label());
    let at = converter.epoch().map_or(String::new(), |epoch| format!(" at epoch {epoch}"));
    let heights = converter.height_changes().into_iter().map(|(code, name, accuracy_m)| {
        let known = accuracy_m.map_or("accuracy not stated".into(), |m| format!("known to {m} m"));
        format!("; heights by {name} [EPSG:{code}] ({known})")
    });
    let heights: String = heights.collect();
    format!("{LINEAGE}converted from {from} to {to}{at}: {}{heights}", converter.route().summary())
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
