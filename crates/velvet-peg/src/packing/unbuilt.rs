//! What this build answers to packed files: it leaves them out.

use super::Packing;
use crate::error::{Error, Result};
use crate::output::TemporaryFolder;
use std::path::{Path, PathBuf};

/// What would be laid down.
pub(crate) struct Unpacked {
    pub(crate) real: PathBuf,
    pub(crate) folder: TemporaryFolder,
}

fn left_out<T>(path: &Path) -> Result<T> {
    Err(Error::usage(
        "is a packed file, which this build of the library leaves out: build it with the feature \
         `archives`",
    )
    .in_file(path))
}

/// An archive counts as one where nothing else can be told of it.
pub(crate) fn is_workbook(path: &Path) -> bool {
    Packing::of_path(path).is_none()
}

pub(crate) fn members(path: &Path) -> Result<Vec<String>> {
    left_out(path)
}

pub(crate) fn start_of(_packing: Packing, path: &Path) -> Result<Vec<u8>> {
    left_out(path)
}

pub(crate) fn unpack(_packing: Packing, path: &Path, _name: &Path) -> Result<Unpacked> {
    left_out(path)
}

pub(crate) fn unpack_member(path: &Path, _main: &str) -> Result<Unpacked> {
    left_out(path)
}

pub(crate) fn pack(_packing: Packing, _files: &[PathBuf], out: &Path) -> Result<()> {
    left_out(out)
}
