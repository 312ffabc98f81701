//! Which grid files of the registry a folder has, what they cover and what they are used for, and which
//! are missing between two systems.

use super::folder::{GridFolder, unpacked_name};
use crate::error::Result;
use std::collections::HashMap;
use std::path::Path;
use velvet_peg_core::extent::Coverage;
use velvet_peg_core::grid::{GridFiles, ShiftGrid};
use velvet_peg_core::registry::{OperationRow, method_name};
use velvet_peg_core::runs::{Needs, by_files, by_files_between, needs_of};
use velvet_peg_core::{Bounds, Crs, Extent};

/// An operation that goes by grid files.
#[derive(Clone, Debug)]
pub struct GridUse {
    /// EPSG code of the operation.
    pub operation: u32,
    /// Its name.
    pub name: &'static str,
    /// Its method, which says the layout of the files.
    pub method: &'static str,
    /// What it is known to, metres.
    pub accuracy_m: Option<f64>,
    /// The area that it is meant for.
    pub area: &'static str,
    /// Its files, by their names in the registry.
    pub files: Vec<&'static str>,
    /// Those of them that are not in the folder.
    pub missing: Vec<&'static str>,
    /// What the files hold, where all are there: the boxes of their grids and the number of nodes, or
    /// why they cannot be used.
    pub held: Option<std::result::Result<GridContent, String>>,
}

/// What grid files hold.
#[derive(Clone, Debug)]
pub struct GridContent {
    /// Boxes of the grids, degrees, the outer ones first.
    pub boxes: Vec<Bounds>,
    /// Nodes of all grids.
    pub nodes: usize,
}

impl GridUse {
    /// True if all files are there and can be read.
    pub fn is_ready(&self) -> bool {
        matches!(self.held, Some(Ok(_)))
    }
}

/// What a folder has.
#[derive(Clone, Debug, Default)]
pub struct GridInventory {
    /// Operations of which at least one file is there, by the names of the files.
    pub uses: Vec<GridUse>,
    /// Files that the registry does not name, in order.
    pub others: Vec<String>,
}

/// Looks through a folder of grid files.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("conus.las"), b"no grid")?;
/// std::fs::write(folder.path().join("notes.txt"), b"")?;
/// let has = velvet_peg::grid::grids_in(folder.path())?;
/// assert_eq!(has.uses[0].operation, 1241); // NAD27 to NAD83 (1)
/// assert_eq!(has.uses[0].missing, ["conus.los"]);
/// assert_eq!(has.others, ["notes.txt"]);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the folder cannot be read.
pub fn grids_in(folder: &Path) -> Result<GridInventory> {
    let folder = GridFolder::open(folder)?;
    let mut contents = Contents::default();
    let mut uses: Vec<GridUse> = OperationRow::all()
        .filter(|row| !row.deprecated && by_files(row))
        .filter_map(|row| of_operation(&row, Some(&folder), &mut contents))
        .filter(|one| one.missing.len() < one.files.len())
        .collect();
    uses.sort_by(|a, b| (&a.files, a.operation).cmp(&(&b.files, b.operation)));
    let named = |name: &String| {
        let name = unpacked_name(name);
        uses.iter().flat_map(|one| &one.files).any(|file| unpacked_name(file) == name)
    };
    let others = folder.names().into_iter().filter(|name| !named(name)).collect();
    Ok(GridInventory { uses, others })
}

/// The operations by grid files that lead directly between two systems, most accurate first: changes of
/// datum and models between the ellipsoid and a vertical datum.
///
/// ```
/// use velvet_peg::Crs;
/// let (nad27, nad83) = (Crs::from_epsg(4267)?, Crs::from_epsg(4269)?);
/// let place = velvet_peg::Bounds { south: 47.4, west: -120.0, north: 47.4, east: -120.0 };
/// let ways = velvet_peg::grid::grids_between(&nad27, &nad83, Some(&place), None);
/// assert_eq!(ways[0].files, ["conus.las", "conus.los"]);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
pub fn grids_between(
    from: &Crs,
    to: &Crs,
    area: Option<&Bounds>,
    folder: Option<&GridFolder>,
) -> Vec<GridUse> {
    let meant = |row: &OperationRow| {
        area.is_none_or(|area| {
            let extent = Extent::of_codes(&row.extents);
            extent.coverage(area) != Coverage::None && !extent.excludes(area)
        })
    };
    let mut contents = Contents::default();
    let mut uses: Vec<GridUse> = by_files_between(&datums(from), &datums(to))
        .into_iter()
        .filter_map(OperationRow::find)
        .filter(meant)
        .filter_map(|row| of_operation(&row, folder, &mut contents))
        .collect();
    let known = |one: &GridUse| one.accuracy_m.unwrap_or(f64::INFINITY);
    uses.sort_by(|a, b| known(a).total_cmp(&known(b)).then(a.operation.cmp(&b.operation)));
    uses
}

/// EPSG codes of the datums of a system.
fn datums(crs: &Crs) -> Vec<u32> {
    let vertical = match crs.height() {
        velvet_peg_core::crs::Height::GravityRelated(vertical) => vertical.datum_code,
        _ => None,
    };
    crs.datum().and_then(|datum| datum.code()).into_iter().chain(vertical).collect()
}

/// What files hold, each read once: one geoid serves for several operations.
type Contents = HashMap<Vec<&'static str>, std::result::Result<GridContent, String>>;

fn of_operation(
    row: &OperationRow,
    folder: Option<&GridFolder>,
    contents: &mut Contents,
) -> Option<GridUse> {
    let Ok(Needs::Files(files)) = needs_of(row.code) else { return None };
    let method = row.method?;
    let mut missing = files.clone();
    missing.retain(|file| !folder.is_some_and(|folder| folder.has(file)));
    let held = folder.filter(|_| missing.is_empty()).map(|folder| {
        contents.entry(files.clone()).or_insert_with(|| content(row, &files, folder)).clone()
    });
    Some(GridUse {
        operation: row.code,
        name: row.name,
        method: method_name(method).unwrap_or_default(),
        accuracy_m: row.accuracy_m.map(|accuracy| accuracy.to_f64()),
        area: Extent::of_codes(&row.extents).name(),
        files,
        missing,
        held,
    })
}

fn content(
    row: &OperationRow,
    names: &[&str],
    folder: &GridFolder,
) -> std::result::Result<GridContent, String> {
    let mut files = Vec::new();
    for name in names {
        let bytes = folder.read(name).map_err(|error| format!("{name} cannot be read: {error}"))?;
        files.push(bytes.unwrap_or_default());
    }
    let files: Vec<&[u8]> = files.iter().map(Vec::as_slice).collect();
    let grid = ShiftGrid::of_operation(row, &files).map_err(|error| error.to_string())?;
    Ok(GridContent { boxes: grid.boxes(), nodes: grid.nodes() })
}
