//! PNG from SVG, with the fonts that this library brings along.

use crate::error::{Error, Kind, Result};
use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{Options, Tree};
use std::sync::Arc;

const REGULAR: &[u8] = include_bytes!("../../fonts/NotoSans-Regular.ttf");
const BOLD: &[u8] = include_bytes!("../../fonts/NotoSans-Bold.ttf");

/// The picture as PNG, at the pixel size that the SVG names.
pub(super) fn png(svg: &str) -> Result<Vec<u8>> {
    let failed = |what: String| {
        Error::new(Kind::Compute, format!("the map cannot be made into a PNG: {what}"))
    };
    let mut options = Options::default();
    let fonts = Arc::make_mut(&mut options.fontdb);
    fonts.load_font_data(REGULAR.to_vec());
    fonts.load_font_data(BOLD.to_vec());
    let tree = Tree::from_str(svg, &options).map_err(|e| failed(e.to_string()))?;
    let size = tree.size().to_int_size();
    let mut pixels =
        Pixmap::new(size.width(), size.height()).ok_or_else(|| failed("no size".into()))?;
    resvg::render(&tree, Transform::identity(), &mut pixels.as_mut());
    pixels.encode_png().map_err(|e| failed(e.to_string()))
}
