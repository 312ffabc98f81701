//! Attributes of a table joined to the features of a layer by key, with a report on how the keys
//! meet before anything is written.

mod attribute_table;

use crate::advice::Advice;
use crate::convert::ConvertLayer;
use crate::error::{Error, Result};
use crate::examples::Examples;
use crate::format_support::TableOptions;
use crate::format_support::{KEY, WriteOptions};
use crate::layer::column_names::distinct;
use crate::layer::column_names::position;
use crate::layer::{AttributeColumn, Batch, GeometryColumn, ValueRef};
use crate::layer_io::{LayerReader, Transform};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::output::refuse_inputs;
use crate::progress::{NoProgress, Progress};
use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions, UInt64Array};
use arrow_schema::{Field, Schema, SchemaRef};
use arrow_select::take::take;
use attribute_table::AttributeTable;
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Pairs of keys that nearly meet, told one by one.
const NEAR_TOLD: usize = 8;

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

/// How the keys of a layer and a table meet. Examples are the first of each kind.
#[derive(Clone, Debug, Default)]
pub struct MatchReport {
    /// Features of the layer.
    pub features: u64,
    /// Rows of the table.
    pub rows: u64,
    /// Features with their key in the table.
    pub features_met: u64,
    /// Rows with their key in the layer.
    pub rows_met: u64,
    /// Features whose key is not in the table.
    pub features_unmet: Examples,
    /// Rows whose key is not in the layer.
    pub rows_unmet: Examples,
    /// Features without a key.
    pub features_blank: u64,
    /// Rows without a key.
    pub rows_blank: u64,
    /// Keys that several features have.
    pub layer_duplicates: Examples,
    /// Keys that several rows have.
    pub table_duplicates: Examples,
    /// Of those, the ones that a feature has.
    pub duplicates_met: Examples,
    /// Keys that would meet without regard to capitals, blanks or leading zeros: the layer's,
    /// the table's, and what keeps them apart.
    pub near: Vec<(String, String, &'static str)>,
    /// Number of the near ones.
    pub near_count: u64,
    /// The types of the two columns in words, where they differ.
    pub types: Option<(&'static str, &'static str)>,
}

/// A key with what is often written differently taken away.
fn plain_key(text: &str) -> String {
    let words = text.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase();
    let number = words.strip_suffix(".0").unwrap_or(&words);
    let mut plain = String::new();
    let mut digits = false;
    for c in number.chars() {
        // Zeros in front of a number within it say nothing: F-01 is F-1.
        if c == '0' && !digits {
            plain.push('\0');
        } else {
            while !digits && c.is_ascii_digit() && plain.ends_with('\0') {
                plain.pop();
            }
            plain.push(c);
        }
        // Behind a decimal point zeros count.
        digits = (c == '.' && digits) || (c.is_ascii_digit() && (digits || c != '0'));
    }
    // A zero that nothing followed is a zero.
    let mut out = String::new();
    for c in plain.chars() {
        match c {
            '\0' if out.ends_with('0') => {}
            '\0' => out.push('0'),
            c => out.push(c),
        }
    }
    out
}

fn why_apart(a: &str, b: &str) -> &'static str {
    let squeezed = |t: &str| t.split_whitespace().collect::<Vec<_>>().join(" ");
    if squeezed(a) == squeezed(b) {
        "blanks"
    } else if squeezed(a).to_lowercase() == squeezed(b).to_lowercase() {
        "capitals"
    } else {
        "leading zeros"
    }
}

