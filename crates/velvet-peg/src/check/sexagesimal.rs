//! Degrees and minutes taken for decimal degrees: 47°24.5′ written as 47.245, or 47°24′30″ as
//! 47.2430.

/// How angles may have been mistaken for decimal degrees.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Misread {
    /// `DD.MMm`: two digits of minutes behind the point, and their fraction.
    Minutes,
    /// `DD.MMSSs`: minutes and seconds behind the point.
    MinutesSeconds,
}

impl Misread {
    pub(super) const ALL: [Misread; 2] = [Misread::Minutes, Misread::MinutesSeconds];

    pub(super) fn text(self) -> &'static str {
        match self {
            Misread::Minutes => "degrees and minutes (DD.MMm) read as decimal degrees",
            Misread::MinutesSeconds => {
                "packed degrees, minutes and seconds (DD.MMSS) read as decimal degrees"
            }
        }
    }

    /// The angle that was meant; none if its digits cannot be minutes or seconds.
    pub(super) fn meant(self, degrees: f64) -> Option<f64> {
        let (whole, minutes, seconds) = digits(degrees)?;
        let value = match self {
            Misread::Minutes => whole + (minutes + seconds / 100.0) / 60.0,
            Misread::MinutesSeconds if seconds < 60.0 => whole + minutes / 60.0 + seconds / 3600.0,
            Misread::MinutesSeconds => return None,
        };
        (minutes < 60.0).then_some(value.copysign(degrees))
    }
}

/// Whole degrees, the next two digits, and those behind them as a number with two whole digits.
fn digits(degrees: f64) -> Option<(f64, f64, f64)> {
    // Nine decimals are more than anybody packs.
    let text = format!("{:.9}", degrees.abs());
    let (whole, fraction) = text.split_once('.')?;
    let seconds = format!("{}.{}", &fraction[2..4], &fraction[4..]);
    Some((whole.parse().ok()?, fraction[..2].parse().ok()?, seconds.parse().ok()?))
}

/// Evidence that decimals are minutes and seconds: none of the values has digits beyond 59 in
/// their places, though chance would have it. Gives the reading, and the chance that decimals
/// look so by themselves.
pub(super) fn evidence(points: &[(f64, f64)]) -> Option<(Misread, f64)> {
    let values: Vec<f64> = points.iter().flat_map(|(x, y)| [*x, *y]).collect();
    let parts: Vec<(f64, f64, f64)> = values.iter().filter_map(|value| digits(*value)).collect();
    let different = |part: fn(&(f64, f64, f64)) -> f64| {
        let mut seen: Vec<i64> = parts.iter().map(|p| part(p) as i64).collect();
        seen.sort_unstable();
        seen.dedup();
        seen
    };
    let (minutes, seconds) = (different(|p| p.1), different(|p| p.2));
    if minutes.is_empty() || minutes.iter().any(|m| *m >= 60) {
        return None;
    }
    // Each different value had six chances in ten.
    let chance = |seen: &[i64]| 0.6f64.powi(seen.len() as i32);
    if seconds.iter().all(|s| *s < 60) && chance(&seconds) < 1e-4 {
        return Some((Misread::MinutesSeconds, chance(&seconds) * chance(&minutes)));
    }
    // Minutes alone tell only where the data spreads over many of them.
    (chance(&minutes) < 1e-4).then(|| (Misread::Minutes, chance(&minutes)))
}
