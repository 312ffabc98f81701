//! The plane that flat entities lie in, and the places that inserted blocks are drawn at.

use super::pairs::{Pair, find};

/// Three axes and an origin: what a place in coordinates of its own is in those of the drawing.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Placement {
    axes: [[f64; 3]; 3],
    origin: [f64; 3],
}

/// The place as it is.
pub(super) const AS_IS: Placement =
    Placement { axes: [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]], origin: [0.0; 3] };

fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn unit(a: [f64; 3]) -> [f64; 3] {
    let length = a[0].hypot(a[1]).hypot(a[2]);
    a.map(|v| v / length)
}

/// The direction that the front of a flat entity faces; up where none is given.
pub(super) fn normal(pairs: &[Pair]) -> [f64; 3] {
    let of = |code, default| find(pairs, code).filter(|v| v.is_finite()).unwrap_or(default);
    let given = [of(210, 0.0), of(220, 0.0), of(230, 1.0)];
    if given == [0.0; 3] { [0.0, 0.0, 1.0] } else { given }
}

impl Placement {
    /// The plane of a flat entity by the direction that it faces (DXF reference, arbitrary axis
    /// algorithm).
    pub(super) fn facing(normal: [f64; 3]) -> Placement {
        if normal == [0.0, 0.0, 1.0] {
            return AS_IS;
        }
        let up = unit(normal);
        let near = 1.0 / 64.0;
        let x = match up[0].abs() < near && up[1].abs() < near {
            true => unit(cross([0.0, 1.0, 0.0], up)),
            false => unit(cross([0.0, 0.0, 1.0], up)),
        };
        Placement { axes: [x, cross(up, x), up], origin: [0.0; 3] }
    }

    /// Where the things of an inserted block come: scaled and turned about its base, at the place of
    /// the insertion.
    pub(super) fn of_block(insert: &[Pair], base: [f64; 3], column: f64, row: f64) -> Placement {
        let of = |code, default| find(insert, code).filter(|v| v.is_finite()).unwrap_or(default);
        let scale = [of(41, 1.0), of(42, 1.0), of(43, 1.0)];
        let (sin, cos) = of(50, 0.0).to_radians().sin_cos();
        let at = [of(10, 0.0), of(20, 0.0), of(30, 0.0)];
        // Rows and columns lie along the axes of the turned block.
        let (dx, dy) = (column * of(44, 0.0), row * of(45, 0.0));
        let inside = Placement {
            axes: [
                [scale[0] * cos, scale[0] * sin, 0.0],
                [-scale[1] * sin, scale[1] * cos, 0.0],
                [0.0, 0.0, scale[2]],
            ],
            origin: [at[0] + dx * cos - dy * sin, at[1] + dx * sin + dy * cos, at[2]],
        };
        let back = Placement { origin: base.map(|v| -v), ..AS_IS };
        Placement::facing(normal(insert)).after(&inside).after(&back)
    }

    /// This placement of what another has placed.
    pub(super) fn after(&self, first: &Placement) -> Placement {
        let turned = |v: [f64; 3]| {
            let place = self.of(v);
            [0, 1, 2].map(|k| place[k] - self.origin[k])
        };
        Placement { axes: first.axes.map(turned), origin: self.of(first.origin) }
    }

    /// Where a place comes.
    pub(super) fn of(&self, place: [f64; 3]) -> [f64; 3] {
        if *self == AS_IS {
            return place;
        }
        [0, 1, 2].map(|k| {
            let along = |axis: usize| place[axis] * self.axes[axis][k];
            along(0) + along(1) + along(2) + self.origin[k]
        })
    }

    /// The most that a length grows.
    pub(super) fn growth(&self) -> f64 {
        self.axes.iter().map(|a| a[0].hypot(a[1]).hypot(a[2])).fold(0.0, f64::max)
    }
}
