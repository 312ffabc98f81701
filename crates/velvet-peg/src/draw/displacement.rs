//! How features moved between two states of a layer: from where each was to where it is.

use super::canvas::{Canvas, path};
use super::figures::{grouped, readable, round_below};
use super::ground::{Ground, within};
use super::palette::hex;
use super::plates::{Carried, Plate};
use super::values::text_of;
use super::view::View;
use crate::error::{Error, Result};
use crate::layer::GeometryKind;
use crate::notice::{Notice, NoticeKind};
use crate::progress::Progress;
use std::collections::BTreeMap;

/// Arrows that are drawn at most.
const ARROWS: usize = 1_500;
/// In a page, where they can be looked at closer.
const IN_PAGE: usize = 20_000;
/// Features whose positions are kept.
const KEPT: usize = 2_000_000;
/// Arrows shorter than this many pixels are drawn longer than they are.
const SHORT: f64 = 8.0;
/// Pixels that the longest of these gets.
const LONG: f64 = 60.0;

/// Where features are and were.
pub(super) struct Displacement {
    /// Before and after, on the map.
    moves: Vec<((f64, f64), (f64, f64))>,
    mean_m: f64,
    largest_m: f64,
    /// Features that have no other state.
    alone: u64,
}

/// Middle of the vertices of each feature, with its key; its number if none is asked for.
fn places(
    plate: &Plate<'_>,
    key: Option<&str>,
    ground: Option<&Ground>,
    watch: &mut dyn Progress,
) -> Result<BTreeMap<String, (f64, f64)>> {
    let at = match key {
        None => None,
        Some(name) => Some(plate.info().schema.index_of(name).map_err(|_| {
            Error::usage(format!(
                "layer {} has no column `{name}` to find features by",
                plate.info().name
            ))
        })?),
    };
    let mut places = BTreeMap::new();
    plate.each(watch, |Carried { batch, geometry }| {
        let column = at.and_then(|at| batch.column(at));
        for feature in 0..geometry.len() {
            let vertices = geometry.vertices(feature);
            let count = vertices.len() as f64;
            let first = vertices.start;
            // Both sides of 180° are one place.
            let x = |at: usize| match ground.and_then(|ground| ground.degrees) {
                Some(degrees) => {
                    within(geometry.x[at] * degrees, geometry.x[first] * degrees) / degrees
                }
                None => geometry.x[at],
            };
            let sum = vertices.fold((0.0, 0.0), |sum, at| (sum.0 + x(at), sum.1 + geometry.y[at]));
            let middle = (sum.0 / count, sum.1 / count);
            let key = match column {
                // Numbers in their order.
                None => Some(format!("{:012}", batch.first + feature as u64)),
                Some(column) => text_of(column.value(feature)),
            };
            let Some(key) = key.filter(|_| middle.0.is_finite()) else { continue };
            let name = &plate.info().name;
            if let Some(twice) = places.insert(key.clone(), middle).map(|_| key) {
                return Err(Error::usage(format!(
                    "layer {name} has `{twice}` more than once in the column that features are found \
                     by: name one whose values are all different"
                )));
            }
            if places.len() > KEPT {
                return Err(Error::usage(format!(
                    "layer {name} has more than {KEPT} features, too many to be compared one by one"
                )));
            }
        }
        Ok(())
    })?;
    Ok(places)
}

impl Displacement {
    /// Between a layer before and after.
    pub(super) fn between(
        before: &Plate<'_>,
        after: &Plate<'_>,
        key: Option<&str>,
        ground: Option<&Ground>,
        watch: &mut dyn Progress,
    ) -> Result<Displacement> {
        let kinds = [before, after].map(|plate| plate.info().kind.map(GeometryKind::single));
        if let [Some(was), Some(is)] = kinds
            && was != is
        {
            return Err(Error::usage(format!(
                "{} is of {}s and {} of {}s: they are not one layer before and after",
                before.info().name,
                was.name(),
                after.info().name,
                is.name()
            )));
        }
        let (was, is) = (places(before, key, ground, watch)?, places(after, key, ground, watch)?);
        if key.is_none() && was.len() != is.len() {
            return Err(Error::usage(format!(
                "{} has {} features and {} has {}: name a column that tells which is which of them",
                before.info().name,
                was.len(),
                after.info().name,
                is.len()
            )));
        }
        let moves: Vec<((f64, f64), (f64, f64))> =
            is.iter().filter_map(|(key, to)| Some((*was.get(key)?, *to))).collect();
        if moves.is_empty() {
            return Err(Error::data("no feature is in the layer before and after"));
        }
        let lengths: Vec<f64> = moves
            .iter()
            .map(|(from, to)| {
                let metres = ground.and_then(|ground| {
                    Some(ground.metres(ground.place(from.0, from.1)?, ground.place(to.0, to.1)?))
                });
                metres.unwrap_or_else(|| (to.0 - from.0).hypot(to.1 - from.1))
            })
            .collect();
        let alone = (was.len() + is.len() - 2 * moves.len()) as u64;
        Ok(Displacement {
            mean_m: lengths.iter().sum::<f64>() / lengths.len() as f64,
            largest_m: lengths.iter().copied().fold(0.0, f64::max),
            moves,
            alone,
        })
    }

