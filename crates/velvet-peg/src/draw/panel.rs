//! One frame of a map: its layers in its system, drawn from the paper upwards.

use super::InPage;
use super::backdrop::{Backdrop, lines_seen, named};
use super::backdrop_marks;
use super::canvas::{Anchor, Canvas, Px};
use super::classes::Classing;
use super::displacement::Displacement;
use super::ellipses;
use super::flags::{self, Flag};
use super::graticule;
use super::ground::Ground;
use super::labels::Labels;
use super::layer_ink::{Inked, inked};
use super::marks::{self, Look};
use super::options::{DrawOptions, GridLines, MapLayers, MapMark, ZoneLines};
use super::palette::{self, Paper, hex};
use super::plates::{Plate, Role, plates};
use super::raster_ink::{self, RasterInk};
use super::survey::{Survey, survey};
use super::ticks;
use super::view::View;
use super::whole_layers;
use crate::error::{Error, Result};
use crate::layer::GeometryKind;
use crate::notice::{Notice, NoticeKind};
use crate::progress::Progress;
use velvet_peg_core::zones::{ZoneSet, state_plane_lines, utm_lines};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, Geographic};

/// Kilometres across from which on a projected map has a graticule rather than a grid.
const GRATICULE_KM: f64 = 1_000.0;
/// Share of the map's width or height that the bulk has to have, lest what stands apart takes most.
const MUCH: f64 = 0.4;

/// A frame that is ready to be drawn.
pub(super) struct Panel<'a> {
    pub(super) plates: Vec<Plate<'a>>,
    pub(super) survey: Survey,
    pub(super) view: View,
    pub(super) inked: Vec<Inked>,
    pub(super) rasters: Vec<RasterInk>,
    pub(super) backdrop: Backdrop,
    pub(super) moves: Option<Displacement>,
    /// Lines of round values that it gets.
    pub(super) lines: GridLines,
    labels: Labels,
}

/// What is known of a frame before it is drawn: its layers, and where they lie.
pub(super) struct Planned<'a> {
    pub(super) view: View,
    plates: Vec<Plate<'a>>,
    survey: Survey,
    extent: Bounds,
    /// Around the positions that do not stand apart, where some do.
    bulk: Option<Bounds>,
    marks: &'a [MapMark],
    /// Whether what checks stop at is flagged.
    pub(super) checked: bool,
}

impl<'a> Planned<'a> {
    /// The layers in a system, and a view of all of them.
    pub(super) fn new(
        layers: &'a MapLayers,
        system: Option<&Crs>,
        frame: [f64; 4],
        options: &DrawOptions,
        watch: &mut dyn Progress,
    ) -> Result<(Planned<'a>, Vec<Notice>)> {
        let (plates, crs, mut notices) = plates(layers, system)?;
        columns_exist(&plates, options)?;
        let ground = crs.as_ref().and_then(Ground::of);
        let mut survey = survey(&plates, crs.as_ref(), ground.as_ref(), options, watch)?;
        notices.append(&mut survey.notices);
        let bulk = survey.bulk(&plates);
        let shown =
            if options.without_strays { bulk.unwrap_or(survey.extent) } else { survey.extent };
        let extent = roomy(&shown, crs.as_ref());
        let view = View::fitting(frame, &extent, crs.as_ref(), ground.as_ref(), survey.cut);
        Ok((
            Planned { view, plates, survey, extent, bulk, marks: &layers.marks, checked: true },
            notices,
        ))
    }

    /// Shows the same in another frame.
    pub(super) fn fit(&mut self, frame: [f64; 4]) {
        self.view = self.view.refitted(frame, &self.extent);
    }

    /// True if what stands apart takes most of the room.
    pub(super) fn is_apart(&self) -> bool {
        self.bulk.is_some_and(|bulk| {
            let all = &self.extent;
            let (wide, high) = (bulk.east - bulk.west, bulk.north - bulk.south);
            let share = (wide / (all.east - all.west)).max(high / (all.north - all.south));
            share < MUCH
        })
    }

    /// Width of what is shown by its height, as it is drawn.
    pub(super) fn shape(&self) -> f64 {
        let extent = &self.extent;
        (extent.east - extent.west) * self.view.scale.0
            / ((extent.north - extent.south) * self.view.scale.1)
    }

