//! What became of the rows or features of a step.

use crate::notice::{Notice, NoticeKind};
use crate::outcome::Rejected;
use std::path::PathBuf;
use velvet_peg_core::Converter;

/// A warning where a condition leaves nothing.
pub(crate) fn nothing_left(left_out: u64, out: u64) -> Option<Notice> {
    (out == 0 && left_out > 0).then(|| {
        Notice::warning(
            NoticeKind::Empty,
            "the condition is true for no feature: what was written is empty",
        )
    })
}

/// What became of the rows: in = out + rejected + left out; where features are made of several
/// rows, in = vertices + rejected.
#[derive(Clone, Debug, Default)]
pub struct Summary {
    /// Rows or features read.
    pub rows_in: u64,
    /// Features or rows written.
    pub out: u64,
    /// Rows or features that the condition left out.
    pub left_out: u64,
    /// Rows rejected.
    pub rejected: Rejected,
    /// Rows that became vertices of features, where features are made of several.
    pub vertices: Option<u64>,
    /// Every file written, side files included.
    pub files: Vec<PathBuf>,
    /// True if the output was read again and agreed.
    pub verified: bool,
    /// The operation that carried the features to another system, if one did.
    pub converter: Option<Converter>,
    /// What was noticed.
    pub notices: Vec<Notice>,
}
