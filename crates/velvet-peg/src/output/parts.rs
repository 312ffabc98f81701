//! Which files make up what is read as one.

use std::path::{Path, PathBuf};

/// Endings of files that belong to a Shapefile.
const SHAPEFILE_PARTS: [&str; 4] = ["shx", "dbf", "prj", "cpg"];

/// The end of the name of the file that tells of a table beside it, behind the name of the table.
pub(crate) const SIDE_FILE: &str = "-metadata.json";

/// The file that tells of a table, where there is one.
pub(crate) fn side_file(table: &Path) -> PathBuf {
    let mut name = table.file_name().unwrap_or_default().to_os_string();
    name.push(SIDE_FILE);
    table.with_file_name(name)
}

/// A file and the files without which it cannot be read as it is meant.
pub(crate) fn parts(path: &Path) -> Vec<PathBuf> {
    let mut files = vec![path.to_path_buf()];
    let is_shapefile =
        path.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("shp"));
    let endings: &[&str] = if is_shapefile { &SHAPEFILE_PARTS } else { &["prj"] };
    for ending in endings {
        let lower = path.with_extension(ending);
        let upper = path.with_extension(ending.to_ascii_uppercase());
        files.extend([lower, upper].into_iter().find(|file| file.is_file()));
    }
    files.extend(Some(side_file(path)).filter(|file| file.is_file()));
    files
}
