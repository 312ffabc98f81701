//! A map as one page that opens from disk: it holds its data, its look and its script, and asks for
//! nothing from anywhere.

mod features;
mod lookup;

use super::backdrop::{Backdrop, Line, whereabouts};
use super::furniture::{self, places};
use super::options::{DrawOptions, MapLayers, Theme};
use super::palette::{Paper, hex};
use super::panel::{Panel, Planned};
use super::view::View;
use crate::error::{Error, Result};
use crate::notice::{Notice, NoticeKind};
use crate::progress::Progress;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use features::Steps;
use serde_json::{Value, json};
use sha2::{Digest, Sha256};
use velvet_peg_core::{Bounds, Crs};

const HTML: &str = include_str!("page.html");
const STYLE: &str = include_str!("page.css");
/// The script is one function, whose parts are used one after the other.
const SCRIPT: &str = concat!(
    include_str!("script/data.js"),
    include_str!("script/view.js"),
    include_str!("script/paint.js"),
    include_str!("script/grid.js"),
    include_str!("script/figures.js"),
    include_str!("script/hits.js"),
    include_str!("script/card.js"),
    include_str!("script/table.js"),
    include_str!("script/measure.js"),
    include_str!("script/pointer.js"),
    include_str!("script/start.js"),
);
/// Pixels of the frame that a page's data is planned for.
const FRAME: [f64; 4] = [0.0, 0.0, 1600.0, 1000.0];
/// How many frames beyond its own the backdrop of a page reaches on each side.
const AROUND: f64 = 1.0;

