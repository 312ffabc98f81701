//! Points take attributes of the polygon that they fall in, or of the nearest.
//!
//! **Rule.** A point in a polygon, or on its boundary (that of a hole included), belongs to it;
//! within the tolerance of a boundary (1 mm if nothing else is asked for) it counts as on it. A
//! point of several polygons takes the attributes of the one that comes first in its layer, and
//! is reported. Points are carried into the polygons' reference system for the test; their own
//! coordinates stay.

use crate::build::Outcome;
use crate::convert::{ConvertLayer, area_of, route_notices};
use crate::error::{Error, Result};
use crate::format::{LayerReader, Stage, WriteOptions, distinct};
use crate::layer::{Batch, GeometryKind, Rows, Value, no_system};
use crate::notice::Notice;
use crate::ruler::Ruler;
use crate::table::position;
use crate::watch::Watch;
use arrow_array::{ArrayRef, Float64Array, RecordBatch, RecordBatchOptions, UInt32Array};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use rstar::RTree;
use rstar::primitives::{GeomWithData, Rectangle};
use std::cell::RefCell;
use std::path::{Path, PathBuf};
use std::rc::Rc;
use std::sync::Arc;
use velvet_peg_core::planar::{Placing, Region};
use velvet_peg_core::{Converter, Crs, PlanOptions};

/// How points are tagged.
#[derive(Clone, Debug, Default)]
pub struct TagPoints {
    /// Columns of the polygons to take over; all if there are none.
    pub columns: Vec<String>,
    /// Put in front of their names.
    pub prefix: Option<String>,
    /// Points in no polygon take those of the nearest one within so many metres.
    pub within_m: Option<f64>,
    /// How near to a boundary a point counts as on it, in metres; 0.001 if none.
    pub tolerance_m: Option<f64>,
    /// Column for the distance to the polygon in metres: 0 within it, nothing where no polygon
    /// was taken.
    pub distance: Option<String>,
    /// How the points are written.
    pub write: WriteOptions,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

/// What became of the points.
#[derive(Clone, Debug, Default)]
pub struct TagReport {
    /// Points within one polygon.
    pub inside: u64,
    /// Points on a boundary (of those in one or several).
    pub on_boundary: u64,
    /// Points in several polygons.
    pub several: u64,
    /// Points that took the nearest polygon.
    pub nearest: u64,
    /// Points in none.
    pub none: u64,
    /// The first points in several: their number and label, and the labels of the polygons.
    pub first_several: Vec<String>,
    /// The first points in none, with the distance to the nearest.
    pub first_none: Vec<String>,
    /// Polygons that no point fell in.
    pub empty: u64,
    /// Polygons.
    pub polygons: u64,
}

/// Cases given as examples.
const SHOWN: usize = 5;

impl TagPoints {
    /// Tags, and writes the points with the columns of their polygons behind their own. The
    /// polygons are held in memory.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{BuildPoints, Crs, LayerReader, TagPoints, Unwatched};
    /// std::fs::write(file("a.csv"), "lon,lat\n-120.0445,47.4272\n-120.9,47.4\n")?;
    /// BuildPoints::in_system(Crs::from_epsg(4326)?).run(&file("a.csv"), &file("a.gpkg"), &mut Unwatched)?;
    /// let points = LayerReader::open(&file("a.gpkg"), None)?;
    /// let fields = LayerReader::open(&file("fields.geojson"), None)?;
    /// let tag = TagPoints { columns: vec!["field".into()], ..TagPoints::default() };
    /// let (_, report) = tag.run(points, &fields, &file("b.gpkg"), &mut Unwatched)?;
    /// assert_eq!((report.inside, report.none), (1, 1));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the layers are not points and polygons, only one of them has a reference system, no
    /// operation joins the two, a column is missing, or the output exists or cannot be written.
    pub fn run(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
        out: &Path,
        watch: &mut dyn Watch,
    ) -> Result<(Outcome, TagReport)> {
        let (tagged, stage, mut notices) = self.prepare(points, polygons)?;
        let convert = ConvertLayer {
            write: self.write.clone(),
            rejects: self.rejects.clone(),
            ..ConvertLayer::default()
        };
        let mut outcome = convert.run(&tagged, out, watch)?;
        let report = stage.report();
        notices.extend(report.notices(self.within_m));
        outcome.notices.splice(..0, notices);
        Ok((outcome, report))
    }

