//! PNG from SVG, with the fonts that this library brings along.

use super::lettering::{ALIKE, BOLD, REGULAR, missing};
use crate::error::{Error, Kind, Result};
use crate::notice::{Notice, NoticeKind};
use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{Options, Tree};
use std::sync::Arc;

/// The picture as PNG, at the pixel size that the SVG names, and a word on texts that the fonts
/// cannot show.
pub(super) fn png(svg: &str) -> Result<(Vec<u8>, Option<Notice>)> {
    let mut svg = svg.to_string();
    for (sign, alike) in ALIKE {
        svg = svg.replace(sign, &alike.to_string());
    }
    let lacks = missing(&svg);
    let notice = (!lacks.is_empty()).then(|| {
        let shown: String = lacks.iter().take(10).collect();
        let more = if lacks.len() > 10 { " and more" } else { "" };
        Notice::warning(
            NoticeKind::Drawing,
            format!(
                "the fonts that come along have Latin, Greek and Cyrillic letters; texts of the \
                 map hold others ({shown}{more}), which are missing in the PNG: an .svg shows them \
                 in the fonts of whoever opens it"
            ),
        )
    });
    Ok((pixels(&svg)?, notice))
}

fn pixels(svg: &str) -> Result<Vec<u8>> {
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
