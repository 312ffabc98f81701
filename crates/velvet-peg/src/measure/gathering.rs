//! Statistics of figures that are not all held: sums as they come, and the middle ones from what is put in
//! order on disk.

use super::{Figure, Statistics};
use crate::error::Result;
use crate::format_support::{Records, not_held};

/// Figures of several sets, of which each is told by its number.
#[derive(Debug, Default)]
pub(super) struct Gathering {
    sets: Vec<[Running; KINDS]>,
    /// The set and kind of each figure, and the figure by its place among all numbers.
    figures: Records<2>,
}

const KINDS: usize = Figure::ALL.len();

/// What is known of figures before the last has come.
#[derive(Clone, Copy, Debug, Default)]
struct Running {
    count: usize,
    /// Their sum, and what it lacks of the true one (Neumaier 1974, "Rundungsfehleranalyse einiger Verfahren
    /// zur Summation endlicher Summen").
    sum: f64,
    lost: f64,
    /// Their mean, and the sum of the squares of what they differ by from it (Welford 1962, "Note on a method
    /// for calculating corrected sums of squares and products").
    mean: f64,
    squares: f64,
    minimum: f64,
    maximum: f64,
}

impl Gathering {
    /// Takes a figure of a set.
    pub(super) fn push(&mut self, set: usize, kind: Figure, figure: f64) -> Result<()> {
        if self.sets.len() <= set {
            self.sets.resize(set + 1, [Running::default(); KINDS]);
        }
        self.sets[set][kind as usize].push(figure);
        let whose = (set * KINDS + kind as usize) as u64;
        self.figures.push([whose, ordinal(figure)]).map_err(not_held)
    }

    /// The statistics of each set, by kind of figure.
    pub(super) fn finish(self) -> Result<Vec<[Statistics; KINDS]>> {
        let Gathering { sets, figures } = self;
        let mut found: Vec<[Statistics; KINDS]> =
            sets.iter().map(|set| set.map(|running| running.statistics())).collect();
        let mut passed = vec![[0_usize; KINDS]; sets.len()];
        let place = |record: &[u64; 2]| record[1];
        let mut sorted = figures.sorted(place).map_err(not_held)?;
        while let Some([whose, place]) = sorted.next(place).map_err(not_held)? {
            let (set, kind) = (whose as usize / KINDS, whose as usize % KINDS);
            let of = &mut found[set][kind];
            let at = passed[set][kind];
            passed[set][kind] += 1;
            // The one in the middle, or the mean of both.
            if at == (of.count - 1) / 2 {
                of.median = figure_at(place);
            } else if at == of.count / 2 {
                of.median = (of.median + figure_at(place)) / 2.0;
            }
        }
        Ok(found)
    }
}

impl Running {
    fn push(&mut self, figure: f64) {
        if self.count == 0 {
            (self.minimum, self.maximum) = (figure, figure);
        }
        self.count += 1;
        let sum = self.sum + figure;
        self.lost += match self.sum.abs() >= figure.abs() {
            true => (self.sum - sum) + figure,
            false => (figure - sum) + self.sum,
        };
        self.sum = sum;
        let off = figure - self.mean;
        self.mean += off / self.count as f64;
        self.squares += off * (figure - self.mean);
        self.minimum = self.minimum.min(figure);
        self.maximum = self.maximum.max(figure);
    }

    /// All but the median.
    fn statistics(&self) -> Statistics {
        if self.count == 0 {
            return Statistics::default();
        }
        let sum = self.sum + self.lost;
        let deviation = match self.count {
            1 => 0.0,
            count => (self.squares / (count - 1) as f64).sqrt(),
        };
        Statistics {
            count: self.count,
            sum,
            mean: sum / self.count as f64,
            median: 0.0,
            minimum: self.minimum,
            maximum: self.maximum,
            deviation,
        }
    }
}

const SIGN: u64 = 1 << 63;

/// A whole number that is larger where the figure is.
fn ordinal(figure: f64) -> u64 {
    let bits = figure.to_bits();
    if bits & SIGN == 0 { bits | SIGN } else { !bits }
}

fn figure_at(ordinal: u64) -> f64 {
    f64::from_bits(if ordinal & SIGN == 0 { !ordinal } else { ordinal & !SIGN })
}