    /// How the points fall, without writing anything; with what is worth knowing of it.
    ///
    /// # Errors
    /// As [`TagPoints::run`], as far as it reads.
    pub fn report(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
        watch: &mut dyn Watch,
    ) -> Result<(TagReport, Vec<Notice>)> {
        let total = points.info().count;
        let (tagged, stage, mut notices) = self.prepare(points, polygons)?;
        tagged.for_each_batch(&mut |batch| {
            watch.at(batch.first, total);
            Ok(())
        })?;
        let report = stage.report();
        notices.extend(report.notices(self.within_m));
        Ok((report, notices))
    }

    /// The points on their way through the polygons.
    fn prepare(
        &self,
        points: LayerReader,
        polygons: &LayerReader,
    ) -> Result<(LayerReader, Rc<Tagging>, Vec<Notice>)> {
        let mut notices = Vec::new();
        let converter = between(&points, polygons)?;
        if let Some(converter) = &converter {
            notices.push(Notice::remark(format!(
                "points were carried from {} to {} for the test",
                converter.source().label(),
                converter.target().label()
            )));
            notices.extend(route_notices(converter));
        }
        let areas = Areas::read(polygons, &self.columns, self.tolerance_m.unwrap_or(0.001))?;
        let mut info = points.info().clone();
        let mut fields: Vec<Field> =
            info.schema.fields().iter().map(|f| f.as_ref().clone()).collect();
        let mut taken: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
        let prefix = self.prefix.as_deref().unwrap_or_default();
        let mut add = |name: String, field: Field| {
            let name = distinct(&taken, &name);
            taken.push(name.clone());
            fields.push(field.with_name(name));
        };
        for field in &areas.fields {
            add(format!("{prefix}{}", field.name()), field.clone());
        }
        if let Some(name) = &self.distance {
            add(name.clone(), Field::new(name, DataType::Float64, true));
        }
        info.schema = Arc::new(Schema::new(fields));
        let report = TagReport { polygons: areas.labels.len() as u64, ..TagReport::default() };
        let stage = Rc::new(Tagging {
            schema: info.schema.clone(),
            converter,
            hit: RefCell::new(vec![false; areas.labels.len()]),
            areas,
            within_m: self.within_m,
            distance: self.distance.is_some(),
            report: RefCell::new(report),
        });
        Ok((points.through(info, stage.clone()), stage, notices))
    }
}

impl TagReport {
    fn notices(&self, within_m: Option<f64>) -> Vec<Notice> {
        let mut notices = Vec::new();
        let listed = |count: u64, first: &[String]| match count as usize - first.len() {
            0 => first.join("; "),
            more => format!("{}; and {more} more", first.join("; ")),
        };
        if self.several > 0 {
            notices.push(Notice::warning(format!(
                "{} in several polygons; each took the first in the layer: {}",
                points(self.several),
                listed(self.several, &self.first_several)
            )));
        }
        if self.none > 0 {
            let far = within_m.map_or(String::new(), |m| format!(" within {m} m"));
            notices.push(Notice::warning(
                format!(
                    "{} in no polygon, and none{far}: {}",
                    points(self.none),
                    listed(self.none, &self.first_none)
                )
                .replace(", and none:", ":"),
            ));
        }
        if self.on_boundary > 0 {
            notices.push(Notice::remark(format!(
                "{} on a boundary, which counts as in",
                points(self.on_boundary)
            )));
        }
        if self.empty > 0 {
            notices.push(Notice::remark(format!(
                "{} of the {} polygons hold no point",
                self.empty, self.polygons
            )));
        }
        notices
    }
}

fn points(count: u64) -> String {
    match count {
        1 => "1 point lies".to_string(),
        count => format!("{count} points lie"),
    }
}

/// The way from the points' system to the polygons', if they differ.
fn between(points: &LayerReader, polygons: &LayerReader) -> Result<Option<Converter>> {
    match (&points.info().crs, &polygons.info().crs) {
        (Some(from), Some(to)) if from == to => Ok(None),
        (Some(from), Some(to)) => {
            let area = points.info().extent.and_then(|extent| area_of(from, &extent));
            let plan = PlanOptions { area, ..PlanOptions::default() };
            let converter = Converter::plan(from, to, &plan);
            converter.map(Some).map_err(|e| Error::from(e).in_file(points.path()))
        }
        (None, None) => Ok(None),
        (None, Some(_)) => Err(no_system(&points.info().name).in_file(points.path())),
        (Some(_), None) => Err(no_system(&polygons.info().name).in_file(polygons.path())),
    }
}

type Boxed = GeomWithData<Rectangle<[f64; 2]>, u32>;

/// Polygons to ask for points.
pub(crate) struct Areas {
    fields: Vec<Field>,
    /// Columns to take over, a row a polygon.
    values: RecordBatch,
    pub(crate) labels: Vec<String>,
    regions: Vec<Region>,
    tree: RTree<Boxed>,
    scale: Scale,
    /// How near to a boundary counts as on it, in units of the coordinates.
    tolerance: f64,
    ruler: Ruler,
}

/// Metres in one unit of x and of y, near the middle of the polygons.
#[derive(Clone, Copy, Debug)]
struct Scale {
    x: f64,
    y: f64,
}

impl Scale {
    fn of(crs: Option<&Crs>, y: f64) -> Scale {
        let degrees =
            crs.and_then(Crs::degrees_per_unit).filter(|_| crs.is_some_and(Crs::is_geographic));
        match (crs.and_then(Crs::ellipsoid), degrees) {
            (Some(ellipsoid), Some(degrees)) => {
                let lat = y * degrees;
                let radians = degrees.to_radians();
                Scale {
                    x: ellipsoid.prime_vertical_radius_m(lat) * lat.to_radians().cos() * radians,
                    y: ellipsoid.meridian_radius_m(lat) * radians,
                }
            }
            _ => {
                let metres = crs.and_then(Crs::length_unit).map_or(1.0, |unit| unit.metres());
                Scale { x: metres, y: metres }
            }
        }
    }
}

impl Areas {
    fn read(reader: &LayerReader, columns: &[String], tolerance_m: f64) -> Result<Areas> {
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
        let mut values = Rows::new(Arc::new(Schema::new(fields.clone())));
        let (mut labels, mut regions) = (Vec::new(), Vec::new());
        reader.for_each_batch(&mut |batch| {
            let column = &batch.geometry;
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
                regions.push(Region::new(rings));
                let row = batch.values(at);
                let label = row.iter().find(|value| **value != Value::Null).map(Value::to_text);
                labels.push(label.unwrap_or(format!("polygon {}", batch.first + at as u64)));
                values.push(places.iter().map(|at| row[*at].clone()));
            }
            Ok(())
        })?;
        if regions.is_empty() {
            return Err(Error::data("has no polygon to tag points from").in_file(reader.path()));
        }
        let middle = regions.iter().map(|r| (r.bounds()[1] + r.bounds()[3]) / 2.0).sum::<f64>()
            / regions.len() as f64;
        let scale = Scale::of(info.crs.as_ref(), middle);
        // Of degrees, those of the longer side: no more than the tolerance either way.
        let tolerance = tolerance_m / scale.x.max(scale.y);
        let boxes = regions.iter().enumerate().map(|(at, region)| {
            let [west, south, east, north] = region.bounds();
            Boxed::new(
                Rectangle::from_corners(
                    [west - tolerance, south - tolerance],
                    [east + tolerance, north + tolerance],
                ),
                at as u32,
            )
        });
        let tree = RTree::bulk_load(boxes.collect());
        let ruler = Ruler::of(info.crs.as_ref());
        Ok(Areas {
            fields,
            values: values.finish()?,
            labels,
            regions,
            tree,
            scale,
            tolerance,
            ruler,
        })
    }

