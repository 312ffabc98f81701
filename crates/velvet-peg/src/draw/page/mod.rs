//! A map as one page that opens from disk: it holds its data, its look and its script, and asks for
//! nothing from anywhere. What can be looked at in several ways, systems side by side, before and
//! after, the stages of a job, are its tabs.

mod data_text;
mod features;
mod lookup;
mod tab;

use super::map_raster::MapRaster;
use super::options::{DrawOptions, MapLayers, Stage, Theme};
use super::page_policy::page_policy;
use super::palette::{Paper, hex};
use super::scene::MOST;
use crate::error::{Error, Result};
use crate::format_support::markup::escaped;
use crate::layer_io::LayerReader;
use crate::notice::Notice;
use crate::progress::Progress;
use data_text::{InElement, Room, TabData};
use serde_json::{Value, json};
use std::io::{self, Write};
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

/// A page that is written when all of it is known.
pub(super) struct Page<'a> {
    title: String,
    tabs: Vec<TabData>,
    options: &'a DrawOptions,
}

/// The page of layers, and what is to be known of it.
///
/// # Errors
/// If a layer cannot be read or drawn, or the page would be too large.
pub(super) fn html<'a>(
    layers: &MapLayers,
    options: &'a DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(Page<'a>, Vec<Notice>)> {
    if options.beside.len() >= MOST {
        return Err(Error::usage(format!(
            "{} systems are too many for the tabs of a page: {MOST} can be, the map's own and three \
             more",
            options.beside.len() + 1
        )));
    }
    let mut notices: Vec<Notice> = Vec::new();
    let mut tabs: Vec<TabData> = Vec::new();
    let mut room = Room::default();
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
        let (mut next, told) = tab(layers, system, &others, options, &mut room, watch)?;
        if let Some(first) = tabs.first() {
            room.give_back(tab::share(&mut next, first));
        }
        if !options.beside.is_empty() {
            next.few["tab"] = json!(system.map_or("bare numbers", Crs::name));
        }
        add(&mut notices, told);
        tabs.push(next);
    }
    if layers.before.is_some() && options.beside.is_empty() {
        tabs[0].few["tab"] = json!("Before and after");
        for (name, shows) in [("Before", "before"), ("After", "after")] {
            let few = json!({ "tab": name, "of": 0, "shows": shows });
            tabs.push(TabData { few, layers: None });
        }
    }
    notices.extend(room.notice());
    let title = tabs[0].few["title"].as_str().unwrap_or_default().to_string();
    Ok((Page { title, tabs, options }, notices))
}

/// The page of the stages of data on its way.
///
/// # Errors
/// If a stage cannot be read, or the page would be too large.
pub(super) fn stages_html<'a>(
    stages: &[Stage],
    options: &'a DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(Page<'a>, Vec<Notice>)> {
    let mut notices: Vec<Notice> = Vec::new();
    let mut tabs: Vec<TabData> = Vec::new();
    let mut room = Room::default();
    for stage in stages {
        let has_shapes = |reader: &LayerReader| !reader.info().bare;
        let layers = &stage.layers;
        let mut next = match !layers.rasters.is_empty() || layers.layers.iter().any(has_shapes) {
            false => tab::rows(&stage.layers, &mut room, watch)?,
            true => match tab(&stage.layers, None, &[], options, &mut room, watch) {
                Ok((next, told)) => {
                    add(&mut notices, told);
                    next
                }
                Err(error) => {
                    let mut rows = tab::rows(&stage.layers, &mut room, watch)?;
                    rows.few["why"] = json!(error.to_string());
                    rows
                }
            },
        };
        // A layer of a step is called as the step is.
        if let Some([layer]) = next.layers.as_deref_mut() {
            layer.few["title"] = json!(stage.name);
        }
        next.few["tab"] = json!(stage.name);
        next.few["facts"] = json!(stage.facts);
        next.few["title"] = json!(options.title.as_ref().unwrap_or(&stage.name));
        tabs.push(next);
    }
    notices.extend(room.notice());
    let title = options.title.clone().unwrap_or_else(|| "Stages".to_string());
    Ok((Page { title, tabs, options }, notices))
}

fn add(notices: &mut Vec<Notice>, told: Vec<Notice>) {
    for notice in told {
        if !notices.iter().any(|known| known.text == notice.text) {
            notices.push(notice);
        }
    }
}

impl Page<'_> {
    /// Writes the page with its data.
    pub(super) fn write(&self, out: &mut impl Write) -> io::Result<()> {
        let options = self.options;
        let few = json!({
            "title": options.title,
            "date": options.date,
            "light": colors(Theme::Light),
            "dark": colors(Theme::Dark),
            "label": options.label,
            "tolerance": options.tolerance,
            "link": options.link,
            "linkBase": options.link_base,
        });
        let holds =
            |tab: &TabData| tab.few["rasters"].as_array().is_some_and(|list| !list.is_empty());
        let images = self.tabs.iter().any(holds);
        let theme = if options.theme == Theme::Dark { "dark" } else { "light" };
        // What is put in is not searched for places.
        let mut rest = HTML;
        while let Some((before, (name, after))) = rest
            .split_once("{{")
            .and_then(|(before, after)| Some((before, after.split_once("}}")?)))
        {
            out.write_all(before.as_bytes())?;
            match name {
                "policy" => out.write_all(page_policy(SCRIPT, STYLE, images).as_bytes())?,
                "theme" => out.write_all(theme.as_bytes())?,
                "title" => out.write_all(escaped(&self.title).as_bytes())?,
                "style" => out.write_all(STYLE.as_bytes())?,
                "script" => out.write_all(SCRIPT.as_bytes())?,
                _ => self.write_data(&few, &mut InElement(&mut *out))?,
            }
            rest = after;
        }
        out.write_all(rest.as_bytes())
    }

    fn write_data(&self, few: &Value, out: &mut impl Write) -> io::Result<()> {
        out.write_all(b"{\"tabs\":[")?;
        for (at, tab) in self.tabs.iter().enumerate() {
            if at > 0 {
                out.write_all(b",")?;
            }
            tab.write(out)?;
        }
        let few = few.to_string();
        write!(out, "],{}", few.strip_prefix('{').unwrap_or(&few))
    }
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
