//! The files that belong to a file, where they are packed or logged with it.

use crate::format::{Format, Systems};
use crate::output::parts;
use crate::raster::{RasterFormat, said_beside};
use std::path::{Path, PathBuf};

/// A file and the files that belong to it: the parts of a Shapefile, a `.prj` beside what states no system,
/// the world file of a raster, its rejects.
pub(crate) fn with_side_files(path: &Path) -> Vec<PathBuf> {
    let mut files = parts(path);
    // What states its system itself has nothing to do with a definition of the same name.
    let states =
        |format: Format| matches!(format.capability().systems, Systems::Any | Systems::Wgs84);
    if Format::of(path).is_ok_and(states) {
        files.retain(|file| !file.extension().is_some_and(|end| end.eq_ignore_ascii_case("prj")));
    }
    if RasterFormat::of_file(path).is_some() {
        let beside = said_beside(path).into_iter().filter(|file| !files.contains(file));
        files.extend(beside.collect::<Vec<_>>());
    }
    let rejects = crate::output::rejects_path(path);
    files.extend(rejects.is_file().then_some(rejects));
    files
}
