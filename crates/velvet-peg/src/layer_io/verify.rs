//! Reading a file again after writing it, and comparing: number of features, coordinates and
//! attributes, by sums that do not depend on the order of the features.

use super::LayerReader;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{ReadBack, as_written, row_sum, wkt};
use crate::layer::{Batch, GeometryColumn, GeometryKind, ValueRef};
use crate::table::TableFile;
use csv::StringRecord;
use std::fmt::Write;
use std::hash::{BuildHasher, Hash};
use std::path::{Path, PathBuf};

/// Sums over features.
#[derive(Clone, Debug)]
pub(super) struct Sum {
    count: u64,
    coordinates: u64,
    attributes: u64,
    /// Names of the columns.
    columns: Vec<String>,
    /// Digits behind the point that coordinates are written with.
    decimals: Option<usize>,
}

impl Sum {
    pub(super) fn new(decimals: Option<usize>) -> Sum {
        Sum { count: 0, coordinates: 0, attributes: 0, columns: Vec::new(), decimals }
    }

    /// Takes in a batch, which always succeeds.
    pub(super) fn take(&mut self, batch: &Batch) -> Result<()> {
        self.add(batch);
        Ok(())
    }

    fn add(&mut self, batch: &Batch) {
        let schema = batch.attributes().schema();
        if self.columns.is_empty() {
            self.columns = schema.fields().iter().map(|field| field.name().clone()).collect();
        }
        let columns = batch.columns();
        let mut text = String::new();
        for feature in 0..batch.len() {
            self.count += 1;
            let place = self.place(&batch.geometry, feature);
            self.coordinates = self.coordinates.wrapping_add(place);
            let mut values = 0u64;
            for (field, column) in schema.fields().iter().zip(&columns) {
                text.clear();
                match column.value(feature) {
                    // Few formats tell these from nothing.
                    ValueRef::Real(number) if !number.is_finite() => continue,
                    // Writing to a string does not fail. SQLite tells no negative zero from zero.
                    ValueRef::Real(number) => _ = write!(text, "{}", ValueRef::Real(number + 0.0)),
                    value => _ = write!(text, "{value}"),
                }
                if !text.is_empty() {
                    values = values.wrapping_add(hash(&(field.name(), &text)));
                }
            }
            // Attributes belong to their place.
            self.attributes = self.attributes.wrapping_add(hash(&(place, values)));
        }
    }

    /// A number for the geometry of a feature that does not depend on where rings begin,
    /// which way they run, and whether they are closed.
    fn place(&self, column: &GeometryColumn, feature: usize) -> u64 {
        let Some(kind) = column.kinds()[feature] else {
            return 0;
        };
        let mut sum = 0u64;
        for part in column.parts(feature) {
            for ring in column.rings(part) {
                let range = column.ring(ring);
                let closed = kind.single() == GeometryKind::Polygon
                    && range.len() > 1
                    && !wkt::closes(column, &range);
                for at in range.start..range.end - usize::from(closed) {
                    let z = column.z.get(at).map(|z| z + 0.0).filter(|z| z.is_finite());
                    let m = column.m.get(at).map(|m| m + 0.0).filter(|m| m.is_finite());
                    let place = (
                        self.bits(column.x[at]),
                        self.bits(column.y[at]),
                        z.map(f64::to_bits),
                        m.map(f64::to_bits),
                    );
                    sum = sum.wrapping_add(hash(&place));
                }
            }
        }
        hash(&(kind.single(), sum))
    }

    /// The bits of a coordinate as the file holds it.
    fn bits(&self, value: f64) -> u64 {
        let held = match self.decimals {
            Some(decimals) => as_written(value, decimals),
            None => value,
        };
        // No format tells a negative zero from zero.
        (held + 0.0).to_bits()
    }
}

fn hash(value: &impl Hash) -> u64 {
    foldhash::quality::FixedState::default().hash_one(value)
}

/// Compares what files hold with a sum.
///
/// # Errors
/// If they do not hold it, with what differs.
pub(super) fn verify(
    files: &[PathBuf],
    format: Format,
    layer: &str,
    sum: &Sum,
    read_back: &ReadBack,
) -> Result<()> {
    // Side files are of other formats.
    let main: Vec<&PathBuf> =
        files.iter().filter(|file| Format::of(file).is_ok_and(|other| other == format)).collect();
    let wrong = |file: &Path, what: String| {
        Error::data(format!(
            "is not written, and what was there is as it was: read again, the new file does not \
             hold what it should: {what}"
        ))
        .in_file(file)
    };
    let first = main.first().map_or(Path::new(""), |file| file.as_path());
    if let ReadBack::Rows { count: rows, sum: expected, dialect } = read_back {
        let file = TableFile::open(first, dialect)?;
        let mut reader = file.rows()?;
        let (mut count, mut found) = (0, 0u64);
        let mut record = StringRecord::new();
        while reader.read(&mut record)? {
            count += 1;
            found = found.wrapping_add(row_sum(record.iter()));
        }
        return match (count == *rows, found == *expected) {
            (true, true) => Ok(()),
            (false, _) => Err(wrong(first, format!("{count} rows in place of {rows}"))),
            _ => Err(wrong(first, "some values differ".to_string())),
        };
    }
    let mut found = Sum::new(None);
    for file in &main {
        for mut reader in LayerReader::open_written(file, format, layer)? {
            reader.reveal_key(&sum.columns);
            reader.for_each_batch(&mut |batch| {
                found.add(&batch);
                Ok(())
            })?;
        }
    }
    if found.count != sum.count {
        return Err(wrong(first, format!("{} features in place of {}", found.count, sum.count)));
    }
    if found.coordinates != sum.coordinates {
        return Err(wrong(first, "some coordinates differ".to_string()));
    }
    if found.attributes != sum.attributes && matches!(read_back, ReadBack::Everything) {
        return Err(wrong(first, "some attributes differ".to_string()));
    }
    Ok(())
}
