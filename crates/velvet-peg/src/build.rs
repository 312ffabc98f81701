//! Building features from coordinate rows.

use crate::checks::Cloud;
use crate::error::{Error, Result};
use crate::format::{LayerWriter, WriteOptions};
use crate::layer::{BATCH, Batch, GeometryColumn, GeometryKind, LayerInfo, Rows};
use crate::notice::Notice;
use crate::output::{refuse_existing, rejects_path};
use crate::rejects::{Rejected, Rejects};
use crate::table::{
    CoordinateColumns, Found, Inference, Notation, TableFile, TableOptions, TableReader, read_pair,
};
use crate::watch::Watch;
use csv::StringRecord;
use std::path::Path;
use velvet_peg_core::{Converter, Coordinate, Crs};

/// What to build points from.
#[derive(Clone, Debug, Default)]
pub struct BuildPoints {
    /// Coordinate columns; guessed from the headers where not named.
    pub columns: CoordinateColumns,
    /// Reference system of the coordinates; none to leave it open.
    pub crs: Option<Crs>,
    /// True if angles are packed as DDDMMSS.s.
    pub packed: bool,
    /// How the table is read.
    pub table: TableOptions,
    /// How the features are written.
    pub write: WriteOptions,
    /// Name of the layer; the table's name if none.
    pub layer: Option<String>,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<std::path::PathBuf>,
}

/// What became of the rows: in = out + rejected.
#[derive(Clone, Debug, Default)]
pub struct Outcome {
    /// Rows or features read.
    pub rows_in: u64,
    /// Features or rows written.
    pub out: u64,
    /// Rows rejected.
    pub rejected: Rejected,
    /// What was noticed.
    pub notices: Vec<Notice>,
}

