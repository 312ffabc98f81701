//! Reading again what was written, and comparing it with what was to be.

use super::reader::RasterReader;
use super::samples::Samples;
use super::sink::{Form, rectangles};
use crate::error::{Error, Result};
use crate::parallel::in_order;
use foldhash::fast::FixedState;
use std::hash::BuildHasher;
use std::path::Path;
use velvet_peg_core::{Crs, definition};

/// A sum over the numbers of a block; numbers that are none are all the same.
pub(super) fn sum(samples: &Samples) -> u64 {
    let state = FixedState::default();
    match samples {
        Samples::U8(numbers) => state.hash_one(numbers),
        Samples::F32(numbers) => {
            let bits = |n: &f32| if n.is_nan() { f32::NAN.to_bits() } else { n.to_bits() };
            state.hash_one(numbers.iter().map(bits).collect::<Vec<_>>())
        }
        Samples::F64(numbers) => {
            let bits = |n: &f64| if n.is_nan() { f64::NAN.to_bits() } else { n.to_bits() };
            state.hash_one(numbers.iter().map(bits).collect::<Vec<_>>())
        }
        other => state.hash_one(other.to_bytes()),
    }
}

/// Reads what was written, and compares it with what was to be: place, pixels, what stands for no value
/// and, where the format or a file beside it can say it, the system.
pub(super) fn compare(
    path: &Path,
    form: &Form,
    sums: &[u64],
    block: (usize, usize),
    system: Option<&Crs>,
) -> Result<()> {
    let differs = |what: &str| {
        Error::data(format!(
            "was written, and {what} is another when it is read again: nothing was replaced"
        ))
        .in_file(path)
    };
    let reader = RasterReader::open(path)?;
    let info = reader.info();
    let grid = info.grid.ok_or_else(|| differs("its place"))?;
    let near = form.grid.corners().iter().all(|corner| {
        let (column, row) = grid.pixel(*corner);
        let (own_column, own_row) = form.grid.pixel(*corner);
        (column - own_column).hypot(row - own_row) < 1e-3
    });
    if (info.columns, info.rows, info.bands) != (form.grid.columns(), form.grid.rows(), form.bands)
        || !near
    {
        return Err(differs("its place"));
    }
    let same = |a: f64, b: f64| a == b || (a.is_nan() && b.is_nan());
    if form.no_data.is_some_and(|none| !info.no_data.is_some_and(|read| same(read, none))) {
        return Err(differs("what stands for no value"));
    }
    if let Some(system) = system
        && !info.crs.as_ref().is_some_and(|read| is_same_system(system, read))
    {
        return Err(differs("its reference system"));
    }
    let cache = reader.cache();
    let mut sums = sums.iter();
    in_order(
        |add| rectangles(form.grid, block).try_for_each(add),
        |((left, top), (columns, rows))| {
            let samples = reader.with_blocks(|blocks| {
                cache.window(blocks, (left, top, left + columns, top + rows))
            })?;
            Ok(sum(&samples.into_kind(form.samples)))
        },
        |found| match sums.next() == Some(&found) {
            true => Ok(()),
            false => Err(differs("a pixel")),
        },
    )
}

/// True if two systems are one row of the registry, or the same by their numbers.
fn is_same_system(one: &Crs, other: &Crs) -> bool {
    let horizontal = |crs: &Crs| crs.horizontal().unwrap_or_else(|| crs.clone());
    let (one, other) = (horizontal(one), horizontal(other));
    match (one.code(), other.code()) {
        (Some(one), Some(other)) => one == other,
        _ => definition::differences(&other, &one).is_some_and(|found| found.is_empty()),
    }
}
