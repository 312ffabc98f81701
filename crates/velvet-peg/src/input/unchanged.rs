//! Whether an input is still what it was when it was opened. A file is read more than once; what another program
//! does to it in between would be read half as it was and half as it is.

use crate::error::{Error, Kind, Result};
use crate::output::parts;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// A file as it was, with the attributes beside it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Unchanged(Vec<(PathBuf, State)>);

/// Its size, and when it was changed last.
type State = Option<(u64, Option<SystemTime>)>;

fn state(path: &Path) -> State {
    let there = std::fs::metadata(path).ok()?;
    Some((there.len(), there.modified().ok()))
}

impl Unchanged {
    /// A file as it is now.
    pub(crate) fn of(path: &Path) -> Unchanged {
        let mut files = parts(path);
        // What merely tells of it may be declared anew while it is open.
        let attributes =
            |part: &PathBuf| part.extension().is_some_and(|e| e.eq_ignore_ascii_case("dbf"));
        files.retain(|part| part == path || attributes(part));
        let as_is = |file: PathBuf| {
            let state = state(&file);
            (file, state)
        };
        Unchanged(files.into_iter().map(as_is).collect())
    }

    /// What came of reading the file.
    ///
    /// # Errors
    /// If it is another one by now, whatever came of it; `shown` is what it is called.
    pub(crate) fn hold<T>(&self, shown: &Path, read: Result<T>) -> Result<T> {
        if self.0.iter().all(|(path, before)| state(path) == *before) {
            return read;
        }
        Err(Error::new(
            Kind::File,
            "was changed by another program while it was read: try again when that has ended, or copy the file \
             and read the copy",
        )
        .in_file(shown))
    }
}
