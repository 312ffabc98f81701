//! Which files are rasters.

use crate::error::{Error, Result};
use crate::format::Format;
pub use crate::input::RasterFormat;
use crate::output::named;
use crate::table::natural_order::natural;
use std::path::{Path, PathBuf};

impl RasterFormat {
    /// The format of a file that is there, if it is a raster. One whose extension says that it is a layer or
    /// a table is none, whatever it holds.
    ///
    /// ```
    /// use velvet_peg::raster::RasterFormat;
    /// # let folder = tempfile::tempdir()?;
    /// let path = folder.path().join("sheet.tif");
    /// std::fs::write(&path, b"II*\0")?;
    /// assert_eq!(RasterFormat::of_file(&path), Some(RasterFormat::GeoTiff));
    /// # Ok::<(), std::io::Error>(())
    /// ```
    pub fn of_file(path: &Path) -> Option<RasterFormat> {
        use std::io::Read;
        if !path.is_file() || Format::of(path).is_ok() {
            return None;
        }
        let mut start = Vec::new();
        std::fs::File::open(path).ok()?.take(64).read_to_end(&mut start).ok()?;
        RasterFormat::of_bytes(&start)
    }

    /// The format of an output, by its extension.
    ///
    /// # Errors
    /// If it names none that can be written.
    pub fn of_output(path: &Path) -> Result<RasterFormat> {
        let named = named(path);
        let extension = named.extension().and_then(|e| e.to_str()).unwrap_or_default();
        match RasterFormat::of_extension(extension) {
            Some(format) if format.writes() => Ok(format),
            Some(format) => Err(Error::usage(format!(
                "{} would lose detail each time that it is written, and has no place for what is beyond an \
                 edge: use .tif or .png",
                format.name()
            ))
            .in_file(path)),
            None => Err(Error::usage(
                "a raster is written as GeoTIFF (.tif), PNG (.png) or ASCII grid (.asc): the extension is \
                 none of these",
            )
            .in_file(path)),
        }
    }
}

/// The rasters of a folder, by their first bytes, in the order of their names.
///
/// # Errors
/// If the folder cannot be read.
pub fn raster_files(folder: &Path) -> Result<Vec<PathBuf>> {
    let failed = |e| Error::file(folder, "cannot be read", e);
    let mut files = Vec::new();
    for entry in std::fs::read_dir(folder).map_err(failed)? {
        let path = entry.map_err(failed)?.path();
        let hidden = path.file_name().is_some_and(|name| name.to_string_lossy().starts_with('.'));
        if !hidden && RasterFormat::of_file(&path).is_some() {
            files.push(path);
        }
    }
    files.sort_by(|one, two| natural(&one.to_string_lossy(), &two.to_string_lossy()));
    Ok(files)
}
