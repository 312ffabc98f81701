//! Where inputs lie while they are read.

use std::cell::RefCell;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

thread_local! {
    static FOLDER: RefCell<Option<TempDir>> = const { RefCell::new(None) };
}

/// A folder in memory, where there is one; emptied for each input.
pub fn with_folder<T>(work: impl FnOnce(&Path) -> T) -> T {
    FOLDER.with(|folder| {
        let mut folder = folder.borrow_mut();
        let folder = folder.get_or_insert_with(|| {
            let memory = Path::new("/dev/shm");
            let made = if memory.is_dir() { TempDir::new_in(memory) } else { TempDir::new() };
            made.expect("a temporary folder can be made")
        });
        for entry in std::fs::read_dir(folder.path()).expect("it can be read").flatten() {
            let path = entry.path();
            let _ = if path.is_dir() {
                std::fs::remove_dir_all(path)
            } else {
                std::fs::remove_file(path)
            };
        }
        work(folder.path())
    })
}

/// A file of a folder with these bytes.
pub fn file(folder: &Path, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, bytes).expect("a file of a temporary folder can be written");
    path
}

/// Several inputs in one: parts stand behind their lengths, two bytes each; the last one is what remains.
pub fn parts<const N: usize>(data: &[u8]) -> [&[u8]; N] {
    let mut rest = data;
    std::array::from_fn(|at| {
        if at + 1 == N {
            return rest;
        }
        let Some((length, behind)) = rest.split_first_chunk::<2>() else {
            return std::mem::take(&mut rest);
        };
        let length = usize::from(u16::from_le_bytes(*length)).min(behind.len());
        let (part, behind) = behind.split_at(length);
        rest = behind;
        part
    })
}
