//! Which boxes of many have a place in common, found by a sweep.
//!
//! An R-tree is no help here: long edges beside each other overlap all its nodes. The test of crowds of rings ran for
//! more than seven minutes with one, and takes the sweep three seconds; and a tree holds all boxes, the sweep those
//! that are open.

use std::collections::BTreeMap;
use std::ops::ControlFlow;

/// West, south, east and north.
pub(super) type Box_ = [f64; 4];

/// Boxes up to which all that are open are looked at, which is faster than finding the near ones.
const FEW: usize = 64;

/// Halvings of the whole height down to the lowest strips.
const LEVELS: i32 = 24;

/// Calls `each` with every pair of boxes that have a place in common, touching ones too, until it breaks off;
/// the first of a pair begins no further west than the second. Boxes are taken from west to east. Those that
/// are still open are kept by their height and their strip of y, so that each box is compared with its
/// neighbours alone.
pub(super) fn each_pair(
    count: usize,
    of: &dyn Fn(usize) -> Box_,
    each: &mut dyn FnMut(usize, usize) -> ControlFlow<()>,
) {
    let mut order: Vec<(f64, usize)> = (0..count).map(|at| (of(at)[0], at)).collect();
    order.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let mut open = if count <= FEW { Open::few() } else { Open::strips(count, of) };
    for (_, next) in order {
        let new = of(next);
        if open.meeting(new, of, &mut |other| each(other, next)).is_break() {
            return;
        }
        open.add(next, new);
    }
}

/// Boxes that may reach further east.
enum Open {
    Few(Vec<usize>),
    Strips(Strips),
}

/// Each box lies in the strip that its south side falls in, of those that are no lower than it.
struct Strips {
    south: f64,
    /// Height of the lowest strips, as a power of two.
    lowest: i32,
    /// By the power of two that is the height of the strips.
    levels: Vec<(i32, BTreeMap<i64, Vec<usize>>)>,
}

impl Open {
    fn few() -> Self {
        Open::Few(Vec::new())
    }

    fn strips(count: usize, of: &dyn Fn(usize) -> Box_) -> Self {
        let sides = (0..count).map(of).filter(|side| side[1].is_finite() && side[3].is_finite());
        let (south, north) = sides.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), side| {
            (low.min(side[1]), high.max(side[3]))
        });
        let lowest = power(north - south) - LEVELS;
        Open::Strips(Strips { south, lowest, levels: Vec::new() })
    }

    /// Those that have a place in common with a box, until one ends the search; what ends before the box is
    /// forgotten.
    fn meeting(
        &mut self,
        new: Box_,
        of: &dyn Fn(usize) -> Box_,
        each: &mut dyn FnMut(usize) -> ControlFlow<()>,
    ) -> ControlFlow<()> {
        let mut then = ControlFlow::Continue(());
        let mut look = |boxes: &mut Vec<usize>| {
            boxes.retain(|at| {
                let known = of(*at);
                if known[2] < new[0] {
                    return false;
                }
                if then.is_continue() && known[1] <= new[3] && new[1] <= known[3] {
                    then = each(*at);
                }
                true
            });
        };
        match self {
            Open::Few(boxes) => look(boxes),
            Open::Strips(strips) => {
                let south = strips.south;
                for (height, level) in &mut strips.levels {
                    let first = strip(new[1], south, *height).saturating_sub(1);
                    let last = strip(new[3], south, *height).max(first);
                    let mut empty = Vec::new();
                    for (number, boxes) in level.range_mut(first..=last) {
                        look(boxes);
                        if boxes.is_empty() {
                            empty.push(*number);
                        }
                    }
                    for number in empty {
                        level.remove(&number);
                    }
                }
            }
        }
        then
    }

    fn add(&mut self, at: usize, new: Box_) {
        match self {
            Open::Few(boxes) => boxes.push(at),
            Open::Strips(strips) => {
                let height = power(new[3] - new[1]).max(strips.lowest);
                let known = strips.levels.iter().position(|(level, _)| *level == height);
                let place = known.unwrap_or_else(|| {
                    strips.levels.push((height, BTreeMap::new()));
                    strips.levels.len() - 1
                });
                let number = strip(new[1], strips.south, height);
                strips.levels[place].1.entry(number).or_default().push(at);
            }
        }
    }
}

/// The least power of two that is not less than a height.
fn power(height: f64) -> i32 {
    if height > 0.0 && height.is_finite() { height.log2().ceil() as i32 } else { i32::MIN / 2 }
}

/// The strip that a place falls in; beyond what a whole number holds, the outermost one.
fn strip(y: f64, south: f64, height: i32) -> i64 {
    ((y - south) / f64::from(height).exp2()).floor() as i64
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every pair, by looking at all of them.
    fn all(boxes: &[Box_]) -> Vec<(usize, usize)> {
        let mut found = Vec::new();
        for (b, second) in boxes.iter().enumerate() {
            for (a, first) in boxes[..b].iter().enumerate() {
                if first[0] <= second[2]
                    && second[0] <= first[2]
                    && first[1] <= second[3]
                    && second[1] <= first[3]
                {
                    found.push((a, b));
                }
            }
        }
        found.sort_unstable();
        found
    }

    #[test]
    fn pairs_are_those_that_all_comparisons_find() {
        let mut state = 7_u64;
        let mut random = || {
            state = state.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
            (state >> 33) as f64 / f64::from(1_u32 << 31)
        };
        for (count, offset, scale) in
            [(0, 0.0, 1.0), (40, 0.0, 1.0), (400, 0.0, 1.0), (600, 4e6, 1e-3), (600, -120.0, 1e3)]
        {
            // Boxes of many sizes, some without height, on a lattice so that many touch.
            let boxes: Vec<Box_> = (0..count)
                .map(|_| {
                    let side = |random: f64| (random * 64.0).floor() / 64.0;
                    let (x, y) = (side(random()), side(random()));
                    let (width, height) = (side(random().powi(4)), side(random().powi(6)));
                    [x, y, x + width, y + height].map(|at| offset + scale * at)
                })
                .collect();
            let mut found = Vec::new();
            each_pair(count, &|at| boxes[at], &mut |a, b| {
                found.push((a.min(b), a.max(b)));
                ControlFlow::Continue(())
            });
            found.sort_unstable();
            assert_eq!(found, all(&boxes), "{count} boxes at {offset}");
        }
    }

    #[test]
    fn few_are_compared_where_few_are_near() {
        // A square of 300 × 300 boxes that lie apart: all of a column are open at once.
        let count = 300 * 300;
        let looked = std::cell::Cell::new(0_u64);
        let of = |at: usize| {
            looked.set(looked.get() + 1);
            let (x, y) = ((at % 300) as f64, (at / 300) as f64);
            [x, y, x + 0.6, y + 0.6]
        };
        each_pair(count, &of, &mut |a, b| panic!("{a} and {b} lie apart"));
        assert!(looked.get() < 12 * count as u64, "{} boxes were looked at", looked.get());
    }
}
