//! Standard output as a place for a layer: `-`, or `-.csv` where the format is to be said.

use crate::error::{Error, Result};
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};

/// True if a path stands for standard output: `-`, or a name of `-` and an extension in no folder,
/// `-.kml` or `-.geojson.gz`.
///
/// ```
/// use std::path::Path;
/// use velvet_peg::output::is_standard;
/// assert!(is_standard(Path::new("-")) && is_standard(Path::new("-.csv")));
/// assert!(!is_standard(Path::new("./-.csv")) && !is_standard(Path::new("-gates.csv")));
/// ```
pub fn is_standard(path: &Path) -> bool {
    path.to_str()
        .is_some_and(|text| text == "-" || (text.starts_with("-.") && !text.contains(['/', '\\'])))
}

/// The name that says the format: GeoJSON for `-` alone.
pub(crate) fn named(path: &Path) -> PathBuf {
    match path == Path::new("-") {
        true => PathBuf::from("-.geojson"),
        false => path.to_path_buf(),
    }
}

/// Hands a finished file to standard output.
///
/// # Errors
/// If it takes several files, or is no text and would go to a terminal.
pub(crate) fn hand_over(files: &[PathBuf], text: bool) -> Result<()> {
    let path = Path::new("-");
    let [file] = files else {
        return Err(Error::usage(
            "takes several files, and standard output is one: name a file, or pack them (`-.shp.zip`)",
        )
        .in_file(path));
    };
    let mut out = std::io::stdout().lock();
    if !text && out.is_terminal() {
        return Err(
            Error::usage("is no text, and would go to a terminal: name a file").in_file(path)
        );
    }
    let read = std::fs::File::open(file);
    let mut read = read.map_err(|e| Error::file(path, "cannot be handed to standard output", e))?;
    std::io::copy(&mut read, &mut out)?;
    out.flush()?;
    Ok(())
}
