//! Which segments of many may meet, in time that does not grow by the pairs of those that lie beside
//! each other.

use super::crossing::{Segment, box_of};
use super::order::in_the_way;
use super::pairs::each_pair;
use std::collections::HashMap;
use std::ops::ControlFlow;

/// Pairs of boxes, for each segment and in all, after which the order of the segments is asked.
const FOR_EACH: usize = 64;
const IN_ALL: usize = 1 << 22;

/// A place as a key; 0 has one sign.
pub(super) fn bits((x, y): (f64, f64)) -> [u64; 2] {
    [(x + 0.0).to_bits(), (y + 0.0).to_bits()]
}

/// Calls `each` with pairs of segments (the smaller number first), some of them more than once: all that meet, but
/// that of those with an end at one place each is called with the next three, and that of too many that cross others
/// some are left out, and not all.
pub(super) fn each_meeting(segments: &[Segment], each: &mut dyn FnMut(usize, usize)) {
    let most = IN_ALL.saturating_add(FOR_EACH.saturating_mul(segments.len()));
    let mut looked = 0_usize;
    each_pair(segments.len(), &|at| box_of(segments[at]), &mut |first, second| {
        looked += 1;
        if looked > most {
            return ControlFlow::Break(());
        }
        each(first.min(second), first.max(second));
        ControlFlow::Continue(())
    });
    if looked <= most {
        return;
    }
    let out = in_the_way(segments);
    for (goes, stays) in &out {
        each(*goes.min(stays), *goes.max(stays));
    }
    at_ends(segments, each);
    let room = most / segments.len().max(1);
    for (goes, _) in out.iter().take(room) {
        (0..segments.len())
            .filter(|other| other != goes)
            .for_each(|other| each(other.min(*goes), other.max(*goes)));
    }
}

/// Those that have an end at the same place.
fn at_ends(segments: &[Segment], each: &mut dyn FnMut(usize, usize)) {
    let mut ends: HashMap<[u64; 2], Vec<usize>> = HashMap::new();
    for (number, (a, b)) in segments.iter().enumerate() {
        for end in [a, b] {
            let here = ends.entry(bits(*end)).or_default();
            for other in here.iter().rev().take(3).filter(|other| **other != number) {
                each(*other, number);
            }
            here.push(number);
        }
    }
}
