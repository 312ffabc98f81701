//! From the values of a column to classes with a colour and a line in the legend.

use super::figures::{grouped, readable};
use super::options::{Classes, Coloring, Theme};
use super::palette::{NO_VALUE, OTHER, Rgb, VALUES, ramp};
use super::values::{ValueTally, number_of, text_of};
use crate::error::{Error, Result};
use crate::layer::ValueRef;
use std::collections::BTreeMap;

/// Numbers that are few enough to be told one by one.
const FEW: usize = 8;
/// Classes of numbers, if nothing is asked for.
const CLASSES: usize = 5;

/// One class.
#[derive(Clone, Debug)]
pub(super) struct Class {
    pub(super) color: Rgb,
    pub(super) text: String,
}

/// Which class a value is in.
#[derive(Clone, Debug)]
pub(super) struct Classing {
    pub(super) column: String,
    /// In the order of the legend; the last is of features without a value.
    pub(super) classes: Vec<Class>,
    rule: Rule,
    /// How the classes were made, for the legend.
    pub(super) made: Option<String>,
}

#[derive(Clone, Debug)]
enum Rule {
    /// Texts with their classes; all others are of the class of this number.
    Values(BTreeMap<String, usize>, usize),
    /// Inner limits: a number is in the class of as many limits as it reaches.
    Limits(Vec<f64>),
}

impl Classing {
    pub(super) fn new(coloring: &Coloring, tally: &ValueTally, theme: Theme) -> Result<Classing> {
        let column = &coloring.column;
        if tally.bytes {
            return Err(Error::usage(format!(
                "column `{column}` holds bytes, which have no colour"
            )));
        }
        let by_number = match &coloring.classes {
            Classes::Values => false,
            Classes::Auto => !tally.texts && (tally.many || tally.different() > FEW),
            _ => true,
        };
        if by_number && tally.texts {
            return Err(Error::usage(format!(
                "column `{column}` holds texts: quantiles, equal steps and limits are for numbers"
            )));
        }
        let mut classing = match by_number {
            true => of_numbers(coloring, tally, theme)?,
            false => of_values(column, tally, theme),
        };
        classing.classes.push(Class { color: NO_VALUE, text: "no value".to_string() });
        Ok(classing)
    }

    /// The class of a value.
    pub(super) fn class_of(&self, value: ValueRef<'_>) -> usize {
        let none = self.classes.len() - 1;
        match &self.rule {
            Rule::Values(classes, other) => match text_of(value) {
                Some(text) => classes.get(&text).copied().unwrap_or(*other),
                None => none,
            },
            Rule::Limits(limits) => match number_of(value) {
                Some(number) => limits.partition_point(|limit| *limit <= number),
                None => none,
            },
        }
    }
}

fn of_values(column: &str, tally: &ValueTally, theme: Theme) -> Classing {
    let values = tally.frequent();
    let told = match values.len() > VALUES.len() {
        true => VALUES.len() - 1,
        false => values.len(),
    };
    let mut named: Vec<&String> = values[..told].iter().map(|(value, _)| value).collect();
    // Numbers in their order, texts in theirs.
    let as_number = |text: &str| text.parse::<f64>().ok();
    match named.iter().all(|text| as_number(text).is_some()) {
        true => named.sort_by(|a, b| as_number(a).partial_cmp(&as_number(b)).unwrap_or(a.cmp(b))),
        false => named.sort(),
    }
    // Numbers that are values are in an order, which a ramp shows.
    let colors = match !tally.texts && told > 2 {
        true => ramp(told, theme),
        false => VALUES.to_vec(),
    };
    let classes: BTreeMap<String, usize> =
        named.iter().enumerate().map(|(at, text)| ((*text).clone(), at)).collect();
    let mut list: Vec<Class> = named
        .iter()
        .zip(colors)
        .map(|(text, color)| Class { color, text: (*text).clone() })
        .collect();
    if told < values.len() {
        let more = values.len() - told;
        let at_least = if tally.many { "more than " } else { "" };
        list.push(Class { color: OTHER, text: format!("{at_least}{more} other values") });
    }
    let rule = Rule::Values(classes, told);
    Classing { column: column.to_string(), classes: list, rule, made: None }
}

fn of_numbers(coloring: &Coloring, tally: &ValueTally, theme: Theme) -> Result<Classing> {
    let column = &coloring.column;
    let sorted = tally.sorted();
    let (Some(low), Some(high)) = (sorted.first().copied(), sorted.last().copied()) else {
        return Err(Error::usage(format!("column `{column}` has no numbers to make classes of")));
    };
    let wanted = |count: usize| match count {
        2..=12 => Ok(count),
        _ => Err(Error::usage(format!("{count} classes cannot be told apart: 2 to 12 can"))),
    };
    let (mut limits, made) = match &coloring.classes {
        Classes::Limits(limits) => {
            if limits.is_empty() || limits.windows(2).any(|pair| pair[0] >= pair[1]) {
                return Err(Error::usage("limits of classes are numbers in rising order"));
            }
            wanted(limits.len() + 1)?;
            (limits.clone(), None)
        }
        Classes::Equal(count) => {
            let count = wanted(*count)?;
            let step = (high - low) / count as f64;
            let limits = (1..count).map(|at| low + step * at as f64).collect();
            (limits, Some("equal steps"))
        }
        classes => {
            let count =
                wanted(if let Classes::Quantiles(count) = classes { *count } else { CLASSES })?;
            let at = |share: usize| sorted[(sorted.len() * share / count).min(sorted.len() - 1)];
            ((1..count).map(at).collect(), Some("as many features in each"))
        }
    };
    // Limits as they are told: a feature is in the class that the legend says.
    if made.is_some() {
        let step = limits.windows(2).map(|pair: &[f64]| pair[1] - pair[0]);
        let step = step.filter(|step| *step > 0.0).fold(high - low, f64::min);
        limits.iter_mut().for_each(|limit| *limit = readable(*limit, step / 10.0).0);
    }
    limits.dedup();
    limits.retain(|limit| made.is_none() || (*limit > low && *limit <= high));
    let decimals = limits.iter().map(|limit| decimals_of(*limit)).max().unwrap_or(0);
    let told = |value: f64| grouped(value, decimals);
    let count = limits.len() + 1;
    let texts =
        (0..count).map(|at| match (at.checked_sub(1).map(|at| limits[at]), limits.get(at)) {
            (None, None) => told(low),
            (None, Some(above)) => format!("below {}", told(*above)),
            (Some(below), Some(above)) => format!("{} to below {}", told(below), told(*above)),
            (Some(below), None) => format!("{} and more", told(below)),
        });
    let classes =
        texts.zip(ramp(count, theme)).map(|(text, color)| Class { color, text }).collect();
    let sampled = if tally.is_sampled() { ", by a part of them" } else { "" };
    let made = made.map(|made| format!("{made}{sampled}"));
    Ok(Classing { column: column.clone(), classes, rule: Rule::Limits(limits), made })
}

/// Decimals that a number needs to be told.
fn decimals_of(value: f64) -> usize {
    let text = value.to_string();
    text.split_once('.').map_or(0, |(_, decimals)| decimals.len().min(9))
}
