//! The columns of a layer: how far they are filled, and values that look like stand-ins.

use crate::layer::{AttributeColumn, ValueRef, type_name};
use arrow_schema::SchemaRef;
use serde::Serialize;
use std::collections::HashSet;

/// What is said of a column.
#[derive(Clone, Debug, Serialize)]
pub struct FieldSheet {
    /// Name.
    pub name: String,
    /// Type in words.
    pub kind: &'static str,
    /// Features in which it is filled.
    pub filled: u64,
    /// Different values; none for more than ten thousand.
    pub different: Option<u64>,
    /// Smallest and largest number, or the first and last text of the alphabet.
    pub range: Option<(String, String)>,
    /// What looks wrong.
    pub note: Option<String>,
}

/// Different values that are told apart.
const MOST: usize = 10_000;

/// Numbers that stand for nothing.
const STAND_INS: [f64; 6] = [-9999.0, -99999.0, -999.0, 9999.0, 99999.0, -32768.0];

struct Field {
    sheet: FieldSheet,
    values: HashSet<String>,
    numbers: Option<(f64, f64)>,
    /// Whole numbers, which doubles would round.
    whole: Option<(i64, i64)>,
    texts: Option<(String, String)>,
    stand_ins: Vec<(f64, u64)>,
    /// Smallest and largest of the other numbers.
    others: Option<(f64, f64)>,
    padded: u64,
}

/// Gathers what is said of all columns.
pub(super) struct Fields(Vec<Field>);

impl Fields {
    pub(super) fn new(schema: &SchemaRef) -> Fields {
        let field = |field: &std::sync::Arc<arrow_schema::Field>| Field {
            sheet: FieldSheet {
                name: field.name().clone(),
                kind: type_name(field),
                filled: 0,
                different: None,
                range: None,
                note: None,
            },
            values: HashSet::new(),
            numbers: None,
            whole: None,
            texts: None,
            stand_ins: Vec::new(),
            others: None,
            padded: 0,
        };
        Fields(schema.fields().iter().map(field).collect())
    }

    pub(super) fn add(&mut self, columns: &[AttributeColumn<'_>], feature: usize) {
        for (column, field) in columns.iter().zip(&mut self.0) {
            let value = column.value(feature);
            let number = match value {
                ValueRef::Null => continue,
                ValueRef::Integer(value) => Some(value as f64),
                ValueRef::Real(value) => Some(value),
                _ => None,
            };
            let text = value.to_string();
            if text.trim().is_empty() {
                continue;
            }
            field.sheet.filled += 1;
            if let ValueRef::Integer(value) = value {
                let (low, high) = field.whole.get_or_insert((value, value));
                *low = (*low).min(value);
                *high = (*high).max(value);
            }
            if let Some(number) = number {
                let (low, high) = field.numbers.get_or_insert((number, number));
                *low = low.min(number);
                *high = high.max(number);
                if STAND_INS.contains(&number) {
                    match field.stand_ins.iter_mut().find(|(other, _)| *other == number) {
                        Some((_, count)) => *count += 1,
                        None => field.stand_ins.push((number, 1)),
                    }
                } else {
                    let (low, high) = field.others.get_or_insert((number, number));
                    *low = low.min(number);
                    *high = high.max(number);
                }
            } else {
                field.padded += u64::from(text.trim() != text);
                let (low, high) = field.texts.get_or_insert((text.clone(), text.clone()));
                if text < *low {
                    low.clone_from(&text);
                }
                if text > *high {
                    high.clone_from(&text);
                }
            }
            if field.values.len() <= MOST {
                field.values.insert(text);
            }
        }
    }

    pub(super) fn finish(self) -> Vec<FieldSheet> {
        self.0
            .into_iter()
            .map(|field| {
                let mut sheet = field.sheet;
                let count = field.values.len();
                sheet.different = (count <= MOST).then_some(count as u64);
                sheet.range = match (field.whole, field.numbers, field.texts) {
                    (Some((low, high)), ..) => Some((low.to_string(), high.to_string())),
                    (None, Some((low, high)), _) => Some((low.to_string(), high.to_string())),
                    (None, None, texts) => texts,
                };
                let mut notes = Vec::new();
                // Among the others it is a number as they are.
                let among = |number: f64| {
                    field.others.is_some_and(|(low, high)| low <= number && number <= high)
                };
                for (number, count) in field.stand_ins.iter().filter(|of| !among(of.0)) {
                    notes
                        .push(format!("{number} stands {count} times: is it for a missing value?"));
                }
                if field.padded > 0 {
                    notes.push(format!("{} values have blanks at their ends", field.padded));
                }
                if sheet.filled == 0 {
                    notes.push("it is never filled".to_string());
                }
                sheet.note = (!notes.is_empty()).then(|| notes.join("; "));
                sheet
            })
            .collect()
    }
}

impl FieldSheet {
    /// Name, type, filled, different values, and from and to, as cells of a table.
    pub fn cells(&self) -> [String; 6] {
        let short = |text: &str| match text.chars().count() {
            0..=28 => text.to_string(),
            _ => text.chars().take(27).collect::<String>() + "…",
        };
        let (from, to) = self.range.clone().unwrap_or_default();
        [
            self.name.clone(),
            self.kind.to_string(),
            self.filled.to_string(),
            self.different.map_or("over 10000".to_string(), |count| count.to_string()),
            short(&from),
            short(&to),
        ]
    }
}
