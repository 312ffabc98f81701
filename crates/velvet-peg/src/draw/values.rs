//! What values a column has, seen once before classes are made of them.

use crate::layer::ValueRef;
use std::collections::BTreeMap;

/// Numbers kept to find quantiles by; of more, every second, every fourth, and so on.
const KEPT: usize = 1_000_000;
/// Different values counted one by one.
const DIFFERENT: usize = 10_000;

/// The values of a column, over all layers that have it.
#[derive(Clone, Debug, Default)]
pub(super) struct ValueTally {
    numbers: Vec<f64>,
    stride: u64,
    seen: u64,
    /// Values as texts, with how many features have them; numbers too.
    counts: BTreeMap<String, u64>,
    /// There are more different values than are counted.
    pub(super) many: bool,
    /// Features without a value.
    pub(super) empty: u64,
    /// Some value is no number.
    pub(super) texts: bool,
    /// Some value is bytes.
    pub(super) bytes: bool,
}

impl ValueTally {
    pub(super) fn add(&mut self, value: ValueRef<'_>) {
        match value {
            ValueRef::Null => {
                self.empty += 1;
                return;
            }
            ValueRef::Text("") => {
                self.empty += 1;
                return;
            }
            ValueRef::Integer(number) => self.number(number as f64),
            ValueRef::Real(number) if number.is_finite() => self.number(number),
            ValueRef::Real(_) => {
                self.empty += 1;
                return;
            }
            ValueRef::Binary(_) => {
                self.bytes = true;
                return;
            }
            ValueRef::Boolean(_) | ValueRef::Text(_) => self.texts = true,
        }
        if let Some(text) = text_of(value).filter(|_| !self.many) {
            *self.counts.entry(text).or_default() += 1;
            self.many = self.counts.len() > DIFFERENT;
        }
    }

    fn number(&mut self, number: f64) {
        self.stride = self.stride.max(1);
        if self.seen.is_multiple_of(self.stride) {
            self.numbers.push(number);
            if self.numbers.len() >= KEPT {
                let mut at = 0;
                self.numbers.retain(|_| {
                    at += 1;
                    at % 2 == 1
                });
                self.stride *= 2;
            }
        }
        self.seen += 1;
    }

    /// How many different values there are, as far as they were counted.
    pub(super) fn different(&self) -> usize {
        self.counts.len()
    }

    /// Values and how many features have them, the most frequent first.
    pub(super) fn frequent(&self) -> Vec<(String, u64)> {
        let mut values: Vec<(String, u64)> =
            self.counts.iter().map(|(value, count)| (value.clone(), *count)).collect();
        values.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        values
    }

    /// The numbers in rising order.
    pub(super) fn sorted(&self) -> Vec<f64> {
        let mut sorted = self.numbers.clone();
        sorted.sort_by(f64::total_cmp);
        sorted
    }

    /// True if the numbers are a part of those that there are.
    pub(super) fn is_sampled(&self) -> bool {
        self.stride > 1
    }
}

/// A value as it is told in a legend; none where there is none.
pub(super) fn text_of(value: ValueRef<'_>) -> Option<String> {
    match value {
        ValueRef::Null | ValueRef::Text("") => None,
        ValueRef::Boolean(true) => Some("yes".to_string()),
        ValueRef::Boolean(false) => Some("no".to_string()),
        ValueRef::Real(number) if !number.is_finite() => None,
        value => Some(value.to_string()),
    }
}

/// The number that a value is.
pub(super) fn number_of(value: ValueRef<'_>) -> Option<f64> {
    match value {
        ValueRef::Integer(number) => Some(number as f64),
        ValueRef::Real(number) if number.is_finite() => Some(number),
        _ => None,
    }
}
