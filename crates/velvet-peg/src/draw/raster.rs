//! PNG from SVG, with the fonts that this library brings along.

use crate::error::{Error, Kind, Result};
use crate::notice::{Notice, NoticeKind};
use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{Options, Tree};
use skrifa::{FontRef, MetadataProvider};
use std::sync::Arc;

const REGULAR: &[u8] = include_bytes!("../../fonts/NotoSans-Regular.ttf");
const BOLD: &[u8] = include_bytes!("../../fonts/NotoSans-Bold.ttf");

/// Signs that stand in for others that the fonts lack and that look the same: the minus of grid
/// labels is the en dash.
const ALIKE: [(char, char); 3] = [('\u{2212}', '\u{2013}'), ('\u{2011}', '-'), ('\u{00a0}', ' ')];

/// Letters and signs of a text that the fonts lack, in their order, each once.
fn missing(text: &str) -> Vec<char> {
    let Ok(face) = FontRef::new(REGULAR) else { return Vec::new() };
    let signs = face.charmap();
    let mut missing = Vec::new();
    for c in text.chars().filter(|c| *c > '~' && !c.is_whitespace()) {
        if signs.map(c).is_none() && !missing.contains(&c) {
            missing.push(c);
        }
    }
    missing
}

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
