//! A folder of grid files: shifts between datums that the user has got from their publishers.

use crate::error::{Error, Result};
use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use velvet_peg_core::grid::{GridFiles, Grids};

/// The extension of files that are packed by gzip.
const PACKED: &str = ".gz";

/// Grid files in a folder, found by name whatever its case. A file that is packed by gzip stands for the
/// one inside (feature `archives`), whichever of the two the registry names.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// use velvet_peg::{Converter, Crs, PlanOptions};
/// use velvet_peg::grid::{GridFolder, Grids};
/// let grids = Grids::new(GridFolder::open(folder.path())?);
/// let options = PlanOptions { grids: Some(std::sync::Arc::new(grids)), ..PlanOptions::default() };
/// let (nad27, nad83) = (Crs::from_epsg(4267)?, Crs::from_epsg(4269)?);
/// let lacking = Converter::plan(&nad27, &nad83, &options)?.route().unavailable.clone();
/// assert!(lacking.iter().any(|row| row.needs.contains("not among the grid files")));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
#[derive(Debug)]
pub struct GridFolder {
    files: HashMap<String, PathBuf>,
}

impl GridFolder {
    /// Lists the files of a folder.
    ///
    /// # Errors
    /// If the folder cannot be read.
    pub fn open(folder: &Path) -> Result<GridFolder> {
        let unread =
            |e: io::Error| Error::file(folder, "cannot be read as a folder of grid files", e);
        let mut files = HashMap::new();
        for entry in std::fs::read_dir(folder).map_err(unread)? {
            let path = entry.map_err(unread)?.path();
            if let Some(name) = path.file_name().and_then(|name| name.to_str()) {
                files.insert(name.to_lowercase(), path);
            }
        }
        Ok(GridFolder { files })
    }

    /// Whether there is a file of this name, whatever its case.
    pub fn has(&self, name: &str) -> bool {
        self.path(name).is_some()
    }

    fn path(&self, name: &str) -> Option<&PathBuf> {
        let packed = || self.files.get(&format!("{}{PACKED}", unpacked_name(name)));
        let exact = self.files.get(&name.to_lowercase());
        exact.or_else(|| self.files.get(&unpacked_name(name))).or_else(packed)
    }

    /// The names of its files as they are on disk, in order.
    pub fn names(&self) -> Vec<String> {
        let files = self.files.values().filter(|path| path.is_file());
        let mut names: Vec<String> = files
            .filter_map(|path| Some(path.file_name()?.to_str()?.to_string()))
            .filter(|name| !name.starts_with('.'))
            .collect();
        names.sort();
        names
    }
}

impl GridFiles for GridFolder {
    fn read(&self, name: &str) -> io::Result<Option<Vec<u8>>> {
        let Some(path) = self.path(name) else { return Ok(None) };
        let bytes = std::fs::read(path)?;
        match bytes.starts_with(&[0x1f, 0x8b]) {
            true => unpacked(bytes).map(Some),
            false => Ok(Some(bytes)),
        }
    }
}

/// The name of a file in small letters, without the mark of its packing.
pub(super) fn unpacked_name(name: &str) -> String {
    let name = name.to_lowercase();
    name.strip_suffix(PACKED).map(str::to_string).unwrap_or(name)
}

/// Grids are this large at most when unpacked: the world by minutes takes 0.93 GB.
#[cfg(feature = "archives")]
const LARGEST: u64 = 1 << 30;

#[cfg(feature = "archives")]
fn unpacked(bytes: Vec<u8>) -> io::Result<Vec<u8>> {
    use std::io::Read;
    let mut found = Vec::new();
    let mut reader = flate2::read::MultiGzDecoder::new(bytes.as_slice()).take(LARGEST + 1);
    reader.read_to_end(&mut found)?;
    match found.len() as u64 > LARGEST {
        true => Err(io::Error::other("it unpacks to more than a grid can have")),
        false => Ok(found),
    }
}

/// As it is: the reader says what is wrong with it.
#[cfg(not(feature = "archives"))]
fn unpacked(bytes: Vec<u8>) -> io::Result<Vec<u8>> {
    Ok(bytes)
}

/// Makes the files of a folder the grids of every converter of this process that is not given
/// others.
///
/// # Errors
/// If the folder cannot be read.
pub fn use_grid_folder(folder: &Path) -> Result<()> {
    Grids::new(GridFolder::open(folder)?).make_default();
    Ok(())
}
