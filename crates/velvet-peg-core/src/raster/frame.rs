//! The frame that holds a raster in another reference system: its extent and the size of its pixels.

use super::carrier::Carrier;
use super::pixel_grid::PixelGrid;
use super::turn::Turn;
use crate::converter::Converter;
use crate::crs::Crs;
use crate::error::{Error, Result};
use crate::extent::Bounds;
use crate::fit::Mapping;

/// What a frame is to be like; each is found from the raster where nothing is said.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct FrameOptions {
    /// Width and height of a pixel, in the unit of the target.
    pub pixel: Option<(f64, f64)>,
    /// Edges, in the unit of the target: they are moved outward to whole pixels.
    pub extent: Option<Bounds>,
    /// Pixels lie on those of this grid, in the target's system, or on where they would be beyond its
    /// edges.
    pub align: Option<PixelGrid>,
    /// Pixels have to be squares.
    pub square: bool,
}

/// A frame, and how it was found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Frame {
    /// The pixels.
    pub grid: PixelGrid,
    /// Width and height, in the unit of the target, that a pixel may have at most so that no place of the
    /// source has more pixels than the frame.
    pub finest: (f64, f64),
    /// True if a pole lies in the raster, so that a frame in degrees goes all around.
    pub holds_pole: bool,
    /// True if the frame is in degrees and goes on beyond the meridian of 180°, with longitudes above it.
    pub crosses_antimeridian: bool,
    /// The part of the raster that has no coordinates in the target's system, of a sample of places.
    pub beyond: f64,
}

/// Pixels of a frame at most, for each of the raster, where their size is not named.
const MOST_FOR_ONE: f64 = 4.0;

/// Pixels that a frame may have at most.
const MOST_PIXELS: f64 = 1e11;

/// Places along an edge that are looked at, at most.
const ALONG_EDGE: usize = 4096;

/// Places inside, each way.
const INSIDE: usize = 65;

