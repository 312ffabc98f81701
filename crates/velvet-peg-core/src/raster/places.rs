//! Where the pixels of one raster lie among those of another.

use super::carrier::Carrier;
use super::pixel_grid::PixelGrid;
use super::turn::Turn;

/// Which positions of the pixels are asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum At {
    /// Their middles.
    Middles,
    /// Their corners, one more each way.
    Corners,
}

/// Positions among the pixels of a source, for a rectangle of pixels of a target; no numbers where the
/// source's system has none.
#[derive(Clone, Debug)]
pub struct Places {
    /// Columns of the rectangle.
    pub columns: usize,
    /// Rows of the rectangle.
    pub rows: usize,
    /// What the positions are of.
    pub at: At,
    /// Column and row of each, row by row; of corners one more each way.
    pub positions: Vec<(f64, f64)>,
    /// Columns of a whole turn, where x is a longitude of the source: beyond them they begin again.
    pub around: Option<f64>,
    /// How far interpolated positions were found from exact ones at most, in pixels of the source; 0 where
    /// every one is exact.
    pub error: f64,
}

impl Places {
    /// The position of the middle of the pixel `at`, counted row by row; with corners the mean of the
    /// four.
    pub fn middle_of(&self, at: usize) -> (f64, f64) {
        match self.at {
            At::Middles => self.positions[at],
            At::Corners => {
                let four = self.corners_of(at);
                let mean = |pick: fn(&(f64, f64)) -> f64| four.iter().map(pick).sum::<f64>() / 4.0;
                (mean(|at| at.0), mean(|at| at.1))
            }
        }
    }

    /// The positions of its corners, in order around it.
    ///
    /// # Panics
    /// If the positions are those of middles.
    pub fn corners_of(&self, at: usize) -> [(f64, f64); 4] {
        assert_eq!(self.at, At::Corners);
        let wide = self.columns + 1;
        let first = at / self.columns * wide + at % self.columns;
        let origin = self.positions[first];
        // Corners on both sides of a seam are near each other.
        let corner = |at: usize| {
            let (column, row) = self.positions[at];
            let turn = self.around.map(|full| Turn { full });
            (turn.map_or(column, |turn| turn.near(column, origin.0)), row)
        };
        [origin, corner(first + 1), corner(first + wide + 1), corner(first + wide)]
    }

    /// The rectangle of source pixels that they lie in: first column and row, and those after the last.
    pub fn reach(&self) -> Option<(i64, i64, i64, i64)> {
        let mut reach: Option<(f64, f64, f64, f64)> = None;
        for &(column, row) in &self.positions {
            if column.is_finite() && row.is_finite() {
                let (left, top, right, bottom) = reach.unwrap_or((column, row, column, row));
                reach = Some((left.min(column), top.min(row), right.max(column), bottom.max(row)));
            }
        }
        let (left, top, right, bottom) = reach?;
        Some((left.floor() as i64, top.floor() as i64, right.ceil() as i64, bottom.ceil() as i64))
    }
}

/// Finds the positions. Exact ones are computed at the nodes of a mesh; between them they are
/// interpolated where that was found to be near enough, else every one is exact.
#[derive(Clone)]
pub struct SourcePlaces<'a> {
    /// From the target's plane to the source's.
    back: &'a dyn Carrier,
    target: PixelGrid,
    source: PixelGrid,
    /// Interpolated positions are no further from exact ones, in pixels of the source.
    tolerance: f64,
    /// Where x is a longitude of the source.
    turn: Option<Turn>,
    /// Its middle, which longitudes are near.
    middle: f64,
}

/// Pixels between the nodes that are tried first.
const WIDEST: usize = 32;