    /// The polygons that a place is in or on, and whether it is on a boundary of any.
    fn at(&self, at: (f64, f64), found: &mut Vec<u32>) -> bool {
        found.clear();
        let mut boundary = false;
        for candidate in self.tree.locate_all_at_point([at.0, at.1]) {
            match self.regions[candidate.data as usize].place_within(at, self.tolerance) {
                Placing::Outside => continue,
                place => boundary |= place == Placing::Boundary,
            }
            found.push(candidate.data);
        }
        found.sort_unstable();
        boundary
    }

    /// The nearest polygon and its distance in metres, if it is within a limit.
    fn nearest(&self, at: (f64, f64), limit_m: f64) -> Option<(u32, f64)> {
        let Scale { x, y } = self.scale;
        let mut best: Option<(u32, f64)> = None;
        // Boxes come by distance in units; a margin makes up for units of two lengths.
        let (short, long) = (x.min(y), x.max(y));
        for (candidate, square) in self.tree.nearest_neighbor_iter_with_distance_2([at.0, at.1]) {
            let at_least = square.sqrt() * short;
            if at_least > best.map_or(limit_m, |(_, distance)| distance) {
                break;
            }
            let region = &self.regions[candidate.data as usize];
            let distance = match short == long {
                true => region.distance(at) * x,
                // Degrees: the nearest place is sought in the plane, its distance on the
                // ellipsoid.
                false => self.ruler.distance(at, region.nearest(at, (x, y))),
            };
            if distance <= limit_m && best.is_none_or(|(_, least)| distance < least) {
                best = Some((candidate.data, distance));
            }
        }
        best
    }
}

