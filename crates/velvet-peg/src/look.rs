//! Looking at a file: what is in it, what looks wrong, and what to do next.

use crate::advice::Advice;
use crate::error::Result;
use crate::features::CourseNames;
use crate::format::Format;
use crate::format_support::wkt;
use crate::format_support::{ReadOptions, SheetShape, TableOptions};
use crate::input::locate;
use crate::layer::LayerInfo;
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Reason;
#[cfg(feature = "rasters")]
use crate::plausibility::box_against;
use crate::plausibility::{OwnColumns, PositionSample, extent_against};
use crate::progress::{NoProgress, Progress};
#[cfg(feature = "rasters")]
use crate::raster::{RasterFormat, RasterInfo, RasterReader};
use crate::table::{
    Found, Inference, Notation, NumberFormat, TableFile, TableReader, is_named_angle, likely,
    point_file_names, read_pair, vertices,
};
use csv::StringRecord;
use std::path::Path;
use velvet_peg_core::{Bounds, Crs};

/// What was found in a file.
#[derive(Clone, Debug)]
pub enum Look {
    /// A table.
    Table(Box<TableLook>),
    /// An image or grid; its notices are those of its reader and of where it lies.
    #[cfg(feature = "rasters")]
    Raster(Box<RasterInfo>),
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

/// How a text is encoded and divided.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TextLook {
    /// Encoding.
    pub encoding: &'static str,
    /// Delimiter in words.
    pub delimiter: &'static str,
}

/// What was found in a table.
#[derive(Clone, Debug)]
pub struct TableLook {
    /// Format.
    pub format: Format,
    /// How a text is encoded and divided; none of other tables.
    pub text: Option<TextLook>,
    /// The sheet of a workbook that was looked at.
    pub sheet: Option<String>,
    /// The sheets of a workbook.
    pub sheets: Vec<SheetShape>,
    /// The reference system, where a file beside the table says it.
    pub crs: Option<Crs>,
    /// Rows below the header; reckoned from their mean length if not all were read.
    pub rows: u64,
    /// Rows that were read, if not all were; the figures below are theirs.
    pub sampled: Option<u64>,
    /// Columns.
    pub columns: Vec<ColumnLook>,
    /// False if the first row holds values.
    pub header: bool,
    /// What the columns of a point file without a header hold, if they are in one of the orders
    /// that are in use; the northing first, which cannot be told from the easting.
    pub point_file: Option<Vec<String>>,
    /// Likely longitude or easting column.
    pub x: Option<String>,
    /// Likely latitude or northing column.
    pub y: Option<String>,
    /// Why they are likely, or why none is.
    pub why: String,
    /// A column that holds geometries as text.
    pub geometry: Option<String>,
    /// If the rows look like vertices of lines or polygons: the column that tells features apart,
    /// and the one that puts their vertices in order.
    pub vertices: Option<(String, String)>,
    /// True if the rows look like the courses of deeds.
    pub courses: bool,
    /// True if the coordinates read as degrees; none without coordinate columns.
    pub degrees: Option<bool>,
    /// True if coordinates have a comma for the decimal point.
    pub decimal_comma: bool,
    /// Rows whose coordinates cannot be read, with the first reasons.
    pub unreadable: (u64, Vec<String>),
    /// Smallest box around the coordinates that can be read.
    pub extent: Option<Bounds>,
    /// What looks wrong.
    pub notices: Vec<Notice>,
}

/// How a file is looked at.
#[derive(Clone, Debug, Default)]
pub struct LookOptions {
    /// How a table is read.
    pub table: TableOptions,
    /// How a file of layers is read.
    pub read: ReadOptions,
    /// Reads every row of a large text, not parts of it.
    pub all: bool,
}

/// Looks at a table or a file of layers. Of a text of more than 24 MB parts are read, unless
/// all is asked for.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::look;
/// use velvet_peg::look::{Look, LookOptions};
/// let Look::Table(table) = look(&file("headgates.csv"), &LookOptions::default())? else {
///     unreachable!("a CSV file is a table");
/// };
/// assert_eq!(table.rows, 40);
/// assert_eq!((table.x.as_deref(), table.degrees), (Some("longitude"), Some(true)));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the file cannot be read.
pub fn look(path: &Path, options: &LookOptions) -> Result<Look> {
    look_watched(path, options, &mut NoProgress)
}

/// As [`look()`], telling `watch` how far it has come.
///
/// # Errors
/// As [`look()`].
pub fn look_watched(path: &Path, options: &LookOptions, watch: &mut dyn Progress) -> Result<Look> {
    #[cfg(feature = "rasters")]
    if RasterFormat::of_file(path).is_some() {
        return raster(path);
    }
    let at = locate(path)?;
    if at.format.is_table() {
        return table(TableFile::open_located(at, &table_options(options))?, options, watch);
    }
    let format = at.format;
    let layers: Vec<(LayerInfo, Vec<Notice>)> =
        LayerReader::open_located(at.clone(), &options.read)?
            .into_iter()
            .map(|reader| {
                let mut notices = reader.notices.clone();
                let astray = extent_against(reader.info());
                notices.extend(astray.or_else(|| own_columns(&reader)));
                (reader.info().clone(), notices)
            })
            .collect();
    // A table of attributes may hold places in its columns.
    if let [(info, _)] = layers.as_slice()
        && info.bare
        && info.count != Some(0)
    {
        let file = TableFile::open_located(at, &table_options(options))?;
        if let Look::Table(table) = table(file, options, watch)?
            && (table.geometry.is_some() || (table.x.is_some() && table.y.is_some()))
        {
            return Ok(Look::Table(table));
        }
    }
    Ok(Look::Layers { format, layers })
}

