//! Both sides of a join, read: the table with its rows by key, and how the layer's keys meet them.

use super::JoinTable;
use super::attribute_table::AttributeTable;
use super::key_index::{KeyIndex, RowsByKey};
use super::key_text::{key_of, plain_key, why_apart};
use super::match_report::MatchReport;
use crate::error::{Error, Result};
use crate::layer::column_names::position;
use crate::layer::{AttributeColumn, ValueRef};
use crate::layer_io::LayerReader;
use crate::memory::{Held, Reckoning, Share};
use crate::progress::Progress;
use arrow_schema::SchemaRef;
use std::collections::HashMap;
use std::path::Path;

/// Pairs of keys that nearly meet, told one by one.
const NEAR_TOLD: usize = 8;

/// The sides of a join, read.
pub(super) struct Sides {
    pub(super) key_at: usize,
    /// The columns that are taken over.
    pub(super) table: AttributeTable,
    pub(super) keys: KeyIndex,
    pub(super) rows: RowsByKey,
    pub(super) report: MatchReport,
}

/// How keys are written that are compared otherwise.
#[derive(Default)]
struct Written(HashMap<u32, String>);

impl Written {
    /// How a key is written that is new.
    fn add(&mut self, number: u32, key: &str, value: ValueRef<'_>) {
        if matches!(value, ValueRef::Text(text) if text == key) {
            return;
        }
        let written = value.to_string();
        if written != key {
            self.0.insert(number, written);
        }
    }

    fn of(&self, keys: &KeyIndex, number: u32) -> String {
        self.0.get(&number).map_or_else(|| keys.key(number).to_string(), String::clone)
    }
}

/// Features of each key: how many, and which was the first.
#[derive(Default)]
struct FeaturesByKey(Vec<(u32, u64)>);

/// What a key takes of [`FeaturesByKey`], bytes.
const BY_KEY: usize = size_of::<(u32, u64)>();

impl FeaturesByKey {
    fn add(&mut self, key: u32, feature: u64) {
        let at = key as usize;
        if at >= self.0.len() {
            self.0.resize(at + 1, (0, 0));
        }
        let (count, first) = &mut self.0[at];
        if *count == 0 {
            *first = feature;
        }
        *count = count.saturating_add(1);
    }

    fn has(&self, key: u32) -> bool {
        self.0.get(key as usize).is_some_and(|(count, _)| *count > 0)
    }

    /// Keys of several features, by the first of these.
    fn duplicates(&self) -> Vec<u32> {
        let mut several: Vec<(u64, u32)> = (0_u32..)
            .zip(&self.0)
            .filter(|(_, (count, _))| *count > 1)
            .map(|(key, (_, first))| (*first, key))
            .collect();
        several.sort_unstable();
        several.into_iter().map(|(_, key)| key).collect()
    }
}

impl Sides {
    pub(super) fn read(
        join: &JoinTable,
        reader: &LayerReader,
        path: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Sides> {
        let names: Vec<String> =
            reader.info().schema.fields().iter().map(|f| f.name().clone()).collect();
        let key_at =
            position(&names, &join.key, None).map_err(|error| error.in_file(reader.path()))?;
        // Of the memory that is free before the table is held.
        let mut reckoning = Reckoning::new("rows of the table", path);
        let (options, layer) = (&join.table, join.table_layer.as_deref());
        let mut table = AttributeTable::read(path, options, layer, &mut reckoning, watch)?;
        let table_names = table.names();
        let here = |error: Error| error.in_file(path);
        let table_key = join.table_key.as_ref().unwrap_or(&join.key);
        let table_at = position(&table_names, table_key, None).map_err(here)?;
        let columns: Vec<usize> = match join.columns.as_slice() {
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
        let (mut keys, mut rows) = (KeyIndex::default(), RowsByKey::default());
        let mut written = Written::default();
        let mut buffer = String::new();
        let table_keys = AttributeColumn::of(table.values.column(table_at));
        for at in 0..table.values.num_rows() {
            let value = table_keys.map_or(ValueRef::Null, |keys| keys.value(at));
            let Some(key) = key_of(value, join.loose, &mut buffer) else {
                report.rows_blank += 1;
                rows.push(None)?;
                continue;
            };
            let known = keys.len();
            let number = keys.number(key)?;
            if keys.len() > known {
                written.add(number, key, value);
            }
            rows.push(Some(number))?;
        }
        // What is not taken over is not held on to.
        table.values = table.values.project(&columns)?;
        let in_table = keys.len();
        let mut features = FeaturesByKey::default();
        reckoning.go_on("keys of features, beside the table,", reader.path());
        let of_table = keys.bytes();
        let besides =
            (table.values.get_array_memory_size() + of_table + rows.bytes() + in_table * BY_KEY)
                as u64;
        reader.for_each_batch(&mut |batch| {
            let column = batch.column(key_at);
            for at in 0..batch.len() {
                report.features += 1;
                let value = column.map_or(ValueRef::Null, |column| column.value(at));
                let Some(key) = key_of(value, join.loose, &mut buffer) else {
                    report.features_blank += 1;
                    continue;
                };
                let known = keys.len();
                let number = keys.number(key)?;
                if keys.len() > known {
                    written.add(number, key, value);
                }
                report.features_met += u64::from(rows.has(number));
                features.add(number, report.features);
            }
            let new = keys.len() - in_table;
            let bytes = (keys.bytes() - of_table + new * BY_KEY) as u64;
            let held = Held { count: new as u64, bytes, besides };
            let share = Share { done: report.features, total: reader.info().count };
            reckoning.take(held, share, watch)
        })?;
        let mut sides = Sides { key_at, table, keys, rows, report };
        sides.compare(in_table as u32, &features, &written);
        Ok(sides)
    }

    /// What of either side is not on the other, what is there several times, and what nearly meets.
    fn compare(&mut self, in_table: u32, features: &FeaturesByKey, written: &Written) {
        let Sides { keys, rows, report, .. } = self;
        let unmet_in_layer = in_table..keys.len() as u32;
        // Of keys that look the same the first of the table; of use only where both sides have some.
        let mut alike: HashMap<String, u32> = HashMap::new();
        for key in 0..in_table {
            let many = rows.of(key).count() as u64;
            let is_met = features.has(key);
            if many > 1 {
                report.table_duplicates.add(|| written.of(keys, key));
                if is_met {
                    report.duplicates_met.add(|| written.of(keys, key));
                }
            }
            if is_met {
                report.rows_met += many;
            } else {
                report.rows_unmet.add(|| written.of(keys, key));
                if !unmet_in_layer.is_empty() {
                    alike.entry(plain_key(keys.key(key))).or_insert(key);
                }
            }
        }
        for key in features.duplicates() {
            report.layer_duplicates.add(|| written.of(keys, key));
        }
        for number in unmet_in_layer {
            report.features_unmet.add(|| written.of(keys, number));
            let key = keys.key(number);
            if let Some(other) = alike.get(&plain_key(key)) {
                report.near_count += 1;
                if report.near.len() < NEAR_TOLD {
                    let other = keys.key(*other);
                    report.near.push((key.to_string(), other.to_string(), why_apart(key, other)));
                }
            }
        }
    }
}
