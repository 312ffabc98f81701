//! Files beside a raster: a world file with its place, a `.prj` with its reference system.

use super::info::{PlacedBy, RasterInfo};
use crate::error::{Error, Result};
use crate::format_support::definition_file::definition_file;
use crate::notice::{Notice, NoticeKind};
use crate::small_file::read_small;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use velvet_peg_core::raster::PixelGrid;

/// Extensions that a world file may have: the first and last letter with a `w`, the whole with a `w`, and
/// one for all.
pub(super) fn world_extensions(extension: &str) -> Vec<String> {
    let letters: Vec<char> = extension.to_ascii_lowercase().chars().collect();
    let mut found = Vec::new();
    if let (Some(first), Some(last)) = (letters.first(), letters.last()) {
        found.push(format!("{first}{last}w"));
        found.push(format!("{extension}w"));
    }
    found.push("wld".to_string());
    found
}

/// A file beside another, with another extension in small letters or capitals.
fn beside(path: &Path, extension: &str) -> Option<PathBuf> {
    [extension.to_string(), extension.to_ascii_uppercase()]
        .into_iter()
        .map(|extension| path.with_extension(extension))
        .find(|file| file.is_file())
}

/// World files beside a file that are its alone.
pub(super) fn own_world_files(path: &Path) -> Vec<PathBuf> {
    let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let own = world_extensions(extension).into_iter().filter(|extension| extension != "wld");
    own.filter_map(|extension| beside(path, &extension)).collect()
}

/// The `.prj` beside a file, if it cannot be that of another one.
pub(super) fn own_definition(path: &Path) -> Option<PathBuf> {
    beside(path, "prj").filter(|_| !is_of_another(path))
}

/// The files beside a raster that say what it does not: a `.prj` may be that of another file, too.
pub(crate) fn said_beside(path: &Path) -> Vec<PathBuf> {
    let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let world = world_extensions(extension).into_iter().find_map(|e| beside(path, &e));
    world.into_iter().chain(beside(path, "prj")).collect()
}

/// Files of a raster that is replaced which say of it what the one that takes its place does not: that one
/// waits with `waiting`, the files beside it.
pub(crate) fn stale_beside(path: &Path, waiting: &[PathBuf]) -> Vec<PathBuf> {
    if !path.exists() {
        return Vec::new();
    }
    let mut stale = own_world_files(path);
    stale.extend(own_definition(path));
    let names: Vec<_> = waiting.iter().filter_map(|file| file.file_name()).collect();
    stale.retain(|file| file.file_name().is_none_or(|name| !names.contains(&name)));
    stale
}

/// Takes what the files beside a raster say, where it does not say it itself.
pub(super) fn add(path: &Path, info: &mut RasterInfo) -> Result<()> {
    let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let world = world_extensions(extension).into_iter().find_map(|e| beside(path, &e));
    if let Some(world) = world {
        let grid = read_world(&world, info.columns, info.rows)?;
        match info.grid {
            None => {
                info.grid = Some(grid);
                info.placed_by = Some(PlacedBy::WorldFile);
                info.at_middles = true;
            }
            Some(own) if differ(&own, &grid) => info.notices.push(Notice::warning(
                NoticeKind::System,
                format!(
                    "the file places its pixels itself, and {} beside it places them elsewhere: the file's \
                     own place is taken",
                    world.file_name().unwrap_or_default().to_string_lossy()
                ),
            )),
            Some(_) => {}
        }
    }
    if let Some(prj) = beside(path, "prj") {
        let crs = definition_file(&prj)?;
        match &info.crs {
            None => {
                info.crs = Some(crs);
                info.crs_from_side_file = true;
            }
            Some(own) if *own != crs && !is_of_another(path) => info.notices.push(Notice::warning(
                NoticeKind::System,
                format!(
                    "the file says {}, and {} beside it says {}: the file's own system is taken",
                    own.label(),
                    prj.file_name().unwrap_or_default().to_string_lossy(),
                    crs.label()
                ),
            )),
            Some(_) => {}
        }
    }
    Ok(())
}

/// True if the `.prj` beside a file may be that of another one of the same name.
fn is_of_another(path: &Path) -> bool {
    let own = path.extension().map(|extension| extension.to_ascii_lowercase());
    ["asc", "png", "jpg", "jpeg", "tif", "tiff", "shp"]
        .iter()
        .filter(|other| own.as_ref().is_none_or(|own| own != *other))
        .any(|other| beside(path, other).is_some())
}

/// True if two grids lie a tenth of a pixel apart or more.
fn differ(a: &PixelGrid, b: &PixelGrid) -> bool {
    a.corners().iter().any(|corner| {
        let (column, row) = a.pixel(*corner);
        let (other_column, other_row) = b.pixel(*corner);
        (column - other_column).hypot(row - other_row) > 0.1
    })
}

/// Six figures, one a line: the steps along x and y from column to column, from row to row, and the
/// coordinates of the middle of the first pixel.
fn read_world(path: &Path, columns: usize, rows: usize) -> Result<PixelGrid> {
    let failed = |e| Error::file(path, "cannot be read", e);
    let bytes = read_small(path, 4096).map_err(|error| match error.kind() {
        ErrorKind::FileTooLarge => Error::data("is too large to be a world file").in_file(path),
        _ => failed(error),
    })?;
    let text = String::from_utf8_lossy(&bytes).into_owned();
    let mut figures = Vec::new();
    for (line, word) in text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        let figure = word.trim().replace(',', ".").parse::<f64>().map_err(|_| {
            Error::data(format!("\"{}\" is no number", word.trim()))
                .in_file(path)
                .in_row(line as u64 + 1)
        })?;
        figures.push(figure);
    }
    let [a, d, b, e, c, f] = figures[..] else {
        return Err(Error::data(format!(
            "a world file has six figures, one a line, and this one has {}",
            figures.len()
        ))
        .in_file(path));
    };
    let origin = (c - (a + b) / 2.0, f - (d + e) / 2.0);
    PixelGrid::new(origin, (a, d), (b, e), columns, rows)
        .map_err(|error| Error::from(error).in_file(path))
}

/// The text of the world file of a grid.
pub(super) fn world_text(grid: &PixelGrid) -> String {
    let (column, row) = (grid.column_step(), grid.row_step());
    let middle = grid.place(0.5, 0.5);
    format!("{}\n{}\n{}\n{}\n{}\n{}\n", column.0, column.1, row.0, row.1, middle.0, middle.1)
}