impl BuildPoints {
    /// Makes one point of every row of a table. Every column stays as an attribute; rows
    /// whose coordinates are blank, unreadable or out of range for the system go to the
    /// rejects with their number, the reason and the original text.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{BuildPoints, Crs, Unwatched};
    /// let build = BuildPoints { crs: Some(Crs::parse("EPSG:4326")?), ..BuildPoints::default() };
    /// let outcome = build.run(&file("headgates.csv"), &file("gates.gpkg"), &mut Unwatched)?;
    /// assert_eq!(outcome.rows_in, outcome.out + outcome.rejected.count);
    /// assert_eq!(outcome.rejected.first[0].0, 11); // the row, as a spreadsheet counts
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, an output exists, or no row can be
    /// used.
    pub fn run(&self, table: &Path, out: &Path, watch: &mut dyn Watch) -> Result<Outcome> {
        refuse_existing(out, self.write.overwrite)?;
        let file = TableFile::open(table, &self.table)?;
        let reader = file.rows()?;
        let headers = reader.headers.clone();
        let found = self.columns.find(&headers).map_err(|error| error.in_file(table))?;
        let judge = Judge::new(self.crs.as_ref())?;
        let notation = if self.packed { Notation::Packed } else { Notation::Detected };
        let mut notices = renamed(&reader);

        // The first reading learns the columns' types and where the bulk of the data lies.
        let total = Some(file.bytes * 2);
        let mut inference = Inference::new(headers.len());
        let mut cloud = Cloud::default();
        let mut reasons = FirstReasons::default();
        each_row(reader, &mut |reader, record| {
            if inference.rows.is_multiple_of(4096) {
                watch.at(reader.bytes_read(), total);
            }
            inference.add(record);
            match self.position(reader, record, &found, notation, &judge) {
                Ok((x, y, _)) => cloud.gather(x, y),
                Err(reason) => reasons.add(reader.row(), &reason, record, &found),
            }
            Ok(())
        })?;
        cloud.settle();
        if inference.rows == 0 {
            return Err(Error::data(
                "has a header but no rows: nothing to build. Is this the right file or sheet?",
            )
            .in_file(table));
        }
        if cloud.centre().is_none() {
            return Err(Error::data(format!(
                "none of the {} rows has coordinates that can be used. {}",
                inference.rows,
                reasons.advice(self.crs.as_ref())
            ))
            .in_file(table));
        }
        let rejects_to = self.rejects.clone().unwrap_or_else(|| rejects_path(out));
        let mut rejects = Rejects::new(&rejects_to, self.write.overwrite, &headers)?;
        let stem = table.file_stem().and_then(|s| s.to_str()).unwrap_or("points");
        let info = LayerInfo {
            name: self.layer.clone().unwrap_or_else(|| match stem {
                "-" => "points".to_string(),
                stem => stem.to_string(),
            }),
            crs: self.crs.clone(),
            schema: inference.schema(&headers),
            kind: Some(GeometryKind::Point),
            has_z: found.z.is_some(),
            count: None,
            extent: None,
        };
        let mut writer = LayerWriter::create(out, &info, &self.write)?;
        notices.append(&mut writer.notices);

        let mut rows = Rows::new(info.schema.clone());
        let mut geometry = GeometryColumn::new();
        let mut first = 1;
        let mut outside = 0u64;
        let mut seen = 0u64;
        each_row(file.rows()?, &mut |reader, record| {
            if seen.is_multiple_of(4096) {
                watch.at(file.bytes + reader.bytes_read(), total);
            }
            seen += 1;
            match self.position(reader, record, &found, notation, &judge) {
                Ok((x, y, z)) => {
                    cloud.judge(reader.row(), x, y);
                    outside += u64::from(judge.is_outside(x, y));
                    geometry.push_point(x, y, z);
                    let types = &inference.types;
                    rows.push(record.iter().zip(types).map(|(cell, kind)| kind.value(cell)));
                }
                Err(reason) => rejects.add(reader.row(), &reason, record.iter())?,
            }
            if rows.len() == BATCH {
                first += flush(&mut writer, &mut rows, &mut geometry, first)?;
            }
            Ok(())
        })?;
        if rows.len() > 0 {
            flush(&mut writer, &mut rows, &mut geometry, first)?;
        }
        notices.extend(cloud.notices());
        match &self.crs {
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
            None => notices.push(Notice::warning(format!(
                "no reference system was given, so the features have none and cannot be converted \
                 or measured: add --crs REF here, or later `vpeg declare {} --crs REF -o OUT`",
                out.display()
            ))),
        }
        let out_count = writer.finish()?;
        Ok(Outcome {
            rows_in: inference.rows,
            out: out_count,
            rejected: rejects.finish()?,
            notices,
        })
    }

    fn position(
        &self,
        reader: &TableReader,
        record: &StringRecord,
        found: &Found,
        notation: Notation,
        judge: &Judge,
    ) -> std::result::Result<(f64, f64, Option<f64>), String> {
        if let Some(misfit) = reader.misfit(record) {
            return Err(misfit);
        }
        let (x, y, z) = read_pair(record, found, self.crs.as_ref(), notation)?;
        judge.check(x, y)?;
        Ok((x, y, z))
    }
}

fn flush(
    writer: &mut LayerWriter,
    rows: &mut Rows,
    geometry: &mut GeometryColumn,
    first: u64,
) -> Result<u64> {
    let batch = Batch { geometry: std::mem::take(geometry), attributes: rows.finish()?, first };
    writer.write(&batch)?;
    Ok(batch.geometry.len() as u64)
}

/// Runs through the rows of a table.
pub(crate) fn each_row(
    mut reader: TableReader,
    each: &mut dyn FnMut(&TableReader, &StringRecord) -> Result<()>,
) -> Result<()> {
    let mut record = StringRecord::new();
    while reader.next(&mut record)? {
        each(&reader, &record)?;
    }
    Ok(())
}

