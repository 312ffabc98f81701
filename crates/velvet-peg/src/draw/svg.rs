//! The drawing surface: from map coordinates to pixels, and SVG elements for layers.

use super::DrawOptions;
use crate::format_support::markup::escaped;
use crate::layer::{Batch, GeometryKind, Layer};
use std::fmt::Write;
use velvet_peg_core::{Bounds, Crs};

/// Font of all text; the rasteriser brings it along.
pub(super) const FONT: &str = "Noto Sans, DejaVu Sans, Arial, sans-serif";

pub(super) struct SvgMap {
    pub(super) body: String,
    pub(super) width: f64,
    pub(super) height: f64,
    /// Frame in pixels: left, top, right, bottom.
    pub(super) frame: [f64; 4],
    /// What the frame shows, in map units.
    pub(super) shown: Bounds,
    /// Pixels to a map unit, along x and y.
    pub(super) scale: (f64, f64),
    pub(super) crs: Option<Crs>,
    taken: Vec<[f64; 4]>,
}

impl SvgMap {
    pub(super) fn new(options: &DrawOptions, crs: Option<&Crs>, extent: &Bounds) -> SvgMap {
        let (width, height) =
            (f64::from(options.width.max(320)), f64::from(options.height.max(240)));
        let frame = [78.0, 58.0, width - 230.0, height - 62.0];
        let middle = (extent.south + extent.north) / 2.0;
        // Degrees of longitude are drawn as long as they are at the middle latitude.
        let squeeze = match crs {
            Some(crs) if crs.is_geographic() => middle.to_radians().cos().max(0.05),
            _ => 1.0,
        };
        let (across, down) = (frame[2] - frame[0], frame[3] - frame[1]);
        let per_unit = (across / ((extent.east - extent.west) * squeeze))
            .min(down / (extent.north - extent.south));
        let scale = (per_unit * squeeze, per_unit);
        // The frame is filled: what it shows is the extent, widened to its shape.
        let centre = (extent.west + extent.east) / 2.0;
        let (half_x, half_y) = (across / scale.0 / 2.0, down / scale.1 / 2.0);
        let shown = Bounds {
            west: centre - half_x,
            east: centre + half_x,
            south: middle - half_y,
            north: middle + half_y,
        };
        SvgMap {
            body: String::new(),
            width,
            height,
            frame,
            shown,
            scale,
            crs: crs.cloned(),
            taken: Vec::new(),
        }
    }

    /// Pixels of a map coordinate.
    pub(super) fn pixel(&self, x: f64, y: f64) -> (f64, f64) {
        (
            self.frame[0] + (x - self.shown.west) * self.scale.0,
            self.frame[3] - (y - self.shown.south) * self.scale.1,
        )
    }

    pub(super) fn put(&mut self, element: std::fmt::Arguments<'_>) {
        // Writing to a string cannot fail.
        let _ = self.body.write_fmt(element);
        self.body.push('\n');
    }

    /// Text at a pixel; `anchor` is start, middle or end.
    pub(super) fn text(&mut self, at: (f64, f64), size: f64, anchor: &str, text: &str) {
        self.put(format_args!(
            "<text x=\"{:.1}\" y=\"{:.1}\" font-size=\"{size}\" text-anchor=\"{anchor}\">{}</text>",
            at.0,
            at.1,
            escaped(text)
        ));
    }

    /// The paper inside the frame.
    pub(super) fn paper(&mut self) {
        let [left, top, right, bottom] = self.frame;
        self.put(format_args!(
            "<rect x=\"{left}\" y=\"{top}\" width=\"{:.1}\" height=\"{:.1}\" fill=\"#fbfaf6\"/>",
            right - left,
            bottom - top
        ));
    }

    /// What follows is cut at the frame.
    pub(super) fn open_frame(&mut self) {
        self.put(format_args!("<g clip-path=\"url(#frame)\">"));
    }

    pub(super) fn close_frame(&mut self) {
        self.put(format_args!("</g>"));
        let [left, top, right, bottom] = self.frame;
        self.put(format_args!(
            "<rect x=\"{left}\" y=\"{top}\" width=\"{:.1}\" height=\"{:.1}\" fill=\"none\" stroke=\"#222\" stroke-width=\"1.2\"/>",
            right - left,
            bottom - top
        ));
    }

    pub(super) fn layer(&mut self, layer: &Layer, colour: (&str, &str)) {
        for batch in layer.batches() {
            for feature in 0..batch.geometry.len() {
                self.feature(batch, feature, colour);
            }
        }
    }

