//! What stands around the frames: title, legend, flags, globe, north, scale, and the lines below.

use super::backdrop::whereabouts;
use super::canvas::{Anchor, Canvas, MARGIN};
use super::flags::{self, Flag};
use super::layer_ink::Inked;
use super::legend::{self, Column, Entry};
use super::lettering::cut;
use super::north;
use super::options::{DrawOptions, GridLines};
use super::palette::hex;
use super::panel::Panel;
use super::plates::Role;
use super::scale_bar;
use velvet_peg_core::Geographic;

/// Kilometres across up to which a globe shows where the map lies.
const GLOBE_KM: f64 = 12_000.0;
/// Width of the column beside the frame.
pub(super) const COLUMN: f64 = 232.0;

/// Legend, flags, globe, north and scale in the column beside the frame.
pub(super) fn beside(
    canvas: &mut Canvas,
    panel: &Panel<'_>,
    found: &[Flag],
    single: bool,
    options: &DrawOptions,
) {
    let view = &panel.view;
    let (top, bottom) = (canvas.top, canvas.height - MARGIN);
    let left = canvas.width - COLUMN + 30.0;
    let width = canvas.width - left - 12.0;
    // Of a map of half the Earth a globe shows nothing more.
    let part = view.metres_across().is_some_and(|metres| metres < GLOBE_KM * 1000.0);
    let has_globe = cfg!(feature = "backdrop") && options.backdrop && part;
    let small = bottom - top < 300.0;
    let foot = scale_bar::HEIGHT + if small { 0.0 } else { 132.0 };
    let column = Column { left, width, bottom: bottom - foot };
    let titles: Vec<String> = panel
        .plates
        .iter()
        .map(|plate| {
            let title = options.title_of(&plate.info().name);
            if plate.role == Role::Before { format!("before: {title}") } else { title.to_string() }
        })
        .collect();
    let entries: Vec<Entry<'_>> = panel
        .inked
        .iter()
        .zip(&titles)
        .zip(&panel.survey.layers)
        .enumerate()
        .map(|(at, ((inked, title), surveyed))| Entry {
            title,
            raster: panel.rasters.iter().find(|raster| raster.plate == at),
            kind: surveyed.kind,
            look: &inked.look,
            ink: &inked.ink,
            count: inked.count,
            classes: inked.classes.clone(),
        })
        .collect();
    // Where a layer is shaded by density there are no sizes.
    let sized = |layer: &Inked| layer.look.sized() && layer.ink.density.is_none();
    let size = options.size.as_deref().filter(|_| panel.inked.iter().any(sized));
    let size = size.map(|name| (name, panel.survey.largest));
    let id = canvas.id("legend");
    canvas.put(format_args!("<g {id}>"));
    let mut y = legend::draw(canvas, &entries, column, top, view.metres_per_pixel(), size);
    if let Some(moves) = &panel.moves {
        y = moved(canvas, column, y, &moves.legend(view));
    }
    if options.ellipses {
        y = circles(canvas, panel, column, y);
    }
    canvas.put(format_args!("</g>"));
    // A page lists them itself.
    if canvas.prefix.is_empty() {
        flags::list(canvas, found, column, y);
    }
    scale_bar::draw(canvas, view, left, bottom);
    if small {
        return;
    }
    let middle = bottom - scale_bar::HEIGHT - 66.0;
    #[cfg(feature = "backdrop")]
    if has_globe {
        super::globe::draw(canvas, view, (left + 54.0, middle), 52.0);
    }
    // Side by side every system has its own north.
    if single {
        let x = if has_globe { left + 154.0 } else { left + 54.0 };
        north::draw(canvas, view, (x, middle - 8.0));
    }
}

/// The arrow of features that moved.
fn moved(canvas: &mut Canvas, column: Column, y: f64, lines: &[String]) -> f64 {
    let (left, color) = (column.left, hex(canvas.paper.flag));
    let middle = y + 12.0;
    canvas.put(format_args!(
        "<path d=\"M{left} {middle}h24\" stroke=\"{color}\" stroke-width=\"1.3\"/><path d=\"M{0} {middle}l-7 -3v6z\" fill=\"{color}\"/>",
        left + 24.0
    ));
    canvas.text((left + 34.0, middle + 4.0), 12.5, Anchor::Start, "moved");
    let faint = canvas.paper.faint;
    let mut y = middle + 4.0;
    for line in lines {
        y += 14.0;
        canvas.text_in((left + 34.0, y), 10.5, Anchor::Start, faint, line);
    }
    y + 8.0
}

