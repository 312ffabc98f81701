//! Outputs that appear whole or not at all.
//!
//! A file is written under a temporary name in the folder of its target and renamed when it
//! is finished; dropped before that, it is removed. An existing target is refused unless
//! overwriting was asked for.

use crate::error::{Error, Kind, Result};
use std::fs::File;
use std::path::{Path, PathBuf};
use tempfile::{Builder, NamedTempFile};

/// An output being written.
#[derive(Debug)]
pub(crate) struct Output {
    temporary: NamedTempFile,
    target: PathBuf,
    overwrite: bool,
}

impl Output {
    /// # Errors
    /// If the target exists and is not to be overwritten, or its folder cannot be written.
    pub(crate) fn create(target: &Path, overwrite: bool) -> Result<Output> {
        refuse_existing(target, overwrite)?;
        let folder = match target.parent() {
            Some(folder) if !folder.as_os_str().is_empty() => folder,
            _ => Path::new("."),
        };
        if !folder.is_dir() {
            return Err(Error::usage(format!(
                "cannot be created: there is no folder {}; make it first",
                folder.display()
            ))
            .in_file(target));
        }
        let temporary = Builder::new()
            .prefix(".vpeg-")
            .suffix(".part")
            .tempfile_in(folder)
            .map_err(|e| Error::file(target, "cannot be created", e))?;
        Ok(Output { temporary, target: target.to_path_buf(), overwrite })
    }

    pub(crate) fn file(&mut self) -> &mut File {
        self.temporary.as_file_mut()
    }

    /// Another handle on the temporary file.
    pub(crate) fn reopen(&self) -> Result<File> {
        self.temporary.reopen().map_err(|e| Error::file(&self.target, "cannot be written", e))
    }

    /// Where it is being written until it is whole.
    pub(crate) fn temporary_path(&self) -> &Path {
        self.temporary.path()
    }

    /// Gives the file its name.
    pub(crate) fn finish(self) -> Result<()> {
        let Output { temporary, target, overwrite } = self;
        let named = match overwrite {
            true => temporary.persist(&target),
            false => temporary.persist_noclobber(&target),
        };
        let file = named.map_err(|e| Error::file(&target, "cannot be written", e.error))?;
        readable(&file);
        Ok(())
    }
}

/// Writes a file that appears whole or not at all.
///
/// # Errors
/// If it exists and is not to be overwritten, or cannot be written.
pub fn write_whole(path: &Path, content: &[u8], overwrite: bool) -> Result<()> {
    let mut output = Output::create(path, overwrite)?;
    let written = std::io::Write::write_all(output.file(), content);
    written.map_err(|e| Error::file(path, "cannot be written", e))?;
    output.finish()
}

/// Temporary files are private; an output has the ordinary permissions.
fn readable(file: &File) {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        // Failing to widen them leaves a whole file that only its owner reads.
        let _ = file.set_permissions(std::fs::Permissions::from_mode(0o644));
    }
    #[cfg(not(unix))]
    let _ = file;
}

/// # Errors
/// If the target exists and is not to be overwritten.
pub(crate) fn refuse_existing(target: &Path, overwrite: bool) -> Result<()> {
    if !overwrite && target.exists() {
        return Err(Error::new(
            Kind::Exists,
            "exists already: choose another name, or add --overwrite to replace it",
        )
        .in_file(target));
    }
    Ok(())
}

/// `OUT.rejects.csv` beside an output.
pub(crate) fn rejects_path(out: &Path) -> PathBuf {
    let mut name = out.file_name().unwrap_or_default().to_os_string();
    name.push(".rejects.csv");
    out.with_file_name(name)
}
