//! What each format of layers can hold: one table that decides what is said before writing,
//! and from which the table in the documentation is made.

use super::Format;

/// Which reference systems a format can keep.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Systems {
    /// Any, inside the file.
    Any,
    /// Any that WKT 1 can say, in a side file.
    SideFile,
    /// WGS 84 longitude and latitude only: others are converted on the way.
    Wgs84,
    /// None: it has to be told along with the file.
    None,
}

impl Systems {
    /// In words.
    pub fn name(self) -> &'static str {
        match self {
            Systems::Any => "any",
            Systems::SideFile => "side file",
            Systems::Wgs84 => "WGS 84 only",
            Systems::None => "none",
        }
    }
}

/// How a format keeps attributes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Attributes {
    /// As columns.
    Columns,
    /// As extensions of the format, which other programs may pass over.
    Extensions,
}

/// What one format can hold.
#[derive(Clone, Copy, Debug)]
pub struct Capability {
    /// The format.
    pub format: Format,
    /// Extensions of its files, without the dot.
    pub extensions: &'static [&'static str],
    /// It is read.
    pub reads: bool,
    /// It is written.
    pub writes: bool,
    /// Reference systems.
    pub systems: Systems,
    /// Points, lines and polygons in one layer.
    pub mixed_kinds: bool,
    /// Several layers in one file.
    pub several_layers: bool,
    /// Heights of vertices.
    pub z: bool,
    /// A vertex without a height (or measure) among others that have one.
    pub partial_z: bool,
    /// Measures of vertices.
    pub m: bool,
    /// Features without a geometry.
    pub no_geometry: bool,
    /// A missing text is another thing than a blank one.
    pub nulls: bool,
    /// Bytes as an attribute.
    pub bytes: bool,
    /// Dates as such, not as text.
    pub dates: bool,
    /// Dates with a time as such, not as text.
    pub times: bool,
    /// Bits of whole numbers that are kept exactly.
    pub whole_bits: u32,
    /// Bytes of a column's name, if there is a limit.
    pub name_bytes: Option<usize>,
    /// Bytes of a text, if there is a limit.
    pub text_bytes: Option<usize>,
    /// Bytes of a file, if there is a limit.
    pub file_bytes: Option<u64>,
    /// How attributes are kept.
    pub attributes: Attributes,
}

/// What a format can hold that has no limits; the entries below say where they differ.
const FREE: Capability = Capability {
    format: Format::GeoPackage,
    extensions: &[],
    reads: true,
    writes: true,
    systems: Systems::Any,
    mixed_kinds: true,
    several_layers: false,
    z: true,
    partial_z: true,
    m: true,
    no_geometry: true,
    nulls: true,
    bytes: true,
    dates: false,
    times: false,
    whole_bits: 64,
    name_bytes: None,
    text_bytes: None,
    file_bytes: None,
    attributes: Attributes::Columns,
};