/// What a circle is.
fn circles(canvas: &mut Canvas, panel: &Panel<'_>, column: Column, y: f64) -> f64 {
    let Some(radius) = super::ellipses::radius(&panel.view) else { return y };
    let color = hex(canvas.paper.zone);
    canvas.put(format_args!(
        "<circle cx=\"{}\" cy=\"{}\" r=\"8\" fill=\"{color}\" fill-opacity=\"0.12\" stroke=\"{color}\"/>",
        column.left + 12.0,
        y + 12.0
    ));
    let text = format!("a circle of {}", super::displacement::length(radius, true));
    canvas.text((column.left + 34.0, y + 12.0), 11.5, Anchor::Start, &text);
    let faint = canvas.paper.faint;
    canvas.text_in(
        (column.left + 34.0, y + 26.0),
        10.5,
        Anchor::Start,
        faint,
        "radius on the ground",
    );
    y + 36.0
}

pub(super) fn title(panel: &Panel<'_>, options: &DrawOptions) -> String {
    let subjects = panel.plates.iter().filter(|plate| plate.role == Role::Subject);
    let names: Vec<&str> = subjects.map(|plate| options.title_of(&plate.info().name)).collect();
    options.title.clone().unwrap_or_else(|| names.join(", "))
}

/// Title, and where the data lies in words, above the frames.
pub(super) fn above(canvas: &mut Canvas, panel: &Panel<'_>, title: &str, options: &DrawOptions) {
    let left = MARGIN;
    if canvas.top < MARGIN {
        return;
    }
    let room = canvas.width - left - 12.0;
    canvas.bold((left, 34.0), 20.0, &cut(title, 21.5, room));
    let faint = canvas.paper.faint;
    if options.backdrop
        && let Some(text) = whereabouts(&places(panel))
    {
        canvas.text_in((left, 53.0), 12.5, Anchor::Start, faint, &cut(&text, 12.5, room));
    }
}

/// The reference system, sources and date, below the frames.
pub(super) fn below(canvas: &mut Canvas, panel: &Panel<'_>, single: bool, options: &DrawOptions) {
    let left = MARGIN;
    let room = canvas.width - left - 12.0;
    let bottom = canvas.height;
    if single {
        let system = system_text(panel);
        canvas.text((left, bottom - 22.0), 11.0, Anchor::Start, &cut(&system, 11.0, room));
    }
    let sources = panel.backdrop.sources.iter().map(|source| (*source).to_string());
    let facts: Vec<String> = sources.chain(options.date.clone()).collect();
    if !facts.is_empty() {
        let (facts, faint) = (facts.join(" · "), canvas.paper.faint);
        canvas.text_in((left, bottom - 7.0), 10.0, Anchor::Start, faint, &cut(&facts, 10.0, room));
    }
}

/// The reference system of a frame in words.
pub(super) fn system_text(panel: &Panel<'_>) -> String {
    let view = &panel.view;
    let system = match &view.crs {
        Some(crs) if crs.is_geographic() => {
            format!("{}, degrees drawn true to scale at the middle latitude", crs.label())
        }
        Some(crs) => format!("{}, in {}", crs.label(), crs.unit_plural()),
        None => "No reference system: bare numbers".to_string(),
    };
    let projected = view.crs.as_ref().is_some_and(|crs| crs.is_projected());
    match panel.lines {
        GridLines::Graticule | GridLines::Both if projected => {
            let home = view.crs.as_ref().and_then(|crs| crs.in_degrees());
            let on = home.map_or(String::new(), |home| {
                format!("; meridians and parallels: {}", home.name())
            });
            format!("{system}{on}")
        }
        _ => system,
    }
}

/// Places of the data, some hundred of them.
pub(super) fn places(panel: &Panel<'_>) -> Vec<Geographic> {
    const SOME: usize = 400;
    let Some(ground) = &panel.view.ground else { return Vec::new() };
    let layers = panel.plates.iter().zip(&panel.survey.layers);
    let mut places = Vec::new();
    for (_, layer) in layers.filter(|(plate, _)| plate.role == Role::Subject) {
        let step = (layer.sample.kept().count() / SOME).max(1);
        places.extend(layer.sample.kept().step_by(step).filter_map(|(x, y)| ground.place(x, y)));
    }
    places
}
