//! Writing GeoJSON, as a collection or one feature a line. The coordinates that come are WGS 84
//! longitude and latitude already, as RFC 7946 demands; outer rings go counter-clockwise, rings
//! are closed.

use crate::error::{Error, Result};
use crate::format_support::{Finished, Sink, WriteOptions, default_decimals};
use crate::layer::{Batch, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::output::new_file;
use serde_json::Value as Json;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use velvet_peg_core::planar;

pub(super) struct Writer {
    path: PathBuf,
    file: BufWriter<File>,
    decimals: usize,
    /// Names of the properties, as JSON has them.
    names: Vec<String>,
    empty: bool,
    /// One feature a line, without a collection around them.
    lines: bool,
}

impl Writer {
    pub(super) fn create(
        path: &Path,
        info: &LayerInfo,
        options: &WriteOptions,
        lines: bool,
    ) -> Result<Writer> {
        let mut file = BufWriter::with_capacity(1 << 16, new_file(path)?);
        let name = Json::String(info.name.clone());
        if !lines {
            write!(file, "{{\"type\":\"FeatureCollection\",\"name\":{name},\"features\":[")
                .map_err(|e| Error::file(path, "cannot be written", e))?;
        }
        Ok(Writer {
            path: path.to_path_buf(),
            file,
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
            names: info
                .schema
                .fields()
                .iter()
                .map(|f| Json::from(f.name().as_str()).to_string())
                .collect(),
            empty: true,
            lines,
        })
    }

    fn geometry(&self, column: &GeometryColumn, feature: usize, text: &mut String) {
        let Some(kind) = column.kinds()[feature] else {
            *text += "null";
            return;
        };
        let name = match kind {
            GeometryKind::Point => "Point",
            GeometryKind::LineString => "LineString",
            GeometryKind::Polygon => "Polygon",
            GeometryKind::MultiPoint => "MultiPoint",
            GeometryKind::MultiLineString => "MultiLineString",
            GeometryKind::MultiPolygon => "MultiPolygon",
        };
        *text += &format!("{{\"type\":\"{name}\",\"coordinates\":");
        let parts: Vec<String> = column
            .parts(feature)
            .map(|part| {
                let rings: Vec<String> = column
                    .rings(part)
                    .enumerate()
                    .map(|(number, ring)| self.ring(column, ring, kind.single(), number == 0))
                    .collect();
                match kind.single() {
                    GeometryKind::Polygon => format!("[{}]", rings.join(",")),
                    _ => rings.concat(),
                }
            })
            .collect();
        match kind.is_multi() {
            true => *text += &format!("[{}]", parts.join(",")),
            false => *text += &parts.concat(),
        }
        text.push('}');
    }

    fn ring(
        &self,
        column: &GeometryColumn,
        ring: usize,
        kind: GeometryKind,
        outer: bool,
    ) -> String {
        let range = column.ring(ring);
        let mut order: Vec<usize> = range.clone().collect();
        if kind == GeometryKind::Polygon && !order.is_empty() {
            let counter_clockwise =
                planar::ring_area(&column.x[range.clone()], &column.y[range.clone()]) > 0.0;
            if counter_clockwise != outer {
                order.reverse();
            }
            let (first, last) = (order[0], order[order.len() - 1]);
            if (column.x[first], column.y[first]) != (column.x[last], column.y[last]) {
                order.push(first);
            }
        }
        let positions: Vec<String> = order.iter().map(|at| self.position(column, *at)).collect();
        match kind {
            GeometryKind::Point => positions.concat(),
            _ => format!("[{}]", positions.join(",")),
        }
    }

    fn position(&self, column: &GeometryColumn, at: usize) -> String {
        let decimals = self.decimals;
        let short = |value: f64| {
            let text = format!("{value:.decimals$}");
            match text.contains('.') {
                true => text.trim_end_matches('0').trim_end_matches('.').to_string(),
                false => text,
            }
        };
        let (x, y) = (short(column.x[at]), short(column.y[at]));
        match column.z.get(at).filter(|z| z.is_finite()) {
            Some(z) => format!("[{x},{y},{z}]"),
            None => format!("[{x},{y}]"),
        }
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let geometry = &batch.geometry;
        let columns = batch.columns();
        for feature in 0..geometry.len() {
            let mut text = String::from(match (self.lines, self.empty) {
                (true, _) => "",
                (false, true) => "\n",
                (false, false) => ",\n",
            });
            self.empty = false;
            text += "{\"type\":\"Feature\",\"geometry\":";
            self.geometry(geometry, feature, &mut text);
            text += ",\"properties\":{";
            for (at, (name, column)) in self.names.iter().zip(&columns).enumerate() {
                let comma = if at > 0 { "," } else { "" };
                text += &format!("{comma}{name}:{}", json(column.value(feature)));
            }
            text += if self.lines { "}}\n" } else { "}}" };
            self.file
                .write_all(text.as_bytes())
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        let end = match (self.lines, self.empty) {
            (true, _) => "",
            (false, true) => "]}\n",
            (false, false) => "\n]}\n",
        };
        self.file
            .write_all(end.as_bytes())
            .and_then(|()| self.file.flush())
            .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        drop(self.file);
        Ok(Finished::default())
    }
}

fn json(value: ValueRef<'_>) -> Json {
    match value {
        ValueRef::Null => Json::Null,
        ValueRef::Boolean(value) => Json::Bool(value),
        ValueRef::Integer(value) => Json::from(value),
        ValueRef::Real(value) => Json::from(value),
        ValueRef::Text(_) | ValueRef::Binary(_) => Json::String(value.to_string()),
    }
}
