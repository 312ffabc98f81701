//! The file of `--map`, which may be left out.

use std::path::{Path, PathBuf};
use velvet_peg::draw::is_picture;
use velvet_peg::output::is_standard;

/// The file that a map is written to; `-` for characters. A file to read that stands behind `--map` is
/// taken for it: it is told, not drawn over.
pub(crate) fn map_file(text: &str) -> Result<PathBuf, String> {
    let file = Path::new(text);
    match is_standard(file) || is_picture(file) {
        true => Ok(file.to_path_buf()),
        false => Err(format!(
            "`{text}` is not the name of a map, which ends in .svg, .png or .html. Is it a file to read? \
             Then write it before --map"
        )),
    }
}
