//! How many cases there are of something, and the first few in words.

/// Cases that are told one by one.
const TOLD: usize = 5;

/// A count with the first few cases.
///
/// ```
/// use velvet_peg::Examples;
/// let mut unmet = Examples::default();
/// (1..=7).for_each(|number| unmet.add(|| format!("T-{number}")));
/// assert_eq!(unmet.count, 7);
/// assert_eq!(unmet.listed(), "T-1; T-2; T-3; T-4; T-5; and 2 more");
/// assert_eq!(unmet.counted(), "7 (T-1, T-2, T-3, T-4, T-5, …)");
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Examples {
    /// How many.
    pub count: u64,
    /// The first of them.
    pub first: Vec<String>,
}

impl Examples {
    /// Counts a case; its words are asked for only if it is among the first.
    pub fn add(&mut self, case: impl FnOnce() -> String) {
        self.count += 1;
        if self.first.len() < TOLD {
            self.first.push(case());
        }
    }

    /// The first cases, and how many more there are.
    pub fn listed(&self) -> String {
        match self.count as usize - self.first.len() {
            0 => self.first.join("; "),
            more => format!("{}; and {more} more", self.first.join("; ")),
        }
    }

    /// The count, and the first cases in brackets.
    pub fn counted(&self) -> String {
        match self.count as usize - self.first.len() {
            _ if self.count == 0 => "none".to_string(),
            0 => format!("{} ({})", self.count, self.first.join(", ")),
            _ => format!("{} ({}, …)", self.count, self.first.join(", ")),
        }
    }
}
