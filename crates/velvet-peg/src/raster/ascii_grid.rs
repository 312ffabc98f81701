//! Grids of numbers as text: a header of names and figures, then the rows from the north.

use super::blocks::{BlockSource, Layout};
use super::info::{PlacedBy, RasterInfo};
use super::raster_format::RasterFormat;
use super::samples::{SampleType, Samples};
use super::spool::{Spooled, rows_of_block};
use crate::error::{Error, Result};
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::Path;
use velvet_peg_core::raster::PixelGrid;

/// What stands for none where the header does not say.
const USUAL_NO_DATA: f64 = -9999.0;

/// A header, and where the numbers begin.
struct Header {
    figures: HashMap<String, f64>,
    lines: u64,
    numbers_at: u64,
}

fn wrong(path: &Path, line: u64, text: String) -> Error {
    Error::data(text).in_file(path).in_row(line)
}

fn header(path: &Path) -> Result<Header> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    let mut reader = BufReader::new(file);
    let mut header = Header { figures: HashMap::new(), lines: 0, numbers_at: 0 };
    loop {
        let mut line = Vec::new();
        // No line of a header is long; one of numbers may be.
        let count = (&mut reader).take(1 << 16).read_until(b'\n', &mut line);
        let count = count.map_err(|e| Error::file(path, "cannot be read", e))?;
        let text = String::from_utf8_lossy(&line);
        let mut words = text.split_ascii_whitespace();
        let name = words.next().map(str::to_ascii_lowercase);
        match name {
            Some(name) if name.starts_with(|c: char| c.is_ascii_alphabetic()) && name != "nan" => {
                header.lines += 1;
                let figure = words.next().unwrap_or_default().replace(',', ".");
                let figure = figure.parse::<f64>().map_err(|_| {
                    wrong(path, header.lines, format!("\"{name}\" is followed by no number"))
                })?;
                header.figures.insert(name, figure);
                header.numbers_at += count as u64;
            }
            None if count > 0 => {
                header.lines += 1;
                header.numbers_at += count as u64;
            }
            _ => return Ok(header),
        }
    }
}

pub(super) fn open(path: &Path) -> Result<(RasterInfo, Box<dyn BlockSource>)> {
    let header = header(path)?;
    let figure = |names: &[&str]| names.iter().find_map(|name| header.figures.get(*name).copied());
    let needed = |names: &[&str]| {
        figure(names).ok_or_else(|| {
            Error::data(format!("its header has no line {}", names.join(" or "))).in_file(path)
        })
    };
    let count = |name: &str| -> Result<usize> {
        let figure = needed(&[name])?;
        match figure >= 1.0 && figure.fract() == 0.0 && figure < 1e9 {
            true => Ok(figure as usize),
            false => {
                Err(Error::data(format!("{name} is {figure}: no count of pixels")).in_file(path))
            }
        }
    };
    let (columns, rows) = (count("ncols")?, count("nrows")?);
    let length = std::fs::metadata(path).map_or(0, |file| file.len());
    if (columns as u64).saturating_mul(rows as u64).saturating_mul(2) > length + 2 {
        return Err(Error::data(format!(
            "its header says {columns} × {rows} numbers, more than {length} bytes of text can hold"
        ))
        .in_file(path));
    }
    let width = needed(&["cellsize", "dx"])?;
    let height = figure(&["cellsize", "dy"]).unwrap_or(width);
    let at_middles = figure(&["xllcenter", "yllcenter"]).is_some();
    let west = match figure(&["xllcorner"]) {
        Some(west) => west,
        None => needed(&["xllcenter", "xllcorner"])? - width / 2.0,
    };
    let south = match figure(&["yllcorner"]) {
        Some(south) => south,
        None => needed(&["yllcenter", "yllcorner"])? - height / 2.0,
    };
    let north = south + height * rows as f64;
    let grid = PixelGrid::upright((west, north), (width, height), columns, rows)
        .map_err(|error| Error::from(error).in_file(path))?;
    // The numbers decide what they are: whole, with few digits, with many.
    let no_data = figure(&["nodata_value"]);
    let mut type_of = TypeOf::default();
    let mut values = 0u64;
    let begin = (header.numbers_at, header.lines);
    numbers(path, begin, columns, &mut |row| {
        values += row.len() as u64;
        row.iter().for_each(|value| type_of.add(*value));
        Ok(())
    })?;
    if values != (columns * rows) as u64 {
        return Err(Error::data(format!(
            "holds {values} numbers, and its header says {columns} × {rows}: {}",
            columns * rows
        ))
        .in_file(path));
    }
    let samples = type_of.of();
    let row = columns * usize::from(samples.bits() / 8);
    let layout =
        Layout { columns, rows, bands: 1, samples, block: (columns, rows_of_block(row).min(rows)) };
    let no_data = no_data.or_else(|| {
        // Without a word of the header it is what such grids have, if the numbers hold it.
        Some(USUAL_NO_DATA).filter(|_| type_of.holds_usual)
    });
    let info = RasterInfo {
        no_data: no_data
            .map(|value| if samples == SampleType::F32 { f64::from(value as f32) } else { value }),
        grid: Some(grid),
        placed_by: Some(PlacedBy::Header),
        at_middles,
        packing: "text".into(),
        ..RasterInfo::plain(path, RasterFormat::AsciiGrid, &layout)
    };
    let from = path.to_path_buf();
    let read_all = move |each: &mut dyn FnMut(&Samples) -> Result<()>| {
        numbers(&from, begin, columns, &mut |row| {
            each(&match samples {
                SampleType::I32 => Samples::I32(row.iter().map(|value| *value as i32).collect()),
                SampleType::F32 => Samples::F32(row.iter().map(|value| *value as f32).collect()),
                _ => Samples::F64(row.to_vec()),
            })
        })
    };
    Ok((info, Box::new(Spooled::new(path, layout, Box::new(read_all)))))
}

