//! What is on a map, seen once before it is drawn: how far it reaches, which kinds and values.

use super::ground::Ground;
use super::options::DrawOptions;
use super::plates::{Carried, Plate, Role};
use super::values::{ValueTally, number_of};
use crate::error::{Error, Result};
use crate::layer::GeometryKind;
use crate::notice::{Notice, NoticeKind};
use crate::plausibility::{Evidence, PositionSample};
use crate::progress::Progress;
use velvet_peg_core::{Bounds, Crs};

/// Degrees of longitude without data from which on a map is cut there, rather than at 180°.
const GAP: usize = 60;

/// What is known of one layer.
#[derive(Debug)]
pub(super) struct Surveyed {
    pub(super) features: u64,
    pub(super) vertices: u64,
    /// Features without a geometry.
    pub(super) bare: u64,
    /// Features with a vertex that cannot be carried to the map's system.
    pub(super) failed: u64,
    /// The kind of all its features, as singles; none of several.
    pub(super) kind: Option<GeometryKind>,
    /// Where its vertices lie on the map.
    pub(super) sample: PositionSample,
}

/// What is known of all.
#[derive(Debug)]
pub(super) struct Survey {
    pub(super) layers: Vec<Surveyed>,
    /// What the map has to show, beyond the cut a circle farther east.
    pub(super) extent: Bounds,
    /// Where the map is cut, in the unit of a geographic system.
    pub(super) cut: Option<f64>,
    /// Once around the Earth, in the unit of a geographic system.
    circle: Option<f64>,
    pub(super) colors: ValueTally,
    /// Largest number of the column that gives sizes, without sign.
    pub(super) largest: f64,
    pub(super) notices: Vec<Notice>,
}

