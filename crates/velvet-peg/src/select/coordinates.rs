//! Coordinates of features as columns, in any reference system.

use crate::crs::reference::read_reference;
use crate::error::{Error, Result};
use crate::layer::{GeometryColumn, GeometryKind};
use crate::notice::Notice;
use arrow_array::{ArrayRef, Float64Array};
use std::path::Path;
use std::sync::Arc;
use velvet_peg_core::{Converter, Coordinate, Crs, planar};

/// Coordinates of the features as columns. A point has its own; a line has those of the middle
/// of its length, a polygon those of the centroid of its area (of their parts together), both in
/// the plane of the layer's coordinates.
#[derive(Clone, Debug, PartialEq)]
pub struct PlaceColumns {
    /// The system they are in; the layer's own if none.
    pub crs: Option<Crs>,
    /// Name of the column of longitudes or eastings.
    pub x: String,
    /// Name of the column of latitudes or northings.
    pub y: String,
    /// Name of the column of heights, if they are wanted.
    pub z: Option<String>,
    /// Digits behind the point; all there are if none.
    pub decimals: Option<usize>,
}

impl PlaceColumns {
    /// Reads `REF:X,Y[,Z][:DECIMALS]`, such as `EPSG:32611:utm_e,utm_n:2`; without a reference
    /// system (`X,Y`) it is the layer's own. Paths are taken from `folder`.
    ///
    /// ```
    /// use std::path::Path;
    /// use velvet_peg::select::PlaceColumns;
    /// let (columns, _) = PlaceColumns::parse("EPSG:32611:utm_e,utm_n:2", Path::new(""))?;
    /// assert_eq!((columns.x.as_str(), columns.decimals), ("utm_e", Some(2)));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If it is not of this form, or the system is not known.
    pub fn parse(text: &str, folder: &Path) -> Result<(PlaceColumns, Option<Notice>)> {
        let wrong = || {
            Error::usage(format!(
                "`{text}` names no coordinate columns: write REF:X,Y or REF:X,Y:DECIMALS, such as \
                 EPSG:32611:utm_e,utm_n:2"
            ))
        };
        let (reference, names, decimals) = PlaceColumns::split(text);
        let names: Vec<&str> = names.split(',').map(str::trim).collect();
        if !(2..=3).contains(&names.len()) || names.iter().any(|name| name.is_empty()) {
            return Err(wrong());
        }
        let read = reference.map(|text| read_reference(text.trim(), folder)).transpose()?;
        let (crs, notice) = read.map_or((None, None), |(crs, notice)| (Some(crs), notice));
        let columns = PlaceColumns {
            crs,
            x: names[0].to_string(),
            y: names[1].to_string(),
            z: names.get(2).map(|name| name.to_string()),
            decimals,
        };
        Ok((columns, notice))
    }

    /// The reference system, the names and the decimals of such a text.
    pub(crate) fn split(text: &str) -> (Option<&str>, &str, Option<usize>) {
        let (rest, decimals) = match text.rsplit_once(':') {
            Some((rest, last)) => match last.trim().parse::<usize>() {
                Ok(decimals) if rest.contains(',') && decimals <= 15 => (rest, Some(decimals)),
                _ => (text, None),
            },
            None => (text, None),
        };
        match rest.rsplit_once(':') {
            Some((reference, names)) => (Some(reference), names, decimals),
            None => (None, rest, decimals),
        }
    }
}

/// The same, with the way from the layer's system.
#[derive(Debug)]
pub(super) struct Places {
    pub(super) names: Vec<String>,
    converter: Option<Converter>,
    decimals: Option<usize>,
}

impl Places {
    pub(super) fn plan(columns: &PlaceColumns, crs: Option<&Crs>) -> Result<Places> {
        let converter = match (&columns.crs, crs) {
            (None, _) => None,
            (Some(to), Some(from)) if to == from => None,
            (Some(to), Some(from)) => Some(Converter::new(from, to)?),
            (Some(to), None) => {
                return Err(Error::usage(format!(
                    "coordinates in {} are wanted, but the layer has no reference system to carry \
                     them from",
                    to.label()
                )));
            }
        };
        let names = [Some(columns.x.clone()), Some(columns.y.clone()), columns.z.clone()];
        Ok(Places {
            names: names.into_iter().flatten().collect(),
            converter,
            decimals: columns.decimals,
        })
    }

    /// True if places without a height count as at height 0, because the target is geocentric.
    pub(super) fn raises(&self) -> bool {
        self.converter.as_ref().is_some_and(|converter| converter.target().is_geocentric())
    }