/// The smallest type that keeps all numbers as they are written.
#[derive(Default)]
struct TypeOf {
    decimals: bool,
    digits: bool,
    holds_usual: bool,
}

impl TypeOf {
    fn add(&mut self, value: f64) {
        self.decimals |= !SampleType::I32.holds(value);
        self.holds_usual |= value == USUAL_NO_DATA;
        if self.decimals && !self.digits && !value.is_nan() {
            // Kept if its shortest text in few digits is that number.
            let text = (value as f32).to_string();
            self.digits = text.parse::<f64>() != Ok(value);
        }
    }

    fn of(&self) -> SampleType {
        match (self.decimals, self.digits) {
            (false, _) => SampleType::I32,
            (true, false) => SampleType::F32,
            (true, true) => SampleType::F64,
        }
    }
}

/// Hands on the numbers of each row of the grid, whatever lines they stand in.
fn numbers(
    path: &Path,
    (at, mut line): (u64, u64),
    columns: usize,
    each: &mut dyn FnMut(&[f64]) -> Result<()>,
) -> Result<()> {
    let failed = |e| Error::file(path, "cannot be read", e);
    let mut file = File::open(path).map_err(failed)?;
    file.seek(SeekFrom::Start(at)).map_err(failed)?;
    let mut reader = BufReader::with_capacity(1 << 18, file);
    let mut row = Vec::with_capacity(columns);
    let mut word: Vec<u8> = Vec::new();
    loop {
        let bytes = reader.fill_buf().map_err(failed)?;
        let ended = bytes.is_empty();
        let count = bytes.len();
        let space = [b' '];
        for byte in if ended { &space[..] } else { bytes } {
            if !byte.is_ascii_whitespace() {
                // No number is as long.
                if word.len() < 64 {
                    word.push(*byte);
                }
                continue;
            }
            if !word.is_empty() {
                row.push(number(path, line + 1, &word)?);
                word.clear();
                if row.len() == columns {
                    each(&row)?;
                    row.clear();
                }
            }
            line += u64::from(*byte == b'\n');
        }
        reader.consume(count);
        if ended {
            break;
        }
    }
    match row.is_empty() {
        true => Ok(()),
        false => each(&row),
    }
}

fn number(path: &Path, line: u64, word: &[u8]) -> Result<f64> {
    let text = String::from_utf8_lossy(word);
    let read = text.parse::<f64>().or_else(|error| match text.contains(',') {
        true => text.replace(',', ".").parse(),
        false => Err(error),
    });
    read.map_err(|_| wrong(path, line, format!("\"{text}\" is no number")))
}

/// Where a grid is written.
pub(super) fn header_text(grid: &PixelGrid, no_data: Option<f64>) -> String {
    let bounds = grid.bounds();
    let mut text = format!(
        "ncols {}\nnrows {}\nxllcorner {}\nyllcorner {}\ncellsize {}\n",
        grid.columns(),
        grid.rows(),
        bounds.west,
        bounds.south,
        grid.pixel_size().0
    );
    if let Some(value) = no_data {
        text.push_str(&format!("NODATA_value {value}\n"));
    }
    text
}
