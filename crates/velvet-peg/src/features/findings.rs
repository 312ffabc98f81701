//! What was seen while features were put together: counted, the first few of each kind named.

use crate::notice::Notice;

/// Cases named in one warning.
const NAMED: usize = 5;

/// Cases by kind, in the order in which the kinds came.
#[derive(Debug, Default)]
pub(crate) struct Findings(Vec<Finding>);

#[derive(Debug)]
struct Finding {
    what: &'static str,
    count: u64,
    named: Vec<String>,
    remark: bool,
}

impl Findings {
    /// Counts a case of something that is likely wrong.
    pub(crate) fn add(&mut self, what: &'static str, case: impl FnOnce() -> String) {
        self.put(what, false, case);
    }

    /// Counts a case of something worth knowing.
    pub(crate) fn remark(&mut self, what: &'static str, case: impl FnOnce() -> String) {
        self.put(what, true, case);
    }

    fn put(&mut self, what: &'static str, remark: bool, case: impl FnOnce() -> String) {
        let at = self.0.iter().position(|f| f.what == what).unwrap_or_else(|| {
            self.0.push(Finding { what, count: 0, named: Vec::new(), remark });
            self.0.len() - 1
        });
        let finding = &mut self.0[at];
        finding.count += 1;
        if finding.named.len() < NAMED {
            finding.named.push(case());
        }
    }

    /// The cases as notices.
    pub(crate) fn notices(&self) -> Vec<Notice> {
        self.0
            .iter()
            .map(|finding| {
                let more = match finding.count - finding.named.len() as u64 {
                    0 => String::new(),
                    more => format!("; and {more} more"),
                };
                let count = match finding.count {
                    1 => String::new(),
                    count => format!(" ({count} times)"),
                };
                // A question ends what it asks.
                let (what, count) = match finding.what.ends_with('?') {
                    true => (finding.what.to_string(), count),
                    false => (format!("{}{count}:", finding.what), String::new()),
                };
                let text = format!("{what}{count} {}{more}", finding.named.join("; "));
                if finding.remark { Notice::note(text) } else { Notice::warning(text) }
            })
            .collect()
    }
}
