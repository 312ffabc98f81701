//! Writing GeoJSON, as a collection or one feature a line. The coordinates that come are WGS 84
//! longitude and latitude already, as RFC 7946 demands; outer rings go counter-clockwise, rings
//! are closed.

use crate::error::{Error, Result};
use crate::format_support::{Finished, Sink, WriteOptions, default_decimals, push_fixed};
use crate::layer::{Batch, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::output::new_file;
use serde_json::Value as Json;
use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use velvet_peg_core::planar;

/// Bytes of text that are gathered before they are written.
const TEXT: usize = 1 << 16;

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
        *text += match kind {
            GeometryKind::Point => "{\"type\":\"Point\",\"coordinates\":",
            GeometryKind::LineString => "{\"type\":\"LineString\",\"coordinates\":",
            GeometryKind::Polygon => "{\"type\":\"Polygon\",\"coordinates\":",
            GeometryKind::MultiPoint => "{\"type\":\"MultiPoint\",\"coordinates\":",
            GeometryKind::MultiLineString => "{\"type\":\"MultiLineString\",\"coordinates\":",
            GeometryKind::MultiPolygon => "{\"type\":\"MultiPolygon\",\"coordinates\":",
        };
        list(text, kind.is_multi(), column.parts(feature), |text, part| {
            let polygon = kind.single() == GeometryKind::Polygon;
            let first = column.rings(part).start;
            list(text, polygon, column.rings(part), |text, ring| {
                self.ring(column, ring, kind.single(), ring == first, text);
            });
        });
        text.push('}');
    }

    fn ring(
        &self,
        column: &GeometryColumn,
        ring: usize,
        kind: GeometryKind,
        outer: bool,
        text: &mut String,
    ) {
        let range = column.ring(ring);
        let mut order: Vec<usize> = Vec::new();
        if kind == GeometryKind::Polygon && !range.is_empty() {
            order.extend(range.clone());
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
        let position = |text: &mut String, at| self.position(column, at, text);
        match kind {
            GeometryKind::Polygon => list(text, true, order, position),
            kind => list(text, kind != GeometryKind::Point, range, position),
        }
    }

    fn position(&self, column: &GeometryColumn, at: usize, text: &mut String) {
        text.push('[');
        for (n, value) in [column.x[at], column.y[at]].into_iter().enumerate() {
            if n > 0 {
                text.push(',');
            }
            push_fixed(text, value, self.decimals);
            if self.decimals > 0 {
                let short = text.trim_end_matches('0').trim_end_matches('.').len();
                text.truncate(short);
            }
        }
        if let Some(z) = column.z.get(at).filter(|z| z.is_finite()) {
            // Writing to a string does not fail.
            let _ = write!(text, ",{z}");
        }
        text.push(']');
    }
}

/// Writes what is at each place, with commas between, in brackets or without.
fn list(
    text: &mut String,
    brackets: bool,
    places: impl IntoIterator<Item = usize>,
    write: impl Fn(&mut String, usize),
) {
    if brackets {
        text.push('[');
    }
    for (n, at) in places.into_iter().enumerate() {
        if n > 0 && brackets {
            text.push(',');
        }
        write(text, at);
    }
    if brackets {
        text.push(']');
    }
}

impl Writer {
    fn put(&mut self, text: &str) -> Result<()> {
        let written = self.file.write_all(text.as_bytes());
        written.map_err(|e| Error::file(&self.path, "cannot be written", e))
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let geometry = &batch.geometry;
        let columns = batch.columns();
        let mut text = String::new();
        for feature in 0..geometry.len() {
            text += match (self.lines, self.empty) {
                (true, _) => "",
                (false, true) => "\n",
                (false, false) => ",\n",
            };
            self.empty = false;
            text += "{\"type\":\"Feature\",\"geometry\":";
            self.geometry(geometry, feature, &mut text);
            text += ",\"properties\":{";
            for (at, (name, column)) in self.names.iter().zip(&columns).enumerate() {
                if at > 0 {
                    text.push(',');
                }
                text += name;
                text.push(':');
                push_json(&mut text, column.value(feature));
            }
            text += if self.lines { "}}\n" } else { "}}" };
            if text.len() > TEXT {
                self.put(&text)?;
                text.clear();
            }
        }
        self.put(&text)
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

fn push_json(text: &mut String, value: ValueRef<'_>) {
    // Writing to a string does not fail.
    let _ = match value {
        ValueRef::Null => write!(text, "null"),
        ValueRef::Boolean(value) => write!(text, "{value}"),
        ValueRef::Integer(value) => write!(text, "{value}"),
        // Numbers that are none become null.
        ValueRef::Real(value) => write!(text, "{}", Json::from(value)),
        ValueRef::Text(value) if is_plain(value) => {
            text.push('"');
            text.push_str(value);
            text.push('"');
            Ok(())
        }
        ValueRef::Text(_) | ValueRef::Binary(_) => {
            write!(text, "{}", Json::String(value.to_string()))
        }
    };
}

/// True of a text that JSON has as it is.
fn is_plain(text: &str) -> bool {
    text.bytes().all(|byte| byte >= b' ' && byte != b'"' && byte != b'\\')
}