/// Gives points the attributes of their polygons.
struct Tagging {
    schema: SchemaRef,
    converter: Option<Converter>,
    areas: Areas,
    within_m: Option<f64>,
    distance: bool,
    report: RefCell<TagReport>,
    hit: RefCell<Vec<bool>>,
}

impl std::fmt::Debug for Tagging {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Tagging").field("polygons", &self.areas.labels.len()).finish()
    }
}

impl Tagging {
    /// What became of the points so far.
    fn report(&self) -> TagReport {
        let empty = self.hit.borrow().iter().filter(|hit| !**hit).count() as u64;
        TagReport { empty, ..self.report.borrow().clone() }
    }
}

impl Stage for Tagging {
    fn apply(&self, batch: Batch) -> Result<Batch> {
        let mut carried = None;
        if let Some(converter) = &self.converter {
            let mut column = batch.geometry.clone();
            column.convert(converter);
            carried = Some(column);
        }
        let places = carried.as_ref().unwrap_or(&batch.geometry);
        let mut polygons: Vec<Option<u32>> = Vec::with_capacity(batch.geometry.len());
        let mut distances: Vec<Option<f64>> = Vec::new();
        let mut report = self.report.borrow_mut();
        let mut hit = self.hit.borrow_mut();
        let mut found = Vec::new();
        for feature in 0..batch.geometry.len() {
            let number = batch.first + feature as u64;
            let label = || match batch.values(feature).iter().find(|v| **v != Value::Null) {
                Some(value) => format!("{} ({number})", value.to_text()),
                None => number.to_string(),
            };
            let vertices = places.vertices(feature);
            let kind = batch.geometry.kinds()[feature];
            if kind.is_some_and(|kind| kind != GeometryKind::Point) {
                return Err(Error::usage(format!(
                    "feature {number} is a {}: points are what is tagged",
                    kind.map_or("", GeometryKind::name)
                )));
            }
            let at = kind.map(|_| (places.x[vertices.start], places.y[vertices.start]));
            let mut taken: Option<(u32, f64)> = None;
            if let Some(at) = at.filter(|at| at.0.is_finite()) {
                let boundary = self.areas.at(at, &mut found);
                report.on_boundary += u64::from(boundary);
                if found.len() > 1 {
                    report.several += 1;
                    if report.first_several.len() < SHOWN {
                        let names: Vec<&str> = found
                            .iter()
                            .map(|at| self.areas.labels[*at as usize].as_str())
                            .collect();
                        report.first_several.push(format!("{} in {}", label(), names.join(", ")));
                    }
                }
                report.inside += u64::from(found.len() == 1);
                taken = found.first().map(|at| (*at, 0.0));
                if taken.is_none() {
                    taken = self.within_m.and_then(|limit| self.areas.nearest(at, limit));
                    report.nearest += u64::from(taken.is_some());
                }
            }
            if taken.is_none() {
                report.none += 1;
                if report.first_none.len() < SHOWN {
                    let near = at.and_then(|at| self.areas.nearest(at, f64::INFINITY));
                    report.first_none.push(match near {
                        Some((polygon, distance)) => format!(
                            "{}, {} from {}",
                            label(),
                            metres(distance),
                            self.areas.labels[polygon as usize]
                        ),
                        None => label(),
                    });
                }
            }
            if let Some((polygon, _)) = taken {
                hit[polygon as usize] = true;
            }
            polygons.push(taken.map(|(polygon, _)| polygon));
            if self.distance {
                // Tenths of a millimetre.
                distances.push(taken.map(|(_, distance)| (distance * 1e4).round() / 1e4));
            }
        }
        let polygons = UInt32Array::from(polygons);
        let mut columns: Vec<ArrayRef> = batch.attributes.columns().to_vec();
        for column in self.areas.values.columns() {
            columns.push(arrow_select::take::take(column, &polygons, None)?);
        }
        if self.distance {
            columns.push(Arc::new(Float64Array::from(distances)));
        }
        let options = RecordBatchOptions::new().with_row_count(Some(batch.geometry.len()));
        let attributes = RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?;
        Ok(Batch { attributes, ..batch })
    }
}

/// A distance for people.
fn metres(distance: f64) -> String {
    match distance {
        d if d < 10.0 => format!("{d:.3} m"),
        d if d < 10_000.0 => format!("{d:.1} m"),
        d => format!("{:.1} km", d / 1000.0),
    }
}
