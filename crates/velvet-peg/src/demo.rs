//! The demo data: the made-up Tumblewick Irrigation District.
//!
//! It lies across the 120° W meridian near 47.4° N, where a UTM zone edge and the edge of
//! two state-plane zones run through it. People, names and figures are invented. A workbook and
//! a Shapefile are made of texts when they are laid out; the same texts give the same bytes.

use crate::error::{Error, Result};
use crate::features::BuildPoints;
use crate::format_support::WriteOptions;
use crate::output::{Output, TemporaryFolder, write_whole};

use rust_xlsxwriter::{DocProperties, ExcelDateTime, Workbook, XlsxError};
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

/// Name and content of each file that is laid out as it is.
const FILES: [(&str, &str); 11] = [
    ("headgates.csv", include_str!("../demo/headgates.csv")),
    ("laterals.geojson", include_str!("../demo/laterals.geojson")),
    ("lateral-vertices.csv", include_str!("../demo/lateral-vertices.csv")),
    ("fields.geojson", include_str!("../demo/fields.geojson")),
    ("beats.csv", include_str!("../demo/beats.csv")),
    ("deed.csv", include_str!("../demo/deed.csv")),
    ("old-weirs.csv", include_str!("../demo/old-weirs.csv")),
    ("heights.asc", include_str!("../demo/heights.asc")),
    ("heights.prj", include_str!("../demo/heights.prj")),
    ("yard-pegs.csv", include_str!("../demo/yard-pegs.csv")),
    ("tumblewick.toml", include_str!("../demo/tumblewick.toml")),
];

/// A scanned sheet, as the example `district_sheet` draws it: in NAD27 / UTM zone 11N, and its keys say
/// NAD83.
const SHEET: (&str, &[u8]) = ("district-1951.tif", include_bytes!("../demo/district-1951.tif"));

/// The sheets of `register.xlsx`, and whether their first column is text whatever it looks like.
const SHEETS: [(&str, &str, &[&str]); 3] = [
    ("Owners", include_str!("../demo/register/owners.csv"), &["owner_id"]),
    ("Shares", include_str!("../demo/register/shares.csv"), &[]),
    ("Inspections", include_str!("../demo/register/inspections.csv"), &[]),
];

/// Turnouts in UTM zone 11, laid out as a Shapefile whose `.prj` names zone 10.
const TURNOUTS: &str = include_str!("../demo/turnouts.csv");

/// Lays the demo files out in a folder, which is made if need be, and gives their paths, side files
/// among them.
///
/// ```
/// let folder = tempfile::tempdir()?;
/// let files = velvet_peg::demo::lay_out(folder.path(), false)?;
/// assert_eq!(files.len(), 18); // one of them a Shapefile of five
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If a file exists and is not to be overwritten, or the folder cannot be written.
pub fn lay_out(folder: &Path, overwrite: bool) -> Result<Vec<PathBuf>> {
    std::fs::create_dir_all(folder).map_err(|e| Error::file(folder, "cannot be made", e))?;
    let mut paths = Vec::new();
    let texts = FILES.iter().map(|(name, text)| (*name, text.as_bytes()));
    for (name, content) in texts.chain([SHEET]) {
        let path = folder.join(name);
        write_whole(&path, content, overwrite)?;
        paths.push(path);
    }
    paths.push(register(folder, overwrite)?);
    paths.extend(turnouts(folder, overwrite)?);
    Ok(paths)
}

fn register(folder: &Path, overwrite: bool) -> Result<PathBuf> {
    let path = folder.join("register.xlsx");
    let failed = |e: XlsxError| Error::file(&path, "cannot be written", e);
    let mut book = Workbook::new();
    let made = ExcelDateTime::from_ymd(2026, 9, 1).map_err(failed)?;
    book.set_properties(&DocProperties::new().set_creation_datetime(&made));
    for (name, text, texts) in SHEETS {
        let sheet = book.add_worksheet();
        sheet.set_name(name).map_err(failed)?;
        let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
        let mut header = csv::StringRecord::new();
        for (row, record) in reader.records().enumerate() {
            let record = record.map_err(|e| Error::file(&path, "cannot be made", e))?;
            if row == 0 {
                header = record.clone();
            }
            for (column, cell) in record.iter().enumerate() {
                let (r, c) = (row as u32, column as u16);
                let as_text = texts.contains(&header.get(column).unwrap_or_default());
                match cell.parse::<f64>() {
                    Ok(number) if !as_text => sheet.write_number(r, c, number).map_err(failed)?,
                    _ => sheet.write_string(r, c, cell).map_err(failed)?,
                };
            }
        }
    }
    let mut output = Output::create(&path, overwrite)?;
    book.save_to_writer(output.file()).map_err(failed)?;
    output.finish()?;
    Ok(path)
}

fn turnouts(folder: &Path, overwrite: bool) -> Result<Vec<PathBuf>> {
    let path = folder.join("turnouts.shp");
    let work = TemporaryFolder::new()?;
    let table = work.path().join("turnouts.csv");
    write_whole(&table, TURNOUTS.as_bytes(), false)?;
    let mut points = BuildPoints::in_system(Crs::from_epsg(32610)?);
    points.build.write = WriteOptions { overwrite, ..WriteOptions::default() };
    // The .shp first: its side files follow it.
    let mut files = points.run(&table, &path)?.files;
    files.sort_by_key(|file| *file != path);
    Ok(files)
}
