//! What the library noticed: faults, warnings and plain notes, for the caller to show.

use serde::Serialize;
use std::fmt;

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

/// What a notice is about, where somebody decides by it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum NoticeKind {
    /// Something that is only told.
    #[default]
    Other,
    /// What else a file holds stays as it is.
    OtherLayersStay,
    /// A file gets a layer that it does not have yet.
    NewLayer,
}

/// Something noticed while working.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Notice {
    /// How much it matters.
    pub severity: Severity,
    /// What it is about.
    pub kind: NoticeKind,
    /// What was seen, with figures, and what to do.
    pub text: String,
}

impl Notice {
    pub(crate) fn warning(text: impl Into<String>) -> Notice {
        Notice { severity: Severity::Warning, kind: NoticeKind::Other, text: text.into() }
    }

    pub(crate) fn note(text: impl Into<String>) -> Notice {
        Notice { severity: Severity::Note, ..Notice::warning(text) }
    }

    pub(crate) fn of_kind(self, kind: NoticeKind) -> Notice {
        Notice { kind, ..self }
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