impl<'a> SourcePlaces<'a> {
    /// `back` leads from the plane of `target` to that of `source`; `tolerance` is in pixels of the
    /// source, 0 for exact positions only.
    pub fn new(
        back: &'a dyn Carrier,
        target: PixelGrid,
        source: PixelGrid,
        tolerance: f64,
    ) -> SourcePlaces<'a> {
        let turn = back.turn();
        SourcePlaces { back, target, source, tolerance, turn, middle: source.middle().0 }
    }

    /// The positions for a rectangle of the target's pixels.
    pub fn of(
        &self,
        (first_column, first_row): (usize, usize),
        (columns, rows): (usize, usize),
        at: At,
    ) -> Places {
        let (wide, high, shift) = match at {
            At::Middles => (columns, rows, 0.5),
            At::Corners => (columns + 1, rows + 1, 0.0),
        };
        let origin = (first_column as f64 + shift, first_row as f64 + shift);
        let mut places = Places {
            columns,
            rows,
            at,
            positions: vec![(f64::NAN, f64::NAN); wide * high],
            around: self.turn.and_then(|turn| turn.columns(&self.source)),
            error: 0.0,
        };
        let mut step = WIDEST;
        while step > 1 && self.tolerance > 0.0 && wide.min(high) > 1 {
            if self.interpolated(origin, (wide, high), step, &mut places) {
                return places;
            }
            step /= 2;
        }
        let every = (0..high).flat_map(|row| (0..wide).map(move |column| (column, row)));
        let asked: Vec<(f64, f64)> =
            every.map(|(column, row)| (origin.0 + column as f64, origin.1 + row as f64)).collect();
        places.positions = self.exact(&asked);
        places.error = 0.0;
        places
    }

    /// Exact positions of places among the target's pixels.
    fn exact(&self, asked: &[(f64, f64)]) -> Vec<(f64, f64)> {
        let (mut x, mut y): (Vec<f64>, Vec<f64>) =
            asked.iter().map(|(column, row)| self.target.place(*column, *row)).unzip();
        self.back.carry(&mut x, &mut y);
        x.into_iter()
            .zip(y)
            .map(|(x, y)| {
                let x = self.turn.map_or(x, |turn| turn.near(x, self.middle));
                self.source.pixel((x, y))
            })
            .collect()
    }

    /// Fills in positions from nodes that are `step` pixels apart; false if that is not near enough for
    /// most of them.
    ///
    /// A bilinear surface is off by the curvature along each side. These cancel in the middle of a cell
    /// where the mapping is conformal, so the middles of the sides are looked at, and their errors added.
    fn interpolated(
        &self,
        origin: (f64, f64),
        (wide, high): (usize, usize),
        step: usize,
        places: &mut Places,
    ) -> bool {
        let (across, down) = ((wide - 1).div_ceil(step).max(1), (high - 1).div_ceil(step).max(1));
        let mesh = |columns: usize, rows: usize, right: f64, below: f64| -> Vec<(f64, f64)> {
            let step = step as f64;
            let row = |row: usize| {
                (0..columns).map(move |column| {
                    (
                        origin.0 + (column as f64 + right) * step,
                        origin.1 + (row as f64 + below) * step,
                    )
                })
            };
            self.exact(&(0..rows).flat_map(row).collect::<Vec<_>>())
        };
        let nodes = mesh(across + 1, down + 1, 0.0, 0.0);
        let tops = mesh(across, down + 1, 0.5, 0.0);
        let lefts = mesh(across + 1, down, 0.0, 0.5);
        let node = |column: usize, row: usize| nodes[row * (across + 1) + column];
        let off = |a: (f64, f64), b: (f64, f64), between: (f64, f64)| {
            ((a.0 + b.0) / 2.0 - between.0).hypot((a.1 + b.1) / 2.0 - between.1)
        };
        let mut near = vec![false; across * down];
        let mut error = 0.0f64;
        for row in 0..down {
            for column in 0..across {
                let top = |row| {
                    off(node(column, row), node(column + 1, row), tops[row * across + column])
                };
                let left = |column| {
                    off(
                        node(column, row),
                        node(column, row + 1),
                        lefts[row * (across + 1) + column],
                    )
                };
                let most = top(row).max(top(row + 1)) + left(column).max(left(column + 1));
                // Twice as near as asked, for what lies between the places looked at; not a number is
                // not near.
                if most <= 0.5 * self.tolerance {
                    near[row * across + column] = true;
                    error = error.max(most);
                }
            }
        }
        let far = near.iter().filter(|near| !**near).count();
        if far * 8 > near.len() {
            return false;
        }
        let mut others = Vec::new();
        for row in 0..high {
            let cell_row = (row / step).min(down - 1);
            let v = (row - cell_row * step) as f64 / step as f64;
            for column in 0..wide {
                let cell = (column / step).min(across - 1);
                if !near[cell_row * across + cell] {
                    others.push((column, row));
                    continue;
                }
                let u = (column - cell * step) as f64 / step as f64;
                let (a, b) = (node(cell, cell_row), node(cell + 1, cell_row));
                let (c, d) = (node(cell, cell_row + 1), node(cell + 1, cell_row + 1));
                let mix = |a: f64, b: f64, c: f64, d: f64| {
                    let (upper, lower) = (a + u * (b - a), c + u * (d - c));
                    upper + v * (lower - upper)
                };
                places.positions[row * wide + column] =
                    (mix(a.0, b.0, c.0, d.0), mix(a.1, b.1, c.1, d.1));
            }
        }
        let asked: Vec<(f64, f64)> = others
            .iter()
            .map(|(column, row)| (origin.0 + *column as f64, origin.1 + *row as f64))
            .collect();
        for ((column, row), position) in others.into_iter().zip(self.exact(&asked)) {
            places.positions[row * wide + column] = position;
        }
        places.error = error;
        true
    }
}
