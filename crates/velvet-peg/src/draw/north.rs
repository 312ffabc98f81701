//! The arrow to true north, which leans from the grid's own by the convergence.

use super::canvas::{Anchor, Canvas, Px};
use super::palette::hex;
use super::view::View;
use velvet_peg_core::angle::{Axis, Style, format as angle_text};
use velvet_peg_core::{Converter, Coordinate, Geographic};

/// Draws the arrow around a point, with what it points to below.
pub(super) fn draw(canvas: &mut Canvas, view: &View, (x, y): (f64, f64)) {
    let lean = lean(view);
    let (ink, page) = (hex(canvas.paper.ink), hex(canvas.paper.page));
    canvas.put(format_args!(
        "<g transform=\"translate({} {}) rotate({:.3})\">\
         <path d=\"M0 -30 L8 12 L0 6 L-8 12 Z\" fill=\"{ink}\"/>\
         <path d=\"M0 -30 L0 6 L-8 12 Z\" fill=\"{page}\" stroke=\"{ink}\" stroke-width=\"0.8\"/>\
         <text x=\"0\" y=\"-34\" font-size=\"13\" font-weight=\"bold\" text-anchor=\"middle\">N</text></g>",
        Px(x),
        Px(y),
        lean.unwrap_or(0.0)
    ));
    let projected = view.crs.as_ref().is_some_and(|crs| crs.is_projected());
    let mut notes = vec![match (&view.crs, lean) {
        (None, _) => "up the y axis".to_string(),
        (Some(_), Some(_)) if projected => "true north at".to_string(),
        (Some(_), Some(_)) => "true north".to_string(),
        (Some(_), None) => "grid north".to_string(),
    }];
    if let Some(convergence) =
        lean.filter(|_| projected).map(|lean| convergence(view).unwrap_or(-lean))
    {
        let text = angle_text(convergence, Axis::Free, Style::Minutes, 1).replace('-', "−");
        notes.push("the middle;".to_string());
        notes.push("convergence".to_string());
        notes.push(text);
    }
    let color = canvas.paper.faint;
    for (line, note) in notes.iter().enumerate() {
        canvas.text_in((x, y + 28.0 + 12.5 * line as f64), 10.0, Anchor::Middle, color, note);
    }
}

/// The convergence in words, where a system has one.
pub(super) fn text(view: &View) -> Option<String> {
    view.crs.as_ref().filter(|crs| crs.is_projected())?;
    let convergence = convergence(view).or_else(|| lean(view).map(|lean| -lean))?;
    let angle = angle_text(convergence, Axis::Free, Style::Minutes, 1).replace('-', "−");
    Some(format!("convergence at the middle {angle}"))
}

/// Degrees by which true north leans clockwise from the upper edge at the middle of the frame.
fn lean(view: &View) -> Option<f64> {
    let at = view.place_at(view.centre())?;
    let metres = view.metres_per_pixel()?;
    let step = (metres * 20.0 / 111_200.0).min(0.5);
    let pixel = |lat: f64| view.pixel_of(Geographic { lat: lat.clamp(-90.0, 90.0), ..at });
    let (south, north) = (pixel(at.lat - step)?, pixel(at.lat + step)?);
    Some((north.0 - south.0).atan2(south.1 - north.1).to_degrees())
}

/// Convergence at the middle of the map of a projected system, degrees.
fn convergence(view: &View) -> Option<f64> {
    let crs = view.crs.as_ref()?;
    let home = crs.in_degrees()?;
    let (x, y) = view.middle();
    let at = Converter::new(crs, &home).ok()?.convert(Coordinate::xy(x, y)).ok()?;
    let factors = crs.projection().ok()?.factors(Geographic { lat: at.y, lon: at.x }).ok()?;
    Some(factors.convergence_deg)
}
