//! Writing a drawing in its oldest form, which every reader takes: points (with labels, if a
//! column is named for them), and polylines, closed for the rings of polygons, on layers by
//! the values of a column.

use super::{APPLICATION, LABEL};
use crate::error::{Error, Result};
use crate::format_support::{Finished, ReadBack, Sink, WriteOptions, default_decimals};
use crate::layer::{Batch, Extender, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::notice::{Notice, NoticeKind};
use crate::output::new_file;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::path::{Path, PathBuf};

/// Bytes of a text in extended data.
/// Characters of a number that is written without an exponent.
const MOST_NUMBER: usize = 100;

const MOST_BYTES: usize = 250;

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
    height: f64,
    extent: Extender,
    split: u64,
    cut: u64,
    measured: bool,
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
            extent: Extender::default(),
            split: 0,
            cut: 0,
            measured: false,
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
            let mut pair = coded(&format!("{name}={value}"));
            if pair.len() > MOST_BYTES {
                let end = (0..=MOST_BYTES).rev().find(|at| pair.is_char_boundary(*at));
                pair.truncate(end.unwrap_or(0));
                self.cut += 1;
            }
            let _ = writeln!(text, "1000\n{pair}");
        }
        text
    }

    fn places(&self, column: &GeometryColumn, at: usize, z: bool) -> String {
        let decimals = self.decimals;
        let mut text =
            format!("10\n{:.decimals$}\n20\n{:.decimals$}\n", column.x[at], column.y[at]);
        if z {
            let _ = writeln!(text, "30\n{}", decimal(column.z[at]));
        }
        text
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
                        let place = self.places(column, at, z);
                        let _ = write!(text, "0\nPOINT\n8\n{layer}\n{place}{extended}");
                        if let Some(label) = self.label {
                            let label = coded(&values[label].to_string());
                            let _ = write!(
                                text,
                                "0\nTEXT\n8\n{layer}\n{place}40\n{}\n1\n{label}\n1001\n{APPLICATION}\n1000\n{LABEL}\n",
                                self.height
                            );
                        }
                    }
                    continue;
                }
                let closed = kind.single() == GeometryKind::Polygon;
                if closed && range.len() > 1 && !crate::format_support::wkt::closes(column, &range)
                {
                    range.end -= 1;
                }
                // Bit 1: closed; bit 8: with heights.
                let flags = u8::from(closed) + if z { 8 } else { 0 };
                let _ = write!(
                    text,
                    "0\nPOLYLINE\n8\n{layer}\n66\n1\n70\n{flags}\n10\n0.0\n20\n0.0\n30\n0.0\n{extended}"
                );
                for at in range {
                    let place = self.places(column, at, z);
                    let flag = if z { "70\n32\n" } else { "" };
                    let _ = write!(text, "0\nVERTEX\n8\n{layer}\n{place}{flag}");
                }
                let _ = write!(text, "0\nSEQEND\n8\n{layer}\n");
            }
        }
        self.split += u64::from(entities > 1 || kind.is_multi());
        self.layers.insert(layer);
        text
    }

    /// The sections before the entities.
    fn head(&self) -> String {
        let mut text = String::from("0\nSECTION\n2\nHEADER\n");
        if let Some(b) = self.extent.bounds() {
            let (west, south, east, north) = (b.west, b.south, b.east, b.north);
            let _ = write!(
                text,
                "9\n$EXTMIN\n10\n{west}\n20\n{south}\n30\n0.0\n9\n$EXTMAX\n10\n{east}\n20\n{north}\n30\n0.0\n"
            );
        }
        text += "0\nENDSEC\n0\nSECTION\n2\nTABLES\n0\nTABLE\n2\nLTYPE\n70\n1\n0\nLTYPE\n2\nCONTINUOUS\n70\n0\n3\nSolid line\n72\n65\n73\n0\n40\n0.0\n0\nENDTAB\n";
        let _ = write!(text, "0\nTABLE\n2\nLAYER\n70\n{}\n", self.layers.len());
        for layer in &self.layers {
            let _ = write!(text, "0\nLAYER\n2\n{layer}\n70\n0\n62\n7\n6\nCONTINUOUS\n");
        }
        let _ = write!(
            text,
            "0\nENDTAB\n0\nTABLE\n2\nAPPID\n70\n1\n0\nAPPID\n2\n{APPLICATION}\n70\n0\n0\nENDTAB\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n"
        );
        text
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        self.extent.add(&batch.geometry);
        self.measured |= batch.geometry.has_m();
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
                        "{} texts were cut to the {MOST_BYTES} bytes that extended data hold",
                        self.cut
                    ),
                )
                .count(self.cut),
            );
        }
        losses
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let head = self.head();
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let mut entities = self.entities.into_inner().map_err(|e| failed(e.into_error()))?;
        entities.rewind().map_err(failed)?;
        let mut out = BufWriter::with_capacity(1 << 16, new_file(&self.path)?);
        out.write_all(head.as_bytes()).map_err(failed)?;
        std::io::copy(&mut entities, &mut out).map_err(failed)?;
        out.write_all(b"0\nENDSEC\n0\nEOF\n").and_then(|()| out.flush()).map_err(failed)?;
        drop(out);
        let read_back = match (self.split, self.cut) {
            (0, 0) => ReadBack::Coordinates,
            _ => ReadBack::Not,
        };
        Ok(Finished { read_back, ..Finished::default() })
    }
}

/// A number with a point, which some readers want to see.
fn decimal(value: f64) -> String {
    let text = value.to_string();
    if text.contains('.') { text } else { text + ".0" }
}

/// Line ends become blanks, and characters beyond ASCII are coded.
fn coded(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match c {
            c if c.is_control() => out.push(' '),
            c if c.is_ascii() => out.push(c),
            c if (c as u32) < 0x1_0000 => {
                let _ = write!(out, "\\U+{:04X}", c as u32);
            }
            _ => out.push('?'),
        }
    }
    out
}

/// A name that layers may have: letters, digits and a few marks; `0` for a blank one.
fn layer_name(text: &str) -> String {
    let clean: String = text
        .trim()
        .chars()
        .map(|c| if c.is_control() || "<>/\\\":;?*|=`,".contains(c) { '_' } else { c })
        .collect();
    if clean.is_empty() { "0".to_string() } else { coded(&clean) }
}
