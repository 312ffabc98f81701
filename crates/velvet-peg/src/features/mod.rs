//! Building features from the rows of a table: points from coordinate columns, or features of
//! any kind from a column with geometries as text. [`vertices`] gathers rows of vertices for
//! [`lines`] and [`polygons`]; [`courses`] has the courses of deeds.

pub(crate) mod courses;
mod findings;
pub(crate) mod lines;
mod natural_order;
pub(crate) mod polygons;
mod repair;
mod reproject;
pub(crate) mod vertices;

use crate::convert::{ConvertLayer, coordinates_in_expressions, heights_in_space, raises};
use crate::error::{Error, Result};
use crate::format_support::TableOptions;
use crate::format_support::wkb::read as read_wkb;
use crate::format_support::{WriteOptions, wkt};
use crate::layer::column_names::position;
use crate::layer::{
    BATCH, Batch, CrsOrigin, GeometryColumn, GeometryKind, Layer, LayerInfo, RowBuilder,
    SchemaInference,
};
use crate::layer_io::{LayerReader, LayerWriter};
use crate::notice::Notice;
use crate::output::{refuse_existing, refuse_inputs};
use crate::plausibility::PositionSample;
use crate::plausibility::{CoordinateRange, FirstReasons};
use crate::progress::Progress;
use crate::rejects::{Rejects, RejectsTo};
use crate::select::{Planned, Selection};
use crate::summary::{Summary, nothing_left};
use crate::table::{
    CoordinateColumns, Found, Inference, Notation, TableFile, TableReader, read_pair,
};
use arrow_array::{Array, BooleanArray};
use csv::StringRecord;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Converter, Crs, PlanOptions};

/// What to build points from.
#[derive(Clone, Debug, Default)]
pub struct BuildPoints {
    /// Coordinate columns; guessed from the headers where not named.
    pub columns: CoordinateColumns,
    /// True if angles are packed as DDDMMSS.s.
    pub packed: bool,
    /// What is the same for all features built from tables.
    pub build: BuildOptions,
}

/// What to build features of any kind from.
#[derive(Clone, Debug, Default)]
pub struct BuildFeatures {
    /// The column with geometries: well-known text, or well-known binary in hexadecimal
    /// digits; found by its values if not named.
    pub geometry: Option<String>,
    /// What is the same for all features built from tables.
    pub build: BuildOptions,
}

/// How features are built from a table.
#[derive(Clone, Debug, Default)]
pub struct BuildOptions {
    /// Reference system of the coordinates; none to leave it open.
    pub crs: Option<Crs>,
    /// Reference system to carry the features to, on the way.
    pub to: Option<Crs>,
    /// Epoch of the coordinates, decimal years, for operations between moving frames.
    pub epoch: Option<f64>,
    /// Which rows and columns are kept, and what is computed.
    pub select: Selection,
    /// How the table is read.
    pub table: TableOptions,
    /// How the features are written.
    pub write: WriteOptions,
    /// Name of the layer; the table's name if none.
    pub layer: Option<String>,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

impl BuildOptions {
    /// Name of the layer: the one asked for, that of the sheet, or that of the table.
    fn layer_name(&self, file: &TableFile) -> String {
        let stem = file.path().file_stem().and_then(|stem| stem.to_str());
        let stem = stem.filter(|stem| *stem != "-").unwrap_or("features");
        let named = self.layer.as_deref().or(file.sheet());
        named.unwrap_or(stem).to_string()
    }

    /// A warning where the features have no reference system.
    fn undeclared(&self, out: &Path) -> Option<Notice> {
        self.crs.is_none().then(|| {
            Notice::warning(format!(
                "no reference system was given, so the features have none and cannot be converted \
                 or measured: add --crs REF here, or later `vpeg declare {} --crs REF -o OUT`",
                out.display()
            ))
        })
    }

    /// Writes features that were made in memory; rows in them and rows rejected are counted by
    /// whoever made them.
    fn write_made(
        &self,
        layer: &Layer,
        file: &TableFile,
        out: &Path,
        rejects: &mut Rejects,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let convert = ConvertLayer {
            target: self.to.clone(),
            epoch: self.epoch,
            select: self.select.clone(),
            write: self.write.clone(),
            rejects: None,
        };
        convert.run_into(&LayerReader::of_layer(layer, file.path()), out, rejects, watch)
    }

