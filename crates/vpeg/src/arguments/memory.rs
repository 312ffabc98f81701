//! An amount of memory, as it is typed.

use std::num::NonZeroU64;

/// Units of memory and their bytes; those of the SI, and powers of two.
const UNITS: [(&str, f64); 4] =
    [("GB", 1e9), ("MB", 1e6), ("GiB", 1_073_741_824.0), ("MiB", 1_048_576.0)];

/// Bytes of an amount such as `8GB` or `1.5 GiB`.
pub(crate) fn memory(text: &str) -> Result<NonZeroU64, String> {
    let text = text.trim();
    let unit = UNITS.iter().find_map(|(name, unit)| {
        let number = text.len().checked_sub(name.len()).filter(|at| text.is_char_boundary(*at))?;
        let (number, last) = text.split_at(number);
        last.eq_ignore_ascii_case(name).then_some((number, unit))
    });
    unit.and_then(|(number, unit)| Some(number.trim().parse::<f64>().ok()? * unit))
        .filter(|bytes| bytes.is_finite())
        .and_then(|bytes| NonZeroU64::new(bytes as u64))
        .ok_or_else(|| "it is a number with GB or MB, such as 8GB".to_string())
}

/// An amount that has room for so many bytes, to be typed: half more, as the rest of an input is not all that like
/// its beginning, and the need is reckoned again with each part.
pub(crate) fn memory_for(bytes: u64) -> String {
    let wanted = bytes as f64 * 1.5;
    match wanted {
        wanted if wanted > 1e9 => format!("{:.0}GB", (wanted / 1e9).ceil()),
        wanted => format!("{:.0}MB", (wanted / 1e6).ceil()),
    }
}
