//! Files that are read as a whole, up to a size: a device or a file of another kind may have no end.

use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

/// Bytes of a file.
///
/// # Errors
/// If it cannot be read, or has more than so many (`FileTooLarge`).
pub(crate) fn read_small(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    File::open(path)?.take(most + 1).read_to_end(&mut bytes)?;
    match bytes.len() as u64 > most {
        true => Err(io::Error::new(
            io::ErrorKind::FileTooLarge,
            format!("it has more than {most} bytes"),
        )),
        false => Ok(bytes),
    }
}
