//! Splines as chords within a tolerance: B-splines, rational or not, of any degree.

/// A control point, times its weight, and the weight.
type Weighted = [f64; 4];

/// The most that a piece is halved.
const MOST_HALVINGS: u32 = 24;
/// The most places of one spline.
const MOST_PLACES: usize = 1_000_000;

/// A B-spline.
#[derive(Clone, Debug, Default)]
pub(super) struct Spline {
    pub(super) degree: usize,
    pub(super) knots: Vec<f64>,
    pub(super) controls: Vec<[f64; 3]>,
    /// One for each control point; none if all count the same.
    pub(super) weights: Vec<f64>,
}

impl Spline {
    fn wrong(&self) -> Option<String> {
        let Spline { degree, knots, controls, weights } = self;
        if !(1..=25).contains(degree) {
            return Some(format!("its degree is {degree}"));
        }
        if controls.len() <= *degree || knots.len() != controls.len() + degree + 1 {
            return Some(format!(
                "a spline of degree {degree} with {} control points has {} knots",
                controls.len(),
                knots.len()
            ));
        }
        if !knots.is_sorted() || !knots.iter().all(|k| k.is_finite()) {
            return Some("its knots do not ascend".to_string());
        }
        if controls.iter().flatten().any(|v| !v.is_finite()) {
            return Some("a control point has no place that can be read".to_string());
        }
        let fit = weights.is_empty() || weights.len() == controls.len();
        if !fit || !weights.iter().all(|w| w.is_finite() && *w > 0.0) {
            return Some("its weights are not all above 0, one for each control point".to_string());
        }
        None
    }

    fn control(&self, at: usize) -> Weighted {
        let [x, y, z] = self.controls[at];
        let w = self.weights.get(at).copied().unwrap_or(1.0);
        [x * w, y * w, z * w, w]
    }

    /// The control points of the Bézier curve that a spline is between two neighbouring knots: its
    /// polar form at so many times the one and the other (de Boor's recursion with one argument a
    /// level; Ramshaw 1989, "Blossoms are polar forms").
    fn piece(&self, span: usize) -> Vec<Weighted> {
        let (p, u) = (self.degree, &self.knots);
        let (from, to) = (u[span], u[span + 1]);
        let control = |ends: usize| {
            let mut d: Vec<Weighted> = (0..=p).map(|i| self.control(span - p + i)).collect();
            for level in 1..=p {
                let t = if level <= ends { to } else { from };
                for i in (level..=p).rev() {
                    let k = span - p + i;
                    let share = (t - u[k]) / (u[k + p - level + 1] - u[k]);
                    d[i] = blend(d[i - 1], d[i], share);
                }
            }
            d[p]
        };
        (0..=p).map(control).collect()
    }

    /// Its places from end to end.
    ///
    /// # Errors
    /// If what is given makes no spline.
    pub(super) fn places(&self, tolerance: f64) -> Result<Vec<[f64; 3]>, String> {
        if let Some(why) = self.wrong() {
            return Err(why);
        }
        let mut places = Vec::new();
        for span in self.degree..self.controls.len() {
            if self.knots[span] < self.knots[span + 1] {
                let piece = self.piece(span);
                if places.is_empty() {
                    places.push(place(piece[0]));
                }
                halve(piece, tolerance, MOST_HALVINGS, &mut places);
            }
        }
        match places.len() {
            0 => Err("its knots are all the same".to_string()),
            _ => Ok(places),
        }
    }
}

fn blend(a: Weighted, b: Weighted, share: f64) -> Weighted {
    [0, 1, 2, 3].map(|k| a[k] + (b[k] - a[k]) * share)
}

fn place(control: Weighted) -> [f64; 3] {
    let [x, y, z, w] = control;
    [x / w, y / w, z / w]
}

/// The distance of a place from the line between two.
fn distance(from: [f64; 3], to: [f64; 3], at: [f64; 3]) -> f64 {
    let sub = |a: [f64; 3], b: [f64; 3]| [0, 1, 2].map(|k| a[k] - b[k]);
    let dot = |a: [f64; 3], b: [f64; 3]| a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
    let (along, away) = (sub(to, from), sub(at, from));
    let length = dot(along, along);
    let share = if length > 0.0 { (dot(along, away) / length).clamp(0.0, 1.0) } else { 0.0 };
    let rest = [0, 1, 2].map(|k| away[k] - along[k] * share);
    dot(rest, rest).sqrt()
}

/// A Bézier curve lies within the hull of its control points: if these are near the chord, it is,
/// too; else its halves are tried (de Casteljau).
fn halve(piece: Vec<Weighted>, tolerance: f64, left: u32, places: &mut Vec<[f64; 3]>) {
    let (from, to) = (place(piece[0]), place(piece[piece.len() - 1]));
    let flat = piece.iter().all(|control| distance(from, to, place(*control)) <= tolerance);
    if flat || left == 0 || places.len() >= MOST_PLACES {
        places.push(to);
        return;
    }
    let mut rest = piece;
    let (mut first, mut second) = (Vec::new(), Vec::new());
    while let (Some(front), Some(back)) = (rest.first(), rest.last()) {
        first.push(*front);
        second.push(*back);
        rest = rest.windows(2).map(|pair| blend(pair[0], pair[1], 0.5)).collect();
    }
    second.reverse();
    halve(first, tolerance, left - 1, places);
    halve(second, tolerance, left - 1, places);
}