/// A remark on headers that had to be changed.
pub(crate) fn renamed(reader: &TableReader) -> Vec<Notice> {
    match reader.renamed.as_slice() {
        [] => Vec::new(),
        names => vec![Notice::remark(format!(
            "column names that were blank or repeated became {}",
            crate::table::list(names)
        ))],
    }
}

/// Tells whether a coordinate can be one of a system at all.
pub(crate) struct Judge {
    crs: Option<Crs>,
    to_degrees: Option<Converter>,
}

impl Judge {
    pub(crate) fn new(crs: Option<&Crs>) -> Result<Judge> {
        let to_degrees = match crs {
            None => None,
            Some(crs) => match crate::checks::home_system(crs) {
                Some(home) => Some(Converter::new(crs, &home)?),
                None => None,
            },
        };
        Ok(Judge { crs: crs.cloned(), to_degrees })
    }

    /// Out of range for the system: no position on the ellipsoid.
    pub(crate) fn check(&self, x: f64, y: f64) -> std::result::Result<(), String> {
        let (Some(crs), Some(converter)) = (&self.crs, &self.to_degrees) else {
            return Ok(());
        };
        if crs.is_geographic() {
            let turn = if crs.unit_name() == "grad" { 200.0 } else { 180.0 };
            if y.abs() > turn / 2.0 || x.abs() > turn {
                return Err(format!("{x}, {y} is out of range for {}", crs.label()));
            }
            return Ok(());
        }
        match converter.convert(Coordinate::xy(x, y)) {
            Ok(_) => Ok(()),
            Err(_) => Err(format!(
                "{x}, {y} is out of range for {}: no place on earth has these coordinates in it",
                crs.label()
            )),
        }
    }

    /// In range, but outside the area of use.
    pub(crate) fn is_outside(&self, x: f64, y: f64) -> bool {
        let (Some(crs), Some(converter)) = (&self.crs, &self.to_degrees) else {
            return false;
        };
        converter.convert(Coordinate::xy(x, y)).is_ok_and(|at| {
            let at = crate::checks::from_greenwich(converter.target(), at);
            !crs.extent().contains(at.lon, at.lat)
        })
    }
}

/// The first rejected rows, to explain a table of which nothing can be used.
#[derive(Default)]
pub(crate) struct FirstReasons {
    rows: Vec<String>,
    magnitude: f64,
    swapped: u64,
    count: u64,
}

impl FirstReasons {
    pub(crate) fn add(&mut self, row: u64, reason: &str, record: &StringRecord, found: &Found) {
        self.count += 1;
        if self.rows.len() < 3 {
            self.rows.push(format!("row {row}: {reason}"));
        }
        let number = |at: usize| record.get(at).and_then(|cell| cell.trim().parse::<f64>().ok());
        if let (Some(x), Some(y)) = (number(found.x), number(found.y)) {
            self.magnitude = self.magnitude.max(x.abs().max(y.abs()));
            self.swapped += u64::from(x.abs() <= 90.0 && y.abs() > 90.0 && y.abs() <= 180.0);
        }
    }

    pub(crate) fn advice(&self, crs: Option<&Crs>) -> String {
        let advice = match crs {
            Some(crs) if crs.is_geographic() && self.magnitude > 360.0 => format!(
                " These look like projected coordinates (values up to {:.0}), but {} counts degrees: \
                 declare the projected system they are in; search with `vpeg crs find`.",
                self.magnitude,
                crs.label()
            ),
            Some(crs) if crs.is_geographic() && self.swapped > 0 => {
                " Swapping the two columns would put them in range: --x is longitude, --y is latitude."
                    .to_string()
            }
            Some(crs) if crs.is_projected() => format!(
                " Are these coordinates of {}, in {}, easting as --x and northing as --y?",
                crs.label(),
                crs.unit_plural()
            ),
            _ => String::new(),
        };
        let first = self.rows.join("; ");
        let stop = if first.ends_with('?') { "" } else { "." };
        format!("The first: {first}{stop}{advice}")
    }
}