/// The page of layers, and what is to be known of it.
pub(super) fn html(
    layers: &MapLayers,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(String, Vec<Notice>)> {
    if !options.beside.is_empty() {
        return Err(Error::usage(
            "a page shows one system: systems side by side go to .svg or .png",
        ));
    }
    let system = options.crs.clone();
    let (plan, mut notices) = Planned::new(layers, system.as_ref(), FRAME, options, watch)?;
    let view = plan.view.clone();
    let plain = DrawOptions { label: None, ..options.clone() };
    let (panel, told) = plan.inked(view, &plain, watch)?;
    notices.extend(told);
    let coarse = vertices(&panel) > features::VERTICES;
    if coarse {
        notices.push(Notice::note(
            NoticeKind::Drawing,
            "the layers have more vertices than a page can draw: lines and polygons are simplified to \
             a sixteen-hundredth of the map's width; a part of them (`vpeg fields --where`) keeps all",
        ));
    }
    let data = data(layers, &panel, options, coarse, watch)?;
    // Texts of the data cannot end the element that holds them.
    let data = data.to_string().replace('<', "\\u003c").replace('>', "\\u003e");
    let hash = |text: &str| format!("'sha256-{}'", STANDARD.encode(Sha256::digest(text)));
    let title = furniture::title(&panel, options);
    let policy = format!(
        "default-src 'none'; script-src {}; style-src {}; base-uri 'none'; form-action 'none'",
        hash(SCRIPT),
        hash(STYLE)
    );
    let theme = if options.theme == Theme::Dark { "dark" } else { "light" };
    let page = HTML
        .replace("{{policy}}", &policy)
        .replace("{{theme}}", theme)
        .replace("{{title}}", &crate::format_support::markup::escaped(&title))
        .replace("{{style}}", STYLE)
        .replace("{{script}}", SCRIPT)
        .replace("{{data}}", &data);
    Ok((page, notices))
}

fn vertices(panel: &Panel<'_>) -> u64 {
    panel.survey.layers.iter().map(|layer| layer.vertices).sum()
}

/// All that the script draws from.
fn data(
    layers: &MapLayers,
    panel: &Panel<'_>,
    options: &DrawOptions,
    coarse: bool,
    watch: &mut dyn Progress,
) -> Result<Value> {
    let view = &panel.view;
    let steps = steps(view);
    let around = wider(view);
    let backdrop = if options.backdrop { Backdrop::of(&around) } else { Backdrop::default() };
    let mut list = Vec::new();
    for (at, plate) in panel.plates.iter().enumerate() {
        let reader = layers.layers.get(at);
        let (inked, surveyed) = (&panel.inked[at], &panel.survey.layers[at]);
        list.push(features::layer(
            plate,
            reader,
            inked,
            surveyed,
            (view, steps, coarse),
            options,
            watch,
        )?);
    }
    let lines = |lines: &[Line]| -> Vec<Value> {
        let ring = |line: &Line| steps.ring(line.iter().map(|pixel| around.coordinate(*pixel)));
        lines.iter().map(ring).collect()
    };
    let names: Vec<Value> = panel
        .backdrop
        .names
        .iter()
        .map(|name| {
            let (x, y) = view.coordinate(name.at);
            json!({ "text": name.text, "x": x, "y": y, "size": name.size })
        })
        .collect();
    let Bounds { west, south, east, north } = view.shown;
    let degrees = view.ground.as_ref().and_then(|ground| ground.degrees);
    Ok(json!({
        "title": furniture::title(panel, options),
        "where": options.backdrop.then(|| whereabouts(&places(panel))).flatten(),
        "system": furniture::system_text(panel),
        "unit": view.crs.as_ref().and_then(Crs::length_unit).map(|unit| unit.symbol()),
        "degrees": degrees,
        "sources": backdrop.sources,
        "date": options.date,
        "origin": [steps.origin.0, steps.origin.1],
        "step": steps.step,
        "view": { "west": west, "south": south, "east": east, "north": north },
        "squeeze": view.scale.0 / view.scale.1,
        "flipped": view.flipped(),
        "metres": view.metres_per_pixel().map(|metres| metres * view.scale.0),
        "lookup": lookup::lookup(view, &around.shown)
            .or_else(|| lookup::lookup(view, &view.shown)),
        "ellipsoid": view.crs.as_ref().and_then(Crs::ellipsoid).map(|ellipsoid| {
            json!({ "a": ellipsoid.semi_major_m(), "f": ellipsoid.flattening() })
        }),
        "light": colors(Theme::Light),
        "dark": colors(Theme::Dark),
        "backdrop": {
            "water": lines(&backdrop.water),
            "land": lines(&backdrop.land),
            "countyLand": lines(&backdrop.county_land),
            "coasts": lines(&backdrop.coasts),
            "countries": lines(&backdrop.countries),
            "states": lines(&backdrop.states),
            "counties": lines(&backdrop.counties),
            "names": names,
        },
        "label": options.label,
        "coarse": coarse,
        "tolerance": options.tolerance,
        "link": options.link,
        "linkBase": options.link_base,
        "layers": list,
    }))
}

fn colors(theme: Theme) -> Value {
    let paper = Paper::of(theme);
    json!({
        "water": hex(paper.water),
        "land": hex(paper.land),
        "plain": hex(paper.plain),
        "county": hex(paper.county),
        "state": hex(paper.state),
        "name": hex(paper.name),
        "grid": hex(paper.grid),
        "ink": hex(paper.ink),
        "flag": hex(paper.flag),
    })
}

/// Steps of vertices: a millimetre on the ground, as near as the unit has one; coarser on maps on
/// which whole numbers would not hold it.
fn steps(view: &View) -> Steps {
    let metres = view.metres_per_pixel().map_or(1.0, |metres| metres * view.scale.0);
    let fine = 10f64.powf((0.001 / metres).log10().floor());
    let shown = &view.shown;
    let reach = (shown.east - shown.west).max(shown.north - shown.south) * 8.0;
    Steps { origin: view.middle(), step: fine.max(reach / 1e15) }
}

/// The same middle and scale in a larger frame, for the backdrop around the map.
fn wider(view: &View) -> View {
    let [left, top, right, bottom] = view.frame;
    let (across, down) = ((right - left) * AROUND, (bottom - top) * AROUND);
    let frame = [left - across, top - down, right + across, bottom + down];
    view.in_frame(frame)
}
