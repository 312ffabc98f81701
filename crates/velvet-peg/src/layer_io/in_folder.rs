//! The files of layers in a folder.

use crate::error::{Error, Result};
use crate::format::Format;
use crate::input::format_of;
use crate::output::SIDE_FILE;
use crate::packing::{Packing, inner_name};
use crate::table::natural_order::natural;
use std::path::{Path, PathBuf};

/// The files of layers in a folder, and those of tables, each in natural order; rejects of earlier runs
/// are neither.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// let (layers, tables) = velvet_peg::layer_files(folder.path())?;
/// assert!(layers.iter().any(|path| path.ends_with("fields.geojson")));
/// assert!(tables.iter().any(|path| path.ends_with("headgates.csv")));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the folder cannot be read.
pub fn layer_files(folder: &Path) -> Result<(Vec<PathBuf>, Vec<PathBuf>)> {
    let failed = |e| Error::file(folder, "cannot be read", e);
    let (mut layers, mut tables) = (Vec::new(), Vec::new());
    for entry in std::fs::read_dir(folder).map_err(failed)? {
        let path = entry.map_err(failed)?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let tells = |table: &str| folder.join(table).is_file();
        let ours = name.starts_with('.')
            || name.ends_with(".rejects.csv")
            || name.strip_suffix(SIDE_FILE).is_some_and(tells);
        // What is in an archive is seen in it, where its name does not say it.
        let format = match (Packing::of_path(&path), inner_name(&path)) {
            (Some(_), None) => format_of(&path),
            (_, inner) => Format::of(inner.as_deref().unwrap_or(&path)),
        };
        match format.map(Format::is_table) {
            Ok(table) if !ours && path.is_file() => {
                // Attributes beside shapes are theirs.
                let beside = path.extension().is_some_and(|e| e.eq_ignore_ascii_case("dbf"))
                    && ["shp", "SHP"].iter().any(|shp| path.with_extension(shp).exists());
                match table {
                    false => layers.push(path),
                    true if !beside => tables.push(path),
                    true => {}
                }
            }
            _ => {}
        }
    }
    for files in [&mut layers, &mut tables] {
        files.sort_by(|one, two| natural(&one.to_string_lossy(), &two.to_string_lossy()));
    }
    Ok((layers, tables))
}
