//! Numbers with so many digits behind the point, as `{:.N}` writes them, without its detours: the
//! digits are those of the number itself, by whole numbers of 128 bits, and ties go to the even digit.

use std::fmt::Write;

/// Digits behind the point for which a factor fits.
const MOST: usize = 17;

/// Numbers from here on have more digits than are taken apart here.
const LARGE: u128 = 10_u128.pow(19);

/// Writes a number behind a text with so many digits behind the point.
pub(crate) fn push_fixed(text: &mut String, value: f64, decimals: usize) {
    let Some(scaled) = scaled(value, decimals) else {
        // Writing to a string does not fail.
        let _ = write!(text, "{value:.decimals$}");
        return;
    };
    let mut digits = [b'0'; 24];
    let unit = POWERS[decimals];
    let mut at = digits.len();
    if decimals > 0 {
        put(&mut digits[..at], scaled % unit);
        at -= decimals + 1;
        digits[at] = b'.';
    }
    at = put(&mut digits[..at], scaled / unit);
    if value.is_sign_negative() {
        text.push('-');
    }
    text.push_str(std::str::from_utf8(&digits[at..]).unwrap_or_default());
}

/// Puts the digits of a whole number at the end of noughts; where they begin, of 0 at the one that is last.
fn put(digits: &mut [u8], mut number: u64) -> usize {
    let mut at = digits.len();
    while number >= 100 {
        at -= 2;
        digits[at..at + 2].copy_from_slice(&PAIRS[(number % 100) as usize]);
        number /= 100;
    }
    let last = PAIRS[number as usize];
    at -= 1;
    digits[at] = last[1];
    if number >= 10 {
        at -= 1;
        digits[at] = last[0];
    }
    at
}

/// The digits of the numbers below a hundred.
const PAIRS: [[u8; 2]; 100] = {
    let mut pairs = [[0; 2]; 100];
    let mut number = 0;
    while number < 100 {
        pairs[number] = [b'0' + (number / 10) as u8, b'0' + (number % 10) as u8];
        number += 1;
    }
    pairs
};

/// Powers of ten.
const POWERS: [u64; MOST + 1] = {
    let mut powers = [1; MOST + 1];
    let mut at = 1;
    while at <= MOST {
        powers[at] = powers[at - 1] * 10;
        at += 1;
    }
    powers
};

/// The number that is read from a number written with so many digits behind the point.
pub(crate) fn as_written(value: f64, decimals: usize) -> f64 {
    let by_text = || format!("{value:.decimals$}").parse().unwrap_or(value);
    // Both are exact, so their quotient is the nearest number there is to the text.
    let exact = |scaled: &u64| *scaled <= 1 << 53;
    let Some(scaled) = scaled(value, decimals).filter(exact) else { return by_text() };
    (scaled as f64 / POWERS[decimals] as f64).copysign(value)
}

/// The size of a number times a power of ten, rounded; none where it does not fit.
fn scaled(value: f64, decimals: usize) -> Option<u64> {
    if decimals > MOST || !value.is_finite() {
        return None;
    }
    let bits = value.to_bits();
    let (field, fraction) = ((bits >> 52) & 0x7ff, bits & ((1 << 52) - 1));
    // A number is a whole one times a power of two.
    let (whole, power) = match field {
        0 => (fraction, -1074),
        _ => (fraction | 1 << 52, field as i32 - 1075),
    };
    let product = u128::from(whole) * u128::from(POWERS[decimals]);
    let rounded = match power {
        0.. => product.checked_mul(1_u128.checked_shl(power as u32).filter(|_| power < 64)?)?,
        -126..=-1 => {
            let (down, rest) = (product >> -power, product & ((1 << -power) - 1));
            let half = 1_u128 << (-power - 1);
            down + u128::from(rest > half || (rest == half && down % 2 == 1))
        }
        // Less than half of the last digit: the product has fewer than 110 bits.
        _ => 0,
    };
    u64::try_from(rounded).ok().filter(|_| rounded < LARGE)
}
