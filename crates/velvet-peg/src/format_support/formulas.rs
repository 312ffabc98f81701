//! Texts in delimited text that a spreadsheet would take for formulas when it opens the file.

use crate::advice::Advice;
use crate::notice::{Notice, NoticeKind};

/// Marks such texts, or counts them.
#[derive(Debug)]
pub(crate) struct Formulas {
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
    match text.as_bytes().first() {
        Some(b'=') => text.len() > 1,
        Some(b'+' | b'-' | b'@') => text.contains(['(', '|', '!']),
        _ => false,
    }
}

/// As many signs of a text as a message shows.
const SHOWN: usize = 30;

impl Formulas {
    pub(crate) fn new(mark: bool) -> Formulas {
        Formulas { mark, count: 0, first: None }
    }

    /// The text as it is to be written, if that differs; takes note of one that is written as it is.
    pub(crate) fn marked(&mut self, text: &str, place: impl FnOnce() -> String) -> Option<String> {
        if self.mark {
            return begins_like_one(text).then(|| format!("'{text}"));
        }
        if runs(text) {
            self.count += 1;
            self.first.get_or_insert_with(|| {
                let mut shown: String = text.chars().take(SHOWN).collect();
                if shown.len() < text.len() {
                    shown.push('…');
                }
                format!("{}: `{shown}`", place())
            });
        }
        None
    }

    /// Takes note of what stands in later rows.
    pub(crate) fn then(&mut self, later: Formulas) {
        self.count += later.count;
        self.first = self.first.take().or(later.first);
    }

    /// What there is to be told of texts that were written as they are.
    pub(crate) fn notice(&self) -> Option<Notice> {
        let first = self.first.as_ref()?;
        let text = match self.count {
            1 => format!("a text would run as a formula in a spreadsheet ({first})"),
            many => format!("{many} texts would run as formulas in a spreadsheet ({first}, …)"),
        };
        Some(Notice::warning(NoticeKind::FormatLimit, text).advise(Advice::FormulasAsText))
    }
}
