//! What one tab of a page draws from: layers in one system, with all that lies under them.

use super::super::backdrop::{Backdrop, Line, whereabouts};
use super::super::furniture::{self, places};
use super::super::options::{DrawOptions, MapLayers};
use super::super::palette::hex;
use super::super::panel::{Panel, Planned};
use super::super::plates::{Plate, Role};
use super::super::survey::Surveyed;
use super::super::view::View;
use super::data_text::{Room, TabData};
use super::features::{self, Manner, Steps};
use super::lookup;
use crate::error::Result;
use crate::notice::{Notice, NoticeKind};
use crate::progress::Progress;
use serde_json::{Value, json};
use velvet_peg_core::{Bounds, Crs};

/// Pixels of the frame that a page's data is planned for.
const FRAME: [f64; 4] = [0.0, 0.0, 1600.0, 1000.0];
/// How many frames beyond its own the backdrop of a page reaches on each side.
const AROUND: f64 = 1.0;

/// The layers in a system; `others` are those whose coordinates are told at the pointer, too.
pub(super) fn tab(
    layers: &MapLayers,
    system: Option<&Crs>,
    others: &[&Crs],
    options: &DrawOptions,
    room: &mut Room,
    watch: &mut dyn Progress,
) -> Result<(TabData, Vec<Notice>)> {
    let (plan, mut notices) = Planned::new(layers, system, FRAME, options, watch)?;
    let view = plan.view.clone();
    let plain = DrawOptions { label: None, ..options.clone() };
    let (panel, told) = plan.inked(view, &plain, watch)?;
    notices.extend(told);
    let coarse = vertices(&panel) > features::VERTICES;
    if coarse {
        notices.push(Notice::note(
            NoticeKind::Drawing,
            "the layers have more vertices than a page can draw: lines and polygons are simplified to \
             a sixteen-hundredth of the map's width; a page of fewer of them keeps all",
        ));
    }
    // What every feature has at least, so that what is too much is told before it is collected.
    room.check(
        panel
            .plates
            .iter()
            .zip(&panel.survey.layers)
            .map(|(plate, layer)| least(plate, layer))
            .sum(),
    )?;
    Ok((data(layers, &panel, others, options, (coarse, room), watch)?, notices))
}

/// Bytes that a layer takes at least.
fn least(plate: &Plate<'_>, layer: &Surveyed) -> usize {
    let values = if plate.role == Role::Context { 0 } else { plate.info().schema.fields().len() };
    let shape = "[0,[[[0,0]]]],".len();
    let each = shape + (1 + values) * "0,".len();
    usize::try_from(layer.features - layer.bare - layer.failed)
        .unwrap_or(usize::MAX)
        .saturating_mul(each)
}

/// A tab of tables, or of layers that cannot be drawn: their rows without a map.
pub(super) fn rows(
    layers: &MapLayers,
    room: &mut Room,
    watch: &mut dyn Progress,
) -> Result<TabData> {
    let mut list = Vec::new();
    for reader in &layers.layers {
        let layer = features::rows(reader, room, watch)?;
        room.take(layer.size())?;
        list.push(layer);
    }
    Ok(TabData { few: json!({}), layers: Some(list) })
}

/// Leaves out of a tab what another has of the same features; gives the bytes that are saved.
pub(super) fn share(tab: &mut TabData, first: &TabData) -> usize {
    let (Some(layers), Some(others)) = (&mut tab.layers, &first.layers) else { return 0 };
    let mut saved = 0;
    for (at, (layer, other)) in layers.iter_mut().zip(others).enumerate() {
        if layer.many("numbers") != other.many("numbers") {
            continue;
        }
        let before = layer.size();
        layer.many.retain(|(name, _)| !["columns", "values", "numbers", "measures"].contains(name));
        layer.few["same"] = json!(at);
        saved += before - layer.size();
    }
    saved
}

fn vertices(panel: &Panel<'_>) -> u64 {
    panel.survey.layers.iter().map(|layer| layer.vertices).sum()
}

/// All that the script draws from.
fn data(
    layers: &MapLayers,
    panel: &Panel<'_>,
    others: &[&Crs],
    options: &DrawOptions,
    (coarse, room): (bool, &mut Room),
    watch: &mut dyn Progress,
) -> Result<TabData> {
    let view = &panel.view;
    let steps = steps(view);
    let around = wider(view);
    let backdrop = if options.backdrop { Backdrop::of(&around) } else { Backdrop::default() };
    let mut list = Vec::new();
    for (at, plate) in panel.plates.iter().enumerate() {
        if plate.raster.is_some() {
            continue;
        }
        let reader = layers.layers.get(at);
        let (inked, surveyed) = (&panel.inked[at], &panel.survey.layers[at]);
        let manner = Manner { view, steps, coarse, room };
        let layer = features::layer(plate, reader, inked, surveyed, &manner, options, watch)?;
        room.take(layer.size())?;
        list.push(layer);
    }
    let lines = |lines: &[Line]| -> Vec<Vec<i64>> {
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
    let few = json!({
        "title": furniture::title(panel, options),
        "where": options.backdrop.then(|| whereabouts(&places(panel))).flatten(),
        "system": furniture::system_text(panel),
        "unit": view.crs.as_ref().and_then(Crs::length_unit).map(|unit| unit.symbol()),
        "degrees": degrees,
        "sources": backdrop.sources,
        "origin": [steps.origin.0, steps.origin.1],
        "step": steps.step,
        "view": { "west": west, "south": south, "east": east, "north": north },
        "squeeze": view.scale.0 / view.scale.1,
        "flipped": view.flipped(),
        "metres": view.metres_per_pixel().map(|metres| metres * view.scale.0),
        "lookup": lookup::degrees(view, &around.shown)
            .or_else(|| lookup::degrees(view, &view.shown)),
        "others": others
            .iter()
            .filter_map(|crs| {
                lookup::other(view, &around.shown, crs)
                    .or_else(|| lookup::other(view, &view.shown, crs))
            })
            .collect::<Vec<_>>(),
        "moves": panel.moves.as_ref().map(|moves| {
            json!({ "arrows": moves.arrows(view), "told": moves.facts(view) })
        }),
        "ellipsoid": view.crs.as_ref().and_then(Crs::ellipsoid).map(|ellipsoid| {
            json!({ "a": ellipsoid.semi_major_m(), "f": ellipsoid.flattening() })
        }),
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
        "coarse": coarse,
        "rasters": rasters(panel, options)?,
    });
    Ok(TabData { few, layers: Some(list) })
}

/// The rasters under the layers, as they are seen on the whole map.
fn rasters(panel: &Panel<'_>, options: &DrawOptions) -> Result<Vec<Value>> {
    let mut list = Vec::new();
    for raster in &panel.rasters {
        let title = options.title_of(&panel.plates[raster.plate].info().name);
        let place = raster.place().map(|[left, top, wide, high]| {
            let (from, to) = ((left, top), (left + wide, top + high));
            [panel.view.coordinate(from), panel.view.coordinate(to)]
        });
        let flags = &panel.inked[raster.plate].flags;
        list.push(json!({
            "title": title,
            "address": raster.address()?,
            "corners": place.map(|[from, to]| [from.0, from.1, to.0, to.1]),
            "values": raster.range(),
            "valuesOf": raster.values_of,
            "shades": raster.shades.iter().step_by(7).map(|shade| hex(*shade)).collect::<Vec<_>>(),
            "flags": features::flags(flags, &panel.view),
        }));
    }
    Ok(list)
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
