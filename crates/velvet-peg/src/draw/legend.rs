//! What the marks of a map mean, in a column beside the frame.

use super::canvas::{Anchor, Canvas, Px};
use super::density::{CELL, STEPS};
use super::figures::{grouped, round_below};
use super::ink::Ink;
use super::lettering::{cut, lines};
use super::marks::{Look, shade_of};
use super::palette::hex;
use super::raster_ink::RasterInk;
use crate::layer::GeometryKind;
use crate::raster::Shown;

/// A layer in the legend.
pub(super) struct Entry<'a> {
    pub(super) title: &'a str,
    /// What is shown of a raster.
    pub(super) raster: Option<&'a RasterInk>,
    pub(super) kind: Option<GeometryKind>,
    pub(super) look: &'a Look,
    pub(super) ink: &'a Ink,
    /// Features that are on the map.
    pub(super) count: u64,
    /// Features of each class.
    pub(super) classes: Vec<u64>,
}

/// Where the legend stands and how far it may go.
#[derive(Clone, Copy, Debug)]
pub(super) struct Column {
    pub(super) left: f64,
    pub(super) width: f64,
    pub(super) bottom: f64,
}

const INDENT: f64 = 34.0;

/// Writes the legend from a height downwards; gives the height of its lower edge.
pub(super) fn draw(
    canvas: &mut Canvas,
    entries: &[Entry<'_>],
    column: Column,
    top: f64,
    metres_per_pixel: Option<f64>,
    size: Option<(&str, f64)>,
) -> f64 {
    let mut y = top + 12.0;
    canvas.bold((column.left, y), 13.0, "Legend");
    y += 10.0;
    for (at, entry) in entries.iter().enumerate() {
        if y + 34.0 > column.bottom {
            let rest = entries.len() - at;
            let more = format!("… and {rest} more layer{}", if rest == 1 { "" } else { "s" });
            canvas.text((column.left, y + 12.0), 10.5, Anchor::Start, &more);
            return y + 14.0;
        }
        if let Some(ink) = entry.raster {
            y = raster(canvas, entry.title, ink, column, y);
            continue;
        }
        y = layer(canvas, entry, column, y);
        y = classes(canvas, entry, column, y);
        y = shades(canvas, entry, column, y, metres_per_pixel);
    }
    if let Some((name, largest)) = size.filter(|_| y + 70.0 < column.bottom) {
        y = sizes(canvas, column, y, name, largest);
    }
    y
}

fn layer(canvas: &mut Canvas, entry: &Entry<'_>, column: Column, y: f64) -> f64 {
    let base = y + 15.0;
    if entry.look.classing.is_none() && entry.ink.density.is_none() {
        symbol(canvas, entry, 0, column.left, base - 4.0);
    }
    let plain = entry.look.classing.is_some() || entry.ink.density.is_some();
    let indent = if plain { 0.0 } else { INDENT };
    let title = cut(entry.title, 12.5, column.width - indent);
    canvas.text((column.left + indent, base), 12.5, Anchor::Start, &title);
    let kind = entry.kind.map_or("feature", GeometryKind::name);
    let plural = if entry.count == 1 { "" } else { "s" };
    let counted = format!("{} {kind}{plural}", grouped(entry.count as f64, 0));
    let color = canvas.paper.faint;
    canvas.text_in((column.left + indent, base + 14.0), 10.5, Anchor::Start, color, &counted);
    base + 20.0
}

/// A raster: its title, and what the colours of its numbers mean.
fn raster(canvas: &mut Canvas, title: &str, ink: &RasterInk, column: Column, y: f64) -> f64 {
    let base = y + 15.0;
    canvas.text((column.left, base), 12.5, Anchor::Start, &cut(title, 12.5, column.width));
    let color = canvas.paper.faint;
    let what = match ink.picture.as_ref().map(|picture| picture.shown) {
        None => "raster, none of it on this map",
        Some(Shown::Colours) => "raster, in its own colours",
        Some(Shown::Values(..)) => &format!("raster, {}", ink.values_of),
    };
    let mut y = base;
    for line in lines(what, 10.5, column.width) {
        y += 14.0;
        canvas.text_in((column.left, y), 10.5, Anchor::Start, color, &line);
    }
    y += 6.0;
    let Some([low, high]) = ink.range() else { return y };
    let shades = &ink.shades;
    // On whole pixels there is no seam between them.
    let edge = |at: usize| (column.left + column.width * at as f64 / shades.len() as f64).round();
    for (at, shade) in shades.iter().enumerate() {
        canvas.put(format_args!(
            "<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"12\" fill=\"{}\"/>",
            Px(edge(at)),
            Px(y),
            Px(edge(at + 1) - edge(at)),
            hex(*shade)
        ));
    }
    y += 24.0;
    canvas.text_in((column.left, y), 10.0, Anchor::Start, color, &low);
    let right = column.left + column.width;
    canvas.text_in((right, y), 10.0, Anchor::End, color, &high);
    y + 10.0
}

/// The mark of a class.
fn symbol(canvas: &mut Canvas, entry: &Entry<'_>, class: usize, left: f64, middle: f64) {
    let look = entry.look;
    let paper = canvas.paper;
    let (line, fill) = look.pair_of(class, paper);
    match entry.kind {
        Some(GeometryKind::Point) => {
            let radius = look.radius(entry.ink.points).max(2.5);
            canvas.put(format_args!(
                "<circle cx=\"{}\" cy=\"{}\" r=\"{}\" fill=\"{}\" stroke=\"{}\" stroke-width=\"1.2\"/>",
                Px(left + 12.0),
                Px(middle),
                Px(radius.min(9.0)),
                hex(fill),
                hex(line)
            ));
        }
        Some(GeometryKind::LineString) => canvas.put(format_args!(
            "<path d=\"M{} {}h24\" fill=\"none\" stroke=\"{}\" stroke-width=\"{}\"/>",
            Px(left),
            Px(middle),
            hex(look.line_of(class, paper)),
            look.line_width(entry.ink.marks.len()).clamp(1.3, 10.0)
        )),
        _ => canvas.put(format_args!(
            "<rect x=\"{}\" y=\"{}\" width=\"24\" height=\"12\" fill=\"{}\" fill-opacity=\"0.75\" stroke=\"{}\" stroke-width=\"1.2\"/>",
            Px(left),
            Px(middle - 6.0),
            hex(fill),
            hex(line)
        )),
    }
}

fn classes(canvas: &mut Canvas, entry: &Entry<'_>, column: Column, mut y: f64) -> f64 {
    let Some(classing) = &entry.look.classing else { return y };
    let color = canvas.paper.faint;
    let by = match &classing.made {
        Some(made) => format!("by {}: {made}", classing.column),
        None => format!("by {}", classing.column),
    };
    for line in lines(&by, 10.5, column.width) {
        y += 13.0;
        canvas.text_in((column.left, y), 10.5, Anchor::Start, color, &line);
    }
    y += 3.0;
    let used: Vec<usize> =
        (0..classing.classes.len()).filter(|at| entry.classes[*at] > 0).collect();
    for (at, class) in used.iter().enumerate() {
        if y + 30.0 > column.bottom && at + 1 < used.len() {
            let more = format!("… and {} more", used.len() - at);
            canvas.text((column.left + INDENT, y + 13.0), 10.5, Anchor::Start, &more);
            return y + 18.0;
        }
        y += 17.0;
        symbol(canvas, entry, *class, column.left, y - 4.0);
        let count = format!(" ({})", grouped(entry.classes[*class] as f64, 0));
        let room = column.width - INDENT - super::lettering::width(&count, 11.0);
        let text = cut(&classing.classes[*class].text, 11.0, room);
        canvas.text((column.left + INDENT, y), 11.0, Anchor::Start, &format!("{text}{count}"));
    }
    y + 8.0
}

fn shades(
    canvas: &mut Canvas,
    entry: &Entry<'_>,
    column: Column,
    mut y: f64,
    metres_per_pixel: Option<f64>,
) -> f64 {
    let Some(density) = &entry.ink.density else { return y };
    let side = metres_per_pixel.map_or(String::new(), |metres| match metres * CELL {
        metres if metres < 1000.0 => format!(" of about {} m", grouped(metres.round(), 0)),
        metres => {
            format!(" of about {} km", grouped(metres / 1000.0, usize::from(metres < 10_000.0)))
        }
    });
    let color = canvas.paper.faint;
    let text = format!("too many to be told apart: how many there are in squares{side}");
    for line in lines(&text, 10.5, column.width) {
        y += 13.0;
        canvas.text_in((column.left, y), 10.5, Anchor::Start, color, &line);
    }
    y += 6.0;
    // The class that comes first stands for all.
    let most = density.most();
    let count = STEPS.partition_point(|least| *least <= most);
    let wide = column.width / STEPS.len() as f64;
    for shade in 0..count {
        let left = column.left + wide * shade as f64;
        let fill = hex(shade_of(entry.look, 0, shade, canvas.paper));
        canvas.put(format_args!(
            "<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"12\" fill=\"{fill}\"/>",
            Px(left),
            Px(y),
            Px(wide)
        ));
        let text = match shade {
            0 => "1".to_string(),
            shade => format!("{}+", grouped(STEPS[shade].into(), 0)),
        };
        canvas.text_in((left, y + 24.0), 10.0, Anchor::Start, color, &text);
    }
    y + 32.0
}

/// What sizes mean: round numbers near the largest one, a quarter and a sixteenth of it.
fn sizes(canvas: &mut Canvas, column: Column, y: f64, name: &str, largest: f64) -> f64 {
    let color = canvas.paper.faint;
    let text = cut(&format!("size by {name} (area of the circle)"), 10.5, column.width);
    canvas.text_in((column.left, y + 16.0), 10.5, Anchor::Start, color, &text);
    let mut left = column.left;
    let base = y + 24.0 + 2.0 * Look::sized_radius(1.0);
    for share in [1.0, 0.25, 0.0625] {
        let value = round_below(largest * share);
        let radius = Look::sized_radius(value / largest);
        canvas.put(format_args!(
            "<circle cx=\"{}\" cy=\"{}\" r=\"{}\" fill=\"none\" stroke=\"{}\"/>",
            Px(left + radius),
            Px(base - radius),
            Px(radius),
            hex(canvas.paper.ink)
        ));
        let decimals = if value >= 1.0 { 0 } else { (-value.log10()).ceil() as usize };
        let text = grouped(value, decimals);
        canvas.text((left + 2.0 * radius + 4.0, base - radius + 4.0), 10.5, Anchor::Start, &text);
        left += 2.0 * radius + 14.0 + super::lettering::width(&text, 10.5);
    }
    base + 10.0
}