    fn feature(&mut self, batch: &Batch, feature: usize, (line, fill): (&str, &str)) {
        let geometry = &batch.geometry;
        let Some(kind) = geometry.kinds()[feature].map(GeometryKind::single) else {
            return;
        };
        if kind == GeometryKind::Point {
            for at in geometry.vertices(feature) {
                let (x, y) = self.pixel(geometry.x[at], geometry.y[at]);
                self.put(format_args!(
                    "<circle cx=\"{x:.1}\" cy=\"{y:.1}\" r=\"4\" fill=\"{fill}\" stroke=\"{line}\" stroke-width=\"1.6\"/>"
                ));
            }
            return;
        }
        let mut path = String::new();
        for part in geometry.parts(feature) {
            for ring in geometry.rings(part) {
                for (number, at) in geometry.ring(ring).enumerate() {
                    let (x, y) = self.pixel(geometry.x[at], geometry.y[at]);
                    let _ = write!(path, "{}{x:.1} {y:.1}", if number == 0 { "M" } else { "L" });
                }
                if kind == GeometryKind::Polygon {
                    path.push('Z');
                }
            }
        }
        match kind {
            GeometryKind::Polygon => self.put(format_args!(
                "<path d=\"{path}\" fill=\"{fill}\" fill-opacity=\"0.75\" fill-rule=\"evenodd\" stroke=\"{line}\" stroke-width=\"1.2\"/>"
            )),
            _ => self.put(format_args!(
                "<path d=\"{path}\" fill=\"none\" stroke=\"{line}\" stroke-width=\"2.2\" stroke-linejoin=\"round\"/>"
            )),
        }
    }

    /// Writes an attribute beside every feature that has it, where no other label stands.
    pub(super) fn labels(&mut self, layer: &Layer, attribute: &str) {
        for feature in layer.features() {
            let Some(text) = feature.value(attribute).map(|value| value.to_text()) else {
                continue;
            };
            let vertices = feature.vertices();
            if text.is_empty() || vertices.is_empty() {
                continue;
            }
            let point = feature.kind().map(GeometryKind::single) == Some(GeometryKind::Point);
            let middle = match feature.kind().map(GeometryKind::single) {
                Some(GeometryKind::Polygon) => centroid(&vertices),
                _ => vertices[vertices.len() / 2],
            };
            let (x, y) = self.pixel(middle.0, middle.1);
            let wide = text.chars().count() as f64 * 6.2;
            let (left, anchor) =
                if point { (x + 7.0, "start") } else { (x - wide / 2.0, "middle") };
            let place = [left, y - 9.0, left + wide, y + 4.0];
            let overlaps = |other: &[f64; 4]| {
                place[0] < other[2]
                    && other[0] < place[2]
                    && place[1] < other[3]
                    && other[1] < place[3]
            };
            let inside = place[0] > self.frame[0] && place[2] < self.frame[2];
            if !inside || self.taken.iter().any(overlaps) {
                continue;
            }
            self.taken.push(place);
            let at = (if point { left } else { x }, y + 3.5);
            self.put(format_args!(
                "<text x=\"{:.1}\" y=\"{:.1}\" font-size=\"11\" text-anchor=\"{anchor}\" stroke=\"#fff\" stroke-width=\"3\" stroke-opacity=\"0.8\" stroke-linejoin=\"round\" paint-order=\"stroke\">{}</text>",
                at.0,
                at.1,
                escaped(&text)
            ));
        }
    }

    pub(super) fn finish(self) -> String {
        let [left, top, right, bottom] = self.frame;
        format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{w}\" height=\"{h}\" viewBox=\"0 0 {w} {h}\" font-family=\"{FONT}\" fill=\"#222\">\n\
             <defs><clipPath id=\"frame\"><rect x=\"{left}\" y=\"{top}\" width=\"{:.1}\" height=\"{:.1}\"/></clipPath></defs>\n\
             <rect width=\"{w}\" height=\"{h}\" fill=\"#fff\"/>\n{}</svg>\n",
            right - left,
            bottom - top,
            self.body,
            w = self.width,
            h = self.height
        )
    }
}

/// Middle of a polygon by area, reckoned from its first vertex; of its vertices where it has
/// no area.
fn centroid(vertices: &[(f64, f64)]) -> (f64, f64) {
    let origin = vertices[0];
    let from_origin = |v: &(f64, f64)| (v.0 - origin.0, v.1 - origin.1);
    let (mut area, mut x, mut y) = (0.0, 0.0, 0.0);
    for pair in vertices.windows(2) {
        let (a, b) = (from_origin(&pair[0]), from_origin(&pair[1]));
        let cross = a.0 * b.1 - b.0 * a.1;
        area += cross;
        x += (a.0 + b.0) * cross;
        y += (a.1 + b.1) * cross;
    }
    if area == 0.0 {
        return vertices[vertices.len() / 2];
    }
    (origin.0 + x / (3.0 * area), origin.1 + y / (3.0 * area))
}
