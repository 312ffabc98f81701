//! Ways that somebody named by the codes of their operations.

use super::known_rows::ends_of;
use super::{Chain, reach, tied};
use crate::datum::{Operation, Setting};
use crate::error::{Error, Kind, Result};
use crate::extent::{Bounds, Coverage, Regions};
use velvet_peg_epsg::{DatumRow, OperationRow};

/// The operations and the datums that they lead over, the first and the last included.
struct Way {
    operations: Vec<Operation>,
    datums: Vec<u32>,
}

impl Way {
    fn at(&self) -> u32 {
        self.datums[self.datums.len() - 1]
    }

    fn step(&mut self, operation: Operation, to: u32) {
        self.operations.push(operation);
        self.datums.push(to);
    }

    /// From an ensemble to one of its members, or back.
    fn tie(&mut self, to: u32) -> bool {
        let tie = tied(self.at()).iter().find(|(datum, _)| *datum == to).cloned();
        let found = tie.is_some();
        tie.into_iter().for_each(|(datum, operation)| self.step(operation, datum));
        found
    }
}

/// The chain of these operations, in this order, each forward or backward as it leads on. Between an
/// ensemble and its members nothing need be named.
pub(super) fn named(
    from: u32,
    to: u32,
    codes: &[u32],
    area: Option<&Bounds>,
    setting: &Setting,
) -> Result<Chain> {
    let mut way = Way { operations: Vec::new(), datums: vec![from] };
    for code in codes {
        let row = OperationRow::find(*code)
            .ok_or_else(|| Error::unknown(format!("the registry has no operation EPSG:{code}")))?;
        let (source, target) = ends_of(&row).ok_or_else(|| {
            no_route(format!("{} [EPSG:{code}] does not join two geodetic datums", row.name))
        })?;
        let here = way.at();
        // Forward where both directions would do.
        let leads = |begin: u32| match begin {
            begin if begin == source => Some((false, target)),
            begin if begin == target => Some((true, source)),
            _ => None,
        };
        let found = leads(here).or_else(|| {
            let near = tied(here).iter().find_map(|(datum, _)| Some((*datum, leads(*datum)?)));
            let (datum, found) = near?;
            way.tie(datum).then_some(found)
        });
        let Some((reversed, end)) = found else {
            return Err(no_route(format!(
                "{} [EPSG:{code}] leads from {} to {}, and does not go on from {}",
                row.name,
                name_of(source),
                name_of(target),
                name_of(here)
            )));
        };
        let operation = Operation::from_row(&row, reversed, setting).map_err(|lacking| {
            no_route(format!("{} [EPSG:{code}] needs {}", lacking.name, lacking.needs))
        })?;
        way.step(operation, end);
    }
    if way.at() != to && !way.tie(to) {
        return Err(no_route(format!(
            "the operations that are named lead from {} to {}, not to {}",
            name_of(from),
            name_of(way.at()),
            name_of(to)
        )));
    }
    let Way { operations, datums } = way;
    let reach = |operation: &Operation| {
        area.map_or((Coverage::Whole, 1.0), |area| reach(operation, area, &Regions::of(area)))
    };
    let reaches: Vec<(Coverage, f64)> = operations.iter().map(reach).collect();
    Ok(Chain {
        cover: reaches.iter().map(|(cover, _)| *cover).max().unwrap_or(Coverage::Whole),
        share: reaches.iter().map(|(_, share)| *share).fold(1.0, f64::min),
        hubs: datums[1..datums.len() - 1].to_vec(),
        operations,
        contradictory: false,
    })
}

fn no_route(message: String) -> Error {
    Error::new(Kind::NoRoute, message)
}

fn name_of(datum: u32) -> String {
    let row = DatumRow::find(datum);
    row.map_or(format!("datum EPSG:{datum}"), |row| row.name.to_string())
}
