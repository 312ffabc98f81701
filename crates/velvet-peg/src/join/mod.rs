//! Attributes of a table joined to the features of a layer by key, with a report on how the keys
//! meet before anything is written.

mod attribute_table;
mod joining;
mod key_index;
mod key_text;
mod match_report;
mod sides;

pub use match_report::MatchReport;

use crate::advice::Advice;
use crate::convert::ConvertLayer;
use crate::error::{Error, Result};
use crate::format_support::{KEY, TableOptions, WriteOptions};
use crate::layer::column_names::TakenNames;
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::output::refuse_inputs;
use crate::progress::{NoProgress, Progress};
use arrow_schema::{Field, Schema};
use joining::Joining;
use sides::Sides;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// How a table is joined to a layer.
#[derive(Clone, Debug, Default)]
pub struct JoinTable {
    /// Column of the layer that holds the key.
    pub key: String,
    /// Column of the table that holds it; the same name if none.
    pub table_key: Option<String>,
    /// Columns of the table to take over; all but the key if there are none.
    pub columns: Vec<String>,
    /// Put in front of the names of the columns taken over.
    pub prefix: Option<String>,
    /// A feature whose key is in several rows comes out once for each of them.
    pub many: bool,
    /// Keys meet without regard to capitals, blanks and leading zeros.
    pub loose: bool,
    /// Leaves out the features whose key is not in the table.
    pub matched_only: bool,
    /// How the table is read.
    pub table: TableOptions,
    /// Layer to take, if the table is a file of several.
    pub table_layer: Option<String>,
    /// How the features are written.
    pub write: WriteOptions,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

impl JoinTable {
    /// How the keys meet, without writing anything.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::LayerReader;
    /// use velvet_peg::join::JoinTable;
    /// std::fs::write(file("crops.csv"), "field,yield\nF-01,3.5\nf-2,4\n")?;
    /// let join = JoinTable { key: "field".into(), ..JoinTable::default() };
    /// let report = join.report(&LayerReader::open(&file("fields.geojson"), None)?, &file("crops.csv"))?;
    /// assert_eq!((report.features_met, report.rows_unmet.count), (1, 1));
    /// assert_eq!(report.near[0], ("F-02".into(), "f-2".into(), "leading zeros"));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If either side cannot be read or has no such column, or the table needs more memory than there is.
    pub fn report(&self, reader: &LayerReader, table: &Path) -> Result<MatchReport> {
        self.report_watched(reader, table, &mut NoProgress)
    }

    /// As [`JoinTable::report`], telling `watch` what is good to know before.
    ///
    /// # Errors
    /// As [`JoinTable::report`].
    pub fn report_watched(
        &self,
        reader: &LayerReader,
        table: &Path,
        watch: &mut dyn Progress,
    ) -> Result<MatchReport> {
        Ok(Sides::read(self, reader, table, watch)?.report)
    }

    /// Joins, and writes the features with the columns of the table behind their own. Features
    /// whose key is not in the table are kept, with nothing in those columns. The table is held
    /// in memory.
    ///
    /// # Errors
    /// As [`JoinTable::report`]; if no key meets, if a key that a feature has is in several rows
    /// and `many` was not asked for, or if the output exists or cannot be written.
    pub fn run(
        &self,
        reader: LayerReader,
        table: &Path,
        out: &Path,
    ) -> Result<(Summary, MatchReport)> {
        self.run_watched(reader, table, out, &mut NoProgress)
    }

    /// As [`JoinTable::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`JoinTable::run`].
    pub fn run_watched(
        &self,
        reader: LayerReader,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, MatchReport)> {
        refuse_inputs(out, [table])?;
        let mut reader = reader;
        reader.reveal_key(std::slice::from_ref(&self.key));
        let sides = Sides::read(self, &reader, table, watch)?;
        let report = sides.report.clone();
        if report.features > 0 && report.features_met == 0 {
            let near = match report.near.first() {
                Some((a, b, why)) => format!(
                    ": `{a}` and `{b}` are kept apart by {why} (and {} like them)",
                    report.near_count - 1
                ),
                None => format!(
                    ": the layer's begin {}, the table's {}",
                    report.features_unmet.counted(),
                    report.rows_unmet.counted()
                ),
            };
            let none =
                Error::data(format!("no key of the layer is in the table{near}")).in_file(table);
            return Err(match report.near.is_empty() {
                true => none,
                false => none.advise(Advice::LooseKeys),
            });
        }
        if report.duplicates_met.count > 0 && !self.many {
            return Err(Error::data(format!(
                "keys of features that are in several rows of the table: {}. Which row is meant? \
                 Make the keys of the table unique",
                report.duplicates_met.counted()
            ))
            .advise(Advice::ManyRows)
            .in_file(table));
        }
        let mut info = reader.info().clone();
        let mut fields: Vec<Field> =
            info.schema.fields().iter().map(|f| f.as_ref().clone()).collect();
        if self.many {
            // A feature that comes out several times is not known by one number.
            for field in &mut fields {
                field.metadata_mut().remove(KEY);
            }
        }
        let mut taken = TakenNames::of(fields.iter().map(Field::name));
        let prefix = self.prefix.as_deref().unwrap_or_default();
        let mut renamed = Vec::new();
        for field in sides.table.values.schema_ref().fields() {
            let wanted = format!("{prefix}{}", field.name());
            let name = taken.take(&wanted);
            if name != wanted {
                renamed.push(format!("`{wanted}` → `{name}`"));
            }
            fields.push(field.as_ref().clone().with_name(name));
        }
        info.schema = Arc::new(Schema::new(fields));
        info.count = None;
        let mut notices = sides.table.notices.clone();
        notices.extend(report.notices());
        if !renamed.is_empty() {
            notices.push(
                Notice::note(
                    NoticeKind::ColumnChange,
                    format!(
                        "columns of the table whose names the layer has already: {}",
                        renamed.join(", ")
                    ),
                )
                .advise(Advice::PrefixColumns),
            );
        }
        let before = report.features;
        let stage = Joining {
            loose: self.loose,
            matched_only: self.matched_only,
            schema: info.schema.clone(),
            sides,
        };
        let joined = reader.through(info, Arc::new(stage));
        let convert = ConvertLayer {
            write: self.write.clone(),
            rejects: self.rejects.clone(),
            ..ConvertLayer::default()
        };
        let mut outcome = convert.run_watched(&joined, out, watch)?;
        if self.matched_only {
            outcome.left_out = before - report.features_met;
        }
        outcome.rows_in = before;
        outcome.notices.splice(..0, notices);
        Ok((outcome, report))
    }
}
