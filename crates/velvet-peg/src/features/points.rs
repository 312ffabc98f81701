//! One point of every row of a table, from its coordinate columns.

use super::BuildOptions;
use super::row_by_row;
use super::row_geometry::RowGeometry;
use crate::error::Result;
use crate::outcome::Summary;
use crate::output::refuse_existing;
use crate::progress::{NoProgress, Progress};
use crate::table::{CoordinateColumns, Notation};
use std::path::Path;
use velvet_peg_core::Crs;

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
    /// use velvet_peg::{BuildPoints, Crs};
    /// let points = BuildPoints::in_system(Crs::parse("EPSG:4326")?);
    /// let outcome = points.run(&file("headgates.csv"), &file("gates.gpkg"))?;
    /// assert_eq!(outcome.rows_in, outcome.out + outcome.rejected.count);
    /// assert_eq!(outcome.rejected.first[0].0, 11); // the row, as a spreadsheet counts
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, an output exists, or no row can be
    /// used.
    pub fn run(&self, table: &Path, out: &Path) -> Result<Summary> {
        self.run_watched(table, out, &mut NoProgress)
    }

    /// As [`BuildPoints::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`BuildPoints::run`].
    pub fn run_watched(
        &self,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        refuse_existing(out, self.build.write.replaces())?;
        let (file, build, other) = self.build.open(table)?;
        let headers = file.rows()?.columns().to_vec();
        let (found, why) = self
            .columns
            .find(&headers, &file.head()?, build.crs.as_ref())
            .map_err(|error| error.in_file(table))?;
        let notation = if self.packed { Notation::Packed } else { Notation::Detected };
        let places = RowGeometry::Columns(found, notation);
        let mut outcome = row_by_row::run(&build, &file, &places, out, watch)?;
        outcome.notices.splice(..0, why.into_iter().chain(other));
        Ok(outcome)
    }
}
