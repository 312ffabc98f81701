//! Elementary functions of any [`Number`], as polynomials: the same bits for one as for several at a
//! time, within a unit or two of the last place. Exponentials of more than 40, and
//! logarithms of more than 65,001, are those of Rust's standard library.
//!
//! The coefficients of sine, cosine, arc tangent, logarithm and exponential are the minimax ones of the
//! freely distributable mathematical library of Sun Microsystems (k_sin.c, k_cos.c, s_atan.c, e_log.c,
//! e_exp.c): "Copyright (C) 1993 by Sun Microsystems, Inc. All rights reserved. Developed at SunSoft, a
//! Sun Microsystems, Inc. business. Permission to use, copy, modify, and distribute this software is
//! freely granted, provided that this notice is preserved."

use super::number::Number;
use std::f64::consts::FRAC_2_PI;

/// Radians of a degree.
pub(crate) const RADIAN: f64 = std::f64::consts::PI / 180.0;

/// Degrees of a radian.
pub(crate) const DEGREE: f64 = 180.0 / std::f64::consts::PI;

const SIN: [f64; 6] = [
    -1.666_666_666_666_663_243_48e-1,
    8.333_333_333_322_489_461_24e-3,
    -1.984_126_982_985_794_931_34e-4,
    2.755_731_370_707_006_767_89e-6,
    -2.505_076_025_340_686_341_95e-8,
    1.589_690_995_211_550_102_21e-10,
];

const COS: [f64; 6] = [
    4.166_666_666_666_660_190_37e-2,
    -1.388_888_888_887_410_957_49e-3,
    2.480_158_728_947_672_941_78e-5,
    -2.755_731_435_139_066_330_35e-7,
    2.087_572_321_298_174_827_90e-9,
    -1.135_964_755_778_819_482_65e-11,
];

const ATAN: [f64; 11] = [
    3.333_333_333_333_293_180_27e-1,
    -1.999_999_999_987_648_324_76e-1,
    1.428_571_427_250_346_637_11e-1,
    -1.111_111_040_546_235_578_80e-1,
    9.090_887_133_436_506_561_96e-2,
    -7.691_876_205_044_829_994_95e-2,
    6.661_073_137_387_531_206_69e-2,
    -5.833_570_133_790_573_486_45e-2,
    4.976_877_994_615_932_360_17e-2,
    -3.653_157_274_421_691_552_70e-2,
    1.628_582_011_536_578_236_23e-2,
];

const LOG: [f64; 7] = [
    6.666_666_666_666_735_130e-1,
    3.999_999_999_940_941_908e-1,
    2.857_142_874_366_239_149e-1,
    2.222_219_843_214_978_396e-1,
    1.818_357_216_161_805_012e-1,
    1.531_383_769_920_937_332e-1,
    1.479_819_860_511_658_591e-1,
];

const EXP: [f64; 5] = [
    1.666_666_666_666_660_190_37e-1,
    -2.777_777_777_701_559_338_42e-3,
    6.613_756_321_437_934_361_17e-5,
    -1.653_390_220_546_525_153_90e-6,
    4.138_136_797_057_238_460_39e-8,
];

/// π/2 in two parts, of which the first has few digits.
const QUARTER: (f64, f64) = (1.570_796_326_734_125_614_17, 6.077_100_506_506_192_249_32e-11);

/// Largest argument of [`atanh_small`]: (√2 − 1)².
pub(crate) const SMALL_ATANH: f64 = 0.171_57;

/// Σ c_k x^k.
#[inline(always)]
pub(crate) fn polynomial<N: Number, const ORDER: usize>(x: N, c: &[f64; ORDER]) -> N {
    let mut sum = x.like(c[ORDER - 1]);
    for at in (0..ORDER - 1).rev() {
        sum = sum * x + c[at];
    }
    sum
}

/// Sine and cosine of up to π/4.
#[inline(always)]
pub(crate) fn sin_cos_small<N: Number>(x: N) -> (N, N) {
    let z = x * x;
    let sin = x + x * z * polynomial(z, &SIN);
    let half = z * 0.5;
    let most = -half + 1.0;
    let cos = most + ((-most + 1.0 - half) + z * z * polynomial(z, &COS));
    (sin, cos)
}

/// Sine and cosine of degrees, exact at the quarter turns; for magnitudes up to some turns.
#[inline(always)]
pub(crate) fn sin_cos_degrees<N: Number>(degrees: N) -> (N, N) {
    let quarters = (degrees * (1.0 / 90.0)).round();
    let (sin, cos) = sin_cos_small((degrees - quarters * 90.0) * RADIAN);
    turned(quarters, sin, cos)
}

/// Sine and cosine of radians; for magnitudes up to some turns.
#[inline(always)]
pub(crate) fn sin_cos<N: Number>(x: N) -> (N, N) {
    let quarters = (x * FRAC_2_PI).round();
    let (sin, cos) = sin_cos_small((x - quarters * QUARTER.0) - quarters * QUARTER.1);
    turned(quarters, sin, cos)
}

