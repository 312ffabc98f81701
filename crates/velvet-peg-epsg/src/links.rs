//! What joins datums: decoded without the words of the rows, and kept for the process.

use crate::data;
use crate::rows::BoundingBox;
use crate::table::{Reader, Table};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// An operation of the registry between the systems of a datum and of another one.
#[derive(Clone, Debug, PartialEq)]
pub struct DatumLink {
    /// EPSG code of the operation.
    pub operation: u32,
    /// EPSG code of the other datum.
    pub other: u32,
    /// True if the operation leads from the other datum.
    pub reversed: bool,
    /// Boxes of the areas that it is meant for; none if the registry states none.
    pub boxes: Vec<BoundingBox>,
}

/// The operations that lead from a datum to another one or back, by their codes, without deprecated ones.
///
/// ```
/// use velvet_peg_epsg::links_of_datum;
/// let nad27 = links_of_datum(6267);
/// let link = nad27.iter().find(|link| link.operation == 1241).unwrap(); // NAD27 to NAD83 (1)
/// assert_eq!((link.other, link.reversed), (6269, false));
/// ```
pub fn links_of_datum(datum: u32) -> Arc<[DatumLink]> {
    static KNOWN: OnceLock<Mutex<HashMap<u32, Arc<[DatumLink]>>>> = OnceLock::new();
    let known = KNOWN.get_or_init(Mutex::default);
    // What was put in is whole, whatever became of a thread since.
    let read = || known.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(links) = read().get(&datum) {
        return links.clone();
    }
    let links: Arc<[DatumLink]> = crate::operations_of_datum(datum)
        .into_iter()
        .filter_map(|operation| link(datum, operation))
        .collect();
    read().insert(datum, links.clone());
    links
}

fn link(datum: u32, operation: u32) -> Option<DatumLink> {
    let mut row = Table::new(data::OPERATIONS).find(operation)?;
    let is_deprecated = row.byte() & 1 == 1;
    row.skip_text();
    let (_method, source, target) = (row.code(), row.code(), row.code());
    if is_deprecated {
        return None;
    }
    let (source, target) = (datum_of_system(source)?, datum_of_system(target)?);
    if source == target {
        return None;
    }
    let (_accuracy, _variant) = (row.optional_decimal(), row.code());
    let boxes = row.codes().into_iter().filter_map(box_of_extent).collect();
    let reversed = source != datum;
    Some(DatumLink { operation, other: if reversed { source } else { target }, reversed, boxes })
}

/// The datum that a system stands on, through its base systems; of a compound one that of its horizontal
/// part.
fn datum_of_system(system: u32) -> Option<u32> {
    let mut at = system;
    loop {
        let mut row = Table::new(data::CRS).find(at)?;
        row.byte();
        row.skip_text();
        let (_axes, datum, base) = (row.code(), row.code(), row.code());
        if datum != 0 {
            return Some(datum);
        }
        let (_conversion, horizontal) = (row.code(), row.code());
        at = if base == 0 && at == system { horizontal } else { base };
    }
}

fn box_of_extent(extent: u32) -> Option<BoundingBox> {
    let mut row = Table::new(data::EXTENTS).find(extent)?;
    row.skip_text();
    row.skip_text();
    row.bounds()
}

/// A datum ensemble with its members, by their EPSG codes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ensemble {
    /// EPSG code of the ensemble.
    pub code: u32,
    /// EPSG codes of its members.
    pub members: Vec<u32>,
}

/// The datum ensembles of the registry.
///
/// ```
/// use velvet_peg_epsg::ensembles;
/// let wgs84 = ensembles().iter().find(|ensemble| ensemble.code == 6326).unwrap();
/// assert!(wgs84.members.contains(&1309)); // WGS 84 (G2296)
/// ```
pub fn ensembles() -> &'static [Ensemble] {
    static ALL: OnceLock<Vec<Ensemble>> = OnceLock::new();
    ALL.get_or_init(|| {
        let table = Table::new(data::DATUMS);
        let all = (0..table.len())
            .map(|at| Ensemble { code: table.code_at(at), members: members(table.row_at(at)) });
        all.filter(|ensemble| !ensemble.members.is_empty()).collect()
    })
}

fn members(mut row: Reader) -> Vec<u32> {
    row.byte();
    row.skip_text();
    let (_ellipsoid, _meridian) = (row.code(), row.code());
    let (_epoch, _accuracy) = (row.optional_decimal(), row.optional_decimal());
    row.codes()
}
