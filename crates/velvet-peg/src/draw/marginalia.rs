//! What stands round the map: title, legend, scale bar, north arrow and the line below.

use super::svg::SvgMap;
use super::ticks::{grouped, metres_across, round_step};
use super::{COLOURS, DrawOptions};
use crate::layer::{GeometryKind, Layer};
use velvet_peg_core::{Geographic, LengthUnit};

pub(super) fn all(picture: &mut SvgMap, layers: &[Layer], options: &DrawOptions) {
    title(picture, layers, options);
    let below = legend(picture, layers, options);
    north_arrow(picture, below + 40.0);
    scale_bar(picture);
    caption(picture);
}

fn title(picture: &mut SvgMap, layers: &[Layer], options: &DrawOptions) {
    let names: Vec<&str> = layers.iter().map(|layer| options.title_of(layer)).collect();
    let text = options.title.clone().unwrap_or_else(|| names.join(", "));
    let at = picture.frame[0];
    picture.put(format_args!(
        "<text x=\"{at}\" y=\"36\" font-size=\"20\" font-weight=\"bold\">{}</text>",
        crate::format_support::markup::escaped(&text)
    ));
}

/// Writes the legend and gives the height of its lower edge.
fn legend(picture: &mut SvgMap, layers: &[Layer], options: &DrawOptions) -> f64 {
    let left = picture.frame[2] + 22.0;
    let mut y = picture.frame[1] + 14.0;
    picture.put(format_args!(
        "<text x=\"{left}\" y=\"{y}\" font-size=\"13\" font-weight=\"bold\">Legend</text>"
    ));
    for (at, layer) in layers.iter().enumerate() {
        y += 27.0;
        let (line, fill) = COLOURS[at % COLOURS.len()];
        let middle = y - 4.0;
        match layer.info().kind.map(GeometryKind::single) {
            Some(GeometryKind::Point) => picture.put(format_args!(
                "<circle cx=\"{}\" cy=\"{middle}\" r=\"4\" fill=\"{fill}\" stroke=\"{line}\" stroke-width=\"1.6\"/>",
                left + 12.0
            )),
            Some(GeometryKind::LineString) => picture.put(format_args!(
                "<path d=\"M{left} {middle}h24\" fill=\"none\" stroke=\"{line}\" stroke-width=\"2.2\"/>"
            )),
            _ => picture.put(format_args!(
                "<rect x=\"{left}\" y=\"{}\" width=\"24\" height=\"14\" fill=\"{fill}\" fill-opacity=\"0.75\" stroke=\"{line}\" stroke-width=\"1.2\"/>",
                middle - 7.0
            )),
        }
        // Some 22 characters fit beside the picture's edge.
        let name = options.title_of(layer);
        let shown: String = match name.chars().count() {
            0..=22 => name.to_string(),
            _ => name.chars().take(21).chain(['…']).collect(),
        };
        picture.text((left + 34.0, y), 12.5, "start", &shown);
        y += 15.0;
        let kind = layer.info().kind.map_or("feature", |kind| kind.single().name());
        let plural = if layer.len() == 1 { "" } else { "s" };
        picture.text((left + 34.0, y), 10.5, "start", &format!("{} {kind}{plural}", layer.len()));
    }
    y
}

/// Points to true north, which leans from grid north by the convergence.
fn north_arrow(picture: &mut SvgMap, top: f64) {
    let x = picture.frame[2] + 50.0;
    let convergence = convergence(picture);
    let lean = -convergence.unwrap_or(0.0);
    picture.put(format_args!(
        "<g transform=\"translate({x} {:.1}) rotate({lean:.3})\">\
         <path d=\"M0 -32 L9 12 L0 5 L-9 12 Z\" fill=\"#222\"/>\
         <path d=\"M0 -32 L0 5 L-9 12 Z\" fill=\"#fff\" stroke=\"#222\" stroke-width=\"0.8\"/>\
         <text x=\"0\" y=\"-38\" font-size=\"14\" font-weight=\"bold\" text-anchor=\"middle\">N</text></g>",
        top + 50.0
    ));
    let note = match (&picture.crs, convergence) {
        (None, _) => "up the y axis",
        (Some(crs), _) if crs.is_geographic() => "true north",
        (Some(_), Some(_)) => "true north at the middle",
        (Some(_), None) => "grid north",
    };
    picture.text((x + 20.0, top + 44.0), 10.5, "start", note);
    if let Some(convergence) = convergence {
        let text = velvet_peg_core::angle::format(
            convergence,
            velvet_peg_core::angle::Axis::Free,
            velvet_peg_core::angle::Style::Minutes,
            1,
        );
        picture.text((x + 20.0, top + 58.0), 10.5, "start", &format!("convergence {text}"));
    }
}

