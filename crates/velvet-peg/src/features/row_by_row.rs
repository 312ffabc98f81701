//! Features of a table, one a row: a first reading finds the types of the columns and where the data
//! lies, a second one makes the features and writes them.

use super::BuildOptions;
use super::judged_rows::JudgedRows;
use super::kept_rows::kept_rows;
use super::made_features::{MadeFeatures, Making};
use super::row_geometry::RowGeometry;
use crate::advice::Advice;
use crate::convert::coordinates_in_expressions;
use crate::error::{Error, Result};
use crate::format_support::ReadOptions;
use crate::layer::{CrsOrigin, GeometryKind, LayerInfo, SchemaInference};
use crate::layer_io::LayerWriter;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Rejects;
use crate::outcome::{Summary, nothing_left};
use crate::plausibility::{
    CoordinateRange, FirstReasons, MIDDLE, OwnColumns, PositionSample, no_way, wrong_zone,
};
use crate::progress::Progress;
use crate::reproject::{heights_in_space, no_heights, raises};
use crate::table::{Inference, RowBlock, TableFile};
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
    let width = reader.columns().len();
    let mut first = FirstReading {
        inference: Inference::of_columns(width, needed),
        learn: SchemaInference::default(),
        cloud: PositionSample::default(),
        reasons: FirstReasons::default(),
    };
    first.cloud.set_system(options.crs.as_ref());
    let found = match geometry {
        RowGeometry::Columns(found, _) => Some(found),
        RowGeometry::Text(_) => None,
    };
    reader.in_blocks(
        |shape, block| {
            let mut inference = Inference::of_columns(width, needed);
            for row in block.rows() {
                inference.add(&row.texts, &row.types);
            }
            Ok((inference, JudgedRows::of(shape, block, geometry, options, range)))
        },
        |(inference, judged), _, block| {
            first.inference.merge(inference);
            for (row, became) in block.rows().iter().zip(&judged.rows) {
                match became {
                    Ok(taken) => first.learn.taken.add(*taken),
                    Err(reason) => first.reasons.add(row.number, reason, &row.texts, found),
                }
            }
            for (x, y) in judged.geometry.x.iter().zip(&judged.geometry.y) {
                first.cloud.gather(*x, *y);
            }
            first.learn.geometry(&judged.geometry);
            watch.at(block.bytes_read, total);
            Ok(())
        },
    )?;
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
    let headers = reader.columns().to_vec();
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
    let making = Making {
        options,
        geometry,
        selection,
        converter,
        needed: &needed,
        schema: source.schema.clone(),
        inference: &first.inference,
        range: &range,
    };
    let mut passage = Passage {
        writer,
        rejects: &mut rejects,
        left_out: 0,
        first: 1,
        cloud: &mut first.cloud,
        own: OwnColumns::new(&source.schema, options.crs.as_ref()),
        outside: 0,
        flat: 0,
    };
    let total = Some(file.bytes() * 2);
    file.rows()?.in_blocks(
        |shape, block| making.features(shape, block),
        |made, _, block| {
            watch.at(file.bytes() + block.bytes_read, total);
            passage.pass(made, block)
        },
    )?;
    watch.at(file.bytes() * 2, total);
    let Passage { writer, left_out, outside, flat, own, .. } = passage;
    let converter = making.converter;
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

/// Features on their way to the output.
struct Passage<'a> {
    writer: LayerWriter,
    rejects: &'a mut Rejects,
    left_out: u64,
    /// The number of the next feature.
    first: u64,
    cloud: &'a mut PositionSample,
    own: Option<OwnColumns>,
    /// Vertices outside the area where their system is used.
    outside: u64,
    /// Vertices without a height that were carried.
    flat: u64,
}

impl Passage<'_> {
    fn pass(&mut self, made: MadeFeatures, block: &RowBlock) -> Result<()> {
        self.left_out += made.left_out;
        self.outside += made.outside;
        self.flat += made.flat;
        for (row, reason) in made.rejected {
            let row = &block.rows()[row];
            self.rejects.add(row.number, reason, row.texts.iter())?;
        }
        if let Some(own) = self.own.as_mut().filter(|own| !own.is_full()) {
            own.add(&made.source.columns(), &made.source.geometry);
        }
        let column = &made.source.geometry;
        for (feature, row) in made.rows.iter().enumerate() {
            let vertices = column.vertices(feature);
            let (x, y) = (&column.x[vertices.clone()], &column.y[vertices]);
            self.cloud.judge_feature(block.rows()[*row].number, x, y);
        }
        let mut batch = made.batch;
        batch.first = self.first;
        self.first += batch.len() as u64;
        if batch.is_empty() { Ok(()) } else { self.writer.write(&batch) }
    }
}
