//! Layers as SVG elements, and what each of their features looks like.

use super::canvas::{Canvas, Px, path};
use super::classes::Classing;
use super::density::{CELL, STEPS};
use super::ink::{Ink, Shape};
use super::palette::{Pair, Paper, Rgb, hex, mixed};
use crate::layer::GeometryKind;
use std::fmt::Write;

/// What the features of a layer look like.
#[derive(Clone, Debug)]
pub(super) struct Look {
    /// Line or outline, and fill.
    pub(super) pair: Pair,
    /// Width of lines in pixels, or twice the radius of points, if it was chosen.
    pub(super) width: Option<f64>,
    /// Colours by an attribute that the layer has.
    pub(super) classing: Option<Classing>,
    /// Largest number of the attribute that gives sizes.
    pub(super) largest: Option<f64>,
}

/// Radii of points whose size tells a number: of nought and of the largest.
pub(super) const SIZES: (f64, f64) = (1.5, 14.0);
/// Widths of lines whose width tells a number.
const WIDTHS: (f64, f64) = (0.7, 7.0);

impl Look {
    /// True if an attribute gives the sizes.
    pub(super) fn sized(&self) -> bool {
        self.largest.is_some()
    }

    /// The size of a number, as the share of the largest.
    pub(super) fn share(&self, number: Option<f64>) -> f64 {
        match (self.largest, number) {
            (Some(largest), Some(number)) if largest > 0.0 => number.abs() / largest,
            _ => 0.0,
        }
    }

    /// Classes that a feature can be of.
    pub(super) fn classes(&self) -> usize {
        self.classing.as_ref().map_or(1, |classing| classing.classes.len())
    }

    /// Line and fill of a class.
    pub(super) fn pair_of(&self, class: usize, paper: &Paper) -> Pair {
        match &self.classing {
            None => self.pair,
            Some(classing) => {
                let fill = classing.classes[class].color;
                (mixed(fill, paper.ink, 0.45), fill)
            }
        }
    }

    /// The colour that lines of a class are drawn in: they have no fill to tell it by.
    pub(super) fn line_of(&self, class: usize, paper: &Paper) -> Rgb {
        match &self.classing {
            None => self.pair.0,
            Some(classing) => mixed(classing.classes[class].color, paper.ink, 0.08),
        }
    }

    /// Radius of the points of a layer that has so many.
    pub(super) fn radius(&self, marks: usize) -> f64 {
        match (self.width, marks) {
            (Some(width), _) => width / 2.0,
            (None, 0..=400) => 4.0,
            (None, 401..=2_500) => 2.8,
            (None, 2_501..=8_000) => 2.0,
            _ => 1.4,
        }
    }

    /// Width of the lines of a layer that has so many.
    pub(super) fn line_width(&self, marks: usize) -> f64 {
        match (self.width, marks) {
            (Some(width), _) => width,
            (None, 0..=600) => 2.2,
            (None, 601..=6_000) => 1.3,
            _ => 0.8,
        }
    }

    fn outline_width(&self, marks: usize) -> f64 {
        match (self.width, marks) {
            (Some(width), _) => width,
            (None, 0..=2_000) => 1.2,
            _ => 0.6,
        }
    }

    /// Radius of a point by the share of the largest number: its area tells it.
    pub(super) fn sized_radius(share: f64) -> f64 {
        SIZES.0 + (SIZES.1 - SIZES.0) * share.sqrt()
    }

    pub(super) fn sized_width(share: f64) -> f64 {
        WIDTHS.0 + (WIDTHS.1 - WIDTHS.0) * share
    }
}

/// Draws a layer: polygons, then lines, then points of each class.
pub(super) fn draw(canvas: &mut Canvas, ink: &Ink, look: &Look) {
    if ink.density.is_some() {
        return shades(canvas, ink, look);
    }
    for kind in [GeometryKind::Polygon, GeometryKind::LineString, GeometryKind::Point] {
        for class in 0..look.classes() {
            marks_of(canvas, ink, look, kind, class);
        }
    }
}

