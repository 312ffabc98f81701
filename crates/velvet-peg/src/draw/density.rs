//! Shading by how many features fall on a small square of the picture, where there are too many
//! to be told apart.

/// Side of a square in pixels.
pub(super) const CELL: f64 = 3.0;
/// Least counts of the shades.
pub(super) const STEPS: [u32; 5] = [1, 2, 10, 100, 1000];

/// Counts of features in the squares of a frame, for each class.
#[derive(Debug)]
pub(super) struct Density {
    frame: [f64; 4],
    across: usize,
    down: usize,
    classes: usize,
    counts: Vec<u32>,
}

/// Squares of one row that are shaded alike: left, top, width.
pub(super) struct Run {
    pub(super) class: usize,
    pub(super) shade: usize,
    pub(super) at: (f64, f64),
    pub(super) width: f64,
}

impl Density {
    pub(super) fn new(frame: [f64; 4], classes: usize) -> Density {
        let cells = |pixels: f64| (pixels / CELL).ceil() as usize;
        let (across, down) = (cells(frame[2] - frame[0]), cells(frame[3] - frame[1]));
        Density { frame, across, down, classes, counts: vec![0; across * down * classes] }
    }

    fn cell(&self, x: f64, y: f64) -> Option<usize> {
        let (column, row) = ((x - self.frame[0]) / CELL, (y - self.frame[1]) / CELL);
        let inside = column >= 0.0 && row >= 0.0 && column < self.across as f64;
        (inside && row < self.down as f64).then(|| row as usize * self.across + column as usize)
    }

    pub(super) fn points(&mut self, class: usize, (x, y): (f32, f32), more: u32) {
        if let Some(cell) = self.cell(x.into(), y.into()) {
            let count = &mut self.counts[cell * self.classes + class];
            *count = count.saturating_add(more);
        }
    }

    /// Every square that a line runs through, once.
    pub(super) fn line(&mut self, class: usize, line: &[(f32, f32)]) {
        let mut before = None;
        for pair in line.windows(2) {
            let (a, b) = (pair[0], pair[1]);
            let (dx, dy) = (f64::from(b.0 - a.0), f64::from(b.1 - a.1));
            // Far outside a frame a line need not be followed step by step.
            let steps = (dx.abs().max(dy.abs()) / CELL * 2.0).ceil().clamp(1.0, 40_000.0);
            for step in 0..=steps as usize {
                let share = step as f64 / steps;
                let cell = self.cell(f64::from(a.0) + dx * share, f64::from(a.1) + dy * share);
                if cell != before
                    && let Some(cell) = cell
                {
                    let count = &mut self.counts[cell * self.classes + class];
                    *count = count.saturating_add(1);
                }
                before = cell;
            }
        }
    }

    /// The shaded squares, row by row: each in the class that most of its features are of.
    pub(super) fn runs(&self) -> Vec<Run> {
        let mut runs: Vec<Run> = Vec::new();
        for row in 0..self.down {
            let mut last = None;
            for column in 0..self.across {
                let from = (row * self.across + column) * self.classes;
                let counts = &self.counts[from..from + self.classes];
                let all: u32 = counts.iter().fold(0, |all, count| all.saturating_add(*count));
                if all == 0 {
                    last = None;
                    continue;
                }
                // The first of several that are as many.
                let class = (0..self.classes).rev().max_by_key(|class| counts[*class]).unwrap_or(0);
                let shade = STEPS.partition_point(|least| *least <= all) - 1;
                match runs.last_mut().filter(|_| last == Some((class, shade))) {
                    Some(run) => run.width += CELL,
                    None => runs.push(Run {
                        class,
                        shade,
                        at: (
                            self.frame[0] + column as f64 * CELL,
                            self.frame[1] + row as f64 * CELL,
                        ),
                        width: CELL,
                    }),
                }
                last = Some((class, shade));
            }
        }
        runs
    }

    /// The most features in a square.
    pub(super) fn most(&self) -> u32 {
        let of =
            |counts: &[u32]| counts.iter().fold(0, |all: u32, count| all.saturating_add(*count));
        self.counts.chunks(self.classes.max(1)).map(of).max().unwrap_or(0)
    }
}
