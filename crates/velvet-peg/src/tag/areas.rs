//! Polygons that are asked which of them hold a place, and which is the nearest.

use super::shores::Shores;
use crate::error::{Error, Result};
use crate::layer::GeometryKind;
use crate::layer::column_names::position;
use crate::layer_io::LayerReader;
use crate::memory::{Held, Reckoning, Share};
use crate::notice::Notice;
use crate::progress::Progress;
use arrow_array::{RecordBatch, UInt64Array};
use arrow_schema::{Field, Schema};
use arrow_select::concat::concat_batches;
use arrow_select::take::take_record_batch;
use rstar::RTree;
use rstar::primitives::{GeomWithData, Rectangle};
use std::sync::{Arc, OnceLock};
use velvet_peg_core::planar::{Mosaic, Region};
use velvet_peg_core::{Crs, metres_per_unit};

type Boxed = GeomWithData<Rectangle<[f64; 2]>, u32>;

/// Polygons to ask for points.
pub(super) struct Areas {
    pub(super) fields: Vec<Field>,
    /// Columns to take over, a row a polygon.
    pub(super) values: RecordBatch,
    pub(super) labels: Vec<String>,
    mosaic: Mosaic,
    tree: RTree<Boxed>,
    crs: Option<Crs>,
    /// The edges on the ground, once somebody asks for the nearest; none without a system, or of
    /// one that has no places on an ellipsoid.
    shores: OnceLock<Option<Shores>>,
    /// What was noticed of the polygons.
    pub(super) notices: Vec<Notice>,
}

/// Metres in one unit of x and of y, near the middle of the polygons.
#[derive(Clone, Copy, Debug)]
struct Scale {
    x: f64,
    y: f64,
}

impl Scale {
    /// By geodesics; of a system without places on an ellipsoid, its unit.
    fn of(crs: Option<&Crs>, middle: (f64, f64)) -> Scale {
        let found = crs.and_then(|crs| metres_per_unit(crs, middle));
        let unit = crs.and_then(Crs::length_unit).map_or(1.0, |unit| unit.metres());
        let (x, y) = found.unwrap_or((unit, unit));
        Scale { x, y }
    }
}

/// What a polygon takes besides its edges, its cells and its values, bytes: its label, and its boxes while they are
/// sorted.
const BESIDE_EDGES: u64 = 280;

/// What an edge takes where the nearest polygon of a point is asked for, bytes: that is so where one lies in none.
const OF_SHORE: u64 = 112;

