//! Shapefiles, read: geometry from `.shp`, attributes from `.dbf` (in the encoding that `.cpg`
//! names), the reference system from `.prj`. Only the `.shp` has to be there.
//!
//! Measures (M) are left behind with a word about it; surfaces of patches are not read.
//! Writing is not done here.

use crate::definition_file::definition_file;
use crate::error::{Error, Result};
use crate::format::{LayerReader, Source};
use crate::layer::{
    BATCH, Batch, Extender, GeometryColumn, GeometryKind, LayerInfo, Rows, Value, common_kind,
};
use crate::notice::Notice;
use arrow_schema::{DataType, Field, Schema};
use shapefile::dbase::{self, FieldType, FieldValue};
use shapefile::record::polygon::GenericPolygon;
use shapefile::record::polyline::GenericPolyline;
use shapefile::{Point, PointM, PointZ, PolygonRing, Reader, Shape, ShapeReader};
use std::path::Path;
use std::sync::Arc;

/// A number in a table of attributes that no longer holds whole numbers to the last digit.
const WHOLE_LIMIT: f64 = 9e15;

/// Opens a Shapefile: reads it once to tell kinds, types, number and extent.
pub(super) fn open(path: &Path) -> Result<LayerReader> {
    let mut notices = Vec::new();
    let side = |extension: &str| path.with_extension(extension);
    let crs = match side("prj") {
        file if file.exists() => match definition_file(&file) {
            Ok(crs) => {
                notices.push(Notice::remark(format!(
                    "the reference system is from the side file {}: {}",
                    file.display(),
                    crs.label()
                )));
                Some(crs)
            }
            Err(error) => {
                notices.push(Notice::warning(format!(
                    "the side file of the reference system cannot be read, so the layer counts as \
                     having none: {error}"
                )));
                None
            }
        },
        _ => None,
    };
    let table = side("dbf");
    let fields: Vec<dbase::FieldInfo> = match table.exists() {
        true => dbase::Reader::from_path(&table)
            .map_err(|e| Error::data(format!("cannot be read as attributes: {e}")).in_file(&table))?
            .fields()
            .to_vec(),
        false => {
            notices.push(Notice::warning(format!(
                "there is no {}: the features have no attributes",
                table.display()
            )));
            Vec::new()
        }
    };
    let names: Vec<String> = fields.iter().map(|field| field.name().to_string()).collect();
    let mut whole = vec![true; fields.len()];
    let mut kinds = Vec::new();
    let mut extent = Extender::default();
    let (mut count, mut has_z, mut measures) = (0, false, false);
    each_feature(path, &names, &mut |shape, values| {
        count += 1;
        measures |= has_measure(shape);
        let mut column = GeometryColumn::new();
        push(shape, &mut column).map_err(|why| at(path, count, &why))?;
        has_z |= column.has_z();
        extent.add(&column);
        kinds.extend(column.kinds().iter().flatten().copied());
        kinds.dedup();
        for (whole, value) in whole.iter_mut().zip(&values) {
            if let FieldValue::Numeric(Some(number)) = value {
                *whole &= number.fract() == 0.0 && number.abs() < WHOLE_LIMIT;
            }
        }
        Ok(())
    })?;
    if measures {
        notices.push(Notice::warning("the measures (M) of its vertices are not read"));
    }
    let schema = fields
        .iter()
        .zip(&whole)
        .map(|(field, whole)| Field::new(field.name(), kind_of(field.field_type(), *whole), true))
        .collect::<Vec<_>>();
    let name = path.file_stem().map_or("layer".into(), |stem| stem.to_string_lossy().into_owned());
    let info = LayerInfo {
        name,
        crs,
        schema: Arc::new(Schema::new(schema)),
        kind: common_kind(kinds),
        has_z,
        count: Some(count),
        extent: extent.bounds(),
    };
    Ok(LayerReader { info, path: path.to_path_buf(), source: Source::Shapefile, notices })
}

pub(super) fn read(
    path: &Path,
    info: &LayerInfo,
    each: &mut dyn FnMut(Batch) -> Result<()>,
) -> Result<()> {
    let names: Vec<String> =
        info.schema.fields().iter().map(|field| field.name().clone()).collect();
    let mut rows = Rows::new(info.schema.clone());
    let mut geometry = GeometryColumn::new();
    let (mut first, mut number) = (1, 0);
    each_feature(path, &names, &mut |shape, values| {
        number += 1;
        push(shape, &mut geometry).map_err(|why| at(path, number, &why))?;
        let fields = info.schema.fields();
        rows.push(
            values
                .into_iter()
                .zip(fields)
                .map(|(value, field)| value_of(value, field.data_type() == &DataType::Int64)),
        );
        if rows.len() == BATCH {
            let attributes = rows.finish()?;
            let batch = Batch { geometry: std::mem::take(&mut geometry), attributes, first };
            first = number + 1;
            each(batch)?;
        }
        Ok(())
    })?;
    if rows.len() > 0 {
        let attributes = rows.finish()?;
        each(Batch { geometry, attributes, first })?;
    }
    Ok(())
}

