//! A folder of grid files: shifts between datums that the user has got from their publishers.

use crate::error::{Error, Result};
use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use velvet_peg_core::grid::{GridFiles, Grids};

/// Grid files in a folder, found by name whatever its case.
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
        self.files.contains_key(&name.to_lowercase())
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
        self.files.get(&name.to_lowercase()).map(std::fs::read).transpose()
    }
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