    /// The file for rejected rows of a table.
    fn open_rejects(&self, table: &Path, out: &Path, headers: &[String]) -> Result<Rejects> {
        refuse_inputs(out, [table])?;
        let to = RejectsTo {
            named: self.rejects.as_deref(),
            overwrite: self.write.overwrite || self.write.replace_file,
            append: self.write.append,
        };
        Rejects::new(to, &[table], out, headers)
    }
}

impl BuildPoints {
    /// Points in this reference system, everything else as it is by itself.
    pub fn in_system(crs: Crs) -> BuildPoints {
        let build = BuildOptions { crs: Some(crs), ..BuildOptions::default() };
        BuildPoints { build, ..BuildPoints::default() }
    }

    /// Makes one point of every row of a table. Every column stays as an attribute; rows
    /// whose coordinates are blank, unreadable or out of range for the system go to the
    /// rejects with their number, the reason and the original text.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{BuildPoints, Crs, NoProgress};
    /// let points = BuildPoints::in_system(Crs::parse("EPSG:4326")?);
    /// let outcome = points.run(&file("headgates.csv"), &file("gates.gpkg"), &mut NoProgress)?;
    /// assert_eq!(outcome.rows_in, outcome.out + outcome.rejected.count);
    /// assert_eq!(outcome.rejected.first[0].0, 11); // the row, as a spreadsheet counts
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, an output exists, or no row can be
    /// used.
    pub fn run(&self, table: &Path, out: &Path, watch: &mut dyn Progress) -> Result<Summary> {
        refuse_existing(out, self.build.write.replaces())?;
        let file = TableFile::open(table, &self.build.table)?;
        let headers = file.rows()?.headers;
        let (found, why) = self
            .columns
            .find(&headers, &file.head()?, self.build.crs.as_ref())
            .map_err(|error| error.in_file(table))?;
        let notation = if self.packed { Notation::Packed } else { Notation::Detected };
        let places = Places::Columns(found, notation);
        let mut outcome = run(&self.build, &file, &places, out, watch)?;
        outcome.notices.splice(..0, why);
        Ok(outcome)
    }
}

impl BuildFeatures {
    /// Makes one feature of every row of a table, of the geometry that one of its columns
    /// holds. The other columns stay as attributes.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{BuildFeatures, NoProgress};
    /// std::fs::write(file("a.csv"), "ditch,shape\nAlder,\"LINESTRING (0 0, 3 4)\"\n")?;
    /// let outcome = BuildFeatures::default().run(&file("a.csv"), &file("a.gpkg"), &mut NoProgress)?;
    /// assert_eq!(outcome.out, 1);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`BuildPoints::run`].
    pub fn run(&self, table: &Path, out: &Path, watch: &mut dyn Progress) -> Result<Summary> {
        refuse_existing(out, self.build.write.replaces())?;
        let file = TableFile::open(table, &self.build.table)?;
        let mut reader = file.rows()?;
        let headers = reader.headers.clone();
        let at = match &self.geometry {
            Some(name) => position(&headers, name, None).map_err(|error| error.in_file(table))?,
            None => {
                let mut record = StringRecord::new();
                let mut seen = 0;
                let mut found = None;
                while found.is_none() && seen < 100 && reader.read(&mut record)? {
                    seen += 1;
                    found = record.iter().position(wkt::looks_like);
                }
                found.ok_or_else(|| {
                    Error::usage(format!(
                        "no column holds geometries as text: say which one it is with --geometry; \
                         the columns are {}",
                        crate::layer::column_names::list(&headers)
                    ))
                    .in_file(table)
                })?
            }
        };
        run(&self.build, &file, &Places::Text(at), out, watch)
    }
}

/// Where the geometries of a table are.
enum Places {
    Columns(Found, Notation),
    /// In this column, as text.
    Text(usize),
}

impl Places {
    /// Pushes the geometry of a row, or says why there is none.
    fn push(
        &self,
        reader: &TableReader,
        record: &StringRecord,
        options: &BuildOptions,
        range: &CoordinateRange,
        column: &mut GeometryColumn,
    ) -> std::result::Result<(), String> {
        if let Some(misfit) = reader.misfit(record) {
            return Err(misfit);
        }
        match self {
            Places::Columns(found, notation) => {
                let (x, y, z) = read_pair(record, found, options.crs.as_ref(), *notation)?;
                range.check(x, y)?;
                column.push_point(x, y, z);
            }
            Places::Text(at) => {
                let text = record.get(*at).unwrap_or_default().trim();
                if text.is_empty() {
                    return Err("the geometry is blank".to_string());
                }
                let mut one = GeometryColumn::new();
                let srid = match bytes_of(text) {
                    Some(bytes) => read_wkb(&bytes, &mut one).map(|()| None)?,
                    None => wkt::read(text, &mut one)?,
                };
                if let (Some(srid), Some(crs)) = (srid.filter(|srid| *srid > 0), &options.crs)
                    && crs.code().is_some_and(|code| code != srid)
                {
                    return Err(format!(
                        "the geometry says that it is in system {srid}, not in {}",
                        crs.label()
                    ));
                }
                for (x, y) in one.x.iter().zip(&one.y) {
                    range.check(*x, *y)?;
                }
                column.push_from(&one, 0);
            }
        }
        Ok(())
    }
}

/// Bytes written as hexadecimal digits, if a text is that.
fn bytes_of(text: &str) -> Option<Vec<u8>> {
    let digits = text.strip_prefix("0x").or(text.strip_prefix("\\x")).unwrap_or(text);
    let hex = digits.len() >= 10
        && digits.len().is_multiple_of(2)
        && digits.bytes().all(|byte| byte.is_ascii_hexdigit());
    hex.then(|| {
        (0..digits.len())
            .step_by(2)
            .filter_map(|at| u8::from_str_radix(&digits[at..at + 2], 16).ok())
            .collect()
    })
}

/// What the first reading of a table learns: the types of its columns, and where the bulk of
/// its data lies.
struct FirstReading {
    inference: Inference,
    learn: SchemaInference,
    cloud: PositionSample,
    reasons: FirstReasons,
}

fn first_reading(
    options: &BuildOptions,
    file: &TableFile,
    places: &Places,
    range: &CoordinateRange,
    needed: &[usize],
    watch: &mut dyn Progress,
) -> Result<FirstReading> {
    let total = Some(file.bytes() * 2);
    let reader = file.rows()?;
    let mut first = FirstReading {
        inference: Inference::of_columns(reader.headers.len(), needed),
        learn: SchemaInference::default(),
        cloud: PositionSample::default(),
        reasons: FirstReasons::default(),
    };
    let mut column = GeometryColumn::new();
    reader.each_row(&mut |reader, record| {
        if first.inference.rows.is_multiple_of(4096) {
            watch.at(reader.bytes_read(), total);
        }
        first.inference.add(record, reader.types());
        match places.push(reader, record, options, range, &mut column) {
            Ok(()) => {
                for (x, y) in column.x.iter().zip(&column.y) {
                    first.cloud.gather(*x, *y);
                }
                first.learn.geometry(&column);
            }
            Err(reason) => {
                let found = match places {
                    Places::Columns(found, _) => Some(found),
                    Places::Text(_) => None,
                };
                first.reasons.add(reader.row(), &reason, record, found);
            }
        }
        column.clear();
        Ok(())
    })?;
    first.cloud.settle();
    let nothing = |what: String| {
        let error = Error::data(what).in_file(file.path());
        match file.sheet() {
            Some(sheet) => error.in_sheet(sheet),
            None => error,
        }
    };
    if first.inference.rows == 0 {
        return Err(nothing(
            "has a header but no rows: nothing to build. Is this the right file or sheet?".into(),
        ));
    }
    if first.learn.count == 0 {
        return Err(nothing(format!(
            "none of the {} rows has coordinates that can be used. {}",
            first.inference.rows,
            first.reasons.advice(options.crs.as_ref())
        )));
    }
    Ok(first)
}

fn run(
    options: &BuildOptions,
    file: &TableFile,
    places: &Places,
    out: &Path,
    watch: &mut dyn Progress,
) -> Result<Summary> {
    let table = file.path();
    let reader = file.rows()?;
    let headers = reader.headers.clone();
    let range = CoordinateRange::new(options.crs.as_ref())?;
    let mut notices = file.notices().to_vec();
    notices.extend(reader.renamed());
    drop(reader);
    let geometry_at = match places {
        Places::Text(at) => Some(*at),
        Places::Columns(..) => None,
    };
    let needed: Vec<usize> = options
        .select
        .needs(&headers)
        .map_err(|error| error.in_file(table))?
        .unwrap_or_else(|| (0..headers.len()).collect())
        .into_iter()
        .filter(|at| Some(*at) != geometry_at)
        .collect();
    let FirstReading { inference, learn, mut cloud, .. } =
        first_reading(options, file, places, &range, &needed, watch)?;

    let mut rejects = options.open_rejects(table, out, &headers)?;
    let name = options.layer_name(file);
    let extent = learn.extent.bounds();
    let source = LayerInfo {
        name,
        crs: options.crs.clone(),
        crs_origin: CrsOrigin::Given,
        schema: inference.schema(&headers, &needed),
        kind: match places {
            Places::Columns(..) => Some(GeometryKind::Point),
            Places::Text(_) => learn.kind(),
        },
        has_z: learn.has_z || matches!(places, Places::Columns(found, _) if found.z.is_some()),
        has_m: learn.has_m,
        count: None,
        extent,
    };
    let mut carried = source.clone();
    if options.to.is_some() {
        carried.crs.clone_from(&options.to);
    }
    let selection = options.select.plan(&carried).map_err(|error| error.in_file(table))?;
    notices.extend(selection.notices());
    let mut info = source.clone();
    info.schema = selection.schema.clone();
    let converter = match &options.to {
        None => None,
        Some(to) => {
            let from = options.crs.as_ref().ok_or_else(|| {
                Error::usage(
                    "to convert, the reference system of the table is needed: add --crs REF",
                )
                .in_file(table)
            })?;
            let area = extent.and_then(|extent| crate::convert::area_of(from, &extent));
            let plan = PlanOptions { area, epoch: options.epoch, ..PlanOptions::default() };
            info.crs = Some(to.clone());
            info.extent = None;
            let converter = Converter::plan(from, to, &plan)?;
            info.has_z |= raises(&converter);
            Some(converter)
        }
    };
    notices.extend(coordinates_in_expressions(&selection, converter.as_ref()));
    let mut writer = LayerWriter::create(out, &info, &options.write)?;
    notices.append(&mut writer.notices);
    let mut stage = Stage {
        selection,
        converter,
        writer,
        rejects: &mut rejects,
        width: headers.len(),
        needed: &needed,
        rows: RowBuilder::new(source.schema.clone()),
        geometry: GeometryColumn::new(),
        numbers: Vec::new(),
        refused: Vec::new(),
        left_out: 0,
        first: 1,
        cloud: &mut cloud,
        outside: 0,
        flat: 0,
        range: &range,
    };
    let total = Some(file.bytes() * 2);
    let mut seen = 0u64;
    file.rows()?.each_row(&mut |reader, record| {
        if seen.is_multiple_of(4096) {
            watch.at(file.bytes() + reader.bytes_read(), total);
        }
        seen += 1;
        let pushed = places.push(reader, record, options, &range, &mut stage.geometry);
        if let Err(reason) = pushed {
            let reason = reader.on_sheet(record, reason);
            stage.geometry.end_feature(None);
            stage.refused.push((stage.numbers.len(), reason, record.clone()));
        }
        let types = &inference.types;
        stage
            .rows
            .push(needed.iter().map(|at| types[*at].value(record.get(*at).unwrap_or_default())))?;
        stage.numbers.push(reader.row());
        if stage.numbers.len() == BATCH { stage.flush() } else { Ok(()) }
    })?;
    stage.flush()?;
    let Stage { converter, writer, left_out, outside, flat, .. } = stage;
    if let Some(converter) = &converter {
        notices.extend(heights_in_space(converter, flat, writer.count()));
    }
    notices.extend(cloud.notices());
    match &options.crs {
        Some(crs) => match cloud.against(crs) {
            Some(notice) => notices.push(notice),
            None if outside > 0 => notices.push(Notice::warning(format!(
                "{outside} {} outside the area where {} is used ({})",
                if outside == 1 { "point lies" } else { "points lie" },
                crs.label(),
                crs.extent().name()
            ))),
            None => {}
        },
        None => notices.extend(options.undeclared(out)),
    }
    let written = writer.finish()?;
    notices.extend(written.notices);
    notices.extend(nothing_left(left_out, written.count));
    Ok(Summary {
        rows_in: inference.rows,
        out: written.count,
        left_out,
        files: written.files,
        verified: written.verified,
        converter,
        rejected: rejects.finish()?,
        vertices: None,
        notices,
    })
}

/// Rows on their way to the output.
struct Stage<'a> {
    selection: Planned,
    converter: Option<Converter>,
    writer: LayerWriter,
    rejects: &'a mut Rejects,
    /// Columns of the table.
    width: usize,
    needed: &'a [usize],
    rows: RowBuilder,
    geometry: GeometryColumn,
    /// Numbers of the rows gathered.
    numbers: Vec<u64>,
    /// Rows without a geometry that can be used: their place, why, and what they say.
    refused: Vec<(usize, String, StringRecord)>,
    left_out: u64,
    first: u64,
    cloud: &'a mut PositionSample,
    outside: u64,
    /// Places without a height that were carried into space.
    flat: u64,
    range: &'a CoordinateRange,
}

