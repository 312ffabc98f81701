//! Writing Shapefiles: one file a kind of geometry.

use super::shape::{self, ShapeType};
use crate::error::{Error, Result};
use crate::format::dbf::AttributeRows;
use crate::format_support::{Finished, ReadBack, Sink};
use crate::layer::{Batch, GeometryKind, LayerInfo, Value, ValueRef};
use crate::notice::{Notice, NoticeKind};
use crate::output::new_file;
use arrow_schema::SchemaRef;
use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, definition};

/// Bytes of a file that all readers take.
const MOST_BYTES: u64 = (1 << 31) - 1;

pub(super) struct Writer {
    path: PathBuf,
    crs: Option<Crs>,
    schema: SchemaRef,
    z: bool,
    m: bool,
    /// The kind of the layer, if it has one.
    kind: Option<GeometryKind>,
    files: Vec<OneKind>,
    /// Features without a geometry that came before any file was begun.
    waiting: Vec<Vec<Value>>,
    missing: u64,
    /// There is nothing but attributes.
    bare: bool,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo) -> Result<Writer> {
        Ok(Writer {
            path: path.to_path_buf(),
            crs: info.crs.clone(),
            schema: info.schema.clone(),
            z: info.has_z,
            m: info.has_m,
            kind: info.kind,
            files: Vec::new(),
            waiting: Vec::new(),
            missing: 0,
            bare: info.bare,
        })
    }

    /// The file for a kind, with or without heights, begun if it is the first of its kind.
    fn file_for(&mut self, kind: GeometryKind, z: bool) -> Result<&mut OneKind> {
        // Lines and polygons of one part or several share a type.
        let kind = match kind {
            GeometryKind::Point | GeometryKind::MultiPoint if self.kind.is_some() => {
                self.kind.unwrap_or(kind)
            }
            GeometryKind::Point | GeometryKind::MultiPoint => kind,
            kind => kind.single(),
        };
        let at = self.files.iter().position(|file| {
            let alike = kind.single() != GeometryKind::Point && file.of.kind.single() == kind;
            file.of.z == z && (file.of.kind == kind || alike)
        });
        let at = match at {
            Some(at) => at,
            None => {
                let file = OneKind::create(self, kind, z)?;
                self.files.push(file);
                self.files.len() - 1
            }
        };
        Ok(&mut self.files[at])
    }

    /// Gives each file its name: that of the layer if there is one, else with its kind. A file has
    /// heights throughout or none: features without go to a file of their own.
    fn name_files(&mut self) {
        let stem = self.path.file_stem().unwrap_or_default().to_os_string();
        let kinds: Vec<(GeometryKind, bool)> =
            self.files.iter().map(|file| (file.of.kind, file.of.z)).collect();
        let one_kind = kinds.iter().all(|(kind, _)| *kind == kinds[0].0);
        for file in &mut self.files {
            let kind = match one_kind {
                true => String::new(),
                false => format!("-{}s", file.of.kind.name()),
            };
            let others = !file.of.z && kinds.contains(&(file.of.kind, true));
            let flat = if others { "-without-heights" } else { "" };
            let mut name = stem.clone();
            name.push(format!("{kind}{flat}.shp"));
            file.path = self.path.with_file_name(name);
        }
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let columns = batch.columns();
        for feature in 0..batch.len() {
            let values: Vec<ValueRef<'_>> = columns.iter().map(|c| c.value(feature)).collect();
            self.missing +=
                values.iter().filter(|value| **value == ValueRef::Text("")).count() as u64;
            let Some(kind) = batch.geometry.kinds()[feature] else {
                // Goes to the first file, or waits for it.
                match self.files.first_mut() {
                    Some(file) => file.add(&super::NULL.to_le_bytes(), &values)?,
                    None => self.waiting.push(values.iter().map(ValueRef::to_value).collect()),
                }
                continue;
            };
            let file = self.file_for(kind, batch.geometry.has_heights(feature))?;
            let content = shape::write(&batch.geometry, feature, file.of);
            let at = batch.geometry.vertices(feature);
            file.grow(&batch.geometry, at);
            file.add(&content, &values)?;
            for values in std::mem::take(&mut self.waiting) {
                let values: Vec<ValueRef<'_>> = values.iter().map(Value::as_ref).collect();
                self.files[0].add(&super::NULL.to_le_bytes(), &values)?;
            }
        }
        Ok(())
    }

    fn losses(&self) -> Vec<Notice> {
        let mut losses = Vec::new();
        let (flat, high) = self.files.iter().fold((0, 0), |(flat, high), file| match file.of.z {
            true => (flat, high + file.count),
            false => (flat + file.count, high),
        });
        if flat > 0 && high > 0 {
            losses.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!(
                        "features without heights: {flat}, with heights: {high}; a Shapefile has \
                         heights throughout or none, so those without go to a file of their own"
                    ),
                )
                .with("without", flat as f64, "")
                .with("with", high as f64, ""),
            );
        }
        if self.missing > 0 {
            losses.push(Notice::warning(
                NoticeKind::FormatLimit,
                format!(
                    "blank texts that read as missing, because a Shapefile does not tell the two \
                     apart: {}",
                    self.missing
                ),
            ).count(self.missing));
        }
        losses.extend(self.files.iter().flat_map(|file| file.attributes.losses("Shapefile")));
        losses
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        if self.files.is_empty() {
            // Nothing but features without a geometry: points are as good as any.
            let kind = self.kind.unwrap_or(GeometryKind::Point);
            let mut file = OneKind::create(&self, kind, self.z)?;
            for values in std::mem::take(&mut self.waiting) {
                let values: Vec<ValueRef<'_>> = values.iter().map(Value::as_ref).collect();
                file.add(&super::NULL.to_le_bytes(), &values)?;
            }
            self.files.push(file);
        }
        let mut finished = Finished::default();
        // Without columns, the table has the number that the format asks for.
        if self.files.iter().any(|file| file.attributes.changes()) {
            finished.read_back = ReadBack::Coordinates;
        }
        self.name_files();
        for file in self.files {
            finished.files.extend(file.finish(self.crs.as_ref())?);
        }
        if self.crs.is_none() && !self.bare {
            finished.notices.push(Notice::warning(
                NoticeKind::System,
                "the layer has no reference system, so there is no .prj: say which one it is in, \
                 or readers will guess",
            ));
        }
        Ok(finished)
    }
}