#[cfg(feature = "rasters")]
fn raster(path: &Path) -> Result<Look> {
    let reader = RasterReader::open(path)?;
    let mut info = reader.info().clone();
    if info.grid.is_none() {
        info.notices.push(
            Notice::warning(
                NoticeKind::System,
                "nothing says where its pixels lie: neither the file nor a world file beside it",
            )
            .in_file(path),
        );
    } else if info.crs.is_none() {
        info.notices.push(
            Notice::warning(NoticeKind::System, "it does not say which reference system it is in")
                .advise(Advice::Declare(None)),
        );
    }
    if let (Some(extent), Some(crs)) = (info.extent(), &info.crs) {
        info.notices.extend(box_against(&extent, crs));
    }
    Ok(Look::Raster(Box::new(info)))
}

/// What the first features say of themselves in columns of longitude and latitude.
fn own_columns(reader: &LayerReader) -> Option<Notice> {
    let info = reader.info();
    let mut own = OwnColumns::new(&info.schema, info.crs.as_ref())?;
    let batch = reader.first_batch()?;
    own.add(&batch.columns(), &batch.geometry);
    own.notice()
}

fn table_options(options: &LookOptions) -> TableOptions {
    TableOptions { first_sheet: true, ..options.table.clone() }
}

fn table(file: TableFile, options: &LookOptions, watch: &mut dyn Progress) -> Result<Look> {
    let head = file.head()?;
    let sampled = if options.all { None } else { file.sample()? };
    let is_sampled = sampled.is_some();
    let (reader, head_lines) = match sampled {
        Some((reader, lines)) => (reader, lines),
        None => (file.rows()?, u64::MAX),
    };
    let headers = reader.columns().to_vec();
    let mut notices = file.notices().to_vec();
    if let Some(why) = file.doubt() {
        notices.push(
            Notice::warning(
                NoticeKind::Assumed,
                format!(
                    "the first row may hold names of columns or values ({why}), and is shown as \
                     values here"
                ),
            )
            .advise(Advice::StateHeader),
        );
    }
    notices.extend(reader.renamed());
    let numbers = NumberFormat::default();
    let found = likely(&headers, &head, &numbers, file.crs().map(Crs::is_geographic), file.crs());
    let point_file = match file.has_header() {
        true => None,
        false => point_file_names(&head),
    };
    let (pair, why) = match found {
        Ok(likely) => (Some((likely.x, likely.y)), likely.why),
        Err(why) => (None, why),
    };
    let numbers = pair.map_or(numbers, |pair| number_format(&head, pair, &numbers));
    let found = pair.map(|(x, y)| Found { x, y, z: None, numbers });
    let geometry = head.first().and_then(|row| row.iter().position(wkt::looks_like));
    let wgs84 = Crs::from_epsg(4326)?;
    let mut seen = Seen {
        inference: Inference::new(headers.len()),
        bytes: 0,
        misfits: 0,
        garbled: 0,
        angles: Reading::default(),
        lengths: Reading::default(),
    };
    reader.each_row(&mut |reader, record| {
        if seen.inference.rows.is_multiple_of(4096) {
            watch.at(reader.bytes_read(), (!is_sampled).then_some(file.bytes()));
        }
        seen.row(reader, record, found.as_ref(), &wgs84, head_lines);
        Ok(())
    })?;
    watch.at(file.bytes(), Some(file.bytes()));
    notices.extend(seen.misread());
    let Seen { inference, bytes, angles, lengths, .. } = seen;
    let degrees = found.map(|found| match angles.good + lengths.good {
        // Without values the name has to do.
        0 => is_named_angle(&headers[found.x]),
        _ => angles.good > 0 && angles.good * 2 >= lengths.good,
    });
    let mut reading = if degrees == Some(false) { lengths } else { angles };
    notices.extend(reading.stray());
    let rows = match is_sampled {
        true => (file.bytes() as f64 / (bytes as f64 / inference.rows.max(1) as f64)) as u64,
        false => inference.rows,
    };
    Ok(Look::Table(Box::new(TableLook {
        format: file.format(),
        text: file.facts().delimiter.map(|delimiter| TextLook {
            encoding: file.facts().encoding,
            delimiter: match file.facts().layout {
                "" => delimiter_name(delimiter),
                layout => layout,
            },
        }),
        sheet: file.sheet().map(str::to_string),
        sheets: file.sheets().to_vec(),
        crs: file.crs().cloned(),
        rows,
        sampled: is_sampled.then_some(inference.rows),
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
        header: file.has_header(),
        point_file: point_file.map(|names| names.into_iter().map(String::from).collect()),
        x: pair.map(|(at, _)| headers[at].clone()),
        y: pair.map(|(_, at)| headers[at].clone()),
        why,
        geometry: geometry.map(|at| headers[at].clone()),
        vertices: pair
            .and_then(|pair| vertices(&headers, &head, pair))
            .map(|(group, order)| (headers[group].clone(), headers[order].clone())),
        courses: CourseNames::default().fit(&headers),
        degrees,
        decimal_comma: numbers.decimal_comma,
        unreadable: (reading.bad, reading.reasons),
        extent: reading.extent.bounds(),
        notices,
    })))
}