/// Sine and cosine after so many quarter turns more.
#[inline(always)]
fn turned<N: Number>(quarters: N, sin: N, cos: N) -> (N, N) {
    // −2 to 2
    let quarters = quarters - (quarters * 0.25).round() * 4.0;
    let is_odd = (quarters.abs() - 1.0).abs().less(sin.like(0.5));
    let (a, b) = (N::select(is_odd, cos, sin), N::select(is_odd, sin, cos));
    let one = sin.like(1.0);
    let half_turn = N::select(sin.like(1.5).less(quarters.abs()), -one, one);
    let of_sin = N::select(quarters.less(sin.like(-0.5)), -one, half_turn);
    let of_cos = N::select(sin.like(0.5).less(quarters), -one, half_turn);
    let zero = sin.like(0.0);
    (a.negate_if(of_sin.less(zero)), b.negate_if(of_cos.less(zero)))
}

/// Angle of the direction (`x`, |`y`|) of an `x` that is not negative, by eighths of a turn: none, one or two
/// of them in a unit of the caller, and what is left in radians.
#[inline(always)]
fn eighths<N: Number>(y: N, x: N, eighth: f64) -> (N, N) {
    let a = y.abs();
    let steep = (x * 2.414_213_562_373_095).less(a);
    let middle = (x * 0.414_213_562_373_095_03).less(a);
    let over = N::select(steep, -x, N::select(middle, a - x, a));
    let under = N::select(steep, a, N::select(middle, a + x, x));
    let base = N::select(middle, x.like(eighth), x.like(0.0));
    let base = N::select(steep, x.like(2.0 * eighth), base);
    let t = over / under;
    let z = t * t;
    (base, t - t * z * polynomial(z, &ATAN))
}

/// The magnitude of `x`, or 1 for no direction, whose angle is nothing.
#[inline(always)]
fn forward_part<N: Number>(y: N, x: N) -> N {
    let is_none = (x.abs() + y.abs()).less(x.like(f64::MIN_POSITIVE));
    N::select(is_none, x.like(1.0), x.abs())
}

/// Angle of the direction (`x`, `y`), degrees, exact on the axes, of an `x` that is not negative.
#[inline(always)]
pub(crate) fn atan2_forward_degrees<N: Number>(y: N, x: N) -> N {
    let (base, rest) = eighths(y, x, 45.0);
    (base + rest * DEGREE).copysign(y)
}

/// Angle of the direction (`x`, `y`), −180° to 180°, exact on the axes.
#[inline(always)]
pub(crate) fn atan2_degrees<N: Number>(y: N, x: N) -> N {
    let forward = atan2_forward_degrees(y.abs(), forward_part(y, x));
    let backward = x.less(x.like(0.0));
    N::select(backward, -forward + 180.0, forward).copysign(y)
}

/// Inverse hyperbolic tangent of up to [`SMALL_ATANH`].
#[inline(always)]
pub(crate) fn atanh_small<N: Number>(x: N) -> N {
    let z = x * x;
    x + x * z * (polynomial(z, &LOG) * 0.5)
}

/// e^x − 1 of up to ½ ln 2.
#[inline(always)]
pub(crate) fn exp_m1_small<N: Number>(x: N) -> N {
    let z = x * x;
    let c = x - z * polynomial(z, &EXP);
    x + x * c / (-c + 2.0)
}

/// Largest x of e^x that is put together here.
const MOST_EXP: f64 = 40.0;

/// ln 2 in two parts, of which the first has few digits.
const LN_2: (f64, f64) = (6.931_471_803_691_238_164_90e-1, 1.908_214_929_270_587_700_02e-10);

/// Where all are up to a limit, the value found; of each beyond it what `far` makes of it: one of
/// several that is beyond changes nothing for the others.
#[inline(always)]
fn or_each_beyond<N: Number>(x: N, limit: f64, near: N, far: fn(f64) -> f64) -> N {
    match x.within(limit) {
        true => near,
        false => N::select(x.like(limit).less(x.abs()), x.each(far), near),
    }
}

/// A power of two, and by how much e^x over it is more than 1.
#[inline(always)]
fn power_and_rest<N: Number>(x: N) -> (N, N) {
    let halvings = (x * std::f64::consts::LOG2_E).round();
    let rest = (x - halvings * LN_2.0) - halvings * LN_2.1;
    (power_of_two(halvings), exp_m1_small(rest))
}

/// e^x.
#[inline(always)]
pub(crate) fn exp<N: Number>(x: N) -> N {
    let (power, more) = power_and_rest(x);
    or_each_beyond(x, MOST_EXP, (more + 1.0) * power, f64::exp)
}

/// e^x − 1, to its own last digits.
#[inline(always)]
pub(crate) fn exp_m1<N: Number>(x: N) -> N {
    let (power, more) = power_and_rest(x);
    or_each_beyond(x, MOST_EXP, (power - 1.0) + power * more, f64::exp_m1)
}

