//! The coordinates that a guess of their reference system is made from, out of a table or a
//! layer.

pub use velvet_peg_core::guess::*;

use crate::error::{Error, Result};
use crate::format_support::TableOptions;
use crate::layer::column_names::position;
use crate::layer_io::LayerReader;
use crate::table::{CoordinateColumns, Found, Notation, TableFile, read_pair};
use csv::StringRecord;
use std::path::Path;
use velvet_peg_core::{Crs, Geographic};

/// Rows that are read: a guess needs no more.
const ROWS: usize = 5_000;

/// Coordinates of a table, with the known longitudes and latitudes of the same rows.
#[derive(Clone, Debug, Default)]
pub struct GuessColumns {
    /// x and y, as written.
    pub points: Vec<(f64, f64)>,
    /// Known positions, if columns were named for them.
    pub known: Vec<Geographic>,
}

/// Reads the first rows of a table: coordinates in the columns named (or found by their
/// headers), and the known longitude and latitude where two columns hold them. Rows that cannot
/// be read are passed over.
///
/// # Errors
/// If the table cannot be read, a column is missing, or no row has coordinates that can be read.
pub fn coordinates_of_table(
    path: &Path,
    columns: &CoordinateColumns,
    known: Option<(&str, &str)>,
    options: &TableOptions,
) -> Result<GuessColumns> {
    let file = TableFile::open(path, options)?;
    let mut reader = file.rows()?;
    let headers = reader.columns().to_vec();
    let in_file = |error: Error| error.in_file(path);
    let (found, _) = columns.find(&headers, &file.head()?, None).map_err(in_file)?;
    let known = known
        .map(|(lon, lat)| -> Result<Found> {
            Ok(Found {
                x: position(&headers, lon, None).map_err(in_file)?,
                y: position(&headers, lat, None).map_err(in_file)?,
                z: None,
                numbers: columns.numbers,
            })
        })
        .transpose()?;
    let wgs84 = Crs::from_epsg(4326)?;
    let mut gathered = GuessColumns::default();
    let mut record = StringRecord::new();
    let mut unread = None;
    while gathered.points.len() < ROWS && reader.read(&mut record)? {
        if reader.misfit(&record).is_some() {
            continue;
        }
        // Degrees may be written with minutes and seconds, lengths may not.
        let pair = read_pair(&record, &found, None, Notation::Detected).or_else(|first| {
            let angles = read_pair(&record, &found, Some(&wgs84), Notation::Detected);
            angles.map_err(|second| if first.advice.is_some() { first } else { second })
        });
        let place = known
            .as_ref()
            .map(|columns| read_pair(&record, columns, Some(&wgs84), Notation::Detected));
        match (pair, place) {
            (Ok((x, y, _)), None) => gathered.points.push((x, y)),
            (Ok((x, y, _)), Some(Ok((lon, lat, _)))) => {
                gathered.points.push((x, y));
                gathered.known.push(Geographic { lat, lon });
            }
            (Err(reason), _) | (_, Some(Err(reason))) => {
                unread.get_or_insert((reader.row(), reason));
            }
        }
    }
    match (gathered.points.is_empty(), unread) {
        (false, _) => Ok(gathered),
        (true, Some((row, reason))) => {
            let what = format!("no row has coordinates that can be read: {}", reason.text);
            Err(Error::data(what).advise_if(reason.advice).in_row(row).in_file(path))
        }
        (true, None) => Err(Error::data("has no rows to guess from").in_file(path)),
    }
}

/// The first vertex of each of the first features of a layer, as written.
///
/// # Errors
/// If the layer cannot be read.
pub fn coordinates_of_layer(reader: &LayerReader) -> Result<Vec<(f64, f64)>> {
    let mut points = Vec::new();
    reader.for_each_batch(&mut |batch| {
        for feature in 0..batch.geometry.len() {
            if let Some(first) = batch.geometry.vertices(feature).next()
                && points.len() < ROWS
            {
                points.push((batch.geometry.x[first], batch.geometry.y[first]));
            }
        }
        Ok(())
    })?;
    Ok(points)
}