fn marks_of(canvas: &mut Canvas, ink: &Ink, look: &Look, kind: GeometryKind, class: usize) {
    let count = ink.marks.len();
    let (line, fill) = look.pair_of(class, canvas.paper);
    let line_color = look.line_of(class, canvas.paper);
    let mut body = String::new();
    let (radius, width) = (look.radius(ink.points), look.line_width(count));
    // Larger ones first, so that smaller ones lie on them.
    let mut marks: Vec<_> = ink.marks.iter().filter(|mark| mark.class == class).collect();
    if look.sized() {
        marks.sort_by(|a, b| b.size.total_cmp(&a.size));
    }
    for mark in marks {
        let size = f64::from(mark.size);
        let _ = match (&mark.shape, kind) {
            (Shape::Point(x, y), GeometryKind::Point) => {
                let radius = if look.sized() { Look::sized_radius(size) } else { radius };
                writeln!(
                    body,
                    "<circle cx=\"{}\" cy=\"{}\" r=\"{}\"/>",
                    Px((*x).into()),
                    Px((*y).into()),
                    Px(radius)
                )
            }
            (Shape::Dot(x, y), GeometryKind::Point) => writeln!(
                body,
                "<circle cx=\"{}\" cy=\"{}\" r=\"0.8\" stroke=\"none\" fill=\"{}\"/>",
                Px((*x).into()),
                Px((*y).into()),
                hex(line)
            ),
            (Shape::Line(vertices), GeometryKind::LineString) => {
                let line = path(pixels(vertices), false);
                match look.sized() {
                    true => writeln!(
                        body,
                        "<path d=\"{line}\" stroke-width=\"{}\"/>",
                        Px(Look::sized_width(size))
                    ),
                    false => writeln!(body, "<path d=\"{line}\"/>"),
                }
            }
            (Shape::Polygon(rings), GeometryKind::Polygon) => {
                let rings: String = rings.iter().map(|ring| path(pixels(ring), true)).collect();
                writeln!(body, "<path d=\"{rings}\"/>")
            }
            _ => Ok(()),
        };
    }
    if body.is_empty() {
        return;
    }
    let (line, fill, line_color) = (hex(line), hex(fill), hex(line_color));
    let attributes = match kind {
        GeometryKind::Polygon => format!(
            "fill=\"{fill}\" fill-opacity=\"0.75\" fill-rule=\"evenodd\" stroke=\"{line}\" stroke-width=\"{}\" stroke-linejoin=\"round\"",
            look.outline_width(count)
        ),
        GeometryKind::LineString => format!(
            "fill=\"none\" stroke=\"{line_color}\" stroke-width=\"{width}\" stroke-linejoin=\"round\" stroke-linecap=\"round\""
        ),
        _ if radius < 2.5 && !look.sized() && look.classing.is_some() => format!("fill=\"{fill}\""),
        _ if radius < 2.5 && !look.sized() => format!("fill=\"{line}\""),
        _ => format!(
            "fill=\"{fill}\" stroke=\"{line}\" stroke-width=\"{}\"{}",
            if radius > 3.5 { 1.4 } else { 0.9 },
            if look.sized() { " fill-opacity=\"0.8\"" } else { "" }
        ),
    };
    canvas.put(format_args!("<g {attributes}>\n{body}</g>"));
}

fn pixels(vertices: &[(f32, f32)]) -> impl Iterator<Item = (f64, f64)> {
    vertices.iter().map(|(x, y)| (f64::from(*x), f64::from(*y)))
}

/// The colour of a shade of a class, from pale to full.
pub(super) fn shade_of(look: &Look, class: usize, shade: usize, paper: &Paper) -> Rgb {
    let (line, fill) = look.pair_of(class, paper);
    let steps = STEPS.len() - 1;
    if look.classing.is_some() {
        return mixed(paper.land, fill, 0.45 + 0.55 * shade as f64 / steps as f64);
    }
    let deep = mixed(line, paper.ink, 0.25);
    match shade * 2 <= steps {
        true => mixed(fill, line, (shade * 2) as f64 / steps as f64),
        false => mixed(line, deep, (shade * 2 - steps) as f64 / steps as f64),
    }
}

fn shades(canvas: &mut Canvas, ink: &Ink, look: &Look) {
    let Some(density) = &ink.density else { return };
    let mut paths = vec![String::new(); look.classes() * STEPS.len()];
    for run in density.runs() {
        let _ = write!(
            paths[run.class * STEPS.len() + run.shade],
            "M{} {}h{}v{CELL}h-{}z",
            Px(run.at.0),
            Px(run.at.1),
            run.width,
            run.width
        );
    }
    canvas.put(format_args!("<g shape-rendering=\"crispEdges\">"));
    for (at, path) in paths.iter().enumerate().filter(|(_, path)| !path.is_empty()) {
        let color = shade_of(look, at / STEPS.len(), at % STEPS.len(), canvas.paper);
        canvas.put(format_args!("<path d=\"{path}\" fill=\"{}\"/>", hex(color)));
    }
    canvas.put(format_args!("</g>"));
}
