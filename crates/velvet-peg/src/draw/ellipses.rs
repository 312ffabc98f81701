//! Circles on the ground as a system draws them (Tissot, 1881), and how lengths differ over a map.

use super::canvas::{Canvas, path};
use super::figures::{grouped, round_below};
use super::palette::hex;
use super::view::View;
use velvet_peg_core::Geographic;

/// Circles across the frame.
const ACROSS: u32 = 6;
/// Radius in pixels of a circle that the middle of the map does not distort.
const RADIUS: f64 = 26.0;
const CORNERS: u32 = 48;

/// Pixels east and north of a metre on the ground at a pixel.
fn axes(view: &View, pixel: (f64, f64)) -> Option<[(f64, f64); 2]> {
    let at = view.place_at(pixel)?;
    let ground = view.ground.as_ref()?;
    if at.lat.abs() > 89.0 {
        return None;
    }
    let step = 0.01;
    let from = view.pixel_of(at)?;
    let along = |to: Geographic| {
        let end = view.pixel_of(to)?;
        let metres = ground.metres(at, to);
        Some(((end.0 - from.0) / metres, (end.1 - from.1) / metres))
    };
    Some([
        along(Geographic { lon: at.lon + step, ..at })?,
        along(Geographic { lat: at.lat + step, ..at })?,
    ])
}

fn pixels(view: &View) -> Vec<(f64, f64)> {
    let [left, top, right, bottom] = view.frame;
    let side = (right - left) / f64::from(ACROSS);
    let down = ((bottom - top) / side).floor().max(1.0) as u32;
    let high = (bottom - top) / f64::from(down);
    (0..down)
        .flat_map(|row| (0..ACROSS).map(move |column| (column, row)))
        .map(|(column, row)| {
            (left + side * (f64::from(column) + 0.5), top + high * (f64::from(row) + 0.5))
        })
        .collect()
}

/// Radius of the circles in metres: a round number.
pub(super) fn radius(view: &View) -> Option<f64> {
    let pixels = RADIUS.min((view.frame[2] - view.frame[0]) / 15.0);
    Some(round_below(view.metres_per_pixel()? * pixels))
}

/// Draws the circles.
pub(super) fn draw(canvas: &mut Canvas, view: &View) {
    let Some(metres) = radius(view) else { return };
    let color = hex(canvas.paper.zone);
    let mut rings = String::new();
    for pixel in pixels(view) {
        let Some([east, north]) = axes(view, pixel) else { continue };
        let corners = (0..CORNERS).map(|corner| {
            let turn = f64::from(corner) / f64::from(CORNERS) * std::f64::consts::TAU;
            let (sin, cos) = turn.sin_cos();
            (
                pixel.0 + metres * (east.0 * cos + north.0 * sin),
                pixel.1 + metres * (east.1 * cos + north.1 * sin),
            )
        });
        rings.push_str(&path(corners, true));
    }
    let id = canvas.id("ellipses");
    canvas.put(format_args!(
        "<g {} {}><path d=\"{rings}\" fill=\"{color}\" fill-opacity=\"0.12\" stroke=\"{color}\" stroke-width=\"1\"/></g>",
        id,
        view.clip()
    ));
}

/// The smallest and the largest scale factor in the frame of a projected system.
pub(super) fn scale_factors(view: &View) -> Option<(f64, f64)> {
    let crs = view.crs.as_ref().filter(|crs| crs.is_projected())?;
    let unit = crs.length_unit()?.metres();
    let mut limits: Option<(f64, f64)> = None;
    for pixel in pixels(view) {
        let Some([east, north]) = axes(view, pixel) else { continue };
        // Half axes of the ellipse: singular values of the matrix of both.
        let square = |a: (f64, f64), b: (f64, f64)| a.0 * b.0 + a.1 * b.1;
        let (e, f, g) = (square(east, east), square(east, north), square(north, north));
        let root = ((e - g).powi(2) + 4.0 * f * f).sqrt();
        let half = |square: f64| (square.max(0.0) / 2.0).sqrt() / view.scale.0 * unit;
        let (small, large) = (half(e + g - root), half(e + g + root));
        let (low, high) = limits.unwrap_or((small, large));
        limits = Some((low.min(small), high.max(large)));
    }
    limits
}

/// The scale factors in words.
pub(super) fn factors_text(view: &View) -> Option<String> {
    let (low, high) = scale_factors(view)?;
    let decimals = match high - low {
        differ if differ > 0.1 => 2,
        differ if differ > 0.001 => 4,
        _ => 6,
    };
    let (low, high) = (grouped(low, decimals), grouped(high, decimals));
    Some(match low == high {
        true => format!("scale factor {low}"),
        false => format!("scale factor {low} to {high}"),
    })
}
