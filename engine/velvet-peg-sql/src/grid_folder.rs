//! Grid files for changes of datum, from a folder.

use std::io::{Error, ErrorKind, Result};
use std::path::{Path, PathBuf};
use velvet_peg_core::grid::{GridFiles, Grids};

/// Files of a folder by their names; case may differ.
#[derive(Debug)]
struct GridFolder(PathBuf);

impl GridFiles for GridFolder {
    fn read(&self, name: &str) -> Result<Option<Vec<u8>>> {
        for entry in std::fs::read_dir(&self.0)? {
            let entry = entry?;
            if entry.file_name().to_string_lossy().eq_ignore_ascii_case(name) {
                return std::fs::read(entry.path()).map(Some);
            }
        }
        Ok(None)
    }
}

/// Makes the files of a folder those of all conversions of this process; before the first one, and once.
///
/// # Errors
/// If there is no such folder, or another one is in use.
pub fn use_folder(folder: &Path) -> Result<()> {
    let wrong = |kind, what: &str| Err(Error::new(kind, format!("{}: {what}", folder.display())));
    if !folder.is_dir() {
        return wrong(ErrorKind::NotFound, "is no folder of grid files");
    }
    match Grids::new(GridFolder(folder.to_path_buf())).make_default() {
        true => Ok(()),
        false => wrong(ErrorKind::AlreadyExists, "another folder of grid files is in use"),
    }
}
