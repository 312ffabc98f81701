//! Trigonometry in degrees, exact at the quarter turns.

/// Sine and cosine of an angle in degrees. The argument is first reduced exactly to within
/// 45° of a multiple of 90°, so multiples of 90° give exact zeros and ones.
pub(crate) fn sin_cos(degrees: f64) -> (f64, f64) {
    let quarter = (degrees / 90.0).round();
    let (sin, cos) = (degrees - 90.0 * quarter).to_radians().sin_cos();
    match (quarter as i64).rem_euclid(4) {
        0 => (sin, cos),
        1 => (cos, -sin),
        2 => (-sin, -cos),
        _ => (-cos, sin),
    }
}

/// The angle in degrees of the direction (`x`, `y`), −180 to 180, exact on the axes and
/// most accurate near them.
pub(crate) fn atan2(y: f64, x: f64) -> f64 {
    let steep = y.abs() > x.abs();
    let (small, large) = if steep { (x, y) } else { (y, x) };
    let angle = (small.abs()).atan2(large.abs()).to_degrees();
    let angle = if steep { 90.0 - angle } else { angle };
    let angle = if x.is_sign_negative() { 180.0 - angle } else { angle };
    angle.copysign(y)
}

/// `to − from` reduced to −180 … 180, with the rounding error of the difference as the
/// second part (Knuth 1969, the exact two-sum).
pub(crate) fn difference(from: f64, to: f64) -> (f64, f64) {
    let (to, from) = (to % 360.0, from % 360.0);
    let delta = to - from;
    let back = delta - to;
    let error = (to - (delta - back)) - (from + back);
    let wrapped = wrap(delta);
    (wrapped, error)
}

/// The angle reduced to −180 … 180 by whole turns; exact.
pub(crate) fn wrap(degrees: f64) -> f64 {
    if degrees.abs() <= 180.0 {
        return degrees;
    }
    let rest = degrees % 360.0;
    if rest > 180.0 {
        rest - 360.0
    } else if rest < -180.0 {
        rest + 360.0
    } else {
        rest
    }
}
