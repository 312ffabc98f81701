//! Similarity between two geocentric frames: three, seven, ten or fourteen parameters.
//!
//! Sources: EPSG methods 9603, 1031, 1035 (geocentric translations), 9606, 1033, 1037
//! (position vector), 9607, 1032, 1038 (coordinate frame), 9636, 1034, 1039, 1063, 1061, 1062
//! (Molodensky-Badekas), 1053 to 1058 (time-dependent), 1065, 1066 (time-specific), 1132, 1133,
//! 1140 (full matrix). Except in the last three the matrix is the linear one that the methods
//! define: (1 + dS) times identity plus small rotations. Backwards the system of equations is
//! solved, not the signs changed, so there and back closes to rounding.

use crate::error::{Error, Result};
use crate::math::number::Number;
use crate::projection::Parameters;

/// Sense of the rotation angles.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Rotations {
    None,
    PositionVector,
    CoordinateFrame,
    /// Coordinate frame, by a true rotation matrix.
    FullMatrix,
}

/// Whether the method is defined for positions without a height.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Domain {
    /// Height in is 0, height out is dropped.
    Geographic2D,
    /// Heights take part.
    Spatial,
}

/// What time has to do with a method.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Timing {
    /// Nothing.
    Static,
    /// Parameters change at stated rates: the epoch of the coordinates is needed.
    Dependent,
    /// Parameters hold for coordinates of one epoch.
    Specific,
}

#[derive(Clone, Debug)]
pub(crate) struct Similarity {
    translation: [f64; 3],
    matrix: [[f64; 3]; 3],
    inverse: [[f64; 3]; 3],
    pub(crate) domain: Domain,
}

struct Form {
    rotations: Rotations,
    domain: Domain,
    pivot: bool,
    timing: Timing,
}

fn form(method: u32) -> Option<Form> {
    use Domain::{Geographic2D, Spatial};
    use Rotations::{CoordinateFrame, FullMatrix, PositionVector};
    let of = |rotations, domain| Form { rotations, domain, pivot: false, timing: Timing::Static };
    Some(match method {
        9603 => of(Rotations::None, Geographic2D),
        1031 | 1035 => of(Rotations::None, Spatial),
        9606 => of(PositionVector, Geographic2D),
        1033 | 1037 => of(PositionVector, Spatial),
        9607 => of(CoordinateFrame, Geographic2D),
        1032 | 1038 => of(CoordinateFrame, Spatial),
        9636 => Form { pivot: true, ..of(CoordinateFrame, Geographic2D) },
        1034 | 1039 => Form { pivot: true, ..of(CoordinateFrame, Spatial) },
        1063 => Form { pivot: true, ..of(PositionVector, Geographic2D) },
        1061 | 1062 => Form { pivot: true, ..of(PositionVector, Spatial) },
        1053 | 1055 => Form { timing: Timing::Dependent, ..of(PositionVector, Spatial) },
        1054 => Form { timing: Timing::Dependent, ..of(PositionVector, Geographic2D) },
        1056 | 1058 => Form { timing: Timing::Dependent, ..of(CoordinateFrame, Spatial) },
        1057 => Form { timing: Timing::Dependent, ..of(CoordinateFrame, Geographic2D) },
        1065 => Form { timing: Timing::Specific, ..of(PositionVector, Spatial) },
        1066 => Form { timing: Timing::Specific, ..of(CoordinateFrame, Spatial) },
        1133 => of(FullMatrix, Geographic2D),
        1132 | 1140 => of(FullMatrix, Spatial),
        _ => return None,
    })
}

/// EPSG codes of the parameters; those of the other two axes, and the rates, follow in order.
const X_AXIS_TRANSLATION: u32 = 8605;
const X_AXIS_ROTATION: u32 = 8608;
const SCALE_DIFFERENCE: u32 = 8611;

/// Datums differ by parts per million: three withdrawn rows have these entered as unity.
const MOST_SCALE_DIFFERENCE: f64 = 1e-2;

const RATE_OF_X_AXIS_TRANSLATION: u32 = 1040;
const PARAMETER_REFERENCE_EPOCH: u32 = 1047;

/// What time has to do with a method of this family.
pub(crate) fn timing(method: u32) -> Option<Timing> {
    form(method).map(|form| form.timing)
}

impl Similarity {
    /// None if the method is not one of this family. The epoch (decimal years) is that of the
    /// coordinates; time-dependent methods without one hold at their reference epoch.
    pub(crate) fn new(
        method: u32,
        parameters: &Parameters,
        epoch: Option<f64>,
    ) -> Option<Result<Similarity>> {
        form(method).map(|form| Similarity::build(&form, parameters, epoch))
    }

