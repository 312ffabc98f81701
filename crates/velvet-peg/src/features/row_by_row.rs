//! Features of a table, one a row: a first reading finds the types of the columns and where the data
//! lies, a second one makes the features and writes them.

use super::BuildOptions;
use super::kept_rows::kept_rows;
use super::row_geometry::RowGeometry;
use crate::advice::Advice;
use crate::convert::coordinates_in_expressions;
use crate::error::{Error, Result};
use crate::format_support::ReadOptions;
use crate::layer::{
    BATCH, Batch, CrsOrigin, GeometryColumn, GeometryKind, LayerInfo, RowBuilder, SchemaInference,
};
use crate::layer_io::LayerWriter;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Reason;
use crate::outcome::Rejects;
use crate::outcome::{Summary, nothing_left};
use crate::plausibility::{
    CoordinateRange, FirstReasons, MIDDLE, OwnColumns, PositionSample, no_way, wrong_zone,
};
use crate::progress::Progress;
use crate::reproject::{heights_in_space, no_heights, not_carried, raises};
use crate::select::Planned;
use crate::table::{Inference, TableFile};
use arrow_array::{Array, BooleanArray};
use csv::StringRecord;
use std::path::Path;
use velvet_peg_core::{Converter, Crs};

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
    geometry: &RowGeometry,
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
    first.cloud.set_system(options.crs.as_ref());
    let mut column = GeometryColumn::new();
    reader.each_row(&mut |reader, record| {
        if first.inference.rows.is_multiple_of(4096) {
            watch.at(reader.bytes_read(), total);
        }
        first.inference.add(record, reader.types());
        match geometry.push(reader, record, options, range, &mut column) {
            Ok(taken) => {
                first.learn.taken.add(taken);
                for (x, y) in column.x.iter().zip(&column.y) {
                    first.cloud.gather(*x, *y);
                }
                first.learn.geometry(&column);
            }
            Err(reason) => {
                let found = match geometry {
                    RowGeometry::Columns(found, _) => Some(found),
                    RowGeometry::Text(_) => None,
                };
                first.reasons.add(reader.row(), &reason, record, found);
            }
        }
        column.clear();
        Ok(())
    })?;
    watch.at(file.bytes(), total);
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
        let (why, advice) = first.reasons.explained(options.crs.as_ref());
        let rows = first.inference.rows;
        return Err(nothing(format!(
            "none of the {rows} rows has coordinates that can be used. {why}"
        ))
        .advise_if(advice));
    }
    Ok(first)
}