/// Convergence at the middle of the map of a projected system, degrees.
fn convergence(picture: &SvgMap) -> Option<f64> {
    let crs = picture.crs.as_ref()?;
    if !crs.is_projected() {
        return None;
    }
    let home = crs.in_degrees()?;
    let shown = picture.shown;
    let middle = velvet_peg_core::Coordinate::xy(
        (shown.west + shown.east) / 2.0,
        (shown.south + shown.north) / 2.0,
    );
    let at = velvet_peg_core::Converter::new(crs, &home).ok()?.convert(middle).ok()?;
    let factors = crs.projection().ok()?.factors(Geographic { lat: at.y, lon: at.x }).ok()?;
    Some(factors.convergence_deg)
}

/// A bar of a round length in metres or kilometres, and in the system's feet where it has
/// feet.
fn scale_bar(picture: &mut SvgMap) {
    let Some(metres) = metres_across(picture) else {
        return;
    };
    let metres_per_pixel = metres / picture.scale.0;
    let left = picture.frame[2] + 22.0;
    let bottom = picture.frame[3];
    let feet = picture
        .crs
        .as_ref()
        .and_then(|crs| crs.length_unit())
        .filter(|unit| unit.code() != LengthUnit::METRE.code());
    bar(picture, left, bottom - 14.0, metres_per_pixel, "m", "km", 1000.0);
    if let Some(unit) = feet {
        let per_pixel = metres_per_pixel / unit.metres();
        bar(picture, left, bottom - 58.0, per_pixel, unit.symbol(), unit.symbol(), f64::INFINITY);
    }
}

fn bar(
    picture: &mut SvgMap,
    left: f64,
    y: f64,
    units_per_pixel: f64,
    small: &str,
    large: &str,
    switch: f64,
) {
    // At most 170 pixels; the next smaller round number of units.
    let most = 170.0 * units_per_pixel;
    let length = match round_step(most) {
        step if step <= most => step,
        step => {
            let power = 10f64.powf(step.log10().floor());
            let lead = (step / power).round() as i64;
            match lead {
                1 => power / 2.0,
                2 => power,
                _ => power * 2.0,
            }
        }
    };
    let wide = length / units_per_pixel;
    let half = wide / 2.0;
    picture.put(format_args!(
        "<rect x=\"{left}\" y=\"{y:.1}\" width=\"{half:.1}\" height=\"7\" fill=\"#222\"/>\
         <rect x=\"{:.1}\" y=\"{y:.1}\" width=\"{half:.1}\" height=\"7\" fill=\"#fff\" stroke=\"#222\" stroke-width=\"0.8\"/>",
        left + half
    ));
    let (divided, unit) = if length >= switch { (length / switch, large) } else { (length, small) };
    let decimals = if divided >= 1.0 { 0 } else { 2 };
    picture.text((left, y - 5.0), 10.5, "start", "0");
    picture.text(
        (left + wide, y - 5.0),
        10.5,
        "end",
        &format!("{} {unit}", grouped(divided, decimals)),
    );
}

fn caption(picture: &mut SvgMap) {
    let text = match &picture.crs {
        Some(crs) if crs.is_geographic() => {
            format!("{}, degrees drawn true to scale at the middle latitude", crs.label())
        }
        Some(crs) => format!("{}, in {}", crs.label(), crs.unit_plural()),
        None => "No reference system: bare numbers".to_string(),
    };
    let at = (picture.frame[0], picture.height - 8.0);
    picture.text(at, 11.0, "start", &text);
}
