//! The fonts that come along, and how wide texts are in them.

use skrifa::instance::{LocationRef, Size};
use skrifa::{FontRef, MetadataProvider};
use std::collections::BTreeMap;
use std::sync::OnceLock;

pub(super) const REGULAR: &[u8] = include_bytes!("../../fonts/NotoSans-Regular.ttf");
pub(super) const BOLD: &[u8] = include_bytes!("../../fonts/NotoSans-Bold.ttf");

/// Fonts of all text: the first comes along, the others stand in for it where an SVG is opened.
pub(super) const FAMILY: &str = "Noto Sans, DejaVu Sans, Arial, sans-serif";

/// Signs that stand in for others that the fonts lack and that look the same: the minus of grid
/// labels is the en dash.
pub(super) const ALIKE: [(char, char); 3] =
    [('\u{2212}', '\u{2013}'), ('\u{2011}', '-'), ('\u{00a0}', ' ')];

/// Width of a sign that the fonts lack, in ems.
const UNKNOWN: f64 = 0.6;

fn advances() -> &'static BTreeMap<char, f64> {
    static ADVANCES: OnceLock<BTreeMap<char, f64>> = OnceLock::new();
    ADVANCES.get_or_init(|| {
        let Ok(font) = FontRef::new(REGULAR) else { return BTreeMap::new() };
        let metrics = font.glyph_metrics(Size::unscaled(), LocationRef::default());
        let em = font.metrics(Size::unscaled(), LocationRef::default()).units_per_em;
        font.charmap()
            .mappings()
            .filter_map(|(code, glyph)| {
                let width = metrics.advance_width(glyph)?;
                Some((char::from_u32(code)?, f64::from(width) / f64::from(em)))
            })
            .collect()
    })
}

/// Width of a text in pixels at a font size; bold texts are some 7 % wider.
pub(super) fn width(text: &str, size: f64) -> f64 {
    let advances = advances();
    let of = |c: char| {
        let c = ALIKE.iter().find(|(sign, _)| *sign == c).map_or(c, |(_, alike)| *alike);
        advances.get(&c).copied().unwrap_or(UNKNOWN)
    };
    text.chars().map(of).sum::<f64>() * size
}

/// A text cut to a width, with an ellipsis where something is left out.
pub(super) fn cut(text: &str, size: f64, most: f64) -> String {
    if width(text, size) <= most {
        return text.to_string();
    }
    let room = most - width("…", size);
    let mut wide = 0.0;
    let kept: String = text
        .chars()
        .take_while(|c| {
            wide += width(c.encode_utf8(&mut [0; 4]), size);
            wide <= room
        })
        .collect();
    format!("{}…", kept.trim_end())
}

/// A text in lines that are no wider than this, cut between words where it can be.
pub(super) fn lines(text: &str, size: f64, most: f64) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        match lines.last_mut() {
            Some(line) if width(line, size) + width(" ", size) + width(word, size) <= most => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(cut(word, size, most)),
        }
    }
    lines
}

/// Letters and signs of a text that the fonts lack, in their order, each once.
pub(super) fn missing(text: &str) -> Vec<char> {
    let advances = advances();
    let mut missing = Vec::new();
    for c in text.chars().filter(|c| *c > '~' && !c.is_whitespace()) {
        let alike = ALIKE.iter().any(|(sign, _)| *sign == c);
        if !alike && !advances.contains_key(&c) && !missing.contains(&c) {
            missing.push(c);
        }
    }
    missing
}