/// Makes a feature of every row of a table and writes it.
pub(super) fn run(
    options: &BuildOptions,
    file: &TableFile,
    geometry: &RowGeometry,
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
    let needed = needed_columns(options, file, &headers, geometry)?;
    let mut first = first_reading(options, file, geometry, &range, &needed, watch)?;

    let mut rejects = options.open_rejects(file, out, &headers)?;
    let source = first.layer(options, file, geometry, &headers, &needed);
    let mut carried = source.clone();
    if options.to.is_some() {
        carried.crs.clone_from(&options.to);
    }
    let selection = options.select.plan(&carried).map_err(|error| error.in_file(table))?;
    notices.extend(selection.notices());
    let mut info = source.clone();
    info.schema = selection.schema.clone();
    let depends_on_target = options.to.is_some() && selection.condition_takes_geometry();
    let matters = || options.to.is_some() || first.astray(options);
    if options.select.condition.is_some() && !depends_on_target && matters() {
        let (what, how) = ((file, geometry, &range), (&selection, &source));
        let kept = kept_rows(options, what, how, (&first.inference, &needed), watch)?;
        // Where nothing is kept there is nothing to learn.
        if kept.1.is_some() {
            (first.cloud, info.extent) = kept;
        }
    }
    let converter = match &options.to {
        None => None,
        Some(to) => Some(converter_to(to, options, &mut info, table)?),
    };
    notices.extend(coordinates_in_expressions(&selection, converter.as_ref()));
    let mut writer = LayerWriter::create(out, &info, &options.write)?;
    notices.append(&mut writer.notices);
    let mut passage = Passage {
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
        cloud: &mut first.cloud,
        own: OwnColumns::new(&source.schema, options.crs.as_ref()),
        outside: 0,
        flat: 0,
        range: &range,
    };
    passage.second_reading(options, file, geometry, &first.inference, watch)?;
    let Passage { converter, writer, left_out, outside, flat, own, .. } = passage;
    if let Some(converter) = &converter {
        notices.extend(heights_in_space(converter, flat, writer.count()));
        notices.extend(no_heights(converter, writer.count(), flat));
    }
    let tolerance = ReadOptions::default().tolerance_text(options.crs.as_ref());
    notices.extend(first.learn.taken.notices(&tolerance));
    notices.extend(first.cloud.notices());
    notices.extend(where_they_lie(options, &first.cloud, own.as_ref(), outside, out));
    let written = writer.finish()?;
    notices.extend(written.notices);
    notices.extend(nothing_left(left_out, written.count));
    Ok(Summary {
        rows_in: first.inference.rows,
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

/// Places of the columns that are kept or looked at, without that of the geometry.
fn needed_columns(
    options: &BuildOptions,
    file: &TableFile,
    headers: &[String],
    geometry: &RowGeometry,
) -> Result<Vec<usize>> {
    let geometry_at = match geometry {
        RowGeometry::Text(at) => Some(*at),
        RowGeometry::Columns(..) => None,
    };
    let needed = options.select.needs(headers).map_err(|error| error.in_file(file.path()))?;
    let mut needed = needed.unwrap_or_else(|| (0..headers.len()).collect());
    needed.retain(|at| Some(*at) != geometry_at);
    Ok(needed)
}

/// The converter to the system asked for, which the layer then has.
fn converter_to(
    to: &Crs,
    options: &BuildOptions,
    info: &mut LayerInfo,
    table: &Path,
) -> Result<Converter> {
    let from = options.crs.as_ref().ok_or_else(|| {
        Error::usage("to convert, the reference system of the table is needed")
            .advise(Advice::StateSystem)
            .in_file(table)
    })?;
    let extent = info.extent.take();
    let area = extent.as_ref().and_then(|extent| crate::reproject::area_of(from, extent));
    let converter = Converter::plan(from, to, &options.way.plan(area))
        .map_err(|error| no_way(error, from, extent.as_ref()).in_file(table))?;
    info.take_conversion(&converter);
    info.has_z |= raises(&converter);
    Ok(converter)
}

/// A notice if the points lie elsewhere than their system is used, or have none.
fn where_they_lie(
    options: &BuildOptions,
    cloud: &PositionSample,
    own: Option<&OwnColumns>,
    outside: u64,
    out: &Path,
) -> Option<Notice> {
    let Some(crs) = &options.crs else { return options.undeclared(out) };
    // Where the source is wrong already, the target has nothing to tell.
    let zone = || wrong_zone(crs, options.to.as_ref()?, MIDDLE, cloud.centre()?);
    let own = || own?.notice();
    cloud.against(crs).or_else(own).or_else(zone).or_else(|| {
        (outside > 0).then(|| {
            Notice::warning(
                NoticeKind::Area,
                format!(
                    "{outside} {} outside the area where {} is used ({})",
                    if outside == 1 { "point lies" } else { "points lie" },
                    crs.label(),
                    crs.extent().name()
                ),
            )
            .count(outside)
        })
    })
}

impl FirstReading {
    /// The layer that the features make in the system of the table, all columns with it.
    /// True if the rows lie elsewhere than their system is used.
    fn astray(&self, options: &BuildOptions) -> bool {
        options.crs.as_ref().is_some_and(|crs| self.cloud.against(crs).is_some())
    }

    fn layer(
        &self,
        options: &BuildOptions,
        file: &TableFile,
        geometry: &RowGeometry,
        headers: &[String],
        needed: &[usize],
    ) -> LayerInfo {
        let heights = matches!(geometry, RowGeometry::Columns(found, _) if found.z.is_some());
        LayerInfo {
            name: options.layer_name(file),
            description: None,
            crs: options.crs.clone(),
            crs_origin: CrsOrigin::Given,
            schema: self.inference.schema(headers, needed),
            kind: match geometry {
                RowGeometry::Columns(..) => Some(GeometryKind::Point),
                RowGeometry::Text(_) => self.learn.kind(),
            },
            bare: false,
            unit: None,
            aside: false,
            has_z: self.learn.has_z || heights,
            has_m: self.learn.has_m,
            count: None,
            extent: self.learn.extent.bounds(),
        }
    }
}

/// Rows on their way to the output.
struct Passage<'a> {
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
    refused: Vec<(usize, Reason, StringRecord)>,
    left_out: u64,
    first: u64,
    cloud: &'a mut PositionSample,
    own: Option<OwnColumns>,
    outside: u64,
    /// RowGeometry without a height that were carried into space.
    flat: u64,
    range: &'a CoordinateRange,
}

impl Passage<'_> {
    fn second_reading(
        &mut self,
        options: &BuildOptions,
        file: &TableFile,
        geometry: &RowGeometry,
        inference: &Inference,
        watch: &mut dyn Progress,
    ) -> Result<()> {
        let total = Some(file.bytes() * 2);
        let mut seen = 0u64;
        file.rows()?.each_row(&mut |reader, record| {
            if seen.is_multiple_of(4096) {
                watch.at(file.bytes() + reader.bytes_read(), total);
            }
            seen += 1;
            let pushed = geometry.push(reader, record, options, self.range, &mut self.geometry);
            let features = match pushed {
                Ok(taken) => taken.features,
                Err(reason) => {
                    let reason = reader.on_sheet(record, reason);
                    self.geometry.end_feature(None);
                    self.refused.push((self.numbers.len(), reason, record.clone()));
                    1
                }
            };
            let value =
                |at: &usize| inference.types[*at].value(record.get(*at).unwrap_or_default());
            for _ in 0..features {
                self.rows.push(self.needed.iter().map(value))?;
                self.numbers.push(reader.row());
            }
            if self.numbers.len() >= BATCH { self.flush() } else { Ok(()) }
        })?;
        watch.at(file.bytes() * 2, total);
        self.flush()
    }

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
        if let Some(own) = &mut self.own {
            own.add(&batch.columns(), &batch.geometry);
        }
        for (at, number) in numbers.iter().enumerate() {
            let vertices = batch.geometry.vertices(at);
            let (x, y) = (&batch.geometry.x[vertices.clone()], &batch.geometry.y[vertices]);
            self.cloud.judge_feature(*number, x, y);
            let outside = x.iter().zip(y).filter(|(x, y)| self.range.is_outside(**x, **y));
            self.outside += outside.count() as u64;
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
            let first = column.vertices(at).find(|vertex| column.x[*vertex].is_nan());
            let reason = match first.zip(self.converter.as_ref()) {
                Some((first, converter)) => not_carried(converter, before.vertex(first)),
                None => "it has no place".to_string(),
            };
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
