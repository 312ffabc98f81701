//! Features of a column that holds geometries as text.

use super::BuildOptions;
use super::row_by_row;
use super::row_geometry::RowGeometry;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::wkt;
use crate::layer::column_names::{list, position};
use crate::outcome::Summary;
use crate::output::refuse_existing;
use crate::progress::{NoProgress, Progress};
use csv::StringRecord;
use std::path::Path;

/// What to build features of any kind from.
#[derive(Clone, Debug, Default)]
pub struct BuildFeatures {
    /// The column with geometries: well-known text, or well-known binary in hexadecimal
    /// digits; found by its values if not named.
    pub geometry: Option<String>,
    /// What is the same for all features built from tables.
    pub build: BuildOptions,
}

impl BuildFeatures {
    /// Makes one feature of every row of a table, of the geometry that one of its columns
    /// holds. The other columns stay as attributes.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::features::BuildFeatures;
    /// std::fs::write(file("a.csv"), "ditch,shape\nAlder,\"LINESTRING (0 0, 3 4)\"\n")?;
    /// let outcome = BuildFeatures::default().run(&file("a.csv"), &file("a.gpkg"))?;
    /// assert_eq!(outcome.out, 1);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`BuildPoints::run`](super::BuildPoints::run).
    pub fn run(&self, table: &Path, out: &Path) -> Result<Summary> {
        self.run_watched(table, out, &mut NoProgress)
    }

    /// As [`BuildFeatures::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`BuildFeatures::run`].
    pub fn run_watched(
        &self,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        refuse_existing(out, self.build.write.replaces())?;
        let (file, build, other) = self.build.open(table)?;
        let mut reader = file.rows()?;
        let headers = reader.columns().to_vec();
        let at = match &self.geometry {
            Some(name) => position(&headers, name, None).map_err(|error| error.in_file(table))?,
            None => {
                let mut record = StringRecord::new();
                let mut seen = 0;
                let mut found = None;
                while found.is_none() && seen < 100 && reader.read(&mut record)? {
                    seen += 1;
                    found = record.iter().position(wkt::looks_like);
                }
                found.ok_or_else(|| {
                    Error::usage(format!(
                        "no column holds geometries as text; the columns are {}",
                        list(&headers)
                    ))
                    .advise(Advice::NameGeometryColumn)
                    .in_file(table)
                })?
            }
        };
        let mut outcome = row_by_row::run(&build, &file, &RowGeometry::Text(at), out, watch)?;
        outcome.notices.splice(..0, other);
        Ok(outcome)
    }
}
