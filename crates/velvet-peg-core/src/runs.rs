//! What the operations of the registry need to be run.

use crate::crs::datum_code;
use crate::datum::{GRID_METHODS, Operation, Setting};
use crate::error::{Error, Result};
use crate::{height_model, height_plan};
use velvet_peg_epsg::{CrsRow, OperationKind, OperationRow, Value};

/// What an operation of the registry needs to be run.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Needs {
    /// Nothing: its row says all.
    Nothing,
    /// The epoch of the coordinates.
    Epoch,
    /// Files, by their names in the registry, in a layout that is read; of one operation in the order
    /// that [`crate::grid::ShiftGrid::parse`] takes.
    Files(Vec<&'static str>),
    /// What is not here, in words.
    More(String),
}

/// What an operation needs to be run, whether it changes datums or heights.
///
/// ```
/// use velvet_peg_core::runs::{Needs, needs_of};
/// assert_eq!(needs_of(1314)?, Needs::Nothing); // OSGB36 to WGS 84 (6)
/// assert_eq!(needs_of(8970)?, Needs::Epoch); // ITRF2014 to NAD83(2011) (1)
/// assert_eq!(needs_of(1241)?, Needs::Files(vec!["conus.las", "conus.los"])); // NAD27 to NAD83 (1)
/// assert_eq!(needs_of(9229)?, Needs::Files(vec!["g2018u0.bin"])); // NAD83(2011) to NAVD88 height (3)
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If the registry has no operation of this code, or it is a map projection.
pub fn needs_of(code: u32) -> Result<Needs> {
    let row = OperationRow::find(code)
        .ok_or_else(|| Error::unknown(format!("the registry has no operation EPSG:{code}")))?;
    if row.kind == OperationKind::Conversion {
        return Err(Error::unsupported(format!("{} [EPSG:{code}] is a conversion", row.name)));
    }
    let method = row.method.unwrap_or_default();
    if row.kind == OperationKind::Transformation {
        if height_plan::OFFSETS.contains(&method) || height_model::CONSTANT.contains(&method) {
            return Ok(Needs::Nothing);
        }
        if height_plan::by_files(method) || height_model::by_files(method) {
            return Ok(Needs::Files(files(&row)));
        }
    }
    if let Some(step) = offset_of(&row) {
        return needs_of(step);
    }
    let lacking = match Operation::from_row(&row, false, &Setting::default()) {
        Ok(_) => return Ok(Needs::Nothing),
        Err(lacking) => lacking,
    };
    // Any year shows whether an epoch is all that is needed.
    let dated = Setting { epoch: Some(2020.0), ..Setting::default() };
    if Operation::from_row(&row, false, &dated).is_ok() {
        return Ok(Needs::Epoch);
    }
    let is_grid = |row: &OperationRow| row.method.is_some_and(|code| GRID_METHODS.contains(&code));
    let steps: Vec<OperationRow> = row
        .steps
        .iter()
        .filter_map(|step| OperationRow::find(*step))
        .filter(|step| step.kind != OperationKind::Conversion)
        .collect();
    // A chain of which all steps are grids, or run as they are; at its ends there may be models of heights.
    let runs =
        |step: &OperationRow| is_grid(step) || Operation::from_row(step, false, &dated).is_ok();
    let is_model = |step: &OperationRow| {
        let method = step.method.unwrap_or_default();
        height_model::by_files(method) || height_model::CONSTANT.contains(&method)
    };
    let last = steps.len().saturating_sub(1);
    let is_end = |at: usize| at == 0 || at == last;
    let chain = !steps.is_empty()
        && steps.iter().enumerate().all(|(at, step)| runs(step) || (is_end(at) && is_model(step)));
    if !is_grid(&row) && !chain {
        return Ok(Needs::More(lacking.needs));
    }
    let files: Vec<&str> = files(&row).into_iter().chain(steps.iter().flat_map(files)).collect();
    let timed =
        |step: &OperationRow| Operation::from_row(step, false, &Setting::default()).is_err();
    Ok(match files.is_empty() {
        false => Needs::Files(files),
        true if steps.iter().any(|step| !is_model(step) && timed(step)) => Needs::Epoch,
        true => Needs::Nothing,
    })
}

/// The one step of a chain between two vertical systems that is more than another unit or sense of the
/// heights: units and senses are seen to with every change of heights.
fn offset_of(row: &OperationRow) -> Option<u32> {
    let steps = row.steps.iter().filter_map(|step| OperationRow::find(*step));
    let mut changes = steps.filter(|step| step.kind != OperationKind::Conversion);
    let step = changes.next().filter(|_| changes.next().is_none())?;
    let method = step.method?;
    let is_offset = height_plan::OFFSETS.contains(&method) || height_plan::by_files(method);
    is_offset.then_some(step.code)
}

/// The files that a row names, in the order of its method.
fn files(row: &OperationRow) -> Vec<&'static str> {
    let file = |value: &Value| match value {
        Value::File(name) => Some(*name),
        Value::Number(..) => None,
    };
    let mut names: Vec<&'static str> =
        row.parameters.iter().filter_map(|(_, value)| file(value)).collect();
    crate::grid::in_order(row.method.unwrap_or_default(), &mut names);
    names
}

/// Operations of the registry that need files of their own in a layout that is read, between two datums
/// (geodetic or vertical, by their EPSG codes) in either direction.
///
/// ```
/// use velvet_peg_core::runs::by_files_between;
/// assert!(by_files_between(&[6267], &[6269]).contains(&1241)); // NAD27 to NAD83 (1)
/// ```
pub fn by_files_between(from: &[u32], to: &[u32]) -> Vec<u32> {
    let mut codes: Vec<u32> = from
        .iter()
        .flat_map(|datum| velvet_peg_epsg::operations_of_datum(*datum))
        .filter(|code| {
            let Some(row) = OperationRow::find(*code).filter(|row| !row.deprecated) else {
                return false;
            };
            let [a, b] = [row.source, row.target].map(datums_of);
            // A compound system has both of its datums.
            let all_in = |own: &[u32], of: &[u32]| own.iter().all(|datum| of.contains(datum));
            let joins = |a: &[u32], b: &[u32]| {
                !a.is_empty() && !b.is_empty() && all_in(a, from) && all_in(b, to)
            };
            by_files(&row) && (joins(&a, &b) || joins(&b, &a))
        })
        .collect();
    codes.sort_unstable();
    codes.dedup();
    codes
}

/// Whether an operation goes by files of its own in a layout that is read.
pub fn by_files(row: &OperationRow) -> bool {
    row.method.is_some_and(|code| {
        GRID_METHODS.contains(&code) || height_model::by_files(code) || height_plan::by_files(code)
    })
}

/// The datums of a system: of a compound one both.
fn datums_of(crs: Option<u32>) -> Vec<u32> {
    let Some(row) = crs.and_then(CrsRow::find) else { return Vec::new() };
    let vertical = row.vertical.and_then(CrsRow::find).and_then(|row| row.datum);
    datum_code(&row).into_iter().chain(vertical).collect()
}