/// 2^n of a whole number of up to 63.
#[inline(always)]
fn power_of_two<N: Number>(n: N) -> N {
    const LARGE: [(f64, f64); 3] = [(32.0, 4_294_967_296.0), (16.0, 65_536.0), (8.0, 256.0)];
    const SMALL: [(f64, f64); 3] = [(4.0, 16.0), (2.0, 4.0), (1.0, 2.0)];
    let mut left = (n.abs(), n.like(1.0));
    if !left.0.within(7.5) {
        left = powers(left, LARGE);
    }
    let power = powers(left, SMALL).1;
    let is_negative = n.less(n.like(0.0));
    N::select(is_negative, power.reciprocal(), power)
}

/// What is left of a whole number without those that it holds, and the product times their powers of two.
#[inline(always)]
fn powers<N: Number>((mut left, mut power): (N, N), of: [(f64, f64); 3]) -> (N, N) {
    let (zero, one) = (left.like(0.0), left.like(1.0));
    for (count, power_of) in of {
        let is_held = one.like(count - 0.5).less(left);
        left = left - N::select(is_held, one.like(count), zero);
        power = power * N::select(is_held, one.like(power_of), one);
    }
    (left, power)
}

/// Largest t of ln (1 + t) that is taken here.
const MOST_LN: f64 = 65_000.0;

/// ln (1 + t) of a number that is not negative, to its own last digits.
#[inline(always)]
pub(crate) fn ln_1p<N: Number>(t: N) -> N {
    const STEPS: [(f64, f64); 4] = [(256.0, 8.0), (16.0, 4.0), (4.0, 2.0), (2.0, 1.0)];
    let (one, zero) = (t.like(1.0), t.like(0.0));
    let whole = t + 1.0;
    let (mut m, mut doublings) = (whole, zero);
    for (power, count) in STEPS {
        // √½ of the power and more.
        let is_more = one.like(power * 0.707_106_781_186_547_5).less(m);
        m = m * N::select(is_more, one.like(1.0 / power), one);
        doublings = doublings + N::select(is_more, one.like(count), zero);
    }
    let is_small = doublings.less(one.like(0.5));
    let rise = N::select(is_small, t, m - 1.0);
    let s = atanh_small(rise / (rise + 2.0)) * 2.0;
    let near = N::select(is_small, s, s + doublings * LN_2.1 + doublings * LN_2.0);
    or_each_beyond(t, MOST_LN, near, f64::ln_1p)
}

/// Inverse hyperbolic sine.
#[inline(always)]
pub(crate) fn asinh<N: Number>(x: N) -> N {
    let a = x.abs();
    let square = a * a;
    ln_1p(a + square / ((square + 1.0).sqrt() + 1.0)).copysign(x)
}

/// Inverse hyperbolic tangent of less than 1.
#[inline(always)]
pub(crate) fn atanh<N: Number>(x: N) -> N {
    let a = x.abs();
    (ln_1p(a * 2.0 / (-a + 1.0)) * 0.5).copysign(x)
}

/// Hyperbolic sine and cosine.
#[inline(always)]
pub(crate) fn sinh_cosh<N: Number>(x: N) -> (N, N) {
    let a = x.abs();
    let large = exp(a);
    let small = large.reciprocal();
    let cosh = (large + small) * 0.5;
    // Of small numbers the two differ by little.
    let limit = x.like(0.34);
    let is_small = a.less(limit);
    let more = exp_m1_small(N::select(is_small, a, limit));
    let near = (more + more / (more + 1.0)) * 0.5;
    (N::select(is_small, near, (large - small) * 0.5).copysign(x), cosh)
}

/// Angle of the direction (`x`, `y`), radians, −π to π.
#[inline(always)]
pub(crate) fn atan2<N: Number>(y: N, x: N) -> N {
    let (base, rest) = eighths(y, forward_part(y, x), std::f64::consts::FRAC_PI_4);
    let forward = base + rest;
    let is_behind = x.less(x.like(0.0));
    N::select(is_behind, -forward + std::f64::consts::PI, forward).copysign(y)
}

/// The number, or the limit that it is beyond.
#[inline(always)]
pub(crate) fn clamp<N: Number>(x: N, least: f64, most: f64) -> N {
    let (least, most) = (x.like(least), x.like(most));
    N::select(x.less(least), least, N::select(most.less(x), most, x))
}

/// Arc sine in degrees of up to 1.
#[inline(always)]
pub(crate) fn asin_degrees<N: Number>(x: N) -> N {
    atan2_degrees(x, ((-x + 1.0) * (x + 1.0)).sqrt())
}

/// An angle of up to 900° brought within half a turn by whole turns; exact.
#[inline(always)]
pub(crate) fn wrap<N: Number>(degrees: N) -> N {
    if degrees.within(180.0) {
        return degrees;
    }
    let mut wrapped = degrees;
    for _ in 0..2 {
        let above = degrees.like(180.0).less(wrapped);
        let below = wrapped.less(degrees.like(-180.0));
        wrapped = N::select(above, wrapped - 360.0, N::select(below, wrapped + 360.0, wrapped));
    }
    wrapped
}
