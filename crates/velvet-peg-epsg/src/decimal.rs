//! Exact decimal numbers, as the dataset's tables print them.
//!
//! Angles packed as `DDD.MMSSsss` can only be unpacked from the decimal text: a binary
//! fraction of 44.3 unpacks to 44° 29′ 99.99″. Keeping the digits also keeps the promise
//! that parameter values are not altered.

/// A decimal number `mantissa × 10^exponent`, exactly as printed in the dataset.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Decimal {
    /// All significant digits, with the sign of the whole.
    pub mantissa: i64,
    /// Power of ten that the mantissa is multiplied by.
    pub exponent: i8,
}

impl Decimal {
    /// Zero.
    pub const ZERO: Decimal = Decimal { mantissa: 0, exponent: 0 };

    /// The nearest double: correctly rounded, because a mantissa below 2^53 and a power of
    /// ten up to 10^22 are both exact and one division rounds once. Larger ones take the
    /// standard library's decimal parser.
    pub fn to_f64(self) -> f64 {
        let power = usize::from(self.exponent.unsigned_abs());
        if self.mantissa.unsigned_abs() < (1 << 53) && power < POWERS.len() {
            let mantissa = self.mantissa as f64;
            return match self.exponent < 0 {
                true => mantissa / POWERS[power],
                false => mantissa * POWERS[power],
            };
        }
        format!("{}e{}", self.mantissa, self.exponent).parse().unwrap_or(f64::NAN)
    }

    /// Degrees from the packed sexagesimal form `DDD.MMSSsss` (EPSG unit 9110), unpacked
    /// digit by digit. Minutes or seconds of 60 or more occur in a few deprecated rows and
    /// are carried as they stand.
    ///
    /// ```
    /// use velvet_peg_epsg::Decimal;
    /// let packed = Decimal { mantissa: 443, exponent: -1 }; // 44.3 is 44° 30′
    /// assert_eq!(packed.packed_degrees(), 44.5);
    /// ```
    pub fn packed_degrees(self) -> f64 {
        let negative = self.mantissa < 0;
        let (digits, places) = match self.exponent < 0 {
            true => (self.mantissa.unsigned_abs() as u128, u32::from(self.exponent.unsigned_abs())),
            false => (self.mantissa.unsigned_abs() as u128 * 10u128.pow(self.exponent as u32), 0),
        };
        // Seconds and their fraction start behind the fourth decimal.
        let places_used = places.max(4);
        let digits = digits * 10u128.pow(places_used - places);
        let unit = 10u128.pow(places_used);
        let (degrees, rest) = (digits / unit, digits % unit);
        let minute_unit = unit / 100;
        let (minutes, rest) = (rest / minute_unit, rest % minute_unit);
        // One division from exact integers: seconds_scaled / (3600 * second_unit).
        let second_unit = unit / 10_000;
        let numerator = (degrees * 3600 + minutes * 60) * second_unit + rest;
        let value = numerator as f64 / (3600.0 * second_unit as f64);
        if negative { -value } else { value }
    }
}

const POWERS: [f64; 23] = [
    1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16,
    1e17, 1e18, 1e19, 1e20, 1e21, 1e22,
];