fn at(path: &Path, number: u64, why: &str) -> Error {
    Error::data(format!("feature {number}: {why}")).in_file(path)
}

/// Hands every shape with its attribute values, in the order of the names, to `each`.
fn each_feature(
    path: &Path,
    names: &[String],
    each: &mut dyn FnMut(&Shape, Vec<FieldValue>) -> Result<()>,
) -> Result<()> {
    let unusable = |error: &dyn std::fmt::Display| {
        Error::data(format!("is damaged or not a Shapefile: {error}")).in_file(path)
    };
    // A file cut between two records would look whole.
    let whole = |header: &shapefile::header::Header| -> Result<()> {
        let announced = i64::from(header.file_length) * 2;
        let there = std::fs::metadata(path).map_err(|e| Error::file(path, "cannot be read", e))?;
        match announced > there.len() as i64 {
            true => Err(unusable(&format!(
                "it announces {announced} bytes and has {}: it is cut short",
                there.len()
            ))),
            false => Ok(()),
        }
    };
    let damaged = |number: u64, error: &dyn std::fmt::Display| {
        at(path, number, &format!("the record is damaged: {error}"))
    };
    if names.is_empty() {
        let mut reader = ShapeReader::from_path(path).map_err(|e| unusable(&e))?;
        whole(reader.header())?;
        for (number, shape) in (1..).zip(reader.iter_shapes()) {
            each(&shape.map_err(|e| damaged(number, &e))?, Vec::new())?;
        }
        return Ok(());
    }
    let mut reader = Reader::from_path(path).map_err(|e| unusable(&e))?;
    whole(reader.header())?;
    for (number, pair) in (1..).zip(reader.iter_shapes_and_records()) {
        let (shape, mut record) = pair.map_err(|e| damaged(number, &e))?;
        let values = names
            .iter()
            .map(|name| record.remove(name).unwrap_or(FieldValue::Character(None)))
            .collect();
        each(&shape, values)?;
    }
    Ok(())
}

fn kind_of(field: FieldType, whole: bool) -> DataType {
    match field {
        FieldType::Numeric if whole => DataType::Int64,
        FieldType::Integer => DataType::Int64,
        FieldType::Numeric | FieldType::Float | FieldType::Double | FieldType::Currency => {
            DataType::Float64
        }
        FieldType::Logical => DataType::Boolean,
        _ => DataType::Utf8,
    }
}

fn value_of(value: FieldValue, whole: bool) -> Value {
    match value {
        FieldValue::Character(text) => text.map_or(Value::Null, Value::Text),
        FieldValue::Memo(text) => Value::Text(text),
        FieldValue::Numeric(None) | FieldValue::Float(None) => Value::Null,
        FieldValue::Numeric(Some(number)) if whole => Value::Integer(number as i64),
        FieldValue::Numeric(Some(number)) => Value::Real(number),
        FieldValue::Float(Some(number)) => Value::Real(f64::from(number)),
        FieldValue::Integer(number) => Value::Integer(number.into()),
        FieldValue::Currency(number) | FieldValue::Double(number) => Value::Real(number),
        FieldValue::Logical(flag) => flag.map_or(Value::Null, Value::Boolean),
        FieldValue::Date(date) => date.map_or(Value::Null, |date| Value::Text(iso(&date))),
        FieldValue::DateTime(time) => Value::Text(format!(
            "{}T{:02}:{:02}:{:02}",
            iso(&time.date()),
            time.time().hours(),
            time.time().minutes(),
            time.time().seconds()
        )),
    }
}

fn iso(date: &dbase::Date) -> String {
    format!("{:04}-{:02}-{:02}", date.year(), date.month(), date.day())
}

/// A vertex of any of the three kinds.
trait Vertex: Copy {
    fn parts(self) -> (f64, f64, Option<f64>);
}

impl Vertex for Point {
    fn parts(self) -> (f64, f64, Option<f64>) {
        (self.x, self.y, None)
    }
}

