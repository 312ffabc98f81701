//! The graticule or grid: lines at round values, labelled along the frame.

use super::svg::SvgMap;
use velvet_peg_core::LengthUnit;
use velvet_peg_core::angle::{Axis, Style, format as angle_text};

/// Steps of a graticule in seconds of arc.
const ARC_STEPS: [f64; 20] = [
    0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0, 120.0, 300.0, 600.0, 900.0, 1800.0,
    3600.0, 7200.0, 18000.0, 36000.0, 108_000.0,
];

/// The smallest round number (1, 2 or 5 times a power of ten) not below `least`.
pub(super) fn round_step(least: f64) -> f64 {
    let power = 10f64.powf(least.log10().floor());
    [1.0, 2.0, 5.0, 10.0]
        .into_iter()
        .map(|factor| factor * power)
        .find(|step| *step >= least * (1.0 - 1e-9))
        .unwrap_or(10.0 * power)
}

/// Draws the lines and their labels.
pub(super) fn grid(picture: &mut SvgMap) {
    let geographic = picture.crs.as_ref().is_some_and(|crs| crs.is_geographic());
    let unit = picture.crs.as_ref().and_then(|crs| crs.length_unit()).map(|unit| unit.symbol());
    let shown = picture.shown;
    let [left, top, right, bottom] = picture.frame;
    // Labels along x need about 110 pixels, along y 60.
    let step = |scale: f64, room: f64| -> f64 {
        let least = room / scale;
        match geographic {
            true => ARC_STEPS
                .iter()
                .map(|seconds| seconds / 3600.0)
                .find(|step| *step >= least)
                .unwrap_or(45.0),
            false => round_step(least),
        }
    };
    let step_x = step(picture.scale.0, 120.0);
    let step_y = step(picture.scale.1, 80.0);
    for x in multiples(shown.west, shown.east, step_x) {
        let at = picture.pixel(x, shown.south).0;
        line(picture, (at, top), (at, bottom));
        let text = label(x, step_x, geographic, Axis::Longitude);
        picture.text((at, bottom + 18.0), 11.5, "middle", &text);
    }
    for y in multiples(shown.south, shown.north, step_y) {
        let at = picture.pixel(shown.west, y).1;
        line(picture, (left, at), (right, at));
        let text = label(y, step_y, geographic, Axis::Latitude);
        picture.put(format_args!(
            "<text transform=\"translate({:.1} {at:.1}) rotate(-90)\" font-size=\"11.5\" text-anchor=\"middle\">{text}</text>",
            left - 10.0
        ));
    }
    let names = match (geographic, unit) {
        (true, _) => ("longitude".to_string(), "latitude".to_string()),
        (false, Some(unit)) => (format!("easting, {unit}"), format!("northing, {unit}")),
        (false, None) => ("x".to_string(), "y".to_string()),
    };
    picture.text(((left + right) / 2.0, bottom + 38.0), 12.0, "middle", &names.0);
    picture.put(format_args!(
        "<text transform=\"translate({:.1} {:.1}) rotate(-90)\" font-size=\"12\" text-anchor=\"middle\">{}</text>",
        left - 34.0,
        (top + bottom) / 2.0,
        names.1
    ));
}

fn line(picture: &mut SvgMap, from: (f64, f64), to: (f64, f64)) {
    picture.put(format_args!(
        "<line x1=\"{:.1}\" y1=\"{:.1}\" x2=\"{:.1}\" y2=\"{:.1}\" stroke=\"#b8b4a8\" stroke-width=\"0.7\"/>",
        from.0, from.1, to.0, to.1
    ));
}

fn multiples(low: f64, high: f64, step: f64) -> Vec<f64> {
    let (first, last) = ((low / step).ceil() as i64, (high / step).floor() as i64);
    (first..=last.min(first + 100)).map(|n| n as f64 * step).collect()
}

fn label(value: f64, step: f64, geographic: bool, axis: Axis) -> String {
    if !geographic {
        let decimals = if step >= 1.0 { 0 } else { (-step.log10()).ceil() as usize };
        return grouped(value, decimals);
    }
    let (style, decimals) = match step * 3600.0 {
        seconds if seconds > 59.9 => (Style::Minutes, 0),
        seconds if seconds > 0.99 => (Style::Seconds, 0),
        _ => (Style::Seconds, 1),
    };
    angle_text(value, axis, style, decimals)
}

/// Digits in groups of three with thin spaces.
pub(super) fn grouped(value: f64, decimals: usize) -> String {
    let text = format!("{:.decimals$}", value.abs());
    let (whole, fraction) = text.split_once('.').unwrap_or((&text, ""));
    let mut grouped = String::new();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at) % 3 == 0 {
            grouped.push('\u{2009}');
        }
        grouped.push(digit);
    }
    let sign = if value < 0.0 { "−" } else { "" };
    match fraction {
        "" => format!("{sign}{grouped}"),
        fraction => format!("{sign}{grouped}.{fraction}"),
    }
}

/// Metres in a map unit along x at the middle of what is shown; none without a system.
pub(super) fn metres_across(picture: &SvgMap) -> Option<f64> {
    let crs = picture.crs.as_ref()?;
    let shown = picture.shown;
    if crs.is_geographic() {
        let lat = (shown.south + shown.north) / 2.0;
        let ellipsoid = crs.ellipsoid()?;
        let radius = ellipsoid.prime_vertical_radius_m(lat) * lat.to_radians().cos();
        return Some(radius.to_radians());
    }
    Some(crs.length_unit().unwrap_or(LengthUnit::METRE).metres())
}
