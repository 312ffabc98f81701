//! Writing FlatGeobuf, which is sorted and indexed at its end.

use crate::error::{Error, Result};
use crate::format_support::wkt::closes;
use crate::format_support::{DECLARED, Finished, Sink, declared};
use crate::layer::{AttributeColumn, Batch, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::output::new_file;
use arrow_schema::{DataType, Field};
use flatgeobuf::{ColumnType, FgbCrs, FgbWriter, FgbWriterOptions, GeometryType};
use geozero::{ColumnValue, FeatureProcessor, GeomProcessor, PropertyProcessor};
use serde_json::json;
use std::io::{BufWriter, Write};
use std::ops::Range;
use std::path::{Path, PathBuf};
use velvet_peg_core::definition;

/// Writes a file, which is sorted and indexed at its end.
pub(super) struct Writer {
    path: PathBuf,
    writer: FgbWriter<'static>,
    kind: Option<GeometryKind>,
    names: Vec<String>,
    times: Vec<bool>,
    z: bool,
    m: bool,
    number: u64,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo) -> Result<Writer> {
        let text = info.crs.as_ref().and_then(definition::wkt2);
        let crs = info.crs.as_ref().map_or_else(FgbCrs::default, |crs| FgbCrs {
            org: crs.code().map(|_| "EPSG"),
            code: crs.code().and_then(|code| i32::try_from(code).ok()).unwrap_or(0),
            name: Some(crs.name()),
            wkt: text.as_deref(),
            ..FgbCrs::default()
        });
        let options = FgbWriterOptions {
            write_index: true,
            detect_type: false,
            promote_to_multi: false,
            crs,
            has_z: info.has_z,
            has_m: info.has_m,
            description: info.description.as_deref(),
            ..FgbWriterOptions::default()
        };
        let kind = info.kind.map_or(GeometryType::Unknown, type_of);
        let mut writer = FgbWriter::create_with_options(&info.name, kind, options)
            .map_err(|e| Error::file(path, "cannot be written", e))?;
        for field in info.schema.fields() {
            let kind = match field.data_type() {
                DataType::Int64 => ColumnType::Long,
                DataType::Float64 => ColumnType::Double,
                DataType::Boolean => ColumnType::Bool,
                DataType::Binary => ColumnType::Binary,
                _ if is_moment(field) => ColumnType::DateTime,
                _ => ColumnType::String,
            };
            // There is one type for dates with and without a time, and none for times of the day.
            let note = match declared(field) {
                kind @ ("DATE" | "TIME") => Some(json!({ DECLARED: kind }).to_string()),
                _ => None,
            };
            writer.add_column(field.name(), kind, |builder, column| {
                column.metadata = note.map(|note| builder.create_string(&note));
            });
        }
        let fields = info.schema.fields();
        Ok(Writer {
            path: path.to_path_buf(),
            writer,
            kind: info.kind,
            names: fields.iter().map(|field| field.name().clone()).collect(),
            times: fields.iter().map(|field| is_moment(field)).collect(),
            z: info.has_z,
            m: info.has_m,
            number: 0,
        })
    }

    fn feature(
        &mut self,
        batch: &Batch,
        columns: &[AttributeColumn<'_>],
        feature: usize,
    ) -> geozero::error::Result<()> {
        let column = &batch.geometry;
        // Files of one kind hold it in all features.
        if let Some(kind) = self.kind.or(column.kinds()[feature]) {
            self.geometry(column, feature, kind)?;
        }
        for (at, attribute) in columns.iter().enumerate() {
            let value = match attribute.value(feature) {
                ValueRef::Null => continue,
                ValueRef::Boolean(value) => ColumnValue::Bool(value),
                ValueRef::Integer(value) => ColumnValue::Long(value),
                ValueRef::Real(value) => ColumnValue::Double(value),
                ValueRef::Text(value) if self.times[at] => ColumnValue::DateTime(value),
                ValueRef::Text(value) => ColumnValue::String(value),
                ValueRef::Binary(value) => ColumnValue::Binary(value),
            };
            self.writer.property(at, &self.names[at], &value)?;
        }
        self.writer.feature_end(self.number)?;
        self.number += 1;
        Ok(())
    }

    fn geometry(
        &mut self,
        column: &GeometryColumn,
        feature: usize,
        kind: GeometryKind,
    ) -> geozero::error::Result<()> {
        let parts = column.parts(feature);
        let count = parts.len();
        let multi = kind.is_multi();
        match kind {
            GeometryKind::MultiPoint => self.writer.multipoint_begin(count, 0)?,
            GeometryKind::MultiLineString => self.writer.multilinestring_begin(count, 0)?,
            GeometryKind::MultiPolygon => self.writer.multipolygon_begin(count, 0)?,
            // A feature without a geometry is an empty one here.
            GeometryKind::Point if count == 0 => {
                self.writer.point_begin(0)?;
                self.writer.point_end(0)?;
            }
            GeometryKind::LineString if count == 0 => {
                self.writer.linestring_begin(true, 0, 0)?;
                self.writer.linestring_end(true, 0)?;
            }
            GeometryKind::Polygon if count == 0 => {
                self.writer.polygon_begin(true, 0, 0)?;
                self.writer.polygon_end(true, 0)?;
            }
            _ => {}
        }
        for (number, part) in parts.enumerate() {
            match kind.single() {
                GeometryKind::Point => {
                    if !multi {
                        self.writer.point_begin(0)?;
                    }
                    self.vertices(column, column.ring(column.rings(part).start), false, number)?;
                    if !multi {
                        self.writer.point_end(0)?;
                    }
                }
                GeometryKind::LineString => {
                    let ring = column.ring(column.rings(part).start);
                    self.writer.linestring_begin(!multi, ring.len(), number)?;
                    self.vertices(column, ring, false, 0)?;
                    self.writer.linestring_end(!multi, number)?;
                }
                _ => {
                    let rings = column.rings(part);
                    self.writer.polygon_begin(!multi, rings.len(), number)?;
                    for (n, ring) in rings.enumerate() {
                        let ring = column.ring(ring);
                        self.writer.linestring_begin(false, ring.len() + 1, n)?;
                        self.vertices(column, ring, true, 0)?;
                        self.writer.linestring_end(false, n)?;
                    }
                    self.writer.polygon_end(!multi, number)?;
                }
            }
        }
        match kind {
            GeometryKind::MultiPoint => self.writer.multipoint_end(0),
            GeometryKind::MultiLineString => self.writer.multilinestring_end(0),
            GeometryKind::MultiPolygon => self.writer.multipolygon_end(0),
            _ => Ok(()),
        }
    }

    fn vertices(
        &mut self,
        column: &GeometryColumn,
        range: Range<usize>,
        close: bool,
        number: usize,
    ) -> geozero::error::Result<()> {
        let closing = (close && closes(column, &range)).then_some(range.start);
        for (n, at) in range.chain(closing).enumerate() {
            let value = |values: &[f64]| values.get(at).copied().unwrap_or(f64::NAN);
            let z = self.z.then(|| value(&column.z));
            let m = self.m.then(|| value(&column.m));
            self.writer.coordinate(column.x[at], column.y[at], z, m, None, None, number + n)?;
        }
        Ok(())
    }
}

/// True for dates, with or without a time.
fn is_moment(field: &Field) -> bool {
    matches!(declared(field), "DATE" | "DATETIME")
}

fn type_of(kind: GeometryKind) -> GeometryType {
    match kind {
        GeometryKind::Point => GeometryType::Point,
        GeometryKind::LineString => GeometryType::LineString,
        GeometryKind::Polygon => GeometryType::Polygon,
        GeometryKind::MultiPoint => GeometryType::MultiPoint,
        GeometryKind::MultiLineString => GeometryType::MultiLineString,
        GeometryKind::MultiPolygon => GeometryType::MultiPolygon,
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let columns = batch.columns();
        for feature in 0..batch.len() {
            self.feature(batch, &columns, feature)
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let path = &self.path;
        let mut out = BufWriter::with_capacity(1 << 16, new_file(&self.path)?);
        self.writer.write(&mut out).map_err(|e| Error::file(path, "cannot be written", e))?;
        out.flush().map_err(|e| Error::file(path, "cannot be written", e))?;
        drop(out);
        Ok(Finished::default())
    }
}