/// The frame that holds a raster in another system. Without options it loses neither area (each corner of
/// a pixel on the edge lies in it) nor resolution (its pixels are no larger than the finest of the
/// source, to 1 in 500), and its edges are whole multiples of its pixels. Pixels are squares in a plane;
/// in degrees width and height are each as large as they may be, unless squares are asked for. Where a
/// raster in degrees has a pole, and its pixels there are points, the finest would make a frame of
/// very many pixels: it has no more than four for each of the raster, and [`Frame::finest`] tells what is
/// lost.
///
/// `there` leads from the raster's system to the target's, `back` the other way.
///
/// # Errors
/// If no place of the raster has coordinates in the target's system, an option is no possible one, or
/// the frame would have more than 10¹¹ pixels.
pub fn frame(
    source: &PixelGrid,
    there: &Converter,
    back: &Converter,
    options: &FrameOptions,
) -> Result<Frame> {
    let target = there.target();
    let turn = Turn::of(target);
    let round = turn.map(|turn| turn.full);
    let seen = survey(source, there).ok_or_else(|| {
        Error::out_of_domain(format!(
            "no place of the raster has coordinates in {}: is its own system, {}, the right one?",
            there.target().label(),
            there.source().label()
        ))
    })?;
    let poles = round.map_or([None, None], |round| {
        [0.25, -0.25].map(|part| Some(part * round).filter(|lat| holds(source, back, *lat)))
    });
    let (mut west, mut east) = match round {
        // What goes all around begins where longitudes do.
        Some(round) => around(&seen.x, round).unwrap_or((-round / 2.0, round / 2.0)),
        None => ends(&seen.x),
    };
    let (mut south, mut north) = ends(&seen.y);
    if let (Some(round), true) = (round, poles.iter().any(Option::is_some)) {
        (west, east) = (-round / 2.0, round / 2.0);
        north = poles[0].unwrap_or(north);
        south = poles[1].unwrap_or(south);
    }
    let pixel = match (options.align, options.pixel) {
        (Some(align), _) if !align.is_upright() => {
            return Err(Error::malformed(
                "the raster to align with is turned: pixels can be aligned with one that has north up",
            ));
        }
        (Some(align), None) => align.pixel_size(),
        (_, Some(pixel)) => pixel,
        (None, None) => {
            let finest = chosen(&seen, source, there, options.square);
            let pixels = (east - west) * (north - south) / (finest.0 * finest.1);
            let most = MOST_FOR_ONE * (source.columns() * source.rows()) as f64;
            match pixels > most {
                // Rounding down lets the number exceed the limit a little.
                true => {
                    let times = (pixels / most).sqrt();
                    (rounded_down(finest.0 * times), rounded_down(finest.1 * times))
                }
                false => finest,
            }
        }
    };
    if !(pixel.0 > 0.0 && pixel.1 > 0.0 && pixel.0.is_finite() && pixel.1.is_finite()) {
        return Err(Error::malformed("the size of a pixel is a number above 0"));
    }
    if let Some(extent) = options.extent {
        if !(extent.west < extent.east && extent.south < extent.north) {
            return Err(Error::malformed(
                "the extent is empty: it is given as west, south, east, north",
            ));
        }
        (west, south, east, north) = (extent.west, extent.south, extent.east, extent.north);
    }
    let whole = round.is_some_and(|round| east - west >= round);
    let begin = (if whole { west } else { 0.0 }, 0.0);
    let base = options.align.map_or(begin, |align| align.origin());
    // What lies on an edge to the rounding of doubles begins no further pixel.
    let low = |value: f64, base: f64, size: f64| ((value - base) / size + 1e-6).floor();
    let high = |value: f64, base: f64, size: f64| ((value - base) / size - 1e-6).ceil();
    let (left, right) = (low(west, base.0, pixel.0), high(east, base.0, pixel.0));
    let (bottom, top) = (low(south, base.1, pixel.1), high(north, base.1, pixel.1));
    let (mut columns, mut rows) = (right - left, top - bottom);
    if columns * rows > MOST_PIXELS {
        return Err(Error::malformed(format!(
            "the frame would have {columns:.0} × {rows:.0} pixels of {} × {} {}: choose larger pixels or a \
             smaller extent",
            pixel.0,
            pixel.1,
            target.unit_plural()
        )));
    }
    let mut corner = (base.0 + left * pixel.0, base.1 + top * pixel.1);
    if let Some(round) = round {
        // A world that is a whole number of pixels round does not begin again.
        columns = columns.min((round / pixel.0 - 1e-6).ceil());
        if corner.1 > round / 4.0 + 1e-9 {
            corner.1 = round / 4.0;
        }
        rows = rows.min(((corner.1 + round / 4.0) / pixel.1 - 1e-6).ceil());
    }
    let grid =
        PixelGrid::upright(corner, pixel, columns.max(1.0) as usize, rows.max(1.0) as usize)?;
    Ok(Frame {
        grid,
        finest: seen.finest,
        holds_pole: poles.iter().any(Option::is_some),
        crosses_antimeridian: round.is_some_and(|round| grid.bounds().east > round / 2.0 + 1e-9),
        beyond: seen.beyond,
    })
}