/// The sides of a join, read.
struct Sides {
    key_at: usize,
    table: AttributeTable,
    /// Rows of each key.
    by_key: HashMap<String, Vec<usize>>,
    report: MatchReport,
    columns: Vec<usize>,
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
    /// If either side cannot be read or has no such column.
    pub fn report(&self, reader: &LayerReader, table: &Path) -> Result<MatchReport> {
        Ok(self.sides(reader, table)?.report)
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
        let sides = self.sides(&reader, table)?;
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
        let mut taken: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
        let prefix = self.prefix.as_deref().unwrap_or_default();
        let mut renamed = Vec::new();
        for at in &sides.columns {
            let field = sides.table.values.schema_ref().field(*at);
            let wanted = format!("{prefix}{}", field.name());
            let name = distinct(&taken, &wanted);
            if name != wanted {
                renamed.push(format!("`{wanted}` → `{name}`"));
            }
            taken.push(name.clone());
            fields.push(field.clone().with_name(name));
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

    fn sides(&self, reader: &LayerReader, path: &Path) -> Result<Sides> {
        let names: Vec<String> =
            reader.info().schema.fields().iter().map(|f| f.name().clone()).collect();
        let key_at =
            position(&names, &self.key, None).map_err(|error| error.in_file(reader.path()))?;
        let table = AttributeTable::read(path, &self.table, self.table_layer.as_deref())?;
        let table_names = table.names();
        let here = |error: Error| error.in_file(path);
        let table_key = self.table_key.as_ref().unwrap_or(&self.key);
        let table_at = position(&table_names, table_key, None).map_err(here)?;
        let columns: Vec<usize> = match self.columns.as_slice() {
            [] => (0..table_names.len()).filter(|at| *at != table_at).collect(),
            wanted => wanted
                .iter()
                .map(|name| position(&table_names, name, None))
                .collect::<Result<_>>()
                .map_err(here)?,
        };
        let mut report =
            MatchReport { rows: table.values.num_rows() as u64, ..MatchReport::default() };
        let kind = |schema: &SchemaRef, at: usize| crate::layer::type_name(schema.field(at));
        let kinds = (kind(&reader.info().schema, key_at), kind(&table.values.schema(), table_at));
        report.types = (kinds.0 != kinds.1).then_some(kinds);
        let mut by_key: HashMap<String, Vec<usize>> = HashMap::new();
        // How keys that meet loosely were written first.
        let mut written: HashMap<String, String> = HashMap::new();
        let mut order: Vec<String> = Vec::new();
        let table_keys = AttributeColumn::of(table.values.column(table_at));
        for at in 0..table.values.num_rows() {
            let value = table_keys.map_or(ValueRef::Null, |keys| keys.value(at));
            match key_of(value, self.loose) {
                None => report.rows_blank += 1,
                Some(key) => {
                    let rows = by_key.entry(key.clone()).or_default();
                    if rows.is_empty() {
                        written.insert(key.clone(), value.to_string());
                        order.push(key);
                    }
                    rows.push(at);
                }
            }
        }
        // Features of each key, by the order in which they came.
        let mut counts: BTreeMap<String, u64> = BTreeMap::new();
        let mut layer_order: Vec<String> = Vec::new();
        reader.for_each_batch(&mut |batch| {
            let keys = batch.column(key_at);
            for at in 0..batch.len() {
                report.features += 1;
                let value = keys.map_or(ValueRef::Null, |keys| keys.value(at));
                match key_of(value, self.loose) {
                    None => report.features_blank += 1,
                    Some(key) => {
                        report.features_met += u64::from(by_key.contains_key(&key));
                        let count = counts.entry(key.clone()).or_default();
                        *count += 1;
                        if *count == 1 {
                            written.entry(key.clone()).or_insert_with(|| value.to_string());
                            layer_order.push(key);
                        }
                    }
                }
            }
            Ok(())
        })?;
        let mut loosely: HashMap<String, &str> = HashMap::new();
        for key in &order {
            let rows = &by_key[key];
            let met = counts.contains_key(key);
            if rows.len() > 1 {
                report.table_duplicates.add(|| written[key].clone());
                if met {
                    report.duplicates_met.add(|| written[key].clone());
                }
            }
            if met {
                report.rows_met += rows.len() as u64;
            } else {
                report.rows_unmet.add(|| written[key].clone());
                loosely.entry(plain_key(key)).or_insert(key);
            }
        }
        for key in &layer_order {
            if counts[key] > 1 {
                report.layer_duplicates.add(|| written[key].clone());
            }
            if by_key.contains_key(key) {
                continue;
            }
            report.features_unmet.add(|| written[key].clone());
            if let Some(other) = loosely.get(&plain_key(key)) {
                report.near_count += 1;
                if report.near.len() < NEAR_TOLD {
                    report.near.push((key.clone(), other.to_string(), why_apart(key, other)));
                }
            }
        }
        Ok(Sides { key_at, table, by_key, report, columns })
    }
}

fn key_of(value: ValueRef<'_>, loose: bool) -> Option<String> {
    let text = value.to_string();
    // Blanks at the ends, which no one sees, keep no keys apart.
    let key = if loose { plain_key(&text) } else { text.trim().to_string() };
    (!key.trim().is_empty()).then_some(key)
}

impl MatchReport {
    /// What of it matters to whoever uses the result.
    pub fn notices(&self) -> Vec<Notice> {
        let mut notices = Vec::new();
        if self.near_count > 0 {
            let pairs: Vec<String> =
                self.near.iter().map(|(a, b, why)| format!("`{a}` and `{b}` ({why})")).collect();
            notices.push(
                Notice::warning(
                    NoticeKind::Keys,
                    format!(
                        "{} keys do not meet but look the same: {}",
                        self.near_count,
                        pairs.join(", ")
                    ),
                )
                .count(self.near_count)
                .advise(Advice::LooseKeys),
            );
        }
        if self.features_unmet.count > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Keys,
                    format!(
                        "keys of features that are not in the table: {}",
                        self.features_unmet.counted()
                    ),
                )
                .count(self.features_unmet.count),
            );
        }
        if self.rows_unmet.count > 0 {
            notices.push(
                Notice::warning(
                    NoticeKind::Keys,
                    format!("keys of the table that no feature has: {}", self.rows_unmet.counted()),
                )
                .count(self.rows_unmet.count),
            );
        }
        if self.features_blank + self.rows_blank > 0 {
            notices.push(
                Notice::note(
                    NoticeKind::Keys,
                    format!(
                        "without a key: {} features, {} rows",
                        self.features_blank, self.rows_blank
                    ),
                )
                .with("features", self.features_blank as f64, "")
                .with("rows", self.rows_blank as f64, ""),
            );
        }
        notices
    }
}

