//! Rows that stand apart from all others, in a table that is read only once: those that stand apart
//! from the rows before are kept, and judged when all have been seen.

use super::PositionSample;
use crate::notice::Notice;
use velvet_peg_core::Crs;

/// Rows that are kept to be judged.
const MOST: usize = 10_000;

/// Watches the rows of a table go by.
pub(crate) struct RowsApart<'a> {
    /// The bulk of the first rows.
    first: &'a PositionSample,
    all: PositionSample,
    /// True when the bulk of all rows so far is what counts.
    settled: bool,
    apart: Vec<(u64, f64, f64)>,
    /// True if rows lie so that none stand apart.
    scattered: bool,
}

impl RowsApart<'_> {
    /// Of a table whose first rows are settled, in its system.
    pub(crate) fn new<'a>(first: &'a PositionSample, crs: &Crs) -> RowsApart<'a> {
        let mut all = PositionSample::default();
        all.set_system(Some(crs));
        RowsApart { first, all, settled: false, apart: Vec::new(), scattered: false }
    }

    /// Takes in a row.
    pub(crate) fn see(&mut self, row: u64, x: f64, y: f64) {
        self.all.gather(x, y);
        let bulk = if self.settled { &self.all } else { self.first };
        if self.scattered || bulk.near(x, y) {
            return;
        }
        self.apart.push((row, x, y));
        if self.apart.len() == MOST {
            // Tables in the order of their places move on: what was far lies within by now.
            self.all.settle();
            self.settled = true;
            self.apart.retain(|(_, x, y)| !self.all.near(*x, *y));
            self.scattered = self.apart.len() > MOST / 2;
        }
    }

    /// The positions of all rows, settled, and what stood out.
    pub(crate) fn judged(mut self) -> (PositionSample, Vec<Notice>) {
        self.all.settle();
        if !self.scattered {
            self.apart.iter().for_each(|(row, x, y)| self.all.judge(*row, *x, *y));
        }
        let notices = self.all.notices();
        (self.all, notices)
    }
}