/// Every format, in the order of the documentation.
pub const CAPABILITIES: &[Capability] = &[
    Capability {
        format: Format::GeoPackage,
        extensions: &["gpkg"],
        several_layers: true,
        dates: true,
        times: true,
        ..FREE
    },
    Capability {
        format: Format::Shapefile,
        extensions: &["shp"],
        partial_z: false,
        systems: Systems::SideFile,
        mixed_kinds: false,
        nulls: false,
        bytes: false,
        dates: true,
        whole_bits: 53,
        name_bytes: Some(10),
        text_bytes: Some(254),
        file_bytes: Some(1 << 31),
        ..FREE
    },
    Capability {
        format: Format::GeoJson,
        extensions: &["geojson", "json"],
        systems: Systems::Wgs84,
        m: false,
        bytes: false,
        ..FREE
    },
    Capability {
        format: Format::GeoJsonLines,
        extensions: &["geojsonl", "ndjson", "jsonl"],
        systems: Systems::Wgs84,
        m: false,
        bytes: false,
        ..FREE
    },
    Capability { format: Format::FlatGeobuf, extensions: &["fgb"], times: true, ..FREE },
    Capability { format: Format::GeoParquet, extensions: &["parquet", "geoparquet"], ..FREE },
    Capability {
        format: Format::Kml,
        extensions: &["kml"],
        systems: Systems::Wgs84,
        m: false,
        bytes: false,
        ..FREE
    },
    Capability {
        format: Format::Gpx,
        extensions: &["gpx"],
        systems: Systems::Wgs84,
        several_layers: true,
        m: false,
        no_geometry: false,
        bytes: false,
        attributes: Attributes::Extensions,
        ..FREE
    },
    Capability {
        format: Format::Dxf,
        extensions: &["dxf"],
        partial_z: false,
        systems: Systems::None,
        m: false,
        no_geometry: false,
        nulls: false,
        bytes: false,
        text_bytes: Some(250),
        attributes: Attributes::Extensions,
        ..FREE
    },
    Capability {
        format: Format::Csv,
        extensions: &["csv", "tsv", "txt", "tab"],
        systems: Systems::None,
        nulls: false,
        bytes: false,
        ..FREE
    },
    Capability {
        format: Format::Workbook,
        extensions: &["xlsx", "xls", "ods", "xlsm", "xlsb"],
        systems: Systems::None,
        several_layers: true,
        nulls: false,
        bytes: false,
        dates: true,
        times: true,
        whole_bits: 53,
        text_bytes: Some(32_767),
        ..FREE
    },
    Capability {
        format: Format::Dbf,
        extensions: &["dbf"],
        writes: false,
        systems: Systems::None,
        nulls: false,
        bytes: false,
        dates: true,
        whole_bits: 53,
        name_bytes: Some(10),
        text_bytes: Some(254),
        file_bytes: Some(1 << 31),
        ..FREE
    },
];

impl Capability {
    /// What a format can hold.
    pub fn of(format: Format) -> &'static Capability {
        // Every format has its entry, which a test makes sure of.
        CAPABILITIES.iter().find(|entry| entry.format == format).unwrap_or(&FREE)
    }

    /// The table of the documentation, in Markdown.
    ///
    /// ```
    /// let table = velvet_peg::Capability::table();
    /// assert!(table.contains("| Shapefile |"));
    /// ```
    pub fn table() -> String {
        let mut lines = vec![
            "| format | files | read | written | reference system | kinds mixed | layers | Z | missing Z | M | \
             no geometry | missing text | bytes | dates | date and time | whole numbers | names | \
             text | attributes |"
                .to_string(),
            "| --- ".repeat(19) + "|",
        ];
        for c in CAPABILITIES {
            let yes = |flag: bool| if flag { "yes" } else { "no" }.to_string();
            let most = |limit: Option<usize>| {
                limit.map_or("any".to_string(), |bytes| format!("{bytes} bytes"))
            };
            let files: Vec<String> = c.extensions.iter().map(|e| format!(".{e}")).collect();
            let cells = [
                c.format.name().to_string(),
                files.join(" "),
                yes(c.reads),
                yes(c.writes),
                c.systems.name().to_string(),
                yes(c.mixed_kinds),
                if c.several_layers { "several" } else { "one" }.to_string(),
                yes(c.z),
                if c.partial_z { "kept" } else { "feature without Z" }.to_string(),
                yes(c.m),
                yes(c.no_geometry),
                if c.nulls { "kept" } else { "as blank" }.to_string(),
                if c.bytes { "kept" } else { "as hexadecimal text" }.to_string(),
                if c.dates { "kept" } else { "as text" }.to_string(),
                if c.times { "kept" } else { "as text" }.to_string(),
                format!("{} bits", c.whole_bits),
                most(c.name_bytes),
                most(c.text_bytes),
                match c.attributes {
                    Attributes::Columns => "columns",
                    Attributes::Extensions => "extensions",
                }
                .to_string(),
            ];
            lines.push(format!("| {} |", cells.join(" | ")));
        }
        lines.join("\n") + "\n"
    }
}
