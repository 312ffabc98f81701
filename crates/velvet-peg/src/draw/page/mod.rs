//! A map as one page that opens from disk: it holds its data, its look and its script, and asks for
//! nothing from anywhere. What can be looked at in several ways, systems side by side, before and
//! after, the stages of a job, are its tabs.

mod features;
mod lookup;
mod tab;

use super::map_raster::MapRaster;
use super::options::{DrawOptions, MapLayers, Stage, Theme};
use super::page_policy::page_policy;
use super::palette::{Paper, hex};
use super::scene::MOST;
use crate::error::{Error, Result};
use crate::layer_io::LayerReader;
use crate::notice::Notice;
use crate::progress::Progress;
use serde_json::{Value, json};
use tab::tab;
use velvet_peg_core::Crs;

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
    include_str!("script/tabs.js"),
    include_str!("script/start.js"),
);

/// The page of layers, and what is to be known of it.
pub(super) fn html(
    layers: &MapLayers,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(String, Vec<Notice>)> {
    if options.beside.len() >= MOST {
        return Err(Error::usage(format!(
            "{} systems are too many for the tabs of a page: {MOST} can be, the map's own and three \
             more",
            options.beside.len() + 1
        )));
    }
    let mut notices: Vec<Notice> = Vec::new();
    let mut tabs: Vec<Value> = Vec::new();
    let own = options.crs.clone().or_else(|| {
        let readers = layers.layers.iter().chain(&layers.before);
        let rasters = layers.rasters.iter().map(MapRaster::outline);
        readers.chain(&layers.context).chain(rasters).find_map(|reader| reader.info().crs.clone())
    });
    let systems: Vec<Crs> = own.into_iter().chain(options.beside.iter().cloned()).collect();
    for at in 0..systems.len().max(1) {
        let system = systems.get(at);
        let others: Vec<&Crs> = systems
            .iter()
            .enumerate()
            .filter(|(other, _)| *other != at)
            .map(|(_, crs)| crs)
            .collect();
        let (mut next, told) = tab(layers, system, &others, options, watch)?;
        if let Some(first) = tabs.first() {
            tab::share(&mut next, first);
        }
        if !options.beside.is_empty() {
            next["tab"] = json!(system.map_or("bare numbers", Crs::name));
        }
        add(&mut notices, told);
        tabs.push(next);
    }
    if layers.before.is_some() && options.beside.is_empty() {
        tabs[0]["tab"] = json!("Before and after");
        tabs.push(json!({ "tab": "Before", "of": 0, "shows": "before" }));
        tabs.push(json!({ "tab": "After", "of": 0, "shows": "after" }));
    }
    let title = tabs[0]["title"].as_str().unwrap_or_default().to_string();
    Ok((page(&title, tabs, options), notices))
}

/// The page of the stages of data on its way.
pub(super) fn stages_html(
    stages: &[Stage],
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(String, Vec<Notice>)> {
    let mut notices: Vec<Notice> = Vec::new();
    let mut tabs: Vec<Value> = Vec::new();
    for stage in stages {
        let has_shapes = |reader: &LayerReader| !reader.info().bare;
        let layers = &stage.layers;
        let mut next = match !layers.rasters.is_empty() || layers.layers.iter().any(has_shapes) {
            false => tab::rows(&stage.layers, watch)?,
            true => match tab(&stage.layers, None, &[], options, watch) {
                Ok((next, told)) => {
                    add(&mut notices, told);
                    next
                }
                Err(error) => {
                    let mut rows = tab::rows(&stage.layers, watch)?;
                    rows["why"] = json!(error.to_string());
                    rows
                }
            },
        };
        // A layer of a step is called as the step is.
        if let Some([layer]) = next["layers"].as_array_mut().map(Vec::as_mut_slice) {
            layer["title"] = json!(stage.name);
        }
        next["tab"] = json!(stage.name);
        next["facts"] = json!(stage.facts);
        next["title"] = json!(options.title.as_ref().unwrap_or(&stage.name));
        tabs.push(next);
    }
    let title = options.title.clone().unwrap_or_else(|| "Stages".to_string());
    Ok((page(&title, tabs, options), notices))
}

fn add(notices: &mut Vec<Notice>, told: Vec<Notice>) {
    for notice in told {
        if !notices.iter().any(|known| known.text == notice.text) {
            notices.push(notice);
        }
    }
}

/// The page with its data.
fn page(title: &str, tabs: Vec<Value>, options: &DrawOptions) -> String {
    let data = json!({
        "tabs": tabs,
        "title": options.title,
        "date": options.date,
        "light": colors(Theme::Light),
        "dark": colors(Theme::Dark),
        "label": options.label,
        "tolerance": options.tolerance,
        "link": options.link,
        "linkBase": options.link_base,
    });
    let holds = |tab: &Value| tab["rasters"].as_array().is_some_and(|list| !list.is_empty());
    let images = data["tabs"].as_array().is_some_and(|tabs| tabs.iter().any(holds));
    // Texts of the data cannot end the element that holds them.
    let data = data.to_string().replace('<', "\\u003c").replace('>', "\\u003e");
    let theme = if options.theme == Theme::Dark { "dark" } else { "light" };
    HTML.replace("{{policy}}", &page_policy(SCRIPT, STYLE, images))
        .replace("{{theme}}", theme)
        .replace("{{title}}", &crate::format_support::markup::escaped(title))
        .replace("{{style}}", STYLE)
        .replace("{{script}}", SCRIPT)
        .replace("{{data}}", &data)
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
