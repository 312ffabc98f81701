//! Where a path leads to, whether something may be put there, and whether two paths are one file.

use crate::advice::Advice;
use crate::error::{Error, Kind, Result};
use std::path::{Path, PathBuf};

/// Links that are followed before they count as a circle.
const MOST_LINKS: usize = 40;

/// The folder that a file lies in.
pub(crate) fn folder_of(file: &Path) -> PathBuf {
    match file.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_path_buf(),
        _ => PathBuf::from("."),
    }
}

/// The path that a path leads to if it is a link, whether or not there is something.
pub(crate) fn followed(path: &Path) -> PathBuf {
    let mut place = path.to_path_buf();
    for _ in 0..MOST_LINKS {
        match std::fs::read_link(&place) {
            Ok(to) => place = folder_of(&place).join(to),
            Err(_) => break,
        }
    }
    place
}

/// Looks whether something may be put at a path.
///
/// # Errors
/// If the target exists and is not to be overwritten, or is something else than a file.
pub fn refuse_existing(target: &Path, overwrite: bool) -> Result<()> {
    let Ok(there) = std::fs::metadata(target) else { return Ok(()) };
    if !there.is_file() {
        let what = if there.is_dir() { "a folder" } else { "a device or pipe" };
        return Err(Error::usage(format!(
            "is {what}, and nothing is put in its place: name a file"
        ))
        .in_file(target));
    }
    if !overwrite {
        return Err(Error::new(
            Kind::Exists,
            "exists already, and is not to be replaced: choose another name",
        )
        .advise(Advice::Overwrite)
        .in_file(target));
    }
    Ok(())
}

/// Looks whether there is a folder to put something in, before work is done for it.
///
/// # Errors
/// If there is none.
pub fn refuse_nowhere(target: &Path) -> Result<()> {
    let folder = folder_of(target);
    match folder.is_dir() {
        true => Ok(()),
        false => {
            let what = format!("there is no folder {}; make it first", folder.display());
            Err(Error::usage(what).in_file(target))
        }
    }
}

/// True if two paths are one file, whatever links or spellings lead to it; paths at which nothing
/// is yet are compared by their folders and names.
pub fn is_same_file(a: &Path, b: &Path) -> bool {
    if let Ok(same) = same_file::is_same_file(a, b) {
        return same;
    }
    let (a, b) = (followed(a), followed(b));
    let folders = (folder_of(&a).canonicalize(), folder_of(&b).canonicalize());
    let one_folder = match folders {
        (Ok(a), Ok(b)) => a == b,
        _ => std::path::absolute(folder_of(&a)).ok() == std::path::absolute(folder_of(&b)).ok(),
    };
    one_folder && a.file_name() == b.file_name()
}

/// # Errors
/// If an output is one of the files that are read, or part of one.
pub fn refuse_inputs<'a>(output: &Path, inputs: impl IntoIterator<Item = &'a Path>) -> Result<()> {
    for input in inputs {
        let parts = super::parts::parts(input);
        if parts.iter().any(|part| is_same_file(output, part)) {
            return Err(Error::usage(format!(
                "is to be written, and is what is read ({}): it would be lost; choose another name",
                input.display()
            ))
            .in_file(output));
        }
    }
    Ok(())
}