/// Adds the columns of the table to features.
struct Joining {
    loose: bool,
    matched_only: bool,
    schema: SchemaRef,
    sides: Sides,
}

impl std::fmt::Debug for Joining {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Joining").field("keys", &self.sides.by_key.len()).finish()
    }
}

impl Transform for Joining {
    fn apply(&self, batch: Batch) -> Result<Batch> {
        let mut geometry = GeometryColumn::new();
        let Sides { key_at, table, by_key, columns, .. } = &self.sides;
        let keys = batch.column(*key_at);
        // For each feature that comes out, the one it is and the row that it meets.
        let (mut features, mut rows): (Vec<u64>, Vec<Option<u64>>) = (Vec::new(), Vec::new());
        for at in 0..batch.len() {
            let key = keys.and_then(|keys| key_of(keys.value(at), self.loose));
            match key.and_then(|key| by_key.get(&key)) {
                Some(found) => {
                    for row in found {
                        features.push(at as u64);
                        rows.push(Some(*row as u64));
                        geometry.push_from(&batch.geometry, at);
                    }
                }
                None if self.matched_only => {}
                None => {
                    features.push(at as u64);
                    rows.push(None);
                    geometry.push_from(&batch.geometry, at);
                }
            }
        }
        let (features, rows) = (UInt64Array::from(features), UInt64Array::from(rows));
        let ours = batch.attributes().columns().iter().map(|column| take(column, &features, None));
        let theirs = columns.iter().map(|at| take(table.values.column(*at), &rows, None));
        let attributes = ours.chain(theirs).collect::<std::result::Result<Vec<ArrayRef>, _>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(geometry.len()));
        let attributes =
            RecordBatch::try_new_with_options(self.schema.clone(), attributes, &options)?;
        let joined = Batch::try_new(geometry, attributes, batch.first)?;
        Ok(joined.with_unreadable(batch.unreadable))
    }
}
