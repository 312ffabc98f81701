//! Bars of round lengths on the ground, in metres and in feet or miles.

use super::canvas::{Anchor, Canvas, Px};
use super::figures::{grouped, round_below};
use super::lettering::lines;
use super::palette::hex;
use super::view::View;
use velvet_peg_core::LengthUnit;

/// Pixels that a bar takes at most.
const LONGEST: f64 = 170.0;
/// Height of both bars together.
pub(super) const HEIGHT: f64 = 88.0;
const MILE_M: f64 = 1609.344;

/// Draws both bars above a line; what differs over the map is told below them.
pub(super) fn draw(canvas: &mut Canvas, view: &View, left: f64, bottom: f64) {
    let Some(metres) = view.metres_per_pixel() else { return };
    let unit = view.crs.as_ref().and_then(|crs| crs.length_unit());
    let foot = unit.filter(|unit| unit.name().contains("foot"));
    let foot = foot.unwrap_or(LengthUnit::FOOT);
    let (symbol, foot_m) = (foot.symbol(), foot.metres());
    // A bar of less than a mile is in feet.
    let (symbol, length_m) = match LONGEST * metres >= MILE_M {
        true => ("mi", MILE_M),
        false => (symbol, foot_m),
    };
    bar(canvas, left, bottom - 62.0, metres / length_m, symbol);
    match LONGEST * metres >= 1000.0 {
        true => bar(canvas, left, bottom - 26.0, metres / 1000.0, "km"),
        false => bar(canvas, left, bottom - 26.0, metres, "m"),
    }
    let color = canvas.paper.faint;
    let mut y = bottom - 5.0;
    for line in lines(&varies(view, metres), 10.0, LONGEST) {
        canvas.text_in((left, y), 10.0, Anchor::Start, color, &line);
        y += 12.0;
    }
}

/// How much the scale differs over the map.
fn varies(view: &View, metres: f64) -> String {
    let [left, top, right, bottom] = view.frame;
    let share = |step: u32| 0.03 + 0.94 * f64::from(step) / 6.0;
    let places = (0..49)
        .map(|at| (left + (right - left) * share(at % 7), top + (bottom - top) * share(at / 7)));
    let most = places
        .filter_map(|at| view.metres_per_pixel_at(at))
        .map(|other| (metres / other - 1.0) * 100.0)
        .filter(|percent| percent.is_finite())
        .max_by(|a, b| a.abs().total_cmp(&b.abs()))
        .unwrap_or(0.0);
    match most.abs() {
        0.0..0.5 => "on the ground".to_string(),
        percent if percent < 100.0 => {
            format!("at the middle; elsewhere up to {}\u{a0}%", signed(most))
        }
        _ => {
            format!("at the middle; elsewhere up to {}\u{a0}times", grouped(1.0 + most / 100.0, 1))
        }
    }
}

fn signed(percent: f64) -> String {
    let sign = if percent < 0.0 { "−" } else { "+" };
    format!("{sign}{}", grouped(percent.abs(), usize::from(percent.abs() < 10.0)))
}

fn bar(canvas: &mut Canvas, left: f64, y: f64, units_per_pixel: f64, unit: &str) {
    let length = round_below(LONGEST * units_per_pixel);
    let wide = length / units_per_pixel;
    let half = wide / 2.0;
    let (ink, page) = (hex(canvas.paper.ink), hex(canvas.paper.page));
    canvas.put(format_args!(
        "<rect x=\"{}\" y=\"{}\" width=\"{half:.1}\" height=\"7\" fill=\"{ink}\"/>\
         <rect x=\"{}\" y=\"{}\" width=\"{half:.1}\" height=\"7\" fill=\"{page}\" stroke=\"{ink}\" stroke-width=\"0.8\"/>",
        Px(left),
        Px(y),
        Px(left + half),
        Px(y)
    ));
    let decimals = if length >= 1.0 { 0 } else { (-length.log10()).ceil() as usize };
    canvas.text((left, y - 5.0), 10.5, Anchor::Start, "0");
    let text = format!("{} {unit}", grouped(length, decimals));
    canvas.text((left + wide, y - 5.0), 10.5, Anchor::End, &text);
}
