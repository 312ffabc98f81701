//! Many polygons that are asked which of them hold a place.

use super::{Placing, Region};

/// Regions over a grid of cells. Each cell knows the regions that cover it wholly and those whose
/// boundary passes through it, so that most questions look at no edge at all.
#[derive(Clone, Debug)]
pub struct Mosaic {
    regions: Vec<Region>,
    tolerance: f64,
    /// Cells along x and y.
    cells: (usize, usize),
    /// Corner of the first cell.
    corner: (f64, f64),
    /// Cells in one unit of x and y.
    per_unit: (f64, f64),
    /// Where the entries of each cell begin, and where those of the last end.
    starts: Vec<u32>,
    entries: Vec<Entry>,
}

/// A region in a cell.
#[derive(Clone, Copy, Debug)]
struct Entry {
    region: u32,
    /// True if its boundary passes through the cell; otherwise it covers the cell.
    passes: bool,
}

/// Cells that a region of usual size lies over, and most of all.
const CELLS: f64 = 64.0;
const MOST_CELLS: f64 = 4_194_304.0;

/// Of a plane with regions beside each other these take so much, and fill so much of the box around them.
const TAKEN: f64 = 0.7;
const FILLED: f64 = 0.5;

impl Mosaic {
    /// Of regions; a place within the tolerance of a boundary counts as on it.
    ///
    /// ```
    /// use velvet_peg_core::planar::{Mosaic, Region};
    /// let square = |x: f64| {
    ///     let (x, y) = ([x, x + 9.0, x + 9.0, x], [0.0, 0.0, 9.0, 9.0]);
    ///     Region::new([(&x[..], &y[..])])
    /// };
    /// let mosaic = Mosaic::new(vec![square(0.0), square(9.0)], 0.001);
    /// let mut found = Vec::new();
    /// assert!(!mosaic.at((4.0, 4.0), &mut found) && found == [0]);
    /// assert!(mosaic.at((9.0, 4.0), &mut found) && found == [0, 1]);
    /// ```
    pub fn new(regions: Vec<Region>, tolerance: f64) -> Mosaic {
        let all =
            regions.iter().map(Region::bounds).fold(
                [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY],
                |a, b| [a[0].min(b[0]), a[1].min(b[1]), a[2].max(b[2]), a[3].max(b[3])],
            );
        let size = |b: [f64; 4]| (b[2] - b[0] + 2.0 * tolerance, b[3] - b[1] + 2.0 * tolerance);
        let (width, height) = size(all);
        let cells = match width > 0.0 && height > 0.0 && (width * height).is_finite() {
            true => {
                // As many as give every region its cells, however much regions overlap.
                let share = regions.iter().map(|region| size(region.bounds()));
                let covered: f64 = share.map(|(w, h)| w / width * (h / height)).sum();
                let count = (CELLS * regions.len() as f64 / covered).clamp(1.0, MOST_CELLS);
                let across = (count * width / height).sqrt().clamp(1.0, count);
                (across as usize, (count / across) as usize)
            }
            false => (1, 1),
        };
        let per = |cells: usize, size: f64| if size > 0.0 { cells as f64 / size } else { 0.0 };
        let mut mosaic = Mosaic {
            regions: Vec::new(),
            tolerance,
            cells,
            corner: (all[0] - tolerance, all[1] - tolerance),
            per_unit: (per(cells.0, width), per(cells.1, height)),
            starts: vec![0; cells.0 * cells.1 + 1],
            entries: Vec::new(),
        };
        let mut found: Vec<(u32, Entry)> = Vec::new();
        for (number, region) in regions.iter().enumerate() {
            mosaic.lay(number as u32, region, &mut found);
        }
        for (cell, _) in &found {
            mosaic.starts[*cell as usize + 1] += 1;
        }
        for cell in 1..mosaic.starts.len() {
            mosaic.starts[cell] += mosaic.starts[cell - 1];
        }
        let mut next = mosaic.starts.clone();
        mosaic.entries = vec![Entry { region: 0, passes: false }; found.len()];
        for (cell, entry) in found {
            let place = &mut next[cell as usize];
            mosaic.entries[*place as usize] = entry;
            *place += 1;
        }
        mosaic.regions = regions;
        mosaic
    }