/// Parts of a Shapefile that would tell of another one if they stayed beside a new one: side files
/// with its system and encoding, and indexes.
const PARTS: [&str; 13] =
    ["shx", "dbf", "prj", "cpg", "sbn", "sbx", "qix", "fbn", "fbx", "ain", "aih", "ixs", "mxs"];

/// What stands beside a Shapefile that is replaced and is not replaced with it.
pub(super) fn stale_parts(path: &Path, made: &[PathBuf]) -> Vec<PathBuf> {
    let main = |file: &&PathBuf| file.extension().is_some_and(|e| e == "shp");
    let mut stale = Vec::new();
    for file in made.iter().filter(main) {
        let target = path.with_file_name(file.file_name().unwrap_or_default());
        for part in PARTS.into_iter().flat_map(|p| [p.to_string(), p.to_ascii_uppercase()]) {
            let beside = target.with_extension(&part);
            let written = made.iter().any(|other| other.file_name() == beside.file_name());
            if beside.is_file() && !written && !stale.contains(&beside) {
                stale.push(beside);
            }
        }
    }
    stale
}

/// The files of one kind.
struct OneKind {
    path: PathBuf,
    of: ShapeType,
    shapes: BufWriter<File>,
    index: BufWriter<File>,
    attributes: AttributeRows,
    /// 16-bit words written.
    words: u64,
    count: u32,
    /// Smallest and largest x, y, z, m.
    low: [f64; 4],
    high: [f64; 4],
}

impl OneKind {
    fn create(writer: &Writer, kind: GeometryKind, z: bool) -> Result<OneKind> {
        let path = writer.path.as_path();
        let failed = |e| Error::file(path, "cannot be written", e);
        let scratch = || tempfile::tempfile().map_err(failed);
        let mut file = OneKind {
            path: path.to_path_buf(),
            of: ShapeType { kind, z, m: writer.m },
            shapes: BufWriter::with_capacity(1 << 16, scratch()?),
            index: BufWriter::with_capacity(1 << 16, scratch()?),
            attributes: AttributeRows::create(path, writer.schema.clone())?,
            words: 50,
            count: 0,
            low: [f64::INFINITY; 4],
            high: [f64::NEG_INFINITY; 4],
        };
        let blank = [0; 100];
        file.shapes
            .write_all(&blank)
            .and_then(|()| file.index.write_all(&blank))
            .map_err(failed)?;
        Ok(file)
    }

