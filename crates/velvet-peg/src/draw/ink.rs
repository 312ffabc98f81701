//! The features of a layer as they are drawn: marks in pixels, or shades where there are too many.

use super::density::Density;
use super::simplify::{box_of, simplified};
use super::view::View;
use crate::layer::{GeometryColumn, GeometryKind};
use std::collections::HashMap;

/// Different places of points, and vertices of lines and polygons, beyond which a layer is shaded
/// by density.
const POINTS: usize = 20_000;
const VERTICES: usize = 400_000;
/// Polygons and lines smaller than this many pixels are drawn as a dot.
const DOT: f64 = 1.0;

/// One mark, with the number of its class.
#[derive(Debug)]
pub(super) struct Mark {
    pub(super) class: usize,
    /// Points of one place and class are one mark.
    count: u32,
    /// Share of the largest number of the column that gives sizes, from 0 to 1.
    pub(super) size: f32,
    pub(super) shape: Shape,
}

#[derive(Debug)]
pub(super) enum Shape {
    Point(f32, f32),
    Line(Vec<(f32, f32)>),
    Polygon(Vec<Vec<(f32, f32)>>),
    /// A line or polygon too small to be seen as one.
    Dot(f32, f32),
}

/// What is drawn of a layer.
#[derive(Debug)]
pub(super) struct Ink {
    pub(super) marks: Vec<Mark>,
    pub(super) density: Option<Density>,
    pub(super) points: usize,
    /// The marks of points, by class and half pixels.
    seen: HashMap<(u32, i32, i32), usize>,
    vertices: usize,
    classes: usize,
    sized: bool,
}

impl Ink {
    pub(super) fn new(classes: usize, sized: bool) -> Ink {
        Ink {
            marks: Vec::new(),
            density: None,
            points: 0,
            seen: HashMap::new(),
            vertices: 0,
            classes,
            sized,
        }
    }

    pub(super) fn feature(
        &mut self,
        view: &View,
        geometry: &GeometryColumn,
        feature: usize,
        class: usize,
        size: f32,
    ) {
        let Some(kind) = geometry.kinds()[feature].map(GeometryKind::single) else { return };
        if kind == GeometryKind::Point {
            for at in geometry.vertices(feature) {
                let (x, y) = view.pixel(view.unrolled(geometry.x[at]), geometry.y[at]);
                if view.holds((x, y), 20.0) {
                    self.mark(view, class, size, Shape::Point(x as f32, y as f32));
                }
            }
            return;
        }
        for part in geometry.parts(feature) {
            let mut rings = Vec::new();
            for ring in geometry.rings(part) {
                rings.push(simplified(view, &geometry.x, &geometry.y, geometry.ring(ring)));
            }
            let Some(around) = rings.first().and_then(|ring| box_of(ring)) else { continue };
            let [left, top, right, bottom] = view.frame;
            let outside = around.east < left
                || around.west > right
                || around.south < top
                || around.north > bottom;
            if outside {
                continue;
            }
            let (wide, high) = (around.east - around.west, around.south - around.north);
            let shape = if wide.max(high) < DOT {
                Shape::Dot(
                    ((around.west + around.east) / 2.0) as f32,
                    ((around.north + around.south) / 2.0) as f32,
                )
            } else if kind == GeometryKind::Polygon {
                // Holes that are not seen are none.
                let mut rings = rings.into_iter();
                let outer = rings.next().into_iter();
                let holes = rings.filter(|ring| ring.len() > 3);
                Shape::Polygon(outer.chain(holes).collect())
            } else {
                Shape::Line(rings.swap_remove(0))
            };
            self.mark(view, class, size, shape);
        }
    }

    fn mark(&mut self, view: &View, class: usize, size: f32, shape: Shape) {
        if let Some(density) = &mut self.density {
            return shade(density, class, 1, &shape);
        }
        match &shape {
            Shape::Point(x, y) | Shape::Dot(x, y) => {
                let half = |pixel: &f32| (pixel * 2.0).round() as i32;
                let key = (class as u32, half(x), half(y));
                // Sizes tell something of each.
                if let Some(at) = self.seen.get(&key).filter(|_| !self.sized) {
                    self.marks[*at].count += 1;
                    return;
                }
                self.seen.insert(key, self.marks.len());
                self.points += 1;
            }
            Shape::Line(line) => self.vertices += line.len(),
            Shape::Polygon(rings) => self.vertices += rings.iter().map(Vec::len).sum::<usize>(),
        }
        self.marks.push(Mark { class, count: 1, size, shape });
        if self.points > POINTS || self.vertices > VERTICES {
            let mut density = Density::new(view.frame, self.classes);
            for mark in self.marks.drain(..) {
                shade(&mut density, mark.class, mark.count, &mark.shape);
            }
            self.marks.shrink_to_fit();
            self.seen = HashMap::new();
            self.density = Some(density);
        }
    }
}

fn shade(density: &mut Density, class: usize, count: u32, shape: &Shape) {
    match shape {
        Shape::Point(x, y) | Shape::Dot(x, y) => density.points(class, (*x, *y), count),
        Shape::Line(line) => density.line(class, line),
        Shape::Polygon(rings) => rings.iter().for_each(|ring| density.line(class, ring)),
    }
}