impl Vertex for PointM {
    fn parts(self) -> (f64, f64, Option<f64>) {
        (self.x, self.y, None)
    }
}

impl Vertex for PointZ {
    fn parts(self) -> (f64, f64, Option<f64>) {
        (self.x, self.y, Some(self.z))
    }
}

/// Below this value a measure stands for none (Shapefile technical description (1998), page 2).
const NO_MEASURE: f64 = -1e38;

fn has_measure(shape: &Shape) -> bool {
    let set = |m: f64| m > NO_MEASURE && m != 0.0;
    match shape {
        Shape::PointM(point) => set(point.m),
        Shape::PointZ(point) => set(point.m),
        Shape::PolylineM(_) | Shape::PolygonM(_) | Shape::MultipointM(_) => true,
        _ => false,
    }
}

/// Adds a shape to the column, or says why it cannot be.
fn push(shape: &Shape, column: &mut GeometryColumn) -> std::result::Result<(), String> {
    match shape {
        Shape::NullShape => column.end_feature(None),
        Shape::Point(point) => point_of(*point, column),
        Shape::PointM(point) => point_of(*point, column),
        Shape::PointZ(point) => point_of(*point, column),
        Shape::Multipoint(points) => points_of(points.points(), column),
        Shape::MultipointM(points) => points_of(points.points(), column),
        Shape::MultipointZ(points) => points_of(points.points(), column),
        Shape::Polyline(line) => lines_of(line, column),
        Shape::PolylineM(line) => lines_of(line, column),
        Shape::PolylineZ(line) => lines_of(line, column),
        Shape::Polygon(polygon) => polygons_of(polygon, column),
        Shape::PolygonM(polygon) => polygons_of(polygon, column),
        Shape::PolygonZ(polygon) => polygons_of(polygon, column),
        Shape::Multipatch(_) => return Err("surfaces of patches are not read".to_string()),
    }
    Ok(())
}

fn point_of(point: impl Vertex, column: &mut GeometryColumn) {
    let (x, y, z) = point.parts();
    column.push_point(x, y, z);
}

fn vertices<P: Vertex>(points: &[P], column: &mut GeometryColumn) {
    for point in points {
        let (x, y, z) = point.parts();
        column.push_vertex(x, y, z);
    }
    column.end_ring();
}

fn points_of<P: Vertex>(points: &[P], column: &mut GeometryColumn) {
    for point in points {
        vertices(std::slice::from_ref(point), column);
        column.end_part();
    }
    column.end_feature(Some(GeometryKind::MultiPoint));
}

fn lines_of<P: Vertex>(line: &GenericPolyline<P>, column: &mut GeometryColumn) {
    for part in line.parts() {
        vertices(part, column);
        column.end_part();
    }
    let single = line.parts().len() == 1;
    column.end_feature(Some(if single { GeometryKind::Line } else { GeometryKind::MultiLine }));
}

/// Rings run clockwise outside and the other way round holes; a hole goes with the outer ring
/// that holds it, or with the last one where none does.
fn polygons_of<P: Vertex>(polygon: &GenericPolygon<P>, column: &mut GeometryColumn) {
    let mut outlines: Vec<(&[P], Vec<&[P]>)> = Vec::new();
    for ring in polygon.rings() {
        if let PolygonRing::Outer(points) = ring {
            outlines.push((points, Vec::new()));
        }
    }
    for ring in polygon.rings() {
        let PolygonRing::Inner(points) = ring else { continue };
        let home = points.first().and_then(|point| {
            let (x, y, _) = point.parts();
            outlines.iter().position(|(outline, _)| holds(outline, x, y))
        });
        match home.or(outlines.len().checked_sub(1)) {
            Some(at) => outlines[at].1.push(points),
            None => outlines.push((points, Vec::new())),
        }
    }
    for (outline, holes) in &outlines {
        vertices(outline, column);
        for hole in holes {
            vertices(hole, column);
        }
        column.end_part();
    }
    let single = outlines.len() == 1;
    column.end_feature(Some(if single {
        GeometryKind::Polygon
    } else {
        GeometryKind::MultiPolygon
    }));
}

fn holds<P: Vertex>(ring: &[P], x: f64, y: f64) -> bool {
    let mut inside = false;
    for pair in ring.windows(2) {
        let ((x1, y1, _), (x2, y2, _)) = (pair[0].parts(), pair[1].parts());
        if (y1 > y) != (y2 > y) && x < (x2 - x1) * (y - y1) / (y2 - y1) + x1 {
            inside = !inside;
        }
    }
    inside
}
