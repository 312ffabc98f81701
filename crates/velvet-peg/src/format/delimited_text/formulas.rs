//! Texts that a spreadsheet would take for formulas when it opens the file.

use crate::advice::Advice;
use crate::notice::{Notice, NoticeKind};

/// Marks such texts, or counts them.
pub(super) struct Formulas {
    mark: bool,
    count: u64,
    /// Where the first one stands, and what it is.
    first: Option<String>,
}

/// True if a text begins as formulas do, and is no number.
fn begins_like_one(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r']) && text.parse::<f64>().is_err()
}

/// True if a spreadsheet would run it: signs and dashes stand in front of plain texts too.
fn runs(text: &str) -> bool {
    match text.chars().next() {
        Some('=') => text.len() > 1,
        Some('+' | '-' | '@') => text.contains(['(', '|', '!']),
        _ => false,
    }
}

/// As many signs of a text as a message shows.
const SHOWN: usize = 30;

impl Formulas {
    pub(super) fn new(mark: bool) -> Formulas {
        Formulas { mark, count: 0, first: None }
    }

    /// Takes note of a text before it is written, or has it begin with an apostrophe.
    pub(super) fn pass(&mut self, text: &mut String, place: impl Fn() -> String) {
        if !begins_like_one(text) {
            return;
        }
        if self.mark {
            text.insert(0, '\'');
        } else if runs(text) {
            self.count += 1;
            self.first.get_or_insert_with(|| {
                let mut shown: String = text.chars().take(SHOWN).collect();
                if shown.len() < text.len() {
                    shown.push('…');
                }
                format!("{}: `{shown}`", place())
            });
        }
    }

    /// What there is to be told of texts that were written as they are.
    pub(super) fn notice(&self) -> Option<Notice> {
        let first = self.first.as_ref()?;
        let text = match self.count {
            1 => format!("a text would run as a formula in a spreadsheet ({first})"),
            many => format!("{many} texts would run as formulas in a spreadsheet ({first}, …)"),
        };
        Some(Notice::warning(NoticeKind::FormatLimit, text).advise(Advice::FormulasAsText))
    }
}
