//! SVG text, element by element.

use super::lettering::FAMILY;
use super::palette::{Paper, Rgb, hex};
use crate::format_support::markup::escaped;
use std::fmt::Write;

/// Where a text stands at its point.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Anchor {
    Start,
    Middle,
    End,
}

impl Anchor {
    fn name(self) -> &'static str {
        match self {
            Anchor::Start => "start",
            Anchor::Middle => "middle",
            Anchor::End => "end",
        }
    }
}

/// Pixels around the frame.
pub(super) const MARGIN: f64 = 76.0;

/// A picture as it is written.
pub(super) struct Canvas {
    body: String,
    definitions: String,
    pub(super) width: f64,
    pub(super) height: f64,
    pub(super) paper: &'static Paper,
    /// What the names of its elements begin with.
    pub(super) prefix: String,
    /// Where its frames begin.
    pub(super) top: f64,
}

/// A number of pixels: to a tenth, without a trailing nought.
pub(super) struct Px(pub(super) f64);

impl std::fmt::Display for Px {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let tenths = (self.0 * 10.0).round();
        match tenths % 10.0 == 0.0 {
            // Adding nought makes nought of minus nought.
            true => write!(f, "{}", tenths / 10.0 + 0.0),
            false => write!(f, "{:.1}", tenths / 10.0),
        }
    }
}

impl Canvas {
    pub(super) fn new(width: f64, height: f64, paper: &'static Paper) -> Canvas {
        Canvas {
            body: String::new(),
            definitions: String::new(),
            width,
            height,
            paper,
            prefix: String::new(),
            top: MARGIN,
        }
    }

    pub(super) fn put(&mut self, element: std::fmt::Arguments<'_>) {
        // Writing to a string cannot fail.
        let _ = self.body.write_fmt(element);
        self.body.push('\n');
    }

    /// The id of an element, which has no like in a page of several pictures.
    pub(super) fn id(&self, name: &str) -> String {
        format!("id=\"{}{name}\"", self.prefix)
    }

    /// A definition that elements refer to by its id.
    pub(super) fn define(&mut self, element: std::fmt::Arguments<'_>) {
        let _ = self.definitions.write_fmt(element);
        self.definitions.push('\n');
    }

    /// Text at a pixel, in the colour of ink.
    pub(super) fn text(&mut self, at: (f64, f64), size: f64, anchor: Anchor, text: &str) {
        let ink = self.paper.ink;
        self.text_in(at, size, anchor, ink, text);
    }

    pub(super) fn text_in(
        &mut self,
        (x, y): (f64, f64),
        size: f64,
        anchor: Anchor,
        color: Rgb,
        text: &str,
    ) {
        self.put(format_args!(
            "<text x=\"{}\" y=\"{}\" font-size=\"{size}\" text-anchor=\"{}\" fill=\"{}\">{}</text>",
            Px(x),
            Px(y),
            anchor.name(),
            hex(color),
            escaped(text)
        ));
    }

    /// Text that can be read on anything: with a rim in another colour.
    pub(super) fn rimmed(
        &mut self,
        (x, y): (f64, f64),
        size: f64,
        anchor: Anchor,
        (color, rim): (Rgb, Rgb),
        text: &str,
    ) {
        self.put(format_args!(
            "<text x=\"{}\" y=\"{}\" font-size=\"{size}\" text-anchor=\"{}\" fill=\"{}\" stroke=\"{}\" stroke-width=\"3\" stroke-opacity=\"0.85\" stroke-linejoin=\"round\" paint-order=\"stroke\">{}</text>",
            Px(x),
            Px(y),
            anchor.name(),
            hex(color),
            hex(rim),
            escaped(text)
        ));
    }

    /// Text that runs upwards.
    pub(super) fn upright(&mut self, (x, y): (f64, f64), size: f64, color: Rgb, text: &str) {
        self.put(format_args!(
            "<text transform=\"translate({} {}) rotate(-90)\" font-size=\"{size}\" text-anchor=\"middle\" fill=\"{}\">{}</text>",
            Px(x),
            Px(y),
            hex(color),
            escaped(text)
        ));
    }

    pub(super) fn bold(&mut self, (x, y): (f64, f64), size: f64, text: &str) {
        self.put(format_args!(
            "<text x=\"{}\" y=\"{}\" font-size=\"{size}\" font-weight=\"bold\">{}</text>",
            Px(x),
            Px(y),
            escaped(text)
        ));
    }

    /// The whole picture.
    pub(super) fn finish(self, description: &str) -> String {
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{w}\" height=\"{h}\" viewBox=\"0 0 {w} {h}\" font-family=\"{FAMILY}\" fill=\"{}\" role=\"img\">\n\
             <title>{}</title>\n\
             <defs>\n{}</defs>\n\
             <rect width=\"{w}\" height=\"{h}\" fill=\"{}\"/>\n{}</svg>\n",
            hex(self.paper.ink),
            escaped(description),
            self.definitions,
            hex(self.paper.page),
            self.body,
            w = self.width,
            h = self.height
        )
    }
}

/// Path data of vertices in pixels.
pub(super) fn path(vertices: impl IntoIterator<Item = (f64, f64)>, closed: bool) -> String {
    let mut path = String::new();
    for (number, (x, y)) in vertices.into_iter().enumerate() {
        let _ = write!(path, "{}{} {}", if number == 0 { "M" } else { "L" }, Px(x), Px(y));
    }
    if closed && !path.is_empty() {
        path.push('Z');
    }
    path
}
