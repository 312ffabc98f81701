//! On which side of a line a point lies, exactly.
//!
//! The determinant is reckoned in doubles with a bound of its rounding error; only where it is
//! smaller than that are its twelve products expanded without error (T. J. Dekker 1971, "A
//! floating-point technique for extending the available precision", for the exact product;
//! J. R. Shewchuk 1997, "Adaptive precision floating-point arithmetic and fast robust geometric
//! predicates", for the bound and for sums as expansions).

/// 2⁻⁵¹⁴: times this, the largest doubles have products that are doubles, and sums of these too.
const SMALLER: f64 = f64::from_bits((1023 - 514) << 52);

/// Twice the area of the triangle `a, b, c`: positive where `c` lies left of the line from `a`
/// to `b`, negative right of it, and exactly 0 on it; infinite where it is beyond doubles.
///
/// ```
/// use velvet_peg_core::planar::orientation;
/// assert!(orientation((0.0, 0.0), (1.0, 0.0), (0.5, 1e-300)) > 0.0);
/// assert_eq!(orientation((0.1, 0.1), (0.2, 0.2), (0.3, 0.3)), 0.0);
/// assert_eq!(orientation((0.0, 1e307), (1e307, 0.0), (-1e300, -1e307)), f64::NEG_INFINITY);
/// ```
pub fn orientation(a: (f64, f64), b: (f64, f64), c: (f64, f64)) -> f64 {
    let area = determinant(a, b, c);
    if area.is_finite() || ![a, b, c].iter().all(|(x, y)| x.is_finite() && y.is_finite()) {
        return area;
    }
    let small = |(x, y): (f64, f64)| (x * SMALLER, y * SMALLER);
    match determinant(small(a), small(b), small(c)) {
        0.0 => 0.0,
        area => f64::INFINITY.copysign(area),
    }
}

/// The same for numbers whose products are doubles.
fn determinant(a: (f64, f64), b: (f64, f64), c: (f64, f64)) -> f64 {
    let left = (a.0 - c.0) * (b.1 - c.1);
    let right = (a.1 - c.1) * (b.0 - c.0);
    let rough = left - right;
    // (3 + 16 ε) ε of the sum of both products, ε = 2⁻⁵³.
    let bound = 3.330_669_073_875_472e-16 * (left.abs() + right.abs());
    if rough.abs() > bound || !rough.is_finite() {
        return rough;
    }
    exact(a, b, c)
}

/// The same with nothing rounded but the result.
fn exact(a: (f64, f64), b: (f64, f64), c: (f64, f64)) -> f64 {
    let products = [(a.0, b.1), (-a.0, c.1), (-c.0, b.1), (-a.1, b.0), (a.1, c.0), (c.1, b.0)];
    let mut sum = Vec::with_capacity(12);
    for (p, q) in products {
        let high = p * q;
        // The error of a product is a double, and a fused operation gives it.
        let low = p.mul_add(q, -high);
        grow(&mut sum, low);
        grow(&mut sum, high);
    }
    sum.iter().sum()
}

/// Adds a number to an expansion of numbers that do not overlap, without error.
fn grow(sum: &mut Vec<f64>, number: f64) {
    let mut carried = number;
    for part in sum.iter_mut() {
        let total = carried + *part;
        let virtual_part = total - carried;
        let error = (carried - (total - virtual_part)) + (*part - virtual_part);
        *part = error;
        carried = total;
    }
    sum.push(carried);
}
