//! The demo data: the made-up Tumblewick Irrigation District.
//!
//! It lies across the 120° W meridian near 47.4° N, where a UTM zone edge and the edge of
//! two state-plane zones run through it. People, names and figures are invented.

use crate::error::{Error, Result};
use crate::output::Output;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Name and content of each file.
const FILES: [(&str, &str); 4] = [
    ("headgates.csv", include_str!("../demo/headgates.csv")),
    ("laterals.geojson", include_str!("../demo/laterals.geojson")),
    ("fields.geojson", include_str!("../demo/fields.geojson")),
    ("old-weirs.csv", include_str!("../demo/old-weirs.csv")),
];

/// Lays the demo files out in a folder, which is made if need be, and gives their paths.
///
/// ```
/// let folder = tempfile::tempdir()?;
/// let files = velvet_peg::demo::lay_out(folder.path(), false)?;
/// assert_eq!(files.len(), 4);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If a file exists and is not to be overwritten, or the folder cannot be written.
pub fn lay_out(folder: &Path, overwrite: bool) -> Result<Vec<PathBuf>> {
    std::fs::create_dir_all(folder).map_err(|e| Error::file(folder, "cannot be made", e))?;
    FILES
        .iter()
        .map(|(name, content)| {
            let path = folder.join(name);
            let mut output = Output::create(&path, overwrite)?;
            output
                .file()
                .write_all(content.as_bytes())
                .map_err(|e| Error::file(&path, "cannot be written", e))?;
            output.finish()?;
            Ok(path)
        })
        .collect()
}
