//! What a format can hold: it decides what is said before writing, and the table in the
//! documentation is made from it.

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

/// What becomes of features that are added to a file of a format.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Appending {
    /// The file is changed from inside.
    Inside,
    /// The file is written again, with what it held first.
    Rewritten,
    /// Nothing is added to such files: they may hold more than would be written again.
    Refused,
}

/// How a format keeps the characters of a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Texts {
    /// All of them.
    All,
    /// All but the null character, which ends texts elsewhere and makes tables unreadable.
    NoNull,
    /// Those of XML 1.0 (section 2.2); a text of blanks alone is none where `blanks` is false.
    Xml {
        /// A text of blanks alone is kept.
        blanks: bool,
    },
    /// Blanks at the end fill the field.
    Padded,
}

/// What one format can hold.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct Capability {
    /// Name of the format.
    pub name: &'static str,
    /// A table, from which features have to be built.
    pub table: bool,
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
    /// Times of the day as such, not as text.
    pub times_of_day: bool,
    /// Dates with a time are moments of one clock: those with an offset from UTC are kept as the
    /// same moments of UTC.
    pub one_clock: bool,
    /// Types of columns that the standard of the format does not have.
    pub foreign_types: bool,
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
    /// A vertex without a measure among others that have one.
    pub partial_m: bool,
    /// Infinite numbers as an attribute.
    pub infinite: bool,
    /// How the characters of a text are kept.
    pub texts: Texts,
    /// Coordinates are written as text, with a number of digits behind the point.
    pub coordinate_text: bool,
    /// Features are cut where they cross the antimeridian.
    pub cut_at_180: bool,
    /// Longitudes are below 180°: that of 180° is one of -180°.
    pub below_180: bool,
    /// What heights are metres above, if the standard of the format says it.
    pub height_surface: Option<&'static str>,
    /// Values of a column may name the layers of a drawing.
    pub drawing: bool,
    /// Values of a column may label features.
    pub labels: bool,
    /// Values of columns may describe features, and be addresses that they lead to.
    pub links: bool,
    /// What becomes of features that are added to a file.
    pub appending: Appending,
}

/// What a format can hold that has no limits; each format says where it differs.
pub(crate) const UNLIMITED: Capability = Capability {
    name: "",
    table: false,
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
    times_of_day: false,
    one_clock: false,
    foreign_types: false,
    whole_bits: 64,
    name_bytes: None,
    text_bytes: None,
    file_bytes: None,
    attributes: Attributes::Columns,
    partial_m: true,
    infinite: true,
    texts: Texts::All,
    coordinate_text: false,
    cut_at_180: false,
    below_180: false,
    height_surface: None,
    drawing: false,
    labels: false,
    links: false,
    appending: Appending::Refused,
};

/// Headings of [`Capability::cells`].
pub(crate) const HEADINGS: [&str; 20] = [
    "format",
    "files",
    "read",
    "written",
    "reference system",
    "kinds mixed",
    "layers",
    "Z",
    "missing Z",
    "M",
    "no geometry",
    "missing text",
    "bytes",
    "dates",
    "date and time",
    "time of day",
    "whole numbers",
    "names",
    "text",
    "attributes",
];

impl Capability {
    /// A line of the table in the documentation.
    pub(crate) fn cells(&self) -> [String; 20] {
        let c = self;
        let yes = |flag: bool| if flag { "yes" } else { "no" }.to_string();
        let most = |limit: Option<usize>| {
            limit.map_or("any".to_string(), |bytes| format!("{bytes} bytes"))
        };
        let files: Vec<String> = c.extensions.iter().map(|e| format!(".{e}")).collect();
        [
            c.name.to_string(),
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
            if c.times_of_day { "kept" } else { "as text" }.to_string(),
            format!("{} bits", c.whole_bits),
            most(c.name_bytes),
            most(c.text_bytes),
            match c.attributes {
                Attributes::Columns => "columns",
                Attributes::Extensions => "extensions",
            }
            .to_string(),
        ]
    }
}
