//! A file on its way into a packed one: it is written and compared before it is packed.

use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::WriteOptions;
use crate::output::{TemporaryFolder, folder_of};
use crate::packing::{Packing, inner_name, pack};
use std::path::{Path, PathBuf};

/// Where a file is written that is to be packed.
#[derive(Debug)]
pub(super) struct Packed {
    packing: Packing,
    name: PathBuf,
    folder: TemporaryFolder,
}

impl Packed {
    /// None for a path that is not one of a packed file.
    ///
    /// # Errors
    /// If something is to be added to it.
    pub(super) fn of(path: &Path, options: &WriteOptions) -> Result<Option<Packed>> {
        let (Some(packing), Some(inner)) = (Packing::of_path(path), inner_name(path)) else {
            return Ok(None);
        };
        if options.append {
            return Err(Error::usage(
                "is packed, and nothing is added to packed files: write a new one",
            )
            .in_file(path));
        }
        let layers = Format::of(path)?.keeps_other_layers();
        if layers && path.exists() && !options.replace_file {
            return Err(Error::usage(
                "is packed, so it can only be replaced as a whole, with every layer in it: ask for \
                 that, or name another file",
            )
            .in_file(path));
        }
        let folder = TemporaryFolder::beside(&folder_of(path))
            .map_err(|e| Error::file(path, "cannot be created", e))?;
        // The document of a packed KML is called so.
        let kmz = path.extension().is_some_and(|e| e.eq_ignore_ascii_case("kmz"));
        let name = match kmz {
            true => PathBuf::from("doc.kml"),
            false => PathBuf::from(inner.file_name().unwrap_or_default()),
        };
        Ok(Some(Packed { packing, name, folder }))
    }

    /// Where it is written.
    pub(super) fn path(&self) -> PathBuf {
        self.folder.path().join(&self.name)
    }

    /// Packs what was made.
    pub(super) fn pack(self, made: &[PathBuf], out: &Path) -> Result<()> {
        pack(self.packing, made, out)
    }
}
