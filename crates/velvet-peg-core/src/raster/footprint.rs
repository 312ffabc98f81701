//! How much of each pixel a quadrilateral covers (clipping by half planes: Sutherland and Hodgman 1974).

/// A convex polygon of few corners.
#[derive(Clone, Copy)]
struct Polygon {
    corners: [(f64, f64); 8],
    count: usize,
}

impl Polygon {
    /// What lies where `side` is not negative; `side` is linear.
    fn clipped(&self, side: impl Fn((f64, f64)) -> f64) -> Polygon {
        let mut kept = Polygon { corners: [(0.0, 0.0); 8], count: 0 };
        for at in 0..self.count {
            let (from, to) = (self.corners[at], self.corners[(at + 1) % self.count]);
            let (before, after) = (side(from), side(to));
            if before >= 0.0 {
                kept.add(from);
            }
            if (before > 0.0 && after < 0.0) || (before < 0.0 && after > 0.0) {
                let part = before / (before - after);
                kept.add((from.0 + part * (to.0 - from.0), from.1 + part * (to.1 - from.1)));
            }
        }
        kept
    }

    fn add(&mut self, corner: (f64, f64)) {
        // Four sides cut off a quadrilateral leave eight corners at most.
        if self.count < self.corners.len() {
            self.corners[self.count] = corner;
            self.count += 1;
        }
    }

    fn area(&self) -> f64 {
        let mut twice = 0.0;
        for at in 1..self.count.saturating_sub(1) {
            let (o, a, b) = (self.corners[0], self.corners[at], self.corners[at + 1]);
            twice += (a.0 - o.0) * (b.1 - o.1) - (a.1 - o.1) * (b.0 - o.0);
        }
        (twice / 2.0).abs()
    }

    fn reach(&self, pick: fn(&(f64, f64)) -> f64) -> (f64, f64) {
        self.corners[..self.count]
            .iter()
            .map(pick)
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| {
                (low.min(value), high.max(value))
            })
    }
}

/// Calls `add` with column, row and the covered part (0 to 1) of each pixel that a convex
/// quadrilateral covers some of; gives its area in pixels.
pub(super) fn covered(quad: [(f64, f64); 4], mut add: impl FnMut(i64, i64, f64)) -> f64 {
    let mut corners = [(0.0, 0.0); 8];
    corners[..4].copy_from_slice(&quad);
    let whole = Polygon { corners, count: 4 };
    let (top, bottom) = whole.reach(|at| at.1);
    for row in top.floor() as i64..bottom.ceil() as i64 {
        let from = row as f64;
        let band = whole.clipped(|at| at.1 - from).clipped(|at| from + 1.0 - at.1);
        if band.count < 3 {
            continue;
        }
        let (left, right) = band.reach(|at| at.0);
        for column in left.floor() as i64..right.ceil() as i64 {
            let from = column as f64;
            let part = band.clipped(|at| at.0 - from).clipped(|at| from + 1.0 - at.0);
            let area = part.area();
            if area > 0.0 {
                add(column, row, area);
            }
        }
    }
    whole.area()
}
