//! What is missing for a way, or for a better one: files of grids, epochs, methods.

use super::Planner;
use super::known_rows::KnownRow;
use crate::crs::Datum;
use crate::datum::{Operation, Setting, Unavailable};
use crate::error::{Error, Kind};
use std::cmp::Ordering;
use std::collections::HashSet;
use std::sync::Arc;
use velvet_peg_epsg::DatumRow;

/// The rows that cannot be run and would be known better than a way that can, best first: those
/// between the two datums, and where there is none of them the ways of two steps.
pub(super) fn better(planner: &mut Planner, from: u32, to: u32, known: f64) -> Vec<Unavailable> {
    let is_better = |row: &Unavailable| row.accuracy_m.is_some_and(|accuracy| accuracy < known);
    let mut rows = direct(planner, from, to);
    rows.retain(is_better);
    if rows.is_empty() {
        rows = in_two(planner, from, to, is_better);
        rows.retain(is_better);
    }
    rows
}

/// There is no way; says what those of the registry would need.
pub(super) fn no_way(planner: &mut Planner, from: (&Datum, u32), to: (&Datum, u32)) -> Error {
    let pair = format!("{} to {}", from.0.name(), to.0.name());
    if let Some(way) = with_an_epoch(planner, from.1, to.1) {
        return Error::new(
            Kind::NoEpoch,
            format!("from {pair} leads {way}, which needs the epoch of the coordinates"),
        );
    }
    let mut rows = direct(planner, from.1, to.1);
    if rows.is_empty() {
        rows = in_two(planner, from.1, to.1, |_| true);
    }
    let needs: String = rows
        .iter()
        .take(4)
        .map(|row| format!("\n  {} [EPSG:{}] needs {}", row.name, row.code, row.needs))
        .collect();
    let needs = match needs.is_empty() {
        true => String::new(),
        false => format!("; what the registry has cannot be run here:{needs}"),
    };
    Error::new(Kind::NoRoute, format!("no operation is known from {pair} in this area{needs}"))
}

/// The way that there would be with an epoch, in words.
fn with_an_epoch(planner: &Planner, from: u32, to: u32) -> Option<String> {
    if planner.setting.epoch.is_some() {
        return None;
    }
    // Any year shows whether there is a way.
    const SOME_YEAR: f64 = 2020.0;
    let setting = Setting { epoch: Some(SOME_YEAR), ..planner.setting.clone() };
    let chains = Planner::new(planner.area, &setting).search(from, to);
    chains.first().map(|chain| super::in_words(&chain.operations))
}

/// Rows between two datums that cannot be run, best first.
fn direct(planner: &Planner, from: u32, to: u32) -> Vec<Unavailable> {
    let joins = |row: &&Arc<KnownRow>| {
        row.ends.is_some_and(|(a, b)| (a, b) == (from, to) || (b, a) == (from, to))
    };
    let rows = planner.lacking.iter().filter(joins);
    in_order(rows.filter_map(|row| row.made.as_ref().err().cloned()).collect())
}

/// Ways over one other datum of which a step cannot be run, best first: each with what both steps are
/// known to together. Only rows that are wanted for their own accuracy are looked at.
fn in_two(
    planner: &mut Planner,
    from: u32,
    to: u32,
    wanted: impl Fn(&Unavailable) -> bool,
) -> Vec<Unavailable> {
    let mut found = Vec::new();
    for known in planner.lacking.clone() {
        let (Err(row), Some((a, b))) = (&known.made, known.ends) else { continue };
        if !wanted(row) {
            continue;
        }
        for (end, hub) in [(a, b), (b, a)] {
            let (far, first) = match end {
                end if end == from => (to, true),
                end if end == to => (from, false),
                _ => continue,
            };
            if hub == far || !planner.share_a_row(hub, far) {
                continue;
            }
            let usable = planner.neighbours(hub).iter().find(|step| step.datum == far).cloned();
            let usable = usable.map(|step| step.operation);
            let runs = usable.is_some();
            let (other, accuracy, dated) = match usable {
                Some(operation) => (described(&operation), operation.accuracy_m(), true),
                None => {
                    let Some(row) = direct(planner, hub, far).into_iter().next() else { continue };
                    let words =
                        format!("{} [EPSG:{}], which needs {}", row.name, row.code, row.needs);
                    (words, row.accuracy_m, row.needs_epoch)
                }
            };
            let over = DatumRow::find(hub).map_or("another datum", |row| row.name);
            let order = if first { "before" } else { "after" };
            let sum = |(a, b): (f64, f64)| ((a + b) * 1e6).round() / 1e6;
            let way = Unavailable {
                accuracy_m: row.accuracy_m.zip(accuracy).map(sum),
                needs: format!("{} (over {over}, {order} {other})", row.needs),
                // An epoch is all that it needs if the other step needs nothing else.
                needs_epoch: row.needs_epoch && dated,
                ..row.clone()
            };
            found.push((runs, way));
        }
    }
    // Ways that lack both steps only where there are no others.
    let some_run = found.iter().any(|(runs, _)| *runs);
    in_order(found.into_iter().filter(|(runs, _)| *runs == some_run).map(|(_, way)| way).collect())
}

fn described(operation: &Operation) -> String {
    match operation.code() {
        Some(code) => format!("{} [EPSG:{code}]", operation.name()),
        None => operation.name().to_string(),
    }
}

fn in_order(mut rows: Vec<Unavailable>) -> Vec<Unavailable> {
    let key = |row: &Unavailable| (row.accuracy_m.unwrap_or(f64::INFINITY), row.code);
    rows.sort_by(|a, b| key(a).partial_cmp(&key(b)).unwrap_or(Ordering::Equal));
    let mut seen = HashSet::new();
    rows.retain(|row| seen.insert(row.code));
    rows
}