    /// What is to be told of it.
    pub(super) fn notices(&self, on_ground: bool) -> Vec<Notice> {
        let s = if self.moves.len() == 1 { "" } else { "s" };
        let mut notices = vec![Notice::note(
            NoticeKind::Drawing,
            format!(
                "{} feature{s} moved by {} on average, {} at most",
                self.moves.len(),
                length(self.mean_m, on_ground),
                length(self.largest_m, on_ground)
            ),
        )];
        if self.alone > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Drawing,
                    format!("{} features are only in one of the two: not compared", self.alone),
                )
                .count(self.alone),
            );
        }
        notices
    }

    /// How often its length an arrow is drawn.
    fn times(&self, view: &View) -> f64 {
        let longest = self
            .moves
            .iter()
            .map(|(from, to)| {
                let (a, b) = (self.pixel(view, *from), self.pixel(view, *to));
                (a.0 - b.0).hypot(a.1 - b.1)
            })
            .fold(0.0, f64::max);
        if longest > 1e-9 && longest < SHORT { round_below(LONG / longest) } else { 1.0 }
    }

    /// From where each was to where it is, some of them where there are many.
    pub(super) fn arrows(&self, view: &View) -> Vec<[f64; 4]> {
        let step = self.moves.len().div_ceil(IN_PAGE);
        let arrow = |(from, to): &((f64, f64), (f64, f64))| {
            [view.unrolled(from.0), from.1, view.unrolled(to.0), to.1]
        };
        self.moves.iter().step_by(step).map(arrow).collect()
    }

    fn pixel(&self, view: &View, (x, y): (f64, f64)) -> (f64, f64) {
        view.pixel(view.unrolled(x), y)
    }

    /// Draws an arrow from where each was to where it is.
    pub(super) fn draw(&self, canvas: &mut Canvas, view: &View) {
        if self.largest_m == 0.0 {
            return;
        }
        let times = self.times(view);
        let step = self.moves.len().div_ceil(ARROWS);
        let color = hex(canvas.paper.flag);
        let mut shafts = String::new();
        let mut heads = String::new();
        for (from, to) in self.moves.iter().step_by(step) {
            let (a, b) = (self.pixel(view, *from), self.pixel(view, *to));
            // A longer arrow keeps its head where the feature is.
            let tail = (b.0 - (b.0 - a.0) * times, b.1 - (b.1 - a.1) * times);
            let wide = (b.0 - tail.0).hypot(b.1 - tail.1);
            if wide < 0.5 {
                continue;
            }
            shafts.push_str(&path([tail, b], false));
            let (ux, uy) = ((b.0 - tail.0) / wide, (b.1 - tail.1) / wide);
            let (long, half) = (7.0_f64.min(wide), 3.0_f64.min(wide / 2.0));
            let base = (b.0 - ux * long, b.1 - uy * long);
            heads.push_str(&path(
                [
                    b,
                    (base.0 - uy * half, base.1 + ux * half),
                    (base.0 + uy * half, base.1 - ux * half),
                ],
                true,
            ));
        }
        let id = canvas.id("moves");
        canvas.put(format_args!(
            "<g {} {}><path d=\"{shafts}\" fill=\"none\" stroke=\"{color}\" stroke-width=\"1.3\"/><path d=\"{heads}\" fill=\"{color}\"/></g>",
            id,
            view.clip()
        ));
    }

    /// What they come to.
    pub(super) fn facts(&self, view: &View) -> Vec<String> {
        let on_ground = view.ground.is_some();
        if self.largest_m == 0.0 {
            return vec!["no feature moved".to_string()];
        }
        vec![
            format!("mean {}", length(self.mean_m, on_ground)),
            format!("largest {}", length(self.largest_m, on_ground)),
        ]
    }

    /// Lines of the legend.
    pub(super) fn legend(&self, view: &View) -> Vec<String> {
        let mut lines = self.facts(view);
        if self.largest_m == 0.0 {
            return lines;
        }
        let times = self.times(view);
        if times > 1.0 {
            lines.push(format!("arrows drawn {} times as long", grouped(times, 0)));
        }
        let step = self.moves.len().div_ceil(ARROWS);
        if step > 1 {
            lines.push(format!("an arrow for one feature of {step}"));
        }
        lines
    }
}

/// A length on the ground; in units of bare numbers where there is no ground.
pub(super) fn length(metres: f64, on_ground: bool) -> String {
    let (value, unit) = match metres {
        metres if metres >= 10_000.0 && on_ground => (metres / 1000.0, "km"),
        metres => (metres, if on_ground { "m" } else { "units" }),
    };
    if value == 0.0 {
        return format!("0 {unit}");
    }
    let (value, decimals) = readable(value, (value / 10.0).max(0.0001));
    format!("{} {unit}", grouped(value, decimals))
}
