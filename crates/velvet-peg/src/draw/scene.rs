//! A map: what is on it is found out first, then it is drawn; one frame, or several side by side
//! at one scale.

use super::canvas::{Anchor, Canvas, MARGIN};
use super::chosen::{area_text, chosen};
use super::ellipses::factors_text;
use super::furniture::{self, COLUMN};
use super::lettering::lines;
use super::north;
use super::options::{DrawOptions, MapLayers};
use super::palette::Paper;
use super::panel::{Panel, Planned};
use super::ticks;
use super::view::View;
use super::{GridLines, InPage, flags::Flag};
use crate::error::{Error, Result};
use crate::layer::Layer;
use crate::notice::Notice;
use crate::progress::Progress;
use velvet_peg_core::Crs;

/// Pixels between frames side by side, for the labels of their lines.
const GAP: f64 = 46.0;
/// Pixels below such frames for what is told of each.
const TOLD: f64 = 62.0;
/// Frames side by side at most.
pub(super) const MOST: usize = 4;
/// Pixels above the frames of a picture in a page, which has its own title.
const IN_PAGE_TOP: f64 = 16.0;

/// A map that is drawn.
pub(crate) struct Drawn {
    pub(crate) svg: String,
    /// What is to be known of it.
    pub(crate) notices: Vec<Notice>,
    /// True if what stands apart takes most of its room.
    pub(crate) apart: bool,
}

