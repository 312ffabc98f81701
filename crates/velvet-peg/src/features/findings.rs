//! What was seen while features were put together: counted, the first few of each kind named.

use crate::advice::Advice;
use crate::examples::Examples;
use crate::notice::{Notice, NoticeKind};

/// Cases by kind, in the order in which the kinds came.
#[derive(Debug, Default)]
pub(crate) struct Findings(Vec<Finding>);

#[derive(Debug)]
struct Finding {
    what: &'static str,
    cases: Examples,
    remark: bool,
    advice: Option<Advice>,
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

    /// Says what can be done about a kind of case that was added.
    pub(crate) fn advise(&mut self, what: &'static str, advice: Advice) {
        for finding in self.0.iter_mut().filter(|finding| finding.what == what) {
            finding.advice = Some(advice.clone());
        }
    }

    fn put(&mut self, what: &'static str, remark: bool, case: impl FnOnce() -> String) {
        let at = self.0.iter().position(|f| f.what == what).unwrap_or_else(|| {
            self.0.push(Finding { what, cases: Examples::default(), remark, advice: None });
            self.0.len() - 1
        });
        self.0[at].cases.add(case);
    }

    /// The cases as notices.
    pub(crate) fn notices(&self) -> Vec<Notice> {
        self.0
            .iter()
            .map(|finding| {
                let count = match finding.cases.count {
                    1 => String::new(),
                    count => format!(" ({count} times)"),
                };
                // A question ends what it asks.
                let (what, count) = match finding.what.ends_with('?') {
                    true => (finding.what.to_string(), count),
                    false => (format!("{}{count}:", finding.what), String::new()),
                };
                let text = format!("{what}{count} {}", finding.cases.listed());
                let notice = match finding.remark {
                    true => Notice::note(NoticeKind::Shape, text),
                    false => Notice::warning(NoticeKind::Shape, text),
                };
                notice.count(finding.cases.count).advise_if(finding.advice.clone())
            })
            .collect()
    }
}