impl Areas {
    pub(super) fn read(
        reader: &LayerReader,
        columns: &[String],
        tolerance_m: f64,
        watch: &mut dyn Progress,
    ) -> Result<Areas> {
        let info = reader.info();
        let names: Vec<String> = info.schema.fields().iter().map(|f| f.name().clone()).collect();
        let places: Vec<usize> = match columns {
            [] => (0..names.len()).collect(),
            columns => columns
                .iter()
                .map(|name| position(&names, name, None))
                .collect::<Result<_>>()
                .map_err(|error| error.in_file(reader.path()))?,
        };
        let fields: Vec<Field> = places.iter().map(|at| info.schema.field(*at).clone()).collect();
        let mut values: Vec<RecordBatch> = Vec::new();
        let (mut labels, mut regions) = (Vec::new(), Vec::new());
        let mut notices = reader.notices.clone();
        let mut reckoning = Reckoning::new("polygons", reader.path()).at_most();
        let (mut held, mut shores) = (Held::default(), 0);
        reader.for_each_batch(&mut |batch| {
            notices.extend(batch.lost(reader.path()));
            let column = &batch.geometry;
            let columns = batch.columns();
            let mut kept: Vec<u64> = Vec::new();
            for at in 0..column.len() {
                match column.kinds()[at].map(GeometryKind::single) {
                    Some(GeometryKind::Polygon) => {}
                    None => continue,
                    Some(kind) => {
                        return Err(Error::usage(format!(
                            "feature {} is a {}: points are tagged from polygons",
                            batch.first + at as u64,
                            kind.name()
                        ))
                        .in_file(reader.path()));
                    }
                }
                let rings = column.parts(at).flat_map(|part| column.rings(part)).map(|ring| {
                    let range = column.ring(ring);
                    (&column.x[range.clone()], &column.y[range])
                });
                let region = Region::new(rings);
                held.bytes += region.bytes() as u64 + BESIDE_EDGES;
                if info.crs.is_some() {
                    shores += column.vertices(at).len() as u64 * OF_SHORE;
                }
                regions.push(region);
                let label = columns.iter().map(|c| c.value(at)).find(|value| !value.is_null());
                let number = batch.first + at as u64;
                labels.push(label.map_or(format!("polygon {number}"), |label| label.to_string()));
                kept.push(at as u64);
            }
            let attributes = batch.attributes().project(&places)?;
            let taken = take_record_batch(&attributes, &UInt64Array::from(kept))?;
            held.count = regions.len() as u64;
            // Once more when they are put together.
            held.bytes += 2 * taken.get_array_memory_size() as u64;
            values.push(taken);
            let done = batch.first + batch.len() as u64 - 1;
            // Fewer cells for each of more.
            let all = info.count.unwrap_or(done).max(1);
            let cells = Mosaic::bytes_beside(all as usize) as u64 * held.count / all;
            // Two thirds of the cells are given back before anybody asks for the nearest.
            let later = shores + cells / 3;
            let held = Held { bytes: held.bytes + cells.max(later), ..held };
            reckoning.take(held, Share { done, total: info.count }, watch)
        })?;
        if regions.is_empty() {
            return Err(Error::data("has no polygon to tag points from").in_file(reader.path()));
        }
        let count = regions.len() as f64;
        let mean = |low: usize, high: usize| {
            regions.iter().map(|r| (r.bounds()[low] + r.bounds()[high]) / 2.0).sum::<f64>() / count
        };
        let scale = Scale::of(info.crs.as_ref(), (mean(0, 2), mean(1, 3)));
        // Of degrees, those of the longer side: no more than the tolerance either way.
        let tolerance = tolerance_m / scale.x.max(scale.y);
        let boxes = regions.iter().enumerate().map(|(at, region)| {
            let [west, south, east, north] = region.bounds();
            Boxed::new(Rectangle::from_corners([west, south], [east, north]), at as u32)
        });
        let tree = RTree::bulk_load(boxes.collect());
        let mosaic = Mosaic::new(regions, tolerance);
        let values = concat_batches(&Arc::new(Schema::new(fields.clone())), &values)?;
        let (crs, shores) = (info.crs.clone(), OnceLock::new());
        Ok(Areas { fields, values, labels, mosaic, tree, crs, shores, notices })
    }

    /// The polygons that a place is in or on, in their order; true if it is on the boundary of
    /// one of them.
    pub(super) fn at(&self, at: (f64, f64), found: &mut Vec<u32>) -> bool {
        self.mosaic.at(at, found)
    }

    /// The nearest polygon and its distance in metres, along a geodesic, if it is within a limit;
    /// without a reference system in the unit of the coordinates.
    pub(super) fn nearest(&self, at: (f64, f64), limit_m: f64) -> Option<(u32, f64)> {
        let shores = self.shores.get_or_init(|| {
            self.crs.as_ref().and_then(|crs| Shores::of(crs, self.mosaic.regions()).ok())
        });
        if let Some(shores) = shores {
            return shores.nearest(at, limit_m);
        }
        let mut best: Option<(u32, f64)> = None;
        for (candidate, square) in self.tree.nearest_neighbor_iter_with_distance_2([at.0, at.1]) {
            if square.sqrt() > best.map_or(limit_m, |(_, distance)| distance) {
                break;
            }
            let distance = self.mosaic.regions()[candidate.data as usize].distance(at);
            if distance <= limit_m && best.is_none_or(|(_, least)| distance < least) {
                best = Some((candidate.data, distance));
            }
        }
        best
    }
}

/// Where a point falls.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Fall {
    /// The polygon that it takes, and how far it is.
    pub(super) taken: Option<(u32, f64)>,
    /// Polygons that it is in or on.
    pub(super) polygons: usize,
    /// True on the boundary of one of them.
    pub(super) on_boundary: bool,
}

impl Areas {
    /// Where each place falls. A place in no polygon takes the nearest one within a limit, if
    /// there is a limit.
    pub(super) fn falls(&self, places: &[Option<(f64, f64)>], within_m: Option<f64>) -> Vec<Fall> {
        let mut found = Vec::new();
        let mut fall = |place: &Option<(f64, f64)>| {
            let Some(at) = *place else { return Fall::default() };
            let on_boundary = self.at(at, &mut found);
            let taken = match found.first() {
                Some(first) => Some((*first, 0.0)),
                None => within_m.and_then(|limit| self.nearest(at, limit)),
            };
            Fall { taken, polygons: found.len(), on_boundary }
        };
        places.iter().map(&mut fall).collect()
    }
}