/// The map of layers as SVG text, and what is to be known of it.
pub(super) fn svg(
    layers: &MapLayers,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(String, Vec<Notice>)> {
    let drawn = draw(layers, options, None, watch)?;
    Ok((drawn.svg, drawn.notices))
}

/// Draws layers, in a page or as a picture of its own.
pub(super) fn draw(
    layers: &MapLayers,
    options: &DrawOptions,
    place: Option<InPage>,
    watch: &mut dyn Progress,
) -> Result<Drawn> {
    if options.beside.len() >= MOST {
        return Err(Error::usage(format!(
            "{} systems do not fit side by side: {MOST} do, the map's own and three more",
            options.beside.len() + 1
        )));
    }
    let mut canvas = Canvas::new(
        f64::from(options.width.max(320)),
        f64::from(options.height.max(240)),
        Paper::of(options.theme),
    );
    if let Some(place) = place {
        canvas.prefix = format!("map{}-", place.number);
        canvas.top = IN_PAGE_TOP;
    }
    let count = options.beside.len() + 1;
    let single = count == 1;
    let mut notices: Vec<Notice> = Vec::new();
    let mut tell = |told: Vec<Notice>| {
        for notice in told {
            if !notices.iter().any(|known| known.text == notice.text) {
                notices.push(notice);
            }
        }
    };
    let mut planned = Vec::new();
    let first = options.crs.clone();
    let systems = std::iter::once(first.as_ref()).chain(options.beside.iter().map(Some));
    for (frame, system) in columns(&canvas, count).into_iter().zip(systems) {
        let (mut plan, told) = Planned::new(layers, system, frame, options, watch)?;
        plan.checked = place.is_none();
        tell(told);
        planned.push(plan);
    }
    // Wide layers are shown one above the other where that makes them larger.
    let rows = rows(&canvas, count);
    let size = |[left, top, right, bottom]: [f64; 4], shape: f64| {
        (right - left).min((bottom - top) * shape)
    };
    let shape = planned[0].shape();
    if !single && size(rows[0], shape) > 1.1 * size(planned[0].view.frame, shape) {
        planned.iter_mut().zip(rows).for_each(|(plan, frame)| plan.fit(frame));
    }
    let apart = planned[0].is_apart();
    let views = at_one_scale(&planned);
    let mut panels: Vec<Panel<'_>> = Vec::new();
    for (plan, view) in planned.into_iter().zip(views) {
        let (mut panel, told) = plan.inked(view, options, watch)?;
        panel.view.number += place.map_or(0, |place| MOST * (place.number + 1));
        tell(told);
        panels.push(panel);
    }
    let mut found: Vec<Flag> = Vec::new();
    for (at, panel) in panels.iter_mut().enumerate() {
        let (flags, notice) = panel.draw(&mut canvas, options, place)?;
        tell(notice.into_iter().collect());
        if at == 0 {
            found = flags;
        }
    }
    let area_of = match &options.area_of {
        Some((column, value)) => Some((value, chosen(&layers.layers, column, value)?)),
        None => None,
    };
    match single && area_of.is_none() {
        true if matches!(panels[0].lines, GridLines::Grid | GridLines::Both) => {
            ticks::axis_names(&mut canvas, &panels[0].view);
        }
        true => {}
        false => {
            for panel in &panels {
                told_of(&mut canvas, panel, area_of.as_ref())?;
            }
        }
    }
    furniture::beside(&mut canvas, &panels[0], &found, single, options);
    let title = furniture::title(&panels[0], options);
    furniture::above(&mut canvas, &panels[0], &title, options);
    furniture::below(&mut canvas, &panels[0], single && area_of.is_none(), options);
    Ok(Drawn { svg: canvas.finish(&title), notices, apart })
}

/// The frames of so many systems, one above the other.
fn rows(canvas: &Canvas, count: usize) -> Vec<[f64; 4]> {
    let (left, right) = (MARGIN, canvas.width - COLUMN);
    let high = (canvas.height - canvas.top - 30.0) / count as f64;
    (0..count)
        .map(|at| {
            let top = canvas.top + high * at as f64;
            [left, top, right, top + (high - TOLD - 18.0).max(40.0)]
        })
        .collect()
}

/// The frames of so many systems, side by side.
fn columns(canvas: &Canvas, count: usize) -> Vec<[f64; 4]> {
    let (left, right) = (MARGIN, canvas.width - COLUMN);
    let bottom = canvas.height - MARGIN;
    if count == 1 {
        return vec![[left, canvas.top, right, bottom]];
    }
    let gaps = GAP * (count - 1) as f64;
    let wide = (right - left - gaps) / count as f64;
    (0..count)
        .map(|at| {
            let from = left + (wide + GAP) * at as f64;
            [from, canvas.top, from + wide, bottom - TOLD + 24.0]
        })
        .collect()
}

/// Views in which a metre on the ground at the middle is as long in all frames.
fn at_one_scale(planned: &[Planned<'_>]) -> Vec<View> {
    if let [one] = planned {
        return vec![one.view.clone().on_earth()];
    }
    let coarsest =
        planned.iter().filter_map(|plan| plan.view.metres_per_pixel()).fold(0.0, f64::max);
    planned
        .iter()
        .enumerate()
        .map(|(number, plan)| {
            let view = &plan.view;
            let share = view.metres_per_pixel().map_or(1.0, |own| own / coarsest);
            view.at_scale((view.scale.0 * share, view.scale.1 * share), number)
        })
        .collect()
}

/// The system of a frame side by side with others, and what it does to lengths and areas.
fn told_of(
    canvas: &mut Canvas,
    panel: &Panel<'_>,
    area_of: Option<&(&String, Layer)>,
) -> Result<()> {
    let view = &panel.view;
    let [left, _, right, bottom] = view.frame;
    let room = right - left;
    let mut y = bottom + 32.0;
    let label = view.crs.as_ref().map_or("bare numbers".to_string(), Crs::label);
    for line in lines(&label, 11.5, room) {
        canvas.text((left, y), 11.5, Anchor::Start, &line);
        y += 14.0;
    }
    let mut facts: Vec<String> = factors_text(view).into_iter().collect();
    facts.extend(north::text(view));
    if view.crs.as_ref().is_some_and(|crs| crs.is_geographic()) {
        facts.push("degrees, true to scale at the middle latitude".to_string());
    }
    let mut told = vec![facts.join(" · ")];
    if let (Some((name, layer)), Some(crs)) = (area_of, &view.crs) {
        told.push(format!("{name}: {}", area_text(layer, crs)?));
    }
    let faint = canvas.paper.faint;
    for line in told.iter().flat_map(|text| lines(text, 10.5, room)) {
        canvas.text_in((left, y), 10.5, Anchor::Start, faint, &line);
        y += 13.0;
    }
    Ok(())
}
