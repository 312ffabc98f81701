//! Rows of the registry made ready to be run, once for the process where nothing but the registry has a
//! say in it.

use crate::crs::datum_code;
use crate::datum::{Operation, Setting, Unavailable};
use crate::extent::Extent;
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use velvet_peg_epsg::{CrsRow, OperationRow};

/// A row with what planning asks of it.
pub(super) struct KnownRow {
    /// The operation in the direction of the row, or why it cannot be run.
    pub(super) made: Result<Operation, Unavailable>,
    pub(super) extent: Extent,
    /// The rows that supersede it, and those that supersede these.
    pub(super) newer: HashSet<u32>,
    /// The datums that it leads from and to, where it joins two.
    pub(super) ends: Option<(u32, u32)>,
}

/// Rows by their code, and whether positions have heights.
type Known = HashMap<(u32, bool), Arc<KnownRow>>;

/// The row of a code; none if the registry has none.
pub(super) fn known_row(code: u32, setting: &Setting) -> Option<Arc<KnownRow>> {
    // Epochs are of every kind, and files come and go.
    if setting.epoch.is_some() || setting.grids.is_some() {
        return read(code, setting).map(Arc::new);
    }
    static KNOWN: OnceLock<Mutex<Known>> = OnceLock::new();
    let known = KNOWN.get_or_init(Mutex::default);
    // What was put in is whole, whatever became of a thread since.
    let rows = || known.lock().unwrap_or_else(PoisonError::into_inner);
    let key = (code, setting.heights);
    if let Some(row) = rows().get(&key) {
        return Some(row.clone());
    }
    let row = Arc::new(read(code, setting)?);
    rows().insert(key, row.clone());
    Some(row)
}

fn read(code: u32, setting: &Setting) -> Option<KnownRow> {
    let row = OperationRow::find(code)?;
    Some(KnownRow {
        made: Operation::from_row(&row, false, setting),
        extent: Extent::of_codes(&row.extents),
        newer: newer(&row),
        ends: ends_of(&row),
    })
}

/// The datums that a row leads from and to, where it joins two.
pub(super) fn ends_of(row: &OperationRow) -> Option<(u32, u32)> {
    let datum = |code: Option<u32>| datum_code(&CrsRow::find(code?)?);
    Some((datum(row.source)?, datum(row.target)?))
}

/// The rows that supersede a row, and those that supersede these.
fn newer(row: &OperationRow) -> HashSet<u32> {
    let mut found: HashSet<u32> = HashSet::new();
    let mut next = row.superseded_by.clone();
    while let Some(code) = next.pop() {
        if found.insert(code)
            && let Some(row) = OperationRow::find(code)
        {
            next.extend(row.superseded_by);
        }
    }
    found
}
