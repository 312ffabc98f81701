//! Numbers as a map writes them.

/// The smallest round number (1, 2 or 5 times a power of ten) not below `least`.
pub(super) fn round_step(least: f64) -> f64 {
    let power = 10f64.powf(least.log10().floor());
    [1.0, 2.0, 5.0, 10.0]
        .into_iter()
        .map(|factor| factor * power)
        .find(|step| *step >= least * (1.0 - 1e-9))
        .unwrap_or(10.0 * power)
}

/// The largest such number not above `most`.
pub(super) fn round_below(most: f64) -> f64 {
    let power = 10f64.powf(most.log10().floor());
    [5.0, 2.0, 1.0]
        .into_iter()
        .map(|factor| factor * power)
        .find(|step| *step <= most * (1.0 + 1e-9))
        .unwrap_or(power)
}

/// Digits in groups of three with thin spaces.
pub(crate) fn grouped(value: f64, decimals: usize) -> String {
    let text = format!("{:.decimals$}", value.abs());
    let (whole, fraction) = text.split_once('.').unwrap_or((&text, ""));
    let mut grouped = String::new();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at) % 3 == 0 {
            grouped.push('\u{2009}');
        }
        grouped.push(digit);
    }
    let nought = text.chars().all(|c| matches!(c, '0' | '.'));
    let sign = if value < 0.0 && !nought { "−" } else { "" };
    match fraction {
        "" => format!("{sign}{grouped}"),
        fraction => format!("{sign}{grouped}.{fraction}"),
    }
}

/// A number rounded so that it can be told from others a step away, with its decimals.
pub(super) fn readable(value: f64, step: f64) -> (f64, usize) {
    if step <= 0.0 || !step.is_finite() {
        return (value, 3);
    }
    let decimals = (1.0 - step.log10().floor()).clamp(0.0, 9.0) as usize;
    let power = 10f64.powi(decimals as i32);
    ((value * power).round() / power, decimals)
}
