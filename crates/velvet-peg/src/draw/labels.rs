//! Texts beside features, where no other text stands.

use super::canvas::{Anchor, Canvas};
use super::lettering::width;
use super::view::View;
use crate::layer::{GeometryColumn, GeometryKind};

/// Texts that are tried; of more it is only told how many there are.
const TRIED: usize = 20_000;
const SIZE: f64 = 11.0;

/// A text to be placed.
#[derive(Debug)]
struct Candidate {
    text: String,
    at: (f64, f64),
    /// It stands beside a point, not on a line or in a polygon.
    beside: Option<f64>,
    /// Pixels by which it may stand above and below its place.
    reach: f64,
}

/// Gathers texts, and then places as many as there is room for.
#[derive(Debug, Default)]
pub(super) struct Labels {
    candidates: Vec<Candidate>,
    more: u64,
}

impl Labels {
    /// Takes in the text of a feature; `radius` is that of points.
    pub(super) fn add(
        &mut self,
        view: &View,
        geometry: &GeometryColumn,
        feature: usize,
        text: &str,
        radius: f64,
    ) {
        let Some(kind) = geometry.kinds()[feature].map(GeometryKind::single) else { return };
        let vertices: Vec<(f64, f64)> = geometry
            .vertices(feature)
            .map(|at| (view.unrolled(geometry.x[at]), geometry.y[at]))
            .filter(|(x, y)| x.is_finite() && y.is_finite())
            .collect();
        if text.is_empty() || vertices.is_empty() {
            return;
        }
        if self.candidates.len() >= TRIED {
            self.more += 1;
            return;
        }
        let at = match kind {
            GeometryKind::Polygon => return self.polygon(view, geometry, feature, text),
            GeometryKind::LineString => middle(&vertices),
            _ => vertices[0],
        };
        let beside = (kind == GeometryKind::Point).then_some(radius);
        let at = view.pixel(at.0, at.1);
        self.candidates.push(Candidate { text: text.to_string(), at, beside, reach: 0.0 });
    }

    /// A polygon has its text in the middle of its largest part.
    fn polygon(&mut self, view: &View, geometry: &GeometryColumn, feature: usize, text: &str) {
        let outer = geometry.parts(feature).filter_map(|part| {
            let ring = geometry.ring(geometry.rings(part).next()?);
            let pixels: Vec<(f64, f64)> = ring
                .map(|at| view.pixel(view.unrolled(geometry.x[at]), geometry.y[at]))
                .filter(|(x, y)| x.is_finite() && y.is_finite())
                .collect();
            let ys = pixels.iter().map(|pixel| pixel.1);
            let high = ys.clone().fold(f64::MIN, f64::max) - ys.fold(f64::MAX, f64::min);
            let (middle, area) = centroid(&pixels)?;
            Some((middle, high, area))
        });
        if let Some((at, high, _)) = outer.max_by(|a, b| a.2.total_cmp(&b.2)) {
            let reach = high / 2.0 - 6.0;
            self.candidates.push(Candidate { text: text.to_string(), at, beside: None, reach });
        }
    }

    /// Writes the texts; gives how many there were, and how many had no room.
    pub(super) fn place(self, canvas: &mut Canvas, view: &View) -> (u64, u64) {
        let mut taken: Vec<[f64; 4]> = Vec::new();
        let all = self.candidates.len() as u64 + self.more;
        let mut placed = 0;
        // Points keep their places free of other texts.
        for candidate in self.candidates.iter().filter(|_| self.candidates.len() < 2_000) {
            if let Some(radius) = candidate.beside {
                let (x, y) = candidate.at;
                taken.push([x - radius, y - radius, x + radius, y + radius]);
            }
        }
        for candidate in &self.candidates {
            let (x, y) = candidate.at;
            let wide = width(&candidate.text, SIZE);
            let places: Vec<(f64, f64)> = match candidate.beside {
                // To the right, to the left, above and below.
                Some(radius) => vec![
                    (x + radius + 3.0, y + 4.0),
                    (x - radius - 3.0 - wide, y + 4.0),
                    (x - wide / 2.0, y - radius - 4.0),
                    (x - wide / 2.0, y + radius + 12.0),
                ],
                // On the middle, above and below it.
                None => [0.0, -13.0, 13.0, -26.0, 26.0]
                    .into_iter()
                    .filter(|down: &f64| *down == 0.0 || down.abs() <= candidate.reach)
                    .map(|down| (x - wide / 2.0, y + 4.0 + down))
                    .collect(),
            };
            let free = places.into_iter().find_map(|(left, base)| {
                let place = [left - 1.0, base - 9.5, left + wide + 1.0, base + 2.5];
                let [l, t, r, b] = view.frame;
                let inside = place[0] > l && place[2] < r && place[1] > t && place[3] < b;
                let overlaps = |other: &[f64; 4]| {
                    place[0] < other[2]
                        && other[0] < place[2]
                        && place[1] < other[3]
                        && other[1] < place[3]
                };
                (inside && !taken.iter().any(overlaps)).then_some((place, (left, base)))
            });
            if let Some((place, at)) = free {
                taken.push(place);
                placed += 1;
                let colors = (canvas.paper.ink, canvas.paper.land);
                canvas.rimmed(at, SIZE, Anchor::Start, colors, &candidate.text);
            }
        }
        (all, all - placed)
    }
}

/// The vertex halfway along a line, or the middle of the edge that is.
fn middle(vertices: &[(f64, f64)]) -> (f64, f64) {
    let lengths: Vec<f64> = vertices
        .windows(2)
        .map(|pair| (pair[1].0 - pair[0].0).hypot(pair[1].1 - pair[0].1))
        .collect();
    let mut left = lengths.iter().sum::<f64>() / 2.0;
    for (pair, length) in vertices.windows(2).zip(&lengths) {
        if left <= *length && *length > 0.0 {
            let share = left / length;
            return (
                pair[0].0 + (pair[1].0 - pair[0].0) * share,
                pair[0].1 + (pair[1].1 - pair[0].1) * share,
            );
        }
        left -= length;
    }
    vertices[0]
}

/// Middle of a ring by area, reckoned from its first vertex, and the area; the middle of its
/// vertices where it has none.
fn centroid(vertices: &[(f64, f64)]) -> Option<((f64, f64), f64)> {
    let origin = *vertices.first()?;
    let from_origin = |v: &(f64, f64)| (v.0 - origin.0, v.1 - origin.1);
    let (mut area, mut x, mut y) = (0.0, 0.0, 0.0);
    for pair in vertices.windows(2) {
        let (a, b) = (from_origin(&pair[0]), from_origin(&pair[1]));
        let cross = a.0 * b.1 - b.0 * a.1;
        area += cross;
        x += (a.0 + b.0) * cross;
        y += (a.1 + b.1) * cross;
    }
    match area == 0.0 {
        true => Some((vertices[vertices.len() / 2], 0.0)),
        false => Some(((origin.0 + x / (3.0 * area), origin.1 + y / (3.0 * area)), area.abs())),
    }
}
