//! Holding a file that is read, added to and replaced, so that two programs that add to it do so
//! one after the other.

use super::moves::is_main;
use super::parts::parts;
use crate::error::{Error, Kind, Result};
use same_file::Handle;
use std::fs::{File, Metadata, TryLockError};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// How long another program is waited for.
const PATIENCE: Duration = Duration::from_secs(30);

/// How long a file that was put aside for a new one is waited for.
const MOVING: Duration = Duration::from_secs(2);

/// A file that is held.
#[derive(Debug)]
pub(crate) struct Hold {
    path: PathBuf,
    _lock: File,
    before: Metadata,
}

impl Hold {
    /// None if the file is not there.
    ///
    /// # Errors
    /// If the file cannot be opened, or another program holds it for too long.
    pub(crate) fn take(path: &Path) -> Result<Option<Hold>> {
        let failed = |e| Error::file(path, "cannot be added to", e);
        let began = Instant::now();
        loop {
            let lock = match File::open(path) {
                Ok(lock) => lock,
                Err(error) if error.kind() == ErrorKind::NotFound => {
                    // Where several files make up one, the first is away while they are replaced.
                    let moving = is_main(path) && parts(path).len() > 1;
                    if !moving || began.elapsed() > MOVING {
                        return Ok(None);
                    }
                    std::thread::sleep(Duration::from_millis(2));
                    continue;
                }
                Err(error) => return Err(failed(error)),
            };
            // Where locks keep readers out, as on Windows, only changes are looked for.
            match if cfg!(unix) { lock.try_lock() } else { Ok(()) } {
                Ok(()) => {}
                Err(TryLockError::WouldBlock) if began.elapsed() < PATIENCE => {
                    std::thread::sleep(Duration::from_millis(20));
                    continue;
                }
                Err(TryLockError::WouldBlock) => {
                    return Err(Error::new(
                        Kind::File,
                        "is being added to by another program: try again when it has ended",
                    )
                    .in_file(path));
                }
                Err(TryLockError::Error(error)) => return Err(failed(error)),
            }
            let before = lock.metadata().map_err(failed)?;
            // Whoever held it may have put another file in its place by now.
            let held = Handle::from_file(lock.try_clone().map_err(failed)?).map_err(failed)?;
            if Handle::from_path(path).is_ok_and(|there| there == held) {
                return Ok(Some(Hold { path: path.to_path_buf(), _lock: lock, before }));
            }
        }
    }

    /// # Errors
    /// If another program has changed the file since it was taken hold of.
    pub(crate) fn check(&self) -> Result<()> {
        let failed = |e| Error::file(&self.path, "cannot be added to", e);
        let now = std::fs::metadata(&self.path).map_err(failed)?;
        let changed = now.len() != self.before.len()
            || now.modified().map_err(failed)? != self.before.modified().map_err(failed)?;
        match changed {
            true => Err(Error::new(
                Kind::File,
                "was changed by another program while it was added to; nothing was written: try \
                 again",
            )
            .in_file(&self.path)),
            false => Ok(()),
        }
    }
}
