//! Looking at a file: what is in it, what looks wrong, and what to do next.

use crate::build::each_row;
use crate::checks::Cloud;
use crate::error::Result;
use crate::format::{Format, LayerReader, missing};
use crate::layer::LayerInfo;
use crate::notice::Notice;
use crate::table::{
    Found, Inference, Notation, NumberFormat, TableFile, TableOptions, delimiter_name, likely,
    read_pair,
};
use crate::watch::Watch;
use std::path::Path;
use velvet_peg_core::{Bounds, Crs};

/// What was found in a file.
#[derive(Clone, Debug)]
pub enum Look {
    /// A text table.
    Table(TableLook),
    /// One or more layers.
    Layers {
        /// Format.
        format: Format,
        /// Each layer and what was noticed of it.
        layers: Vec<(LayerInfo, Vec<Notice>)>,
    },
}

/// A column of a table.
#[derive(Clone, Debug)]
pub struct ColumnLook {
    /// Name.
    pub name: String,
    /// Type in words.
    pub kind: &'static str,
    /// Cells that are not blank.
    pub filled: u64,
    /// The first of them.
    pub sample: String,
}

/// What was found in a text table.
#[derive(Clone, Debug)]
pub struct TableLook {
    /// Encoding.
    pub encoding: &'static str,
    /// Delimiter in words.
    pub delimiter: &'static str,
    /// Rows below the header.
    pub rows: u64,
    /// Columns.
    pub columns: Vec<ColumnLook>,
    /// Likely longitude or easting column.
    pub x: Option<String>,
    /// Likely latitude or northing column.
    pub y: Option<String>,
    /// True if the coordinates read as degrees; none without coordinate columns.
    pub degrees: Option<bool>,
    /// Rows whose coordinates cannot be read, with the first reasons.
    pub unreadable: (u64, Vec<String>),
    /// Smallest box around the coordinates that can be read.
    pub extent: Option<Bounds>,
    /// What looks wrong.
    pub notices: Vec<Notice>,
}

/// Looks at a table or a file of layers.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::{look, Look, TableOptions, Unwatched};
/// let Look::Table(table) = look(&file("headgates.csv"), &TableOptions::default(), &mut Unwatched)? else {
///     unreachable!("a CSV file is a table");
/// };
/// assert_eq!(table.rows, 40);
/// assert_eq!((table.x.as_deref(), table.degrees), (Some("longitude"), Some(true)));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the file cannot be read.
pub fn look(path: &Path, options: &TableOptions, watch: &mut dyn Watch) -> Result<Look> {
    if path != Path::new("-") && !path.exists() {
        return Err(missing(path));
    }
    match Format::of(path) {
        Ok(format @ (Format::GeoPackage | Format::GeoJson | Format::Shapefile)) => {
            let layers = LayerReader::open_all(path)?
                .into_iter()
                .map(|reader| (reader.info().clone(), reader.notices.clone()))
                .collect();
            Ok(Look::Layers { format, layers })
        }
        // Whatever the name says, a text is looked at as a table.
        _ => Ok(Look::Table(table(path, options, watch)?)),
    }
}

fn table(path: &Path, options: &TableOptions, watch: &mut dyn Watch) -> Result<TableLook> {
    let file = TableFile::open(path, options)?;
    let reader = file.rows()?;
    let headers = reader.headers.clone();
    let mut notices = crate::build::renamed(&reader);
    let (x, y) = likely(&headers);
    let found = x.zip(y).map(|(x, y)| Found { x, y, z: None, numbers: NumberFormat::default() });
    let wgs84 = Crs::from_epsg(4326)?;
    let mut inference = Inference::new(headers.len());
    let (mut misfits, mut garbled) = (0u64, 0u64);
    // Coordinates are read both ways; the one that suits more rows wins.
    let (mut angles, mut lengths) = (Reading::default(), Reading::default());
    each_row(reader, &mut |reader, record| {
        if inference.rows.is_multiple_of(4096) {
            watch.at(reader.bytes_read(), Some(file.bytes));
        }
        inference.add(record);
        if reader.misfit(record).is_some() {
            let count = if reader.is_garbled() { &mut garbled } else { &mut misfits };
            *count += 1;
            return Ok(());
        }
        if let Some(found) = &found {
            let row = reader.row();
            angles.add(row, read_pair(record, found, Some(&wgs84), Notation::Detected));
            lengths.add(row, read_pair(record, found, None, Notation::Detected));
        }
        Ok(())
    })?;
    let degrees = found.map(|_| angles.good > 0 && angles.good * 2 >= lengths.good);
    let mut reading = if degrees == Some(false) { lengths } else { angles };
    if misfits > 0 {
        notices.push(Notice::warning(format!(
            "{misfits} rows have more or fewer fields than the header: a delimiter inside a value \
             without quotes?"
        )));
    }
    if garbled > 0 {
        let rows = if garbled == 1 { "row holds" } else { "rows hold" };
        notices.push(Notice::warning(format!(
            "{garbled} {rows} bytes that are not UTF-8 text: correct them, or name the encoding \
             with --encoding"
        )));
    }
    notices.extend(reading.stray());
    Ok(TableLook {
        encoding: file.encoding_name(),
        delimiter: delimiter_name(file.delimiter()),
        rows: inference.rows,
        columns: headers
            .iter()
            .enumerate()
            .map(|(at, name)| ColumnLook {
                name: name.clone(),
                kind: inference.types[at].name(),
                filled: inference.filled[at],
                sample: inference.sample[at].clone(),
            })
            .collect(),
        x: x.map(|at| headers[at].clone()),
        y: y.map(|at| headers[at].clone()),
        degrees,
        unreadable: (reading.bad, reading.reasons),
        extent: reading.extent.bounds(),
        notices,
    })
}

/// One way of reading the coordinates of all rows.
#[derive(Default)]
struct Reading {
    good: u64,
    bad: u64,
    reasons: Vec<String>,
    extent: crate::layer::Extender,
    cloud: Cloud,
    /// The first positions, to be judged once the bulk is known.
    first: Vec<(u64, f64, f64)>,
}

/// Positions that are judged one by one.
const JUDGED: usize = 100_000;

impl Reading {
    fn add(&mut self, row: u64, read: std::result::Result<(f64, f64, Option<f64>), String>) {
        match read {
            Ok((x, y, _)) => {
                self.good += 1;
                self.extent.point(x, y);
                self.cloud.gather(x, y);
                if self.first.len() < JUDGED {
                    self.first.push((row, x, y));
                }
            }
            Err(reason) => {
                self.bad += 1;
                if self.reasons.len() < 5 {
                    self.reasons.push(format!("row {row}: {reason}"));
                }
            }
        }
    }

    fn stray(&mut self) -> Vec<Notice> {
        self.cloud.settle();
        for (row, x, y) in std::mem::take(&mut self.first) {
            self.cloud.judge(row, x, y);
        }
        let mut notices = self.cloud.notices();
        for notice in &mut notices {
            // Nothing is kept or written by looking.
            notice.text = notice.text.replace("; kept as written", "");
        }
        notices
    }
}
