//! Single positions that stand apart from all others.
//!
//! What is far depends on how many others there are: a few positions that lie together have
//! reason to lie apart from a few others, one in a thousand has not.

use super::short;
use crate::examples::Examples;

/// Positions remembered one by one; of more the numbers are told.
const REMEMBERED: usize = 256;
/// With fewer rows or features than this, one has to lie farther off to be apart.
pub(super) const FEW: u64 = 8;
/// Spreads of the others, and metres, beyond which a position is apart; where there are few; and
/// metres beyond which several together are, too.
const SPREADS: f64 = 20.0;
const METRES: f64 = 2_000.0;
const SPREADS_OF_FEW: f64 = 200.0;
pub(super) const METRES_OF_FEW: f64 = 50_000.0;
const METRES_TOGETHER: f64 = 100_000.0;
/// As many rows or features that are near one another are a second place.
const TOGETHER: usize = 3;

/// A position that lies beyond the bulk.
#[derive(Debug, Clone)]
pub(super) struct Stray {
    /// Number of its row or feature.
    pub(super) number: u64,
    pub(super) x: f64,
    pub(super) y: f64,
    /// From the middle of all, as it would be measured on a map.
    pub(super) metres: f64,
    /// The same in spreads of the bulk.
    pub(super) spreads: f64,
    /// Other vertices of its feature are with the bulk.
    pub(super) torn: bool,
}

/// A position that a check stopped at.
#[derive(Clone, Debug)]
pub(crate) struct Suspect {
    /// Number of its row or feature.
    pub(crate) number: u64,
    pub(crate) x: f64,
    pub(crate) y: f64,
    /// What is wrong with it, in words.
    pub(crate) what: String,
}

/// The positions that lie beyond the bulk.
#[derive(Debug, Default)]
pub(super) struct Strays {
    first: Vec<Stray>,
    /// Those that are not among the first: all, and the ones that are told even of many.
    more: u64,
    more_far: u64,
}

impl Strays {
    pub(super) fn add(&mut self, stray: Stray) {
        if self.first.len() < REMEMBERED {
            self.first.push(stray);
        } else {
            self.more += 1;
            self.more_far += u64::from(stray.torn || stray.metres > METRES_TOGETHER);
        }
    }

    /// The ones that are apart, among so many rows or features of which the bulk reaches so far. How
    /// far they are is told where the unit of the coordinates is known.
    pub(super) fn apart(&self, noun: &str, of: u64, reach: f64, unit_known: bool) -> Examples {
        let mut apart = Examples::default();
        for stray in self.first.iter().filter(|stray| self.is_apart(stray, of, reach)) {
            let distance = match stray.metres / 1000.0 {
                _ if !unit_known => String::new(),
                km if km < 10.0 => format!(", some {km:.1} km from the middle of the data"),
                km => format!(", some {km:.0} km from the middle of the data"),
            };
            apart.add(|| {
                let (x, y) = (short(stray.x), short(stray.y));
                format!("{noun} {} ({x}, {y}){distance}", stray.number)
            });
        }
        apart.count += self.more_far;
        apart
    }

    /// Where those that are apart are.
    pub(super) fn places(&self, of: u64, reach: f64, unit_known: bool) -> Vec<Suspect> {
        let apart = self.first.iter().filter(|stray| self.is_apart(stray, of, reach));
        let suspect = |stray: &Stray| {
            let what = match stray.metres / 1000.0 {
                _ if !unit_known => "far from all others".to_string(),
                km if km < 10.0 => format!("{km:.1} km from the middle of the others"),
                km => format!("{km:.0} km from the middle of the others"),
            };
            Suspect { number: stray.number, x: stray.x, y: stray.y, what }
        };
        apart.map(suspect).collect()
    }

    fn is_apart(&self, stray: &Stray, of: u64, reach: f64) -> bool {
        if stray.torn {
            return true;
        }
        if of < FEW {
            return of > 2 && stray.spreads > SPREADS_OF_FEW && stray.metres > METRES_OF_FEW;
        }
        if stray.spreads <= SPREADS || stray.metres <= METRES {
            return false;
        }
        // More than are remembered are not looked at for company: they have it.
        let alone = || {
            let mut company: Vec<u64> = self
                .first
                .iter()
                .filter(|other| (other.x - stray.x).hypot(other.y - stray.y) <= reach)
                .map(|other| other.number)
                .collect();
            company.sort_unstable();
            company.dedup();
            company.len() < TOGETHER
        };
        stray.metres > METRES_TOGETHER || (self.more == 0 && alone())
    }
}