/// How numbers are written: with a decimal comma, if so the first rows can be read, and not otherwise.
fn number_format(
    head: &[StringRecord],
    (x, y): (usize, usize),
    plain: &NumberFormat,
) -> NumberFormat {
    let with_comma = NumberFormat { decimal_comma: true, ..*plain };
    let readable = |numbers: NumberFormat| {
        let found = Found { x, y, z: None, numbers };
        head.iter().filter(|row| read_pair(row, &found, None, Notation::Detected).is_ok()).count()
    };
    match (readable(*plain), readable(with_comma)) {
        (0, 1..) => with_comma,
        _ => *plain,
    }
}

/// What is seen of the rows.
struct Seen {
    inference: Inference,
    bytes: u64,
    /// Rows with more or fewer fields than the header.
    misfits: u64,
    /// Rows with bytes that are not text.
    garbled: u64,
    /// Coordinates are read both ways; the one that suits more rows wins.
    angles: Reading,
    lengths: Reading,
}

impl Seen {
    fn row(
        &mut self,
        reader: &TableReader,
        record: &StringRecord,
        found: Option<&Found>,
        wgs84: &Crs,
        head_lines: u64,
    ) {
        self.bytes = reader.bytes_read();
        self.inference.add(record, reader.types());
        // Numbers of rows are known at the beginning of the file.
        let row = Some(reader.row()).filter(|row| *row < head_lines);
        if reader.misfit(record).is_some() {
            // A part may begin in the middle of a text in quotation marks.
            if row.is_some() {
                let count = if reader.is_garbled() { &mut self.garbled } else { &mut self.misfits };
                *count += 1;
            }
            return;
        }
        if let Some(found) = found {
            self.angles.add(row, read_pair(record, found, Some(wgs84), Notation::Detected));
            self.lengths.add(row, read_pair(record, found, None, Notation::Detected));
        }
    }

    /// Warnings of the rows that could not be read.
    fn misread(&self) -> Vec<Notice> {
        let (misfits, garbled) = (self.misfits, self.garbled);
        let mut notices = Vec::new();
        if misfits > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Unreadable,
                    format!(
                        "{misfits} {} more or fewer fields than the header: a delimiter inside a \
                         value without quotes?",
                        if misfits == 1 { "row has" } else { "rows have" }
                    ),
                )
                .count(misfits),
            );
        }
        if garbled > 0 {
            let rows = if garbled == 1 { "row holds" } else { "rows hold" };
            notices.push(
                Notice::warning(
                    NoticeKind::Unreadable,
                    format!("{garbled} {rows} bytes that are not UTF-8 text: correct them"),
                )
                .count(garbled)
                .advise(Advice::NameEncoding),
            );
        }
        notices
    }
}

/// One way of reading the coordinates of all rows.
#[derive(Default)]
struct Reading {
    good: u64,
    bad: u64,
    reasons: Vec<String>,
    extent: crate::layer::Extender,
    cloud: PositionSample,
    /// The first positions, to be judged once the bulk is known.
    first: Vec<(u64, f64, f64)>,
}

/// Positions that are judged one by one.
const JUDGED: usize = 100_000;

impl Reading {
    fn add(
        &mut self,
        row: Option<u64>,
        read: std::result::Result<(f64, f64, Option<f64>), Reason>,
    ) {
        match read {
            Ok((x, y, _)) => {
                self.good += 1;
                self.extent.point(x, y);
                self.cloud.gather(x, y);
                if let Some(row) = row.filter(|_| self.first.len() < JUDGED) {
                    self.first.push((row, x, y));
                }
            }
            Err(reason) => {
                self.bad += 1;
                if let Some(row) = row.filter(|_| self.reasons.len() < 5) {
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
        self.cloud.only_look();
        self.cloud.notices()
    }
}

/// Name of a delimiter in words.
fn delimiter_name(delimiter: u8) -> &'static str {
    match delimiter {
        b',' => "comma",
        b'\t' => "tab",
        b';' => "semicolon",
        b'|' => "vertical bar",
        b' ' => "blank",
        b':' => "colon",
        b'^' => "circumflex",
        b'~' => "tilde",
        _ => "other",
    }
}
