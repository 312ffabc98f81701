//! Layers as delimited text with coordinates as columns.
//!
//! Points give one row a feature. Lines and polygons give one row a vertex, with the
//! feature's attributes repeated and `feature`, `part`, `ring` and `vertex` numbers, from 1.

use super::{WriteOptions, default_decimals};
use crate::error::{Error, Result};
use crate::layer::{Batch, GeometryKind, LayerInfo};
use crate::output::Output;
use std::fs::File;
use std::io::BufWriter;
use std::path::{Path, PathBuf};

pub(super) struct Writer {
    path: PathBuf,
    output: Output,
    writer: csv::Writer<BufWriter<File>>,
    decimals: usize,
    has_z: bool,
    points: bool,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let output = Output::create(path, options.overwrite)?;
        let tabs = path.extension().is_some_and(|e| e == "tsv" || e == "tab");
        let mut writer = csv::WriterBuilder::new()
            .delimiter(if tabs { b'\t' } else { b',' })
            .from_writer(BufWriter::new(output.reopen()?));
        let points = info.kind == Some(GeometryKind::Point);
        let mut header: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        if !points {
            header
                .extend(["feature", "part", "ring", "vertex"].map(|name| distinct(&header, name)));
        }
        let names = coordinate_names(info.crs.as_ref());
        let z = info.has_z.then_some("z");
        for name in names.into_iter().chain(z) {
            header.push(distinct(&header, name));
        }
        writer.write_record(&header).map_err(|e| Error::file(path, "cannot be written", e))?;
        Ok(Writer {
            path: path.to_path_buf(),
            output,
            writer,
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
            has_z: info.has_z,
            points,
        })
    }

    pub(super) fn write(&mut self, batch: &Batch) -> Result<()> {
        let geometry = &batch.geometry;
        for feature in 0..geometry.len() {
            let attributes: Vec<String> =
                batch.values(feature).iter().map(|value| value.to_text()).collect();
            if geometry.kinds()[feature].is_none() {
                let blanks = usize::from(!self.points) * 4 + 2 + usize::from(self.has_z);
                let mut record = attributes.clone();
                record.resize(record.len() + blanks, String::new());
                self.record(&record)?;
            }
            for (p, part) in geometry.parts(feature).enumerate() {
                for (r, ring) in geometry.rings(part).enumerate() {
                    for (v, at) in geometry.ring(ring).enumerate() {
                        let mut record = attributes.clone();
                        if !self.points {
                            let number = batch.first + feature as u64;
                            record.push(number.to_string());
                            record.extend([p + 1, r + 1, v + 1].map(|n| n.to_string()));
                        }
                        let decimals = self.decimals;
                        record.push(format!("{:.decimals$}", geometry.x[at]));
                        record.push(format!("{:.decimals$}", geometry.y[at]));
                        if self.has_z {
                            let z = geometry.z.get(at).filter(|z| z.is_finite());
                            record.push(z.map_or(String::new(), |z| z.to_string()));
                        }
                        self.record(&record)?;
                    }
                }
            }
        }
        Ok(())
    }

    fn record(&mut self, record: &[String]) -> Result<()> {
        self.writer
            .write_record(record)
            .map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    pub(super) fn finish(self) -> Result<()> {
        let path = self.path;
        let buffer = self
            .writer
            .into_inner()
            .map_err(|e| Error::file(&path, "cannot be written", e.into_error()))?;
        buffer.into_inner().map_err(|e| Error::file(&path, "cannot be written", e.into_error()))?;
        self.output.finish()
    }
}

/// Names of the coordinate columns for a system.
pub(crate) fn coordinate_names(crs: Option<&velvet_peg_core::Crs>) -> [&'static str; 2] {
    match crs {
        Some(crs) if crs.is_geographic() => ["lon", "lat"],
        Some(crs) if crs.is_projected() => ["easting", "northing"],
        _ => ["x", "y"],
    }
}

/// A column name that is not taken yet.
pub(crate) fn distinct(taken: &[String], name: &str) -> String {
    let mut candidate = name.to_string();
    let mut suffix = 2;
    while taken.iter().any(|other| other.eq_ignore_ascii_case(&candidate)) {
        candidate = format!("{name}_{suffix}");
        suffix += 1;
    }
    candidate
}