    /// Bytes that a mosaic of so many regions takes besides these while it is made, about: for its cells, and for what
    /// lies in them. Regions are taken as lying beside each other.
    ///
    /// ```
    /// use velvet_peg_core::planar::Mosaic;
    /// let each = |count: usize| Mosaic::bytes_beside(count) / count;
    /// assert!(each(1_000) > 5 * each(10_000_000)); // fewer cells for each of very many
    /// ```
    pub fn bytes_beside(regions: usize) -> usize {
        let (count, most) = (regions.max(1) as f64, MOST_CELLS);
        let cells = (CELLS / TAKEN * count).min(most);
        // A region lies in its own cells, and in those along its sides.
        let own = (CELLS).min(most / count);
        let entries = count * (own.sqrt() + 1.0).powi(2) * FILLED;
        let of_entry = size_of::<(u32, Entry)>() * 3 / 2 + size_of::<Entry>();
        (cells * 2.0 * size_of::<u32>() as f64 + entries * of_entry as f64) as usize
    }

    /// Column and row of a place, those at the edge for what lies beyond.
    fn cell(&self, at: (f64, f64)) -> (usize, usize) {
        let along = |at: f64, corner: f64, per_unit: f64, cells: usize| {
            (((at - corner) * per_unit) as usize).min(cells - 1)
        };
        (
            along(at.0, self.corner.0, self.per_unit.0, self.cells.0),
            along(at.1, self.corner.1, self.per_unit.1, self.cells.1),
        )
    }

    /// Enters a region into its cells.
    fn lay(&self, number: u32, region: &Region, found: &mut Vec<(u32, Entry)>) {
        let [west, south, east, north] = region.bounds();
        // What rounding may put into the next cell.
        let slack = self.tolerance
            + 1e-12 * [west, south, east, north].into_iter().fold(0.0, |m: f64, v| m.max(v.abs()));
        let low = self.cell((west - slack, south - slack));
        let high = self.cell((east + slack, north + slack));
        let (columns, rows) = (high.0 - low.0 + 1, high.1 - low.1 + 1);
        let mut passes = vec![false; columns * rows];
        for (a, b) in region.banded_edges() {
            let from = self.cell((a.0, a.1.min(b.1) - slack)).1;
            let to = self.cell((a.0, a.1.max(b.1) + slack)).1;
            for row in from..=to {
                let (west, east) = self.stretch(*a, *b, row, slack);
                let first = self.cell((west - slack, a.1)).0.clamp(low.0, high.0);
                let last = self.cell((east + slack, a.1)).0.clamp(low.0, high.0);
                let start = (row - low.1) * columns;
                passes[start + first - low.0..=start + last - low.0].fill(true);
            }
        }
        for row in 0..rows {
            // Between cells that the boundary passes all are alike.
            let mut covers = None;
            for column in 0..columns {
                let entry = Entry { region: number, passes: passes[row * columns + column] };
                let at = (low.0 + column, low.1 + row);
                let cell = (at.1 * self.cells.0 + at.0) as u32;
                if entry.passes {
                    covers = None;
                    found.push((cell, entry));
                    continue;
                }
                let covered = *covers.get_or_insert_with(|| {
                    let middle = |at: usize, corner: f64, per_unit: f64| {
                        corner + (at as f64 + 0.5) / per_unit
                    };
                    let x = middle(at.0, self.corner.0, self.per_unit.0);
                    let y = middle(at.1, self.corner.1, self.per_unit.1);
                    region.place((x, y)) == Placing::Inside
                });
                if covered {
                    found.push((cell, entry));
                }
            }
        }
    }

    /// Smallest and largest x of an edge within a row of cells.
    fn stretch(&self, a: (f64, f64), b: (f64, f64), row: usize, slack: f64) -> (f64, f64) {
        let low = match row {
            0 => f64::NEG_INFINITY,
            row => self.corner.1 + row as f64 / self.per_unit.1 - slack,
        };
        let high = match row + 1 {
            last if last == self.cells.1 => f64::INFINITY,
            next => self.corner.1 + next as f64 / self.per_unit.1 + slack,
        };
        let rise = b.1 - a.1;
        let at = |y: f64| a.0 + ((y - a.1) / rise).clamp(0.0, 1.0) * (b.0 - a.0);
        match rise == 0.0 {
            true => (a.0.min(b.0), a.0.max(b.0)),
            false => (at(low).min(at(high)), at(low).max(at(high))),
        }
    }

    /// The regions, in their order.
    pub fn regions(&self) -> &[Region] {
        &self.regions
    }

    /// Which regions a place is in or on, in their order; true if it is on the boundary of one of
    /// them.
    pub fn at(&self, at: (f64, f64), found: &mut Vec<u32>) -> bool {
        found.clear();
        let (column, row) = self.cell(at);
        let cell = row * self.cells.0 + column;
        let mut boundary = false;
        for entry in &self.entries[self.starts[cell] as usize..self.starts[cell + 1] as usize] {
            if entry.passes {
                match self.regions[entry.region as usize].place_within(at, self.tolerance) {
                    Placing::Outside => continue,
                    place => boundary |= place == Placing::Boundary,
                }
            }
            found.push(entry.region);
        }
        boundary
    }
}
