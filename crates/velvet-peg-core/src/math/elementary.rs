//! Elementary functions in the forms that the inner loops want.
//!
//! The standard library's `hypot` and `asinh` guard against overflow at every call, which
//! costs more than the rest of a projection; arguments here never come near it, and the rare
//! tiny ones are caught.

/// √(x² + y²) of arguments far from overflow.
pub(crate) fn norm(x: f64, y: f64) -> f64 {
    let square = x * x + y * y;
    if square > 1e-280 { square.sqrt() } else { x.hypot(y) }
}

/// Sine and cosine scaled to the unit circle; (0, 0) gives the direction of cosine.
pub(crate) fn unit(sin: f64, cos: f64) -> (f64, f64) {
    let norm = norm(sin, cos);
    if norm == 0.0 {
        return (0.0, 1.0);
    }
    let scale = 1.0 / norm;
    (sin * scale, cos * scale)
}

/// Inverse hyperbolic sine, without cancellation for small arguments.
pub(crate) fn asinh(x: f64) -> f64 {
    let a = x.abs();
    let square = a * a;
    (a + square / (1.0 + (1.0 + square).sqrt())).ln_1p().copysign(x)
}
