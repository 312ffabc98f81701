//! The grid of the map's own system: lines at round values, labelled along the frame.

use super::canvas::{Anchor, Canvas, Px};
use super::figures::{grouped, round_step};
use super::ground::within;
use super::palette::hex;
use super::view::View;
use velvet_peg_core::angle::{Axis, Style, format as angle_text};

/// Steps of a graticule in seconds of arc.
const ARC_STEPS: [f64; 20] = [
    0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0, 120.0, 300.0, 600.0, 900.0, 1800.0,
    3600.0, 7200.0, 18000.0, 36000.0, 108_000.0,
];

/// The smallest round step of degrees not below `least`.
pub(super) fn arc_step(least: f64) -> f64 {
    ARC_STEPS.iter().map(|seconds| seconds / 3600.0).find(|step| *step >= least).unwrap_or(45.0)
}

/// Degrees as they are written beside lines that are a step apart.
pub(super) fn degrees_text(value: f64, step: f64, axis: Axis) -> String {
    let value = if axis == Axis::Longitude { within(value, 0.0) } else { value };
    let seconds = step * 3600.0;
    if seconds > 3599.9 {
        let whole = value.abs().round();
        let letter = match axis {
            _ if whole == 0.0 || (axis == Axis::Longitude && whole == 180.0) => "",
            Axis::Longitude if value < 0.0 => "W",
            Axis::Longitude => "E",
            _ if value < 0.0 => "S",
            _ => "N",
        };
        return format!("{whole}°{letter}");
    }
    let (style, decimals) = match seconds {
        seconds if seconds > 59.9 => (Style::Minutes, 0),
        seconds if seconds > 0.99 => (Style::Seconds, 0),
        _ => (Style::Seconds, 1),
    };
    angle_text(value, axis, style, decimals)
}

/// Draws the lines and their labels.
pub(super) fn grid(canvas: &mut Canvas, view: &View) {
    // Degrees in a unit, of geographic systems.
    let degrees = view.ground.as_ref().and_then(|ground| ground.degrees);
    let shown = view.shown;
    let [left, top, right, bottom] = view.frame;
    // Labels along x need about 110 pixels, along y 60.
    let step = |scale: f64, room: f64| match degrees {
        Some(degrees) => arc_step(room / scale * degrees) / degrees,
        None => round_step(room / scale),
    };
    let (step_x, step_y) = (step(view.scale.0, 120.0), step(view.scale.1, 80.0));
    let label = |value: f64, step: f64, axis: Axis| match degrees {
        Some(degrees) => degrees_text(value * degrees, step * degrees, axis),
        None => {
            let decimals = if step >= 1.0 { 0 } else { (-step.log10()).ceil() as usize };
            grouped(value, decimals)
        }
    };
    let color = hex(canvas.paper.grid);
    let text = canvas.paper.faint;
    let mut lines = Vec::new();
    for x in multiples(shown.west, shown.east, step_x) {
        let at = view.pixel(x, shown.south).0;
        lines.push(((at, top), (at, bottom)));
        canvas.text_in(
            (at, bottom + 17.0),
            11.0,
            Anchor::Middle,
            text,
            &label(x, step_x, Axis::Longitude),
        );
    }
    for y in multiples(shown.south, shown.north, step_y) {
        if degrees.is_some_and(|degrees| (y * degrees).abs() > 90.0) {
            continue;
        }
        let at = view.pixel(shown.west, y).1;
        lines.push(((left, at), (right, at)));
        let written = label(y, step_y, Axis::Latitude);
        canvas.upright((left - 10.0, at), 11.0, text, &written);
    }
    canvas.put(format_args!("<g stroke=\"{color}\" stroke-width=\"0.7\">"));
    for (from, to) in lines {
        canvas.put(format_args!(
            "<line x1=\"{}\" y1=\"{}\" x2=\"{}\" y2=\"{}\"/>",
            Px(from.0),
            Px(from.1),
            Px(to.0),
            Px(to.1)
        ));
    }
    canvas.put(format_args!("</g>"));
}

/// Names of the axes, where the labels are of the map's own system.
pub(super) fn axis_names(canvas: &mut Canvas, view: &View) {
    let [left, top, right, bottom] = view.frame;
    let unit = view.crs.as_ref().and_then(|crs| crs.length_unit()).map(|unit| unit.symbol());
    let degrees = view.ground.as_ref().and_then(|ground| ground.degrees);
    let runs = |direction: &str| {
        view.crs.as_ref().is_some_and(|crs| {
            crs.axes().iter().any(|axis| axis.direction.eq_ignore_ascii_case(direction))
        })
    };
    let names = match (degrees.is_some(), unit) {
        (true, _) => ("longitude".to_string(), "latitude".to_string()),
        (false, Some(unit)) => (
            format!("{}, {unit}", if runs("west") { "westing" } else { "easting" }),
            format!("{}, {unit}", if runs("south") { "southing" } else { "northing" }),
        ),
        (false, None) => ("x".to_string(), "y".to_string()),
    };
    canvas.text(((left + right) / 2.0, bottom + 33.0), 11.5, Anchor::Middle, &names.0);
    let ink = canvas.paper.ink;
    let at = (left - 30.0, (top + bottom) / 2.0);
    canvas.upright(at, 11.5, ink, &names.1);
}

/// Multiples of a step between two values, at most 200.
pub(super) fn multiples(low: f64, high: f64, step: f64) -> Vec<f64> {
    let (first, last) = ((low / step).ceil() as i64, (high / step).floor() as i64);
    (first..=last.min(first.saturating_add(200))).map(|n| n as f64 * step).collect()
}