    /// Draws the layers into ink, in a view of theirs.
    pub(super) fn inked(
        self,
        view: View,
        options: &DrawOptions,
        watch: &mut dyn Progress,
    ) -> Result<(Panel<'a>, Vec<Notice>)> {
        let Planned { plates, mut survey, marks, checked, .. } = self;
        let mut notices = Vec::new();
        let (mut inked, labels) = ink(&plates, &view, &mut survey, options, watch)?;
        let rasters = raster_ink::ink(&plates, &view, options.theme, watch)?;
        match checked {
            true => whole_layers::flag(&plates, &survey, view.ground.as_ref(), &mut inked),
            false => inked.iter_mut().for_each(|layer| layer.flags.clear()),
        }
        for mark in marks {
            if let (Some(plate), Some(inked)) = (plates.get(mark.layer), inked.get_mut(mark.layer))
            {
                let at = match (&mark.crs, &view.crs) {
                    (Some(from), Some(to)) if from != to => carried(mark.at, from, to),
                    (None | Some(_), _) => plate.carry(mark.at),
                };
                // In a page what cannot be carried keeps its number, and is nowhere.
                let at = at.or((!checked).then_some((f64::NAN, f64::NAN)));
                inked.flags.extend(at.map(|at| Flag { at, text: mark.text.clone() }));
            }
        }
        let before = plates.iter().find(|plate| plate.role == Role::Before);
        let after = plates.iter().find(|plate| plate.has_features());
        let moves = match before.zip(after) {
            Some((before, after)) => {
                let (key, ground) = (options.key.as_deref(), view.ground.as_ref());
                let moves = Displacement::between(before, after, key, ground, watch)?;
                notices.extend(moves.notices(ground.is_some()));
                Some(moves)
            }
            None => None,
        };
        let backdrop = match options.backdrop {
            true => Backdrop::of(&view),
            false => Backdrop::default(),
        };
        let lines = lines_of(&view, options.grid);
        let panel = Panel { plates, survey, view, inked, rasters, backdrop, moves, lines, labels };
        Ok((panel, notices))
    }
}

impl Panel<'_> {
    /// Draws the frame and all in it; gives what was flagged, and what had no room.
    pub(super) fn draw(
        &mut self,
        canvas: &mut Canvas,
        options: &DrawOptions,
        place: Option<InPage>,
    ) -> Result<(Vec<Flag>, Option<Notice>)> {
        paper(canvas, &self.view, &self.backdrop);
        raster_ink::draw(canvas, &self.view, &self.rasters)?;
        zones(canvas, &self.view, options);
        if matches!(self.lines, GridLines::Grid | GridLines::Both) {
            ticks::grid(canvas, &self.view);
        }
        if matches!(self.lines, GridLines::Graticule | GridLines::Both) {
            graticule::draw(canvas, &self.view, self.lines == GridLines::Both);
        }
        canvas.put(format_args!("<g id=\"layers{}\" {}>", self.view.number, self.view.clip()));
        backdrop_marks::names(canvas, &self.backdrop);
        if options.ellipses {
            ellipses::draw(canvas, &self.view);
        }
        for at in order(&self.plates, &self.survey) {
            if self.plates[at].raster.is_some() {
                continue;
            }
            marks::draw(canvas, &self.inked[at].ink, &self.inked[at].look);
        }
        canvas.put(format_args!("</g>"));
        if let Some(moves) = &self.moves {
            moves.draw(canvas, &self.view);
        }
        border(canvas, &self.view);
        let mut notice = None;
        if let Some(label) = &options.label {
            let (all, left_out) = std::mem::take(&mut self.labels).place(canvas, &self.view);
            notice = (left_out > 0).then(|| left_out_labels(label, all, left_out));
        }
        let flags: Vec<Flag> = self.inked.iter().flat_map(|layer| layer.flags.clone()).collect();
        flags::on_map(canvas, &self.view, &flags, place);
        Ok((flags, notice))
    }
}

