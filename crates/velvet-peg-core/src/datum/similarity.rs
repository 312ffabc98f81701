//! Similarity between two geocentric frames: three or seven parameters.
//!
//! Sources: EPSG methods 9603, 1031, 1035 (geocentric translations), 9606, 1033, 1037
//! (position vector), 9607, 1032, 1038 (coordinate frame). The matrix is the linear one that
//! the methods define: (1 + dS) times identity plus small rotations. Backwards the system
//! of equations is solved, not the signs changed, so there and back closes to rounding.

use crate::error::Result;
use crate::projection::Parameters;

/// Sense of the rotation angles.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Rotations {
    None,
    PositionVector,
    CoordinateFrame,
}

/// Whether the method is defined for positions without a height.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Domain {
    /// Height in is 0, height out is dropped.
    Geographic2D,
    /// Heights take part.
    Spatial,
}

#[derive(Clone, Debug)]
pub(crate) struct Similarity {
    translation: [f64; 3],
    matrix: [[f64; 3]; 3],
    inverse: [[f64; 3]; 3],
    pub(crate) domain: Domain,
}

impl Similarity {
    /// None if the method is not one of this family.
    pub(crate) fn new(method: u32, parameters: &Parameters) -> Option<Result<Similarity>> {
        use Domain::{Geographic2D, Spatial};
        use Rotations::{CoordinateFrame, None, PositionVector};
        let (rotations, domain) = match method {
            9603 => (None, Geographic2D),
            1031 | 1035 => (None, Spatial),
            9606 => (PositionVector, Geographic2D),
            1033 | 1037 => (PositionVector, Spatial),
            9607 => (CoordinateFrame, Geographic2D),
            1032 | 1038 => (CoordinateFrame, Spatial),
            _ => return Option::None,
        };
        Some(Similarity::build(rotations, domain, parameters))
    }

    fn build(rotations: Rotations, domain: Domain, parameters: &Parameters) -> Result<Similarity> {
        let translation =
            [parameters.metres(8605)?, parameters.metres(8606)?, parameters.metres(8607)?];
        let matrix = if rotations == Rotations::None {
            [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
        } else {
            let sign = if rotations == Rotations::PositionVector { 1.0 } else { -1.0 };
            let angle = |code| -> Result<f64> { Ok(sign * parameters.degrees(code)?.to_radians()) };
            let (rx, ry, rz) = (angle(8608)?, angle(8609)?, angle(8610)?);
            let m = 1.0 + parameters.ratio(8611)?;
            [[m, -m * rz, m * ry], [m * rz, m, -m * rx], [-m * ry, m * rx, m]]
        };
        Ok(Similarity { translation, inverse: invert(&matrix), matrix, domain })
    }

    pub(crate) fn is_null(&self) -> bool {
        self.translation == [0.0; 3]
            && self.matrix == [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    }

    pub(crate) fn apply(&self, p: [f64; 3]) -> [f64; 3] {
        let turned = multiply(&self.matrix, p);
        std::array::from_fn(|i| turned[i] + self.translation[i])
    }

    pub(crate) fn apply_inverse(&self, p: [f64; 3]) -> [f64; 3] {
        multiply(&self.inverse, std::array::from_fn(|i| p[i] - self.translation[i]))
    }
}

fn multiply(m: &[[f64; 3]; 3], p: [f64; 3]) -> [f64; 3] {
    m.map(|row| row[0] * p[0] + row[1] * p[1] + row[2] * p[2])
}

/// Inverse by cofactors; the matrices here are within a thousandth of the identity.
fn invert(m: &[[f64; 3]; 3]) -> [[f64; 3]; 3] {
    let cofactor = |i: usize, j: usize| {
        let (r1, r2, c1, c2) = ((i + 1) % 3, (i + 2) % 3, (j + 1) % 3, (j + 2) % 3);
        m[r1][c1] * m[r2][c2] - m[r1][c2] * m[r2][c1]
    };
    let determinant: f64 = (0..3).map(|j| m[0][j] * cofactor(0, j)).sum();
    std::array::from_fn(|i| std::array::from_fn(|j| cofactor(j, i) / determinant))
}
