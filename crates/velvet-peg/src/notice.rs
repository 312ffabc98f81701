//! What the library noticed: faults, warnings and plain notes, for the caller to show.

use crate::advice::Advice;
use crate::error::Location;
use serde::Serialize;
use std::fmt;
use std::path::{Path, PathBuf};

/// How much a notice or a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// Likely a mistake, or a limit on what the result may be used for.
    Warning,
    /// Wrong: what it is about does not pass.
    Fault,
}

impl Severity {
    /// Name in words.
    pub fn name(self) -> &'static str {
        match self {
            Severity::Note => "note",
            Severity::Warning => "warning",
            Severity::Fault => "fault",
        }
    }
}

/// What a notice is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum NoticeKind {
    /// The data lies outside the area that a system or zone is for, or near its edge.
    Area,
    /// Something was taken by its looks: columns, a header, where a parcel begins.
    Assumed,
    /// Data was carried into another system on the way.
    Carried,
    /// Columns were renamed, left out or given another type.
    ColumnChange,
    /// Points in no polygon, in several, or on a boundary.
    Containment,
    /// How well the change from one datum to another is known.
    DatumChange,
    /// A drawing does not show all that was asked for.
    Drawing,
    /// Nothing is left.
    Empty,
    /// What figures and coordinates in expressions mean.
    Expression,
    /// A format cannot hold something.
    FormatLimit,
    /// What heights mean, or what was assumed of them.
    Height,
    /// Keys that do not meet.
    Keys,
    /// Memory that work will take.
    Memory,
    /// A file gets a layer that it does not have yet.
    NewLayer,
    /// Files beside the output.
    OtherFiles,
    /// What else a file holds stays as it is.
    OtherLayersStay,
    /// Positions that stand apart from the others.
    Outliers,
    /// Sizes on a grid, and what they are on the ellipsoid or the ground.
    Scale,
    /// Flaws of geometries, and parcels that do not close.
    Shape,
    /// The reference system: stated, missing, unreadable or declared.
    System,
    /// Records or values that cannot be read and take no part.
    Unreadable,
}

/// One figure of a notice.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[non_exhaustive]
pub struct Figure {
    /// What it is.
    pub name: &'static str,
    /// How much or how many.
    pub value: f64,
    /// The unit; blank for counts and ratios.
    pub unit: &'static str,
}

/// Something noticed while working.
///
/// ```
/// use velvet_peg::{Converter, Crs, NoticeKind, convert::route_notices};
/// let nad27_to_wgs84 = Converter::new(&Crs::from_epsg(4267)?, &Crs::from_epsg(4326)?)?;
/// let notice = &route_notices(&nad27_to_wgs84)[0];
/// assert_eq!(notice.kind, NoticeKind::DatumChange);
/// assert_eq!(notice.figure("accuracy"), nad27_to_wgs84.route().accuracy_m());
/// # Ok::<(), velvet_peg::Error>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Notice {
    /// How much it matters.
    pub severity: Severity,
    /// What it is about.
    pub kind: NoticeKind,
    /// What was seen, with figures and their units.
    pub text: String,
    /// The figures in the text as numbers.
    pub figures: Vec<Figure>,
    /// Where in the data, as far as it is one place.
    pub location: Location,
    /// What can be done about it, if something is known.
    pub advice: Option<Advice>,
}

impl Notice {
    /// A word on side files of a file that was replaced, if there are any.
    pub(crate) fn of_removed(files: &[PathBuf]) -> Option<Notice> {
        let names: Vec<String> = files.iter().map(|path| path.display().to_string()).collect();
        (!names.is_empty()).then(|| {
            Notice::note(
                NoticeKind::OtherFiles,
                format!(
                    "side files of the file that was here before are removed, because they would \
                     not fit the new one: {}",
                    names.join(", ")
                ),
            )
        })
    }

    pub(crate) fn warning(kind: NoticeKind, text: impl Into<String>) -> Notice {
        Notice {
            severity: Severity::Warning,
            kind,
            text: text.into(),
            figures: Vec::new(),
            location: Location::default(),
            advice: None,
        }
    }

    pub(crate) fn note(kind: NoticeKind, text: impl Into<String>) -> Notice {
        Notice { severity: Severity::Note, ..Notice::warning(kind, text) }
    }

    pub(crate) fn advise(self, advice: Advice) -> Notice {
        Notice { advice: Some(advice), ..self }
    }

    pub(crate) fn advise_if(self, advice: Option<Advice>) -> Notice {
        Notice { advice, ..self }
    }

    /// Adds a figure; the unit is blank for counts and ratios.
    pub(crate) fn with(mut self, name: &'static str, value: f64, unit: &'static str) -> Notice {
        self.figures.push(Figure { name, value, unit });
        self
    }

    pub(crate) fn count(self, count: u64) -> Notice {
        self.with("count", count as f64, "")
    }

    pub(crate) fn in_file(mut self, path: &Path) -> Notice {
        self.location.file = Some(path.to_path_buf());
        self
    }

    pub(crate) fn in_layer(mut self, layer: &str) -> Notice {
        self.location.layer = Some(layer.to_string());
        self
    }

    pub(crate) fn in_sheet(mut self, sheet: &str) -> Notice {
        self.location.sheet = Some(sheet.to_string());
        self
    }

    pub(crate) fn in_column(mut self, column: &str) -> Notice {
        self.location.column = Some(column.to_string());
        self
    }

    /// A figure by its name.
    pub fn figure(&self, name: &str) -> Option<f64> {
        self.figures.iter().find(|figure| figure.name == name).map(|figure| figure.value)
    }
}

impl fmt::Display for Notice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// Its name: note, warning or fault.
impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