/// The frame that holds an image whose pixels a mapping of second order carries to a plane, straightened: no
/// area and no resolution is lost, as in [`frame`].
///
/// # Errors
/// If the mapping folds the image, so that one place has two of its pixels.
pub fn straight_frame(columns: usize, rows: usize, mapping: &Mapping) -> Result<PixelGrid> {
    let pixels = PixelGrid::new((0.0, 0.0), (1.0, 0.0), (0.0, 1.0), columns, rows)?;
    let folds = || {
        Error::malformed(
            "the mapping folds the image: one place has two of its pixels, so the points are too few, badly \
             spread or wrong",
        )
    };
    // All over the image one side of it is up.
    let part = |at: usize| at as f64 / (INSIDE - 1) as f64;
    let turns = |at: usize| {
        let at = (part(at % INSIDE) * columns as f64, part(at / INSIDE) * rows as f64);
        let [(a, b), (c, d)] = mapping.derivatives(at);
        a * d - b * c
    };
    let first = turns(0);
    if !(0..INSIDE * INSIDE).all(|at| turns(at) * first > 0.0) {
        return Err(folds());
    }
    let seen = survey(&pixels, mapping).ok_or_else(folds)?;
    let size = rounded_down(seen.finest.0.min(seen.finest.1));
    let ((west, east), (south, north)) = (ends(&seen.x), ends(&seen.y));
    let (left, top) = ((west / size).floor(), (north / size).ceil());
    let columns = ((east / size).ceil() - left).max(1.0);
    let rows = (top - (south / size).floor()).max(1.0);
    if columns * rows > MOST_PIXELS {
        return Err(folds());
    }
    PixelGrid::upright((left * size, top * size), (size, size), columns as usize, rows as usize)
}

/// What was seen of a raster in the target's system.
struct Seen {
    x: Vec<f64>,
    y: Vec<f64>,
    finest: (f64, f64),
    beyond: f64,
}

/// Looks at the edges and at places inside; none if none of them has a place there.
fn survey(source: &PixelGrid, there: &dyn Carrier) -> Option<Seen> {
    let turn = there.turn();
    let (columns, rows) = (source.columns() as f64, source.rows() as f64);
    let mut asked = Vec::new();
    let steps = |count: usize| count.clamp(2, ALONG_EDGE);
    for (count, from, to) in [
        (source.columns(), (0.0, 0.0), (columns, 0.0)),
        (source.columns(), (0.0, rows), (columns, rows)),
        (source.rows(), (0.0, 0.0), (0.0, rows)),
        (source.rows(), (columns, 0.0), (columns, rows)),
    ] {
        let count = steps(count);
        asked.extend((0..=count).map(|at| {
            let part = at as f64 / count as f64;
            (from.0 + part * (to.0 - from.0), from.1 + part * (to.1 - from.1))
        }));
    }
    let part = |at: usize| at as f64 / (INSIDE - 1) as f64;
    let inside: Vec<(f64, f64)> = (0..INSIDE * INSIDE)
        .map(|at| (part(at % INSIDE) * (columns - 1.0), part(at / INSIDE) * (rows - 1.0)))
        .collect();
    asked.extend(&inside);
    let carried = |asked: &[(f64, f64)]| {
        let (mut x, mut y): (Vec<f64>, Vec<f64>) =
            asked.iter().map(|(column, row)| source.place(*column, *row)).unzip();
        there.carry(&mut x, &mut y);
        (x, y)
    };
    let (x, y) = carried(&asked);
    let found = x.iter().zip(&y).filter(|(x, y)| x.is_finite() && y.is_finite());
    let (x, y): (Vec<f64>, Vec<f64>) = found.unzip();
    if x.is_empty() {
        return None;
    }
    let beyond = 1.0 - x.len() as f64 / asked.len() as f64;
    // A pixel of the frame spans no more than one of the source, whichever way.
    let shifted = |right: f64, down: f64| {
        carried(&inside.iter().map(|at| (at.0 + right, at.1 + down)).collect::<Vec<_>>())
    };
    let (own, right, below) = (shifted(0.0, 0.0), shifted(1.0, 0.0), shifted(0.0, 1.0));
    let mut finest = (f64::INFINITY, f64::INFINITY);
    // At a pole there is no longitude to take a difference from.
    let pole = turn.map_or(f64::INFINITY, |turn| turn.full / 4.0 * (1.0 - 1e-9));
    for at in 0..inside.len() {
        if [&own, &right, &below].iter().any(|(_, y)| y[at].abs() >= pole) {
            continue;
        }
        // Longitudes on both sides of a seam are near each other.
        let near = |step: f64| turn.map_or(step, |turn| turn.near(step, 0.0));
        let across = (near(right.0[at] - own.0[at]), right.1[at] - own.1[at]);
        let down = (near(below.0[at] - own.0[at]), below.1[at] - own.1[at]);
        let area = (across.0 * down.1 - across.1 * down.0).abs();
        let width = area / across.1.hypot(down.1);
        let height = area / across.0.hypot(down.0);
        if width.is_finite() && height.is_finite() && width > 0.0 && height > 0.0 {
            finest = (finest.0.min(width), finest.1.min(height));
        }
    }
    Some(Seen { x, y, finest, beyond })
}