impl Survey {
    /// The box around the positions of the subjects that do not stand apart; none if none does.
    pub(super) fn bulk(&self, plates: &[Plate<'_>]) -> Option<Bounds> {
        let subjects =
            || plates.iter().zip(&self.layers).filter(|(plate, _)| plate.role == Role::Subject);
        let apart = |layer: &Surveyed| layer.sample.kept().any(|(x, y)| !layer.sample.near(x, y));
        if !subjects().any(|(_, layer)| apart(layer)) {
            return None;
        }
        let unrolled = |x: f64| match (self.cut, self.circle) {
            (Some(cut), Some(circle)) if x < cut => x + circle,
            _ => x,
        };
        let mut bulk: Option<Bounds> = None;
        for (_, layer) in subjects() {
            for (x, y) in layer.sample.kept().filter(|(x, y)| layer.sample.near(*x, *y)) {
                let x = unrolled(x);
                let bulk = bulk.get_or_insert(Bounds { south: y, west: x, north: y, east: x });
                bulk.south = bulk.south.min(y);
                bulk.north = bulk.north.max(y);
                bulk.west = bulk.west.min(x);
                bulk.east = bulk.east.max(x);
            }
        }
        bulk
    }
}

/// The values that colours and sizes are made of.
#[derive(Debug, Default)]
struct Tally {
    colors: ValueTally,
    largest: f64,
}

/// Goes through all layers once.
pub(super) fn survey(
    plates: &[Plate<'_>],
    crs: Option<&Crs>,
    ground: Option<&Ground>,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<Survey> {
    let mut reach = Reach::new(ground.and_then(|ground| ground.degrees));
    let mut tally = Tally::default();
    let (mut layers, mut notices) = (Vec::new(), Vec::new());
    for plate in plates {
        let counts = plate.role != Role::Context;
        let (layer, told) =
            one(plate, crs, counts.then_some(&mut reach), options, &mut tally, watch)?;
        layers.push(layer);
        notices.extend(told);
    }
    let (extent, cut) = reach
        .whole()
        .ok_or_else(|| Error::data("there is nothing to draw: the layers have no geometry"))?;
    let Tally { colors, largest } = tally;
    let circle = ground.and_then(|ground| ground.degrees).map(|degrees| 360.0 / degrees);
    Ok(Survey { layers, extent, cut, circle, colors, largest, notices })
}

fn one(
    plate: &Plate<'_>,
    crs: Option<&Crs>,
    mut reach: Option<&mut Reach>,
    options: &DrawOptions,
    tally: &mut Tally,
    watch: &mut dyn Progress,
) -> Result<(Surveyed, Vec<Notice>)> {
    let info = plate.info();
    let mut layer = Surveyed {
        features: 0,
        vertices: 0,
        bare: 0,
        failed: 0,
        kind: None,
        sample: PositionSample::of_features(),
    };
    layer.sample.set_system(crs);
    layer.sample.only_look();
    let mut evidence = Evidence::new(info, info.crs.as_ref());
    let (mut mixed, mut unreadable) = (false, 0);
    plate.each(watch, |Carried { batch, geometry }| {
        evidence.add(batch);
        unreadable += batch.unreadable.len() as u64;
        layer.features += geometry.len() as u64;
        layer.vertices += geometry.x.len() as u64;
        for (feature, kind) in geometry.kinds().iter().enumerate() {
            let Some(kind) = kind.map(GeometryKind::single) else {
                layer.bare += 1;
                continue;
            };
            mixed |= layer.kind.is_some_and(|known| known != kind);
            layer.kind = Some(kind);
            // Of a raster it is the outline, of which a part may be on the map.
            if plate.raster.is_none() && plate.is_carried() && is_lost(geometry, feature) {
                layer.failed += 1;
            }
        }
        for (x, y) in geometry.x.iter().zip(&geometry.y).filter(|(x, y)| finite(**x, **y)) {
            layer.sample.gather(*x, *y);
            if let Some(reach) = &mut reach {
                reach.add(*x, *y);
            }
        }
        if plate.role == Role::Subject {
            for_each(batch, options.color.as_ref().map(|by| by.column.as_str()), |value| {
                tally.colors.add(value);
            });
            for_each(batch, options.size.as_deref(), |value| {
                let number = number_of(value).map_or(0.0, f64::abs);
                tally.largest = tally.largest.max(number);
            });
        }
        Ok(())
    })?;
    layer.sample.settle();
    if mixed {
        layer.kind = None;
    }
    let mut notices: Vec<Notice> = Vec::new();
    if evidence.settle().is_some() {
        notices.extend(evidence.notice());
    }
    let lost = |count: u64, what: &str| {
        let s = if count == 1 { "" } else { "s" };
        let text = format!("{count} feature{s} {what}");
        (count > 0).then(|| Notice::warning(NoticeKind::Drawing, text).count(count))
    };
    notices.extend(lost(layer.failed, "cannot be carried to the map's system: not drawn"));
    notices.extend(lost(unreadable, "cannot be read: not drawn"));
    for notice in &mut notices {
        notice.text = format!("layer {}: {}", info.name, notice.text);
    }
    Ok((layer, notices.into_iter().map(|notice| notice.in_layer(&info.name)).collect()))
}

/// True if a vertex of a feature is not on the map.
pub(super) fn is_lost(geometry: &crate::layer::GeometryColumn, feature: usize) -> bool {
    geometry.vertices(feature).any(|at| !finite(geometry.x[at], geometry.y[at]))
}

fn finite(x: f64, y: f64) -> bool {
    x.is_finite() && y.is_finite()
}

fn for_each(
    batch: &crate::layer::Batch,
    column: Option<&str>,
    mut see: impl FnMut(crate::layer::ValueRef<'_>),
) {
    let at = column.and_then(|column| batch.attributes().schema().index_of(column).ok());
    if let Some(column) = at.and_then(|at| batch.column(at)) {
        (0..batch.len()).for_each(|row| see(column.value(row)));
    }
}

/// How far data reaches; around the Earth by its degrees of longitude.
#[derive(Debug)]
struct Reach {
    degrees: Option<f64>,
    bounds: Option<Bounds>,
    /// Westernmost and easternmost x of each degree from -180°.
    by_degree: Vec<Option<(f64, f64)>>,
}

impl Reach {
    fn new(degrees: Option<f64>) -> Reach {
        Reach { degrees, bounds: None, by_degree: vec![None; 360] }
    }

    fn add(&mut self, x: f64, y: f64) {
        let bounds = self.bounds.get_or_insert(Bounds { south: y, west: x, north: y, east: x });
        bounds.south = bounds.south.min(y);
        bounds.north = bounds.north.max(y);
        bounds.west = bounds.west.min(x);
        bounds.east = bounds.east.max(x);
        if let Some(degrees) = self.degrees {
            let degree = (x * degrees + 180.0).floor().clamp(0.0, 359.0) as usize;
            let (west, east) = self.by_degree[degree].get_or_insert((x, x));
            *west = west.min(x);
            *east = east.max(x);
        }
    }

    /// What is to be shown, and where the map is cut if not at 180°.
    fn whole(&self) -> Option<(Bounds, Option<f64>)> {
        let bounds = self.bounds?;
        let Some(degrees) = self.degrees else { return Some((bounds, None)) };
        let used: Vec<usize> = (0..360).filter(|at| self.by_degree[*at].is_some()).collect();
        let (Some(first), Some(last)) = (used.first(), used.last()) else {
            return Some((bounds, None));
        };
        let gap = used.windows(2).max_by_key(|pair| pair[1] - pair[0]);
        let outside = first + 359 - last;
        match gap {
            Some(pair) if pair[1] - pair[0] > GAP.max(outside) => {
                let west = self.by_degree[pair[1]]?.0;
                let east = self.by_degree[pair[0]]?.1 + 360.0 / degrees;
                let cut = (pair[0] + pair[1]) as f64 / 2.0 - 180.0;
                Some((Bounds { west, east, ..bounds }, Some(cut / degrees)))
            }
            _ => Some((bounds, None)),
        }
    }
}
