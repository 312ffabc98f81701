//! A reference system whose definition text stands in a file: `.prj`, `.wkt`, `.json`.

use crate::error::{Error, Result};
use crate::small_file::read_small;
use std::io::ErrorKind;
use std::path::Path;
use velvet_peg_core::{Crs, definition};

/// More than any definition; a file this large is something else.
const LIMIT_BYTES: u64 = 1 << 20;

/// The system that the definition text in a file describes, as the registry's own where it is
/// exactly that, or the same numbers under another name.
///
/// ```no_run
/// let crs = velvet_peg::reference::definition_file("parcels.prj".as_ref())?;
/// println!("{}", crs.label());
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the file cannot be read, or its text cannot; the message names the file and the place.
pub fn definition_file(path: &Path) -> Result<Crs> {
    with_epoch(path).map(|(crs, _)| crs)
}

/// As [`definition_file`], with the epoch of the coordinates in decimal years, where the text states one.
pub(crate) fn with_epoch(path: &Path) -> Result<(Crs, Option<f64>)> {
    let bytes = read_small(path, LIMIT_BYTES).map_err(|error| match error.kind() {
        ErrorKind::FileTooLarge => {
            Error::usage("is too large to be a definition of a reference system").in_file(path)
        }
        _ => Error::file(path, "cannot be read", error),
    })?;
    let text = String::from_utf8_lossy(&bytes);
    let crs = definition::resolve(&text).map_err(|error| Error::from(error).in_file(path))?;
    Ok((crs, definition::epoch_of(&text)))
}