/// True if a pole of the target lies in the raster.
fn holds(source: &PixelGrid, back: &Converter, lat: f64) -> bool {
    // A raster in degrees reaches its poles with its edges, or not at all.
    if back.target().is_geographic() {
        return false;
    }
    let (mut x, mut y) = (vec![0.0], vec![lat]);
    back.convert_columns(&mut x, &mut y, None);
    let (column, row) = source.pixel((x[0], y[0]));
    (0.0..=source.columns() as f64).contains(&column) && (0.0..=source.rows() as f64).contains(&row)
}

fn ends(values: &[f64]) -> (f64, f64) {
    values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| {
        (low.min(*value), high.max(*value))
    })
}

/// The shortest arc that holds all longitudes, eastward; it begins within half a turn of 0. Gaps that the
/// looking at single places leaves are none: of what goes all around there is no such arc.
fn around(values: &[f64], round: f64) -> Option<(f64, f64)> {
    let mut sorted: Vec<f64> = values.iter().map(|value| value.rem_euclid(round)).collect();
    sorted.sort_by(f64::total_cmp);
    let (mut from, mut widest) = (0, sorted[0] + round - sorted[sorted.len() - 1]);
    for at in 1..sorted.len() {
        let gap = sorted[at] - sorted[at - 1];
        if gap > widest {
            (from, widest) = (at, gap);
        }
    }
    if widest <= 2.0 * round / INSIDE as f64 {
        return None;
    }
    let west = sorted[from];
    let west = if west >= round / 2.0 { west - round } else { west };
    Some((west, west + round - widest))
}

/// The size of a pixel where none is named.
fn chosen(seen: &Seen, source: &PixelGrid, there: &Converter, square: bool) -> (f64, f64) {
    let (width, height) = seen.finest;
    let in_plane = !there.target().is_geographic();
    // A sheet of 2 m stays one of 2 m, and a grid of 1" one of 1".
    let unit = |crs: &Crs| match crs.is_geographic() {
        true => crs.degrees_per_unit(),
        false => crs.length_unit().map(|unit| unit.metres()),
    };
    let alike = there.source().is_geographic() != in_plane;
    let times = match (unit(there.source()), unit(there.target())) {
        (Some(from), Some(to)) if alike => Some(from / to),
        _ => None,
    };
    let kept = |own: f64, size: f64| {
        let own = times.map(|times| own * times);
        let near = own.filter(|own| (own / size - 1.0).abs() <= 0.002);
        near.unwrap_or_else(|| rounded_down(size))
    };
    let own = source.pixel_size();
    if !in_plane && !square {
        return (kept(own.0, width), kept(own.1, height));
    }
    let size = kept(own.0.min(own.1), width.min(height));
    (size, size)
}

/// To four digits, and no larger.
fn rounded_down(value: f64) -> f64 {
    if !value.is_normal() {
        return value;
    }
    let digits = (3.0 - value.log10().floor()) as i32;
    // Through the text, so that 0.0001234 is the double of its digits.
    let text = match digits >= 0 {
        true => format!("{}e-{digits}", (value * 10f64.powi(digits)).floor()),
        false => format!("{}e{}", (value / 10f64.powi(-digits)).floor(), -digits),
    };
    text.parse().unwrap_or(value)
}