    fn grow(&mut self, column: &crate::layer::GeometryColumn, at: std::ops::Range<usize>) {
        for (n, values) in [&column.x, &column.y, &column.z, &column.m].into_iter().enumerate() {
            let values = values.get(at.clone()).unwrap_or_default();
            for value in values.iter().filter(|value| value.is_finite()) {
                self.low[n] = self.low[n].min(*value);
                self.high[n] = self.high[n].max(*value);
            }
        }
    }

    fn add(&mut self, content: &[u8], values: &[ValueRef<'_>]) -> Result<()> {
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let size = (content.len() / 2) as u64;
        if 2 * (self.words + 4 + size) > MOST_BYTES {
            return Err(Error::usage(
                "a Shapefile holds 2 GB at most, and there is more: write a .gpkg, or convert the \
                 data in parts",
            )
            .in_file(&self.path));
        }
        self.count += 1;
        let mut head = [0; 8];
        head[..4].copy_from_slice(&self.count.to_be_bytes());
        head[4..].copy_from_slice(&(size as u32).to_be_bytes());
        let mut entry = head;
        entry[..4].copy_from_slice(&(self.words as u32).to_be_bytes());
        self.shapes
            .write_all(&head)
            .and_then(|()| self.shapes.write_all(content))
            .and_then(|()| self.index.write_all(&entry))
            .map_err(failed)?;
        self.words += 4 + size;
        self.attributes.add(values.iter().copied())
    }

    /// Writes the files; gives their paths.
    fn finish(mut self, crs: Option<&Crs>) -> Result<Vec<PathBuf>> {
        let path = self.path.clone();
        let failed = |e| Error::file(&path, "cannot be written", e);
        let lay = |extension: &str| -> Result<(File, PathBuf)> {
            let target = path.with_extension(extension);
            Ok((new_file(&target)?, target))
        };
        let mut files = Vec::new();
        let head = self.head(self.words);
        let index_head = self.head(50 + 4 * u64::from(self.count));
        for (extension, scratch, head) in
            [("shp", &mut self.shapes, head), ("shx", &mut self.index, index_head)]
        {
            scratch.seek(SeekFrom::Start(0)).map_err(failed)?;
            scratch.write_all(&head).and_then(|()| scratch.flush()).map_err(failed)?;
            let (mut file, target) = lay(extension)?;
            let source = scratch.get_mut();
            source.seek(SeekFrom::Start(0)).map_err(failed)?;
            std::io::copy(source, &mut file).map_err(failed)?;
            files.push(target);
        }
        let (file, target) = lay("dbf")?;
        let attributes = self.attributes;
        attributes.write(file)?;
        files.push(target);
        let (mut file, target) = lay("cpg")?;
        file.write_all(b"UTF-8").map_err(failed)?;
        files.push(target);
        let text = crs.and_then(|crs| {
            // The usual spelling has no word for how a datum of one's own lies to WGS 84.
            let own = crs.datum().is_some_and(|datum| datum.shift_to_wgs84().is_some());
            let usual = || definition::wkt1_spelled(crs, definition::Spelling::SideFile);
            (!own).then(usual).flatten().or_else(|| definition::wkt1(crs))
        });
        if let Some(text) = text {
            let (mut file, target) = lay("prj")?;
            file.write_all(text.as_bytes()).map_err(failed)?;
            files.push(target);
        }
        Ok(files)
    }

    /// The header of `.shp` and `.shx`.
    fn head(&self, words: u64) -> Vec<u8> {
        let mut head = vec![0; 28];
        head[..4].copy_from_slice(&9994_i32.to_be_bytes());
        head[24..].copy_from_slice(&(words as u32).to_be_bytes());
        head.extend(1000_i32.to_le_bytes());
        head.extend(self.of.code().to_le_bytes());
        let limit = |value: f64| if value.is_finite() { value } else { 0.0 };
        let flat = [self.low[0], self.low[1], self.high[0], self.high[1]];
        let deep = [self.low[2], self.high[2], self.low[3], self.high[3]];
        for value in flat.into_iter().chain(deep) {
            head.extend(limit(value).to_le_bytes());
        }
        head
    }
}