/// A coordinate of one system in another; none if it cannot be carried.
fn carried((x, y): (f64, f64), from: &Crs, to: &Crs) -> Option<(f64, f64)> {
    let at = Converter::new(from, to).ok()?.convert(Coordinate::xy(x, y)).ok()?;
    (at.x.is_finite() && at.y.is_finite()).then_some((at.x, at.y))
}

/// Names of columns and layers that are not there are told, not passed over.
fn columns_exist(plates: &[Plate<'_>], options: &DrawOptions) -> Result<()> {
    let links = options.link.iter().map(|name| (Some(name.as_str()), "of links"));
    let wanted = [
        (options.label.as_deref(), "to label with"),
        (options.color.as_ref().map(|by| by.column.as_str()), "to colour by"),
        (options.size.as_deref(), "to give sizes"),
    ];
    let subjects = || plates.iter().filter(|plate| plate.has_features());
    for (name, what) in wanted.into_iter().chain(links) {
        let Some(name) = name else { continue };
        if !subjects().any(|plate| plate.info().schema.field_with_name(name).is_ok()) {
            let mut names: Vec<&str> = subjects()
                .flat_map(|plate| plate.info().schema.fields().iter().map(|field| field.name()))
                .map(String::as_str)
                .collect();
            names.sort_unstable();
            names.dedup();
            let there = if names.is_empty() { "none".to_string() } else { names.join(", ") };
            return Err(Error::usage(format!(
                "no layer has a column `{name}` {what}: there is {there}"
            )));
        }
    }
    for style in &options.styles {
        let raster =
            |plate: &&Plate<'_>| plate.raster.is_some() && plate.info().name == style.layer;
        if (style.color.is_some() || style.width.is_some()) && plates.iter().any(|p| raster(&p)) {
            return Err(Error::usage(format!(
                "`{}` is a raster: its colours are its own, and it has no lines to be of a width",
                style.layer
            )));
        }
        if !plates.iter().any(|plate| plate.info().name == style.layer) {
            let names: Vec<&str> = plates.iter().map(|plate| plate.info().name.as_str()).collect();
            return Err(Error::usage(format!(
                "there is no layer `{}` to draw otherwise: there is {}",
                style.layer,
                names.join(", ")
            )));
        }
    }
    Ok(())
}

/// Draws all layers into ink, and gathers the labels.
fn ink(
    plates: &[Plate<'_>],
    view: &View,
    survey: &mut Survey,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(Vec<Inked>, Labels)> {
    let paper = Paper::of(options.theme);
    let classing = match &options.color {
        Some(coloring) => Some(Classing::new(coloring, &survey.colors, options.theme)?),
        None => None,
    };
    if let Some(size) = options.size.as_deref().filter(|_| survey.largest == 0.0) {
        return Err(Error::usage(format!("column `{size}` has no numbers to give sizes by")));
    }
    let mut labels = Labels::default();
    let mut inks = Vec::new();
    for (at, plate) in plates.iter().enumerate() {
        let info = plate.info();
        let has = |name: &str| info.schema.field_with_name(name).is_ok();
        let subject = plate.role == Role::Subject;
        let style = options.style_of(&info.name).filter(|_| plate.role != Role::Before);
        let pair = match style.and_then(|style| style.color) {
            Some(color) => palette::around(color, options.theme),
            None if subject => palette::layer(at, options.theme),
            None => paper.context,
        };
        let look = Look {
            pair,
            width: style.and_then(|style| style.width),
            classing: classing.clone().filter(|by| subject && has(&by.column)),
            largest: (subject && options.size.as_deref().is_some_and(has))
                .then_some(survey.largest),
        };
        let labels = subject.then_some(&mut labels);
        inks.push(inked(plate, view, look, &mut survey.layers[at], options, labels, watch)?);
    }
    Ok((inks, labels))
}

/// Layers from the lowest to the highest: context and what was before, then polygons, lines,
/// points.
fn order(plates: &[Plate<'_>], survey: &Survey) -> Vec<usize> {
    let mut order: Vec<usize> = (0..survey.layers.len()).collect();
    order.sort_by_key(|at| {
        let height = match survey.layers[*at].kind {
            Some(GeometryKind::Polygon) | None => 0,
            Some(GeometryKind::LineString) => 1,
            _ => 2,
        };
        (plates[*at].role == Role::Subject, height)
    });
    order
}

/// The frame's paper with the backdrop.
fn paper(canvas: &mut Canvas, view: &View, backdrop: &Backdrop) {
    let [left, top, right, bottom] = view.frame.map(Px);
    let (wide, high) = (Px(right.0 - left.0), Px(bottom.0 - top.0));
    canvas.define(format_args!(
        "<clipPath id=\"frame{}\"><rect x=\"{left}\" y=\"{top}\" width=\"{wide}\" height=\"{high}\"/></clipPath>",
        view.number
    ));
    // What is not on the Earth is the page.
    let color = if backdrop.water.is_empty() { canvas.paper.plain } else { canvas.paper.page };
    canvas.put(format_args!(
        "<rect x=\"{left}\" y=\"{top}\" width=\"{wide}\" height=\"{high}\" fill=\"{}\"/>",
        hex(color)
    ));
    backdrop_marks::draw(canvas, view, backdrop);
}

fn border(canvas: &mut Canvas, view: &View) {
    let [left, top, right, bottom] = view.frame.map(Px);
    canvas.put(format_args!(
        "<rect id=\"border{}\" x=\"{left}\" y=\"{top}\" width=\"{}\" height=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"1.2\"/>",
        view.number,
        Px(right.0 - left.0),
        Px(bottom.0 - top.0),
        hex(canvas.paper.ink)
    ));
}

fn zones(canvas: &mut Canvas, view: &View, options: &DrawOptions) {
    let Some(zones) = options.zones else { return };
    let (lines, name): (_, fn(Geographic) -> Option<String>) = match zones {
        ZoneLines::StatePlane => {
            (state_plane_lines(ZoneSet::Spcs83), backdrop_marks::state_plane_name)
        }
        ZoneLines::Utm => (utm_lines(), backdrop_marks::utm_name),
    };
    let seen = lines_seen(view, &lines);
    let color = canvas.paper.zone;
    let id = canvas.id("zones");
    canvas.put(format_args!("<g {id} {} stroke-dasharray=\"9 4\">", view.clip()));
    backdrop_marks::lines(canvas, &seen, color, "1.6");
    canvas.put(format_args!("</g>"));
    for zone in named(view, 11.0, name) {
        let at = (zone.at.0, zone.at.1 + 16.0);
        canvas.rimmed(at, 11.0, Anchor::Middle, (color, canvas.paper.land), &zone.text);
    }
}

/// The lines of round values that a map gets.
fn lines_of(view: &View, grid: GridLines) -> GridLines {
    let geographic = view.crs.as_ref().is_some_and(|crs| crs.is_geographic());
    let wide = view.metres_across().is_some_and(|metres| metres > GRATICULE_KM * 1000.0);
    match grid {
        GridLines::Auto if wide && !geographic && view.ground.is_some() => GridLines::Graticule,
        // Degrees are the grid of a geographic system.
        GridLines::Auto => GridLines::Grid,
        GridLines::Both | GridLines::Graticule if geographic => GridLines::Grid,
        GridLines::Both | GridLines::Graticule if view.ground.is_none() => GridLines::Grid,
        grid => grid,
    }
}

fn left_out_labels(label: &str, all: u64, left_out: u64) -> Notice {
    Notice::note(
        NoticeKind::Drawing,
        format!(
            "{left_out} of {all} labels of `{label}` are left out: they have no room; a larger picture \
             holds more"
        ),
    )
    .count(left_out)
}

/// The extent with a margin, never without width or height: a single point gets some
/// hundred metres around it.
fn roomy(extent: &Bounds, crs: Option<&Crs>) -> Bounds {
    let least = match crs {
        Some(crs) if crs.is_geographic() => 0.002 / crs.degrees_per_unit().unwrap_or(1.0),
        Some(crs) => 200.0 / crs.length_unit().map_or(1.0, |unit| unit.metres()),
        None => 1.0,
    };
    let (width, height) = (extent.east - extent.west, extent.north - extent.south);
    let margin = (0.05 * width.max(height)).max(if width.max(height) > 0.0 { 0.0 } else { least });
    Bounds {
        west: extent.west - margin,
        east: extent.east + margin,
        south: extent.south - margin,
        north: extent.north + margin,
    }
}
