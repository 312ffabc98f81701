//! Features of so many vertices that the work on one of them is a matter of memory.

use super::reckoning::{Held, Reckoning, Share};
use crate::error::Result;
use crate::layer::GeometryColumn;
use crate::progress::NoProgress;
use std::path::Path;

/// Features of fewer vertices are worked on whatever memory there is.
const MANY: usize = 100_000;

/// Work on one feature, by what it takes.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Work {
    /// It is written: as it was read, encoded, and on its way.
    Write,
    /// Its flaws are looked for: edges of all rings in order, and the crossings of each ring.
    Flaws,
}

impl Work {
    /// Bytes for so many vertices, of which so many are in one ring, at most: a million squares of one polygon took
    /// 177 for each of their vertices, a ring of a million that goes to and fro 260 (a smooth one half of that).
    fn bytes(self, vertices: usize, longest: usize) -> u64 {
        match self {
            Work::Write => 130 * vertices as u64,
            Work::Flaws => 190 * vertices as u64 + 100 * longest as u64,
        }
    }
}

/// Looks whether there is memory for work on the features of a batch, the first of which has this number.
///
/// # Errors
/// If one of them needs more.
pub(crate) fn afford(work: Work, column: &GeometryColumn, first: u64, path: &Path) -> Result<()> {
    if column.x.len() < MANY {
        return Ok(());
    }
    for feature in 0..column.len() {
        let vertices = column.vertices(feature).len();
        if vertices < MANY {
            continue;
        }
        let rings = column.parts(feature).flat_map(|part| column.rings(part));
        let longest = rings.map(|ring| column.ring(ring).len()).max().unwrap_or(0);
        let bytes = work.bytes(vertices, longest);
        let held = Held { count: vertices as u64, bytes, besides: 0 };
        let what = match work {
            // Which one of the input it was, the writer does not know.
            Work::Write => "vertices of one feature".into(),
            Work::Flaws => format!("vertices of feature {}", first + feature as u64),
        };
        let mut reckoning = Reckoning::new(what, path).at_most();
        reckoning.take(held, Share::WHOLE, &mut NoProgress)?;
    }
    Ok(())
}
