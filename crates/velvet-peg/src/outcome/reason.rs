//! Why a row or feature was rejected.

use crate::advice::Advice;
use std::fmt;

/// Why a row or feature was rejected, and what can be done about it, if something is known.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Reason {
    /// In words, as it stands in the file of rejects.
    pub text: String,
    /// What can be done about it.
    pub advice: Option<Advice>,
}

impl Reason {
    pub(crate) fn advise(self, advice: Advice) -> Reason {
        Reason { advice: Some(advice), ..self }
    }

    /// The same reason, told of something named in front.
    pub(crate) fn of(self, what: impl fmt::Display) -> Reason {
        Reason { text: format!("{what}{}", self.text), ..self }
    }
}

impl From<String> for Reason {
    fn from(text: String) -> Reason {
        Reason { text, advice: None }
    }
}

impl From<&String> for Reason {
    fn from(text: &String) -> Reason {
        text.clone().into()
    }
}

impl From<&Reason> for Reason {
    fn from(reason: &Reason) -> Reason {
        reason.clone()
    }
}

impl From<&str> for Reason {
    fn from(text: &str) -> Reason {
        text.to_string().into()
    }
}

impl fmt::Display for Reason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}
