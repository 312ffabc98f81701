//! Concatenated operations of the registry: several rows run one after the other.

use super::{Operation, Setting, State};
use crate::crs::{Datum, Side, datum_code};
use velvet_peg_epsg::{CrsRow, OperationKind, OperationRow};

/// One step of a chain, with the datums that it lies between.
#[derive(Clone, Debug)]
pub(crate) struct Link {
    pub(crate) operation: Operation,
    /// The same step the other way.
    back: Operation,
    from: Side,
    to: Side,
}

/// The steps of a concatenated row, each in the direction that it is used; in words what is
/// lacking if one of them cannot be run.
pub(crate) fn links(row: &OperationRow, setting: &Setting) -> Result<Vec<Link>, String> {
    let datum_of = |crs: Option<u32>| datum_code(&CrsRow::find(crs?)?);
    let mut at = datum_of(row.source).ok_or("a source system on a geodetic datum")?;
    let mut links = Vec::new();
    for step in &row.steps {
        let step = OperationRow::find(*step).ok_or(format!("its step {step}"))?;
        if step.kind == OperationKind::Conversion {
            // Axes and heights of one datum: positions stay as they are here.
            continue;
        }
        let (source, target) = match (datum_of(step.source), datum_of(step.target)) {
            (Some(source), Some(target)) => (source, target),
            _ => {
                return Err(format!(
                    "its step {} ({}), which is not horizontal",
                    step.code, step.name
                ));
            }
        };
        let (reversed, next) = match (source == at, target == at) {
            (true, _) => (false, target),
            (false, true) => (true, source),
            _ => return Err(format!("its step {} ({}) to follow on", step.code, step.name)),
        };
        let operation = Operation::from_row(&step, reversed, setting)
            .map_err(|lacking| format!("for its step {}: {}", step.name, lacking.needs))?;
        let side = |code: u32| {
            Datum::from_epsg(code).map(|datum| datum.side()).map_err(|error| error.to_string())
        };
        let mut back = operation.clone();
        back.reversed = !reversed;
        links.push(Link { operation, back, from: side(at)?, to: side(next)? });
        at = next;
    }
    match datum_of(row.target) == Some(at) && !links.is_empty() {
        true => Ok(links),
        false => Err("steps that lead to its target".into()),
    }
}

/// Runs the steps in their order, or all of them backwards.
pub(crate) fn run(links: &[Link], state: State, reversed: bool, heights: bool) -> Option<State> {
    let forward = |state, link: &Link| link.operation.run(state, &link.from, &link.to, heights);
    let backward = |state, link: &Link| link.back.run(state, &link.to, &link.from, heights);
    match reversed {
        false => links.iter().try_fold(state, forward),
        true => links.iter().rev().try_fold(state, backward),
    }
}
