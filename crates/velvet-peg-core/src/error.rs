//! The crate's one error type.
//!
//! Opaque, so that its inside can grow; callers ask with the `is_*` predicates and show it
//! with `Display`. Messages say what was wrong and what to do about it.

use std::fmt;

/// Anything that can go wrong in the computing core.
#[derive(Debug, Clone)]
pub struct Error {
    kind: Kind,
    message: String,
    ambiguity: Option<Box<Ambiguity>>,
}

/// A text that stands for several things.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ambiguity {
    /// The text.
    pub text: String,
    /// What it may stand for: of reference systems the labels, likeliest first.
    pub choices: Vec<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Malformed,
    Unknown,
    Unsupported,
    OutOfDomain,
    NoRoute,
    NoEpoch,
    Ambiguous,
}

impl Error {
    pub(crate) fn new(kind: Kind, message: impl Into<String>) -> Error {
        Error { kind, message: message.into(), ambiguity: None }
    }

    pub(crate) fn ambiguous(message: impl Into<String>, text: &str, choices: Vec<String>) -> Error {
        let ambiguity = Ambiguity { text: text.to_string(), choices };
        Error { ambiguity: Some(Box::new(ambiguity)), ..Error::new(Kind::Ambiguous, message) }
    }

    pub(crate) fn malformed(message: impl Into<String>) -> Error {
        Error::new(Kind::Malformed, message)
    }

    pub(crate) fn unknown(message: impl Into<String>) -> Error {
        Error::new(Kind::Unknown, message)
    }

    pub(crate) fn unsupported(message: impl Into<String>) -> Error {
        Error::new(Kind::Unsupported, message)
    }

    pub(crate) fn out_of_domain(message: impl Into<String>) -> Error {
        Error::new(Kind::OutOfDomain, message)
    }

    /// A text (angle, reference, number) that cannot be read.
    pub fn is_malformed(&self) -> bool {
        self.kind == Kind::Malformed
    }

    /// A code or name that the registry does not have.
    pub fn is_unknown(&self) -> bool {
        self.kind == Kind::Unknown
    }

    /// Something real that this version cannot compute.
    pub fn is_unsupported(&self) -> bool {
        self.kind == Kind::Unsupported
    }

    /// A coordinate outside what the method or the system can hold.
    pub fn is_out_of_domain(&self) -> bool {
        self.kind == Kind::OutOfDomain
    }

    /// No usable operation joins the two reference systems.
    pub fn is_no_route(&self) -> bool {
        matches!(self.kind, Kind::NoRoute | Kind::NoEpoch)
    }

    /// The operations that join the two reference systems need the epoch of the coordinates.
    ///
    /// ```
    /// use velvet_peg_core::{Converter, Crs};
    /// let (itrf2014, nad83) = (Crs::from_epsg(9000)?, Crs::from_epsg(6318)?);
    /// assert!(Converter::new(&itrf2014, &nad83).unwrap_err().is_epoch_missing());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn is_epoch_missing(&self) -> bool {
        self.kind == Kind::NoEpoch
    }

    /// Several things match and one has to be chosen.
    pub fn is_ambiguous(&self) -> bool {
        self.kind == Kind::Ambiguous
    }

    /// The text that stands for several things, and those.
    ///
    /// ```
    /// use velvet_peg_core::Crs;
    /// let error = Crs::parse("washington south ftus").unwrap_err();
    /// let ambiguity = error.ambiguity().unwrap();
    /// assert_eq!(ambiguity.text, "washington south ftus");
    /// assert!(ambiguity.choices[0].starts_with("EPSG:"));
    /// ```
    pub fn ambiguity(&self) -> Option<&Ambiguity> {
        self.ambiguity.as_deref()
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)
    }
}

impl std::error::Error for Error {}

/// Result of the computing core.
pub type Result<T> = std::result::Result<T, Error>;
