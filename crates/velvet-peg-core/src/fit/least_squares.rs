//! Least squares by Householder's reflections (Golub and Van Loan 1996, algorithm 5.3.2).

/// What least squares give.
pub(super) struct Solved {
    /// The unknowns of each right side.
    pub(super) unknowns: Vec<Vec<f64>>,
    /// How much each row determines itself: the diagonal of the hat matrix.
    pub(super) leverages: Vec<f64>,
    /// Variances of the unknowns for one of a right side: the diagonal of the inverse normal matrix.
    pub(super) cofactors: Vec<f64>,
}

impl Solved {
    /// Solves `rows` · unknowns = side for each side; none if the columns depend on each other to
    /// `least` of the longest.
    pub(super) fn of(rows: &[Vec<f64>], sides: &[Vec<f64>], least: f64) -> Option<Solved> {
        let (height, width) = (rows.len(), rows.first()?.len());
        let mut columns: Vec<Vec<f64>> =
            (0..width).map(|column| rows.iter().map(|row| row[column]).collect()).collect();
        let mut sides: Vec<Vec<f64>> = sides.to_vec();
        let norm = |values: &[f64]| values.iter().map(|v| v * v).sum::<f64>().sqrt();
        let longest = columns.iter().map(|column| norm(column)).fold(0.0f64, f64::max);
        let mut reflections = Vec::new();
        for column in 0..width {
            let mut vector = columns[column][column..].to_vec();
            let length = norm(&vector);
            if length <= least * longest {
                return None;
            }
            vector[0] += if vector[0] < 0.0 { -length } else { length };
            let square: f64 = vector.iter().map(|v| v * v).sum();
            for other in &mut columns[column..] {
                reflect(&vector, square, &mut other[column..]);
            }
            for side in &mut sides {
                reflect(&vector, square, &mut side[column..]);
            }
            reflections.push((vector, square));
        }
        let unknowns = sides.iter().map(|side| back(&columns, |row| side[row])).collect();
        // Rows of Q's first columns: reflect unit vectors backward.
        let mut leverages = vec![0.0; height];
        for column in 0..width {
            let mut unit = vec![0.0; height];
            unit[column] = 1.0;
            for (at, (vector, square)) in reflections.iter().enumerate().rev() {
                reflect(vector, *square, &mut unit[at..]);
            }
            for (leverage, value) in leverages.iter_mut().zip(unit) {
                *leverage += value * value;
            }
        }
        // Rows of the inverse triangle, squared and added.
        let mut cofactors = vec![0.0; width];
        for column in 0..width {
            let solved = back(&columns, |row| if row == column { 1.0 } else { 0.0 });
            for (cofactor, value) in cofactors.iter_mut().zip(solved) {
                *cofactor += value * value;
            }
        }
        Some(Solved { unknowns, leverages, cofactors })
    }
}

fn reflect(vector: &[f64], square: f64, values: &mut [f64]) {
    let dot: f64 = vector.iter().zip(values.iter()).map(|(v, value)| v * value).sum();
    for (v, value) in vector.iter().zip(values) {
        *value -= 2.0 * dot / square * v;
    }
}

/// The unknowns of a triangle of equations, given by its columns.
fn back(columns: &[Vec<f64>], side: impl Fn(usize) -> f64) -> Vec<f64> {
    let width = columns.len();
    let mut unknowns = vec![0.0; width];
    for row in (0..width).rev() {
        let known: f64 = (row + 1..width).map(|at| columns[at][row] * unknowns[at]).sum();
        unknowns[row] = (side(row) - known) / columns[row][row];
    }
    unknowns
}
