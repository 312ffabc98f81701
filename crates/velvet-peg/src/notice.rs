//! What the library noticed: warnings and plain remarks, for the caller to show.

use std::fmt;

/// How much a notice matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Severity {
    /// Worth knowing.
    Remark,
    /// Likely a mistake, or a limit on what the result may be used for.
    Warning,
}

/// Something noticed while working.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Notice {
    /// How much it matters.
    pub weight: Severity,
    /// What was seen, with figures, and what to do.
    pub text: String,
}

impl Notice {
    pub(crate) fn warning(text: impl Into<String>) -> Notice {
        Notice { weight: Severity::Warning, text: text.into() }
    }

    pub(crate) fn remark(text: impl Into<String>) -> Notice {
        Notice { weight: Severity::Remark, text: text.into() }
    }
}

impl fmt::Display for Notice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}