    /// The columns; what cannot be carried is nothing.
    pub(super) fn columns(&self, geometry: &GeometryColumn) -> Vec<ArrayRef> {
        let mut columns = vec![Vec::with_capacity(geometry.len()); self.names.len()];
        for feature in 0..geometry.len() {
            let place = place_of(geometry, feature).and_then(|mut at| match &self.converter {
                Some(converter) => {
                    // In space every place has a height.
                    if self.raises() && at.z.is_nan() {
                        at.z = 0.0;
                    }
                    converter.convert(at).ok()
                }
                None => Some(at),
            });
            let has_z = place.is_some_and(|at| !at.z.is_nan());
            let values = place.map(|at| [Some(at.x), Some(at.y), has_z.then_some(at.z)]);
            for (at, column) in columns.iter_mut().enumerate() {
                column.push(values.and_then(|values| values[at]).map(|v| self.rounded(v)));
            }
        }
        columns.into_iter().map(|column| Arc::new(Float64Array::from(column)) as ArrayRef).collect()
    }

    fn rounded(&self, value: f64) -> f64 {
        super::rounding::rounded(value, self.decimals)
    }
}

/// The place that stands for a feature. Heights are those of points only.
pub(crate) fn place_of(column: &GeometryColumn, feature: usize) -> Option<Coordinate> {
    let range = column.vertices(feature);
    let first = range.start;
    match column.kinds()[feature]?.single() {
        _ if range.is_empty() => None,
        GeometryKind::Point if range.len() == 1 => {
            let z = column.z.get(first).copied().unwrap_or(f64::NAN);
            Some(Coordinate { x: column.x[first], y: column.y[first], z })
        }
        GeometryKind::Point => {
            let mean =
                |values: &[f64]| values[range.clone()].iter().sum::<f64>() / range.len() as f64;
            Some(Coordinate { x: mean(&column.x), y: mean(&column.y), z: f64::NAN })
        }
        GeometryKind::LineString => middle(column, feature),
        _ => centroid(column, feature).or_else(|| middle(column, feature)),
    }
}

/// Halfway along the longest part.
fn middle(column: &GeometryColumn, feature: usize) -> Option<Coordinate> {
    let lines = column.parts(feature).flat_map(|part| column.rings(part)).map(|r| column.ring(r));
    let length = |range: &std::ops::Range<usize>| {
        planar::length(&column.x[range.clone()], &column.y[range.clone()])
    };
    let line = lines.max_by(|a, b| length(a).total_cmp(&length(b)))?;
    let mut left = length(&line) / 2.0;
    let mut at = (column.x[line.start], column.y[line.start]);
    for v in line.start + 1..line.end {
        let to = (column.x[v], column.y[v]);
        let leg = (to.0 - at.0).hypot(to.1 - at.1);
        if leg >= left && leg > 0.0 {
            let share = left / leg;
            at = (at.0 + share * (to.0 - at.0), at.1 + share * (to.1 - at.1));
            break;
        }
        left -= leg;
        at = to;
    }
    Some(Coordinate { x: at.0, y: at.1, z: f64::NAN })
}

/// Of the area, holes taken away.
fn centroid(column: &GeometryColumn, feature: usize) -> Option<Coordinate> {
    let origin = column.vertices(feature).start;
    let (x0, y0) = (*column.x.get(origin)?, *column.y.get(origin)?);
    let (mut area, mut sx, mut sy) = (0.0, 0.0, 0.0);
    for part in column.parts(feature) {
        for (number, ring) in column.rings(part).enumerate() {
            let range = column.ring(ring);
            let at = |v: usize| (column.x[v] - x0, column.y[v] - y0);
            let (mut a, mut mx, mut my) = (0.0, 0.0, 0.0);
            for v in range.clone() {
                let next = if v + 1 == range.end { range.start } else { v + 1 };
                let (p, q) = (at(v), at(next));
                let cross = p.0 * q.1 - q.0 * p.1;
                a += cross;
                mx += (p.0 + q.0) * cross;
                my += (p.1 + q.1) * cross;
            }
            let sign = if (number == 0) == (a >= 0.0) { 1.0 } else { -1.0 };
            area += sign * a;
            sx += sign * mx;
            sy += sign * my;
        }
    }
    let z = f64::NAN;
    (area != 0.0).then(|| Coordinate { x: x0 + sx / (3.0 * area), y: y0 + sy / (3.0 * area), z })
}