    fn build(form: &Form, parameters: &Parameters, epoch: Option<f64>) -> Result<Similarity> {
        let years = match (form.timing, epoch) {
            (Timing::Dependent, Some(epoch)) => {
                epoch - parameters.rate(PARAMETER_REFERENCE_EPOCH)?
            }
            _ => 0.0,
        };
        // The rates follow the order of the parameters: 1040 to 1046.
        let at_epoch = |code: u32, value: f64| -> Result<f64> {
            if form.timing != Timing::Dependent {
                return Ok(value);
            }
            Ok(value
                + years
                    * parameters.rate(code - X_AXIS_TRANSLATION + RATE_OF_X_AXIS_TRANSLATION)?)
        };
        let metres = |code| -> Result<f64> { at_epoch(code, parameters.metres(code)?) };
        let mut translation = [
            metres(X_AXIS_TRANSLATION)?,
            metres(X_AXIS_TRANSLATION + 1)?,
            metres(X_AXIS_TRANSLATION + 2)?,
        ];
        let matrix = match form.rotations {
            Rotations::None => [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]],
            rotations => {
                let sign = if rotations == Rotations::PositionVector { 1.0 } else { -1.0 };
                let angle = |code| -> Result<f64> {
                    Ok(sign * at_epoch(code, parameters.degrees(code)?)?.to_radians())
                };
                let (rx, ry, rz) = (
                    angle(X_AXIS_ROTATION)?,
                    angle(X_AXIS_ROTATION + 1)?,
                    angle(X_AXIS_ROTATION + 2)?,
                );
                let scale = parameters.ratio(SCALE_DIFFERENCE)?;
                if scale.abs() > MOST_SCALE_DIFFERENCE {
                    return Err(Error::malformed(format!(
                        "a scale difference in the right unit: {scale} is none between two datums"
                    )));
                }
                let m = 1.0 + at_epoch(SCALE_DIFFERENCE, scale)?;
                match rotations {
                    Rotations::FullMatrix => {
                        turn(-rx, -ry, -rz).map(|row| row.map(|value| m * value))
                    }
                    _ => [[m, -m * rz, m * ry], [m * rz, m, -m * rx], [-m * ry, m * rx, m]],
                }
            }
        };
        if form.pivot {
            // M (X − P) + P + T = M X + T + (I − M) P, the bracket formed first.
            let pivot =
                [parameters.metres(8617)?, parameters.metres(8618)?, parameters.metres(8667)?];
            let rest: [[f64; 3]; 3] = std::array::from_fn(|i| {
                std::array::from_fn(|j| f64::from(u8::from(i == j)) - matrix[i][j])
            });
            let moved = multiply(&rest, pivot);
            translation = std::array::from_fn(|i| translation[i] + moved[i]);
        }
        Ok(Similarity { translation, inverse: invert(&matrix), matrix, domain: form.domain })
    }

    pub(crate) fn is_null(&self) -> bool {
        self.translation == [0.0; 3]
            && self.matrix == [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    }

    #[inline(always)]
    pub(crate) fn apply<N: Number>(&self, p: [N; 3]) -> [N; 3] {
        let [x, y, z] = multiply(&self.matrix, p);
        let [dx, dy, dz] = self.translation;
        [x + dx, y + dy, z + dz]
    }

    #[inline(always)]
    pub(crate) fn apply_inverse<N: Number>(&self, [x, y, z]: [N; 3]) -> [N; 3] {
        let [dx, dy, dz] = self.translation;
        multiply(&self.inverse, [x - dx, y - dy, z - dz])
    }
}

/// Rz Ry Rx of the coordinate frame convention.
fn turn(rx: f64, ry: f64, rz: f64) -> [[f64; 3]; 3] {
    let ((sx, cx), (sy, cy), (sz, cz)) = (rx.sin_cos(), ry.sin_cos(), rz.sin_cos());
    [
        [cy * cz, cx * sz + sx * sy * cz, sx * sz - cx * sy * cz],
        [-cy * sz, cx * cz - sx * sy * sz, sx * cz + cx * sy * sz],
        [sy, -sx * cy, cx * cy],
    ]
}

#[inline(always)]
fn multiply<N: Number>(m: &[[f64; 3]; 3], [x, y, z]: [N; 3]) -> [N; 3] {
    // No closures: these are not always inlined.
    let [a, b, c] = m;
    [x * a[0] + y * a[1] + z * a[2], x * b[0] + y * b[1] + z * b[2], x * c[0] + y * c[1] + z * c[2]]
}

/// Inverse by cofactors; the matrices here are within a hundredth of the identity.
fn invert(m: &[[f64; 3]; 3]) -> [[f64; 3]; 3] {
    let cofactor = |i: usize, j: usize| {
        let (r1, r2, c1, c2) = ((i + 1) % 3, (i + 2) % 3, (j + 1) % 3, (j + 2) % 3);
        m[r1][c1] * m[r2][c2] - m[r1][c2] * m[r2][c1]
    };
    let determinant: f64 = (0..3).map(|j| m[0][j] * cofactor(0, j)).sum();
    std::array::from_fn(|i| std::array::from_fn(|j| cofactor(j, i) / determinant))
}
