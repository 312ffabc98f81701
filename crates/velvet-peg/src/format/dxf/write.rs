//! Writing a drawing, in the form of 2007, whose texts are UTF-8: points (with labels, if a column
//! is named for them), and polylines, closed for the rings of polygons, on layers by the values of a
//! column.

use super::text::{written, written_line};
use super::{APPLICATION, LABEL, frame, header};
use crate::error::{Error, Result};
use crate::format_support::{Finished, ReadBack, Sink, WriteOptions, default_decimals};
use crate::layer::{Batch, Extender, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::notice::{Notice, NoticeKind};
use crate::output::new_file;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::ops::Range;
use std::path::{Path, PathBuf};

/// Characters of a number that is written without an exponent.
const MOST_NUMBER: usize = 100;
/// Bytes of one string of extended data.
const STRING_BYTES: usize = 250;
/// Bytes of the extended data of an entity.
pub(super) const MOST_BYTES: usize = 16_000;

pub(super) struct Writer {
    path: PathBuf,
    /// Entities, which come behind the tables that list their layers.
    entities: BufWriter<File>,
    layers: BTreeSet<String>,
    names: Vec<String>,
    layer_by: Option<usize>,
    label: Option<usize>,
    default_layer: String,
    decimals: usize,
    /// Of labels.
    height: f64,
    unit: i64,
    extent: Extender,
    next: u64,
    split: u64,
    cut: u64,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let names: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        let find = |option: &Option<String>| match option {
            Some(name) => crate::layer::column_names::position(&names, name, None)
                .map(Some)
                .map_err(|e| e.in_file(path)),
            None => Ok(None),
        };
        let (layer_by, label) = (find(&options.layer_by)?, find(&options.label)?);
        let room = tempfile::tempfile().map_err(|e| Error::file(path, "cannot be written", e))?;
        let degrees = info.crs.as_ref().is_some_and(velvet_peg_core::Crs::is_geographic);
        let unit = match &info.crs {
            Some(crs) => crs.length_unit(),
            None => info.unit,
        };
        Ok(Writer {
            path: path.to_path_buf(),
            entities: BufWriter::with_capacity(1 << 16, room),
            layers: BTreeSet::new(),
            names,
            layer_by,
            label,
            default_layer: layer_name(&info.name),
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
            // Two metres or feet, or what is about ten metres in degrees.
            height: if degrees { 1e-4 } else { 2.0 },
            unit: unit.filter(|_| !degrees).map_or(0, header::number_of),
            extent: Extender::default(),
            next: frame::FIRST,
            split: 0,
            cut: 0,
        })
    }

    fn attributes(&mut self, values: &[ValueRef<'_>], z: bool, layer: &str) -> String {
        let mut text = format!("1001\n{APPLICATION}\n");
        if z {
            text += "1000\nZ\n";
        }
        for (name, value) in self.names.iter().zip(values) {
            let mut text_of = value.to_string();
            if let ValueRef::Real(number) = value
                && text_of.len() > MOST_NUMBER
            {
                // A number is never cut.
                text_of = format!("{number:e}");
            }
            let value = text_of;
            // The layer says it already.
            if value.is_empty() || (name == "layer" && value == layer) {
                continue;
            }
            let pair = format!("{}={}", written(name).replace('=', "\\U+003D"), written(&value));
            let mut rest = pair.as_str();
            let mut front = "";
            while !rest.is_empty() {
                let end = boundary(rest, STRING_BYTES);
                if text.len() + end > MOST_BYTES {
                    self.cut += 1;
                    break;
                }
                // What goes on in the next string says so.
                let _ = writeln!(text, "{front}1000\n{}", &rest[..end]);
                rest = &rest[end..];
                front = "1070\n1\n";
            }
        }
        text
    }

    /// The beginning of an entity, up to its own data.
    fn begin(&mut self, kind: &str, layer: &str, class: &str) -> String {
        let handle = self.next;
        self.next += 1;
        let model = frame::MODEL;
        format!("0\n{kind}\n5\n{handle:X}\n330\n{model}\n100\nAcDbEntity\n8\n{layer}\n{class}")
    }

    fn place(&self, column: &GeometryColumn, at: usize, z: bool) -> String {
        let decimals = self.decimals;
        let (x, y) = (column.x[at], column.y[at]);
        let z = if z { decimal(column.z[at]) } else { "0.0".to_string() };
        format!("10\n{x:.decimals$}\n20\n{y:.decimals$}\n30\n{z}\n")
    }

    fn feature(
        &mut self,
        column: &GeometryColumn,
        feature: usize,
        values: &[ValueRef<'_>],
    ) -> String {
        let Some(kind) = column.kinds()[feature] else { return String::new() };
        let layer = match self.layer_by {
            Some(at) => layer_name(&values[at].to_string()),
            None => self.default_layer.clone(),
        };
        let z = column.has_z() && column.vertices(feature).all(|at| column.z[at].is_finite());
        let extended = self.attributes(values, z, &layer);
        let mut text = String::new();
        let mut entities = 0;
        for part in column.parts(feature) {
            for ring in column.rings(part) {
                let mut range = column.ring(ring);
                entities += 1;
                if kind.single() == GeometryKind::Point {
                    for at in range {
                        let place = self.place(column, at, z);
                        let begin = self.begin("POINT", &layer, "100\nAcDbPoint\n");
                        text += &(begin + &place + &extended);
                        if let Some(label) = self.label {
                            let label = values[label].to_string();
                            text += &self.label(&layer, &place, &written_line(&label));
                        }
                    }
                    continue;
                }
                let closed = kind.single() == GeometryKind::Polygon;
                if closed && range.len() > 1 && !crate::format_support::wkt::closes(column, &range)
                {
                    range.end -= 1;
                }
                text += &match z {
                    true => self.line_with_heights(column, range, closed, &layer, &extended),
                    false => self.flat_line(column, range, closed, &layer, &extended),
                };
            }
        }
        self.split += u64::from(entities > 1 || kind.is_multi());
        self.layers.insert(layer);
        text
    }

    fn label(&mut self, layer: &str, place: &str, label: &str) -> String {
        let begin = self.begin("TEXT", layer, "100\nAcDbText\n");
        let height = self.height;
        format!(
            "{begin}{place}40\n{height}\n1\n{label}\n100\nAcDbText\n1001\n{APPLICATION}\n1000\n{LABEL}\n"
        )
    }

    fn flat_line(
        &mut self,
        column: &GeometryColumn,
        range: Range<usize>,
        closed: bool,
        layer: &str,
        extended: &str,
    ) -> String {
        let mut text = self.begin("LWPOLYLINE", layer, "100\nAcDbPolyline\n");
        let _ = write!(text, "90\n{}\n70\n{}\n43\n0.0\n", range.len(), u8::from(closed));
        let decimals = self.decimals;
        for at in range {
            let (x, y) = (column.x[at], column.y[at]);
            let _ = write!(text, "10\n{x:.decimals$}\n20\n{y:.decimals$}\n");
        }
        text + extended
    }

    fn line_with_heights(
        &mut self,
        column: &GeometryColumn,
        range: Range<usize>,
        closed: bool,
        layer: &str,
        extended: &str,
    ) -> String {
        let mut text = self.begin("POLYLINE", layer, "100\nAcDb3dPolyline\n");
        // Bit 1: closed; bit 8: with heights.
        let flags = u8::from(closed) + 8;
        let _ = write!(text, "66\n1\n10\n0.0\n20\n0.0\n30\n0.0\n70\n{flags}\n{extended}");
        let class = "100\nAcDbVertex\n100\nAcDb3dPolylineVertex\n";
        for at in range {
            let place = self.place(column, at, true);
            text += &(self.begin("VERTEX", layer, class) + &place + "70\n32\n");
        }
        text + &self.begin("SEQEND", layer, "")
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        self.extent.add(&batch.geometry);
        let columns = batch.columns();
        for feature in 0..batch.len() {
            let values: Vec<ValueRef<'_>> = columns.iter().map(|c| c.value(feature)).collect();
            let text = self.feature(&batch.geometry, feature, &values);
            self.entities
                .write_all(text.as_bytes())
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    fn losses(&self) -> Vec<Notice> {
        let mut losses = Vec::new();
        if self.split > 0 {
            losses.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!(
                        "a drawing has no holes and no features of several parts: the rings and \
                         parts of {} {} were written as polylines or points of their own, with the \
                         same attributes",
                        self.split,
                        if self.split == 1 { "feature" } else { "features" }
                    ),
                )
                .count(self.split),
            );
        }
        if self.cut > 0 {
            losses.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!(
                        "values that were cut or left out, because the extended data of an entity \
                         hold {MOST_BYTES} bytes: {}",
                        self.cut
                    ),
                )
                .count(self.cut),
            );
        }
        losses
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let head = frame::before(&self.layers, self.extent.bounds(), self.unit, self.next);
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let mut entities = self.entities.into_inner().map_err(|e| failed(e.into_error()))?;
        entities.rewind().map_err(failed)?;
        let mut out = BufWriter::with_capacity(1 << 16, new_file(&self.path)?);
        out.write_all(head.as_bytes()).map_err(failed)?;
        std::io::copy(&mut entities, &mut out).map_err(failed)?;
        out.write_all(frame::END.as_bytes()).and_then(|()| out.flush()).map_err(failed)?;
        drop(out);
        let read_back = match (self.split, self.cut) {
            (0, 0) => ReadBack::Coordinates,
            _ => ReadBack::Not,
        };
        Ok(Finished { read_back, ..Finished::default() })
    }
}

/// The most bytes of a text, whole characters, up to a number.
fn boundary(text: &str, most: usize) -> usize {
    (1..=most.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(text.len())
}

/// A number with a point, which some readers want to see.
fn decimal(value: f64) -> String {
    let text = value.to_string();
    if text.contains('.') { text } else { text + ".0" }
}

/// A name that layers may have: letters, digits and a few marks; `0` for a blank one.
fn layer_name(text: &str) -> String {
    let clean: String = text
        .trim()
        .chars()
        .map(|c| if c.is_control() || "<>/\\\":;?*|=`,".contains(c) { '_' } else { c })
        .collect();
    if clean.is_empty() { "0".to_string() } else { clean }
}