impl Stage<'_> {
    fn flush(&mut self) -> Result<()> {
        if self.numbers.is_empty() {
            return Ok(());
        }
        let geometry = std::mem::take(&mut self.geometry);
        let mut batch = Batch::try_new(geometry, self.rows.finish()?, self.first)?;
        let mut numbers = std::mem::take(&mut self.numbers);
        // Coordinates in conditions are those of the output.
        let mask = match &self.converter {
            Some(converter) if self.selection.condition_takes_geometry() => {
                let mut carried = batch.clone();
                carried.geometry.convert(converter);
                self.selection.mask(&carried)?
            }
            _ => self.selection.mask(&batch)?,
        };
        let kept = |at: usize| mask.as_ref().is_none_or(|m| m.is_valid(at) && m.value(at));
        self.left_out += (0..numbers.len()).filter(|at| !kept(*at)).count() as u64;
        let mut good: Vec<bool> = (0..numbers.len()).map(kept).collect();
        for (at, reason, record) in std::mem::take(&mut self.refused) {
            // A condition on a geometry that is not there is neither true nor false.
            let unknown = mask.as_ref().is_some_and(|mask| mask.is_null(at));
            self.left_out -= u64::from(unknown);
            if good[at] || unknown {
                self.rejects.add(numbers[at], &reason, record.iter())?;
            }
            good[at] = false;
        }
        if good.contains(&false) {
            let mask = BooleanArray::from(good.clone());
            batch = Planned::filter(&batch, &mask)?;
            let mut flags = good.iter();
            numbers.retain(|_| flags.next() == Some(&true));
        }
        for (at, number) in numbers.iter().enumerate() {
            for vertex in batch.geometry.vertices(at) {
                let (x, y) = (batch.geometry.x[vertex], batch.geometry.y[vertex]);
                self.cloud.judge(*number, x, y);
                self.outside += u64::from(self.range.is_outside(x, y));
            }
        }
        if let Some(converter) = &self.converter {
            let before = batch.geometry.clone();
            self.flat += before.flat_vertices();
            if batch.geometry.convert(converter) > 0 {
                batch = self.sift(batch, &before, &numbers)?;
            }
        }
        let batch = self.selection.shape(batch)?;
        self.writer.write(&batch)?;
        self.first += batch.geometry.len() as u64;
        Ok(())
    }

    /// Rejects the features with a vertex that could not be converted.
    fn sift(&mut self, batch: Batch, before: &GeometryColumn, numbers: &[u64]) -> Result<Batch> {
        let column = &batch.geometry;
        let bad = |at: usize| column.vertices(at).any(|vertex| column.x[vertex].is_nan());
        let good: Vec<bool> = (0..column.len()).map(|at| !bad(at)).collect();
        for at in (0..column.len()).filter(|at| !good[*at]) {
            let reason = format!(
                "{} cannot be carried to {}",
                before.text_of(at),
                self.converter.as_ref().map_or("", |converter| converter.target().name())
            );
            // The row as far as it was read.
            let mut original = vec![String::new(); self.width];
            for (place, text) in self.needed.iter().zip(batch.texts(at)) {
                original[*place] = text;
            }
            self.rejects.add(numbers[at], &reason, original.iter().map(String::as_str))?;
        }
        Planned::filter(&batch, &BooleanArray::from(good))
    }
}
