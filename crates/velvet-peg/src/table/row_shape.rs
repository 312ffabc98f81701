//! What the rows of a table have to be like: so many fields, all of them text.

use crate::advice::Advice;
use crate::format_support::SourceRow;
use crate::outcome::Reason;
use csv::StringRecord;

/// What the rows of a table have to be like.
#[derive(Clone, Debug)]
pub(crate) struct RowShape {
    /// Column names.
    pub(super) headers: Vec<String>,
    /// The column that names the sheet or file, if there are several.
    pub(super) sheet_column: Option<usize>,
    /// What it names.
    pub(super) part: &'static str,
}

impl RowShape {
    /// Why a row does not fit its header or its encoding, if it does not.
    pub(crate) fn misfit_of(&self, row: &SourceRow) -> Option<Reason> {
        self.misfit(row.misfit.as_ref(), row.garbled, &row.texts)
    }

    /// The same of its parts: what was found on reading, the field that is no text, the texts.
    pub(super) fn misfit(
        &self,
        found: Option<&Reason>,
        garbled: Option<usize>,
        texts: &StringRecord,
    ) -> Option<Reason> {
        if let Some(reason) = found {
            return Some(reason.clone());
        }
        if let Some(field) = garbled {
            let column = self.headers.get(field).map_or(String::new(), |name| format!(" `{name}`"));
            let why = format!(
                "column{column} holds bytes that are not UTF-8 text (shown as \u{fffd}): correct them"
            );
            return Some(Reason::from(why).advise(Advice::NameEncoding));
        }
        (texts.len() != self.headers.len()).then(|| {
            format!(
                "the row has {} fields where the header has {}",
                texts.len(),
                self.headers.len()
            )
            .into()
        })
    }

    /// What is wrong with a row, with the sheet it is on if there are several.
    pub(crate) fn on_sheet(&self, texts: &StringRecord, reason: Reason) -> Reason {
        match self.sheet_column.and_then(|at| texts.get(at)) {
            Some(sheet) => reason.of(format_args!("{} {sheet}: ", self.part)),
            None => reason,
        }
    }
}
