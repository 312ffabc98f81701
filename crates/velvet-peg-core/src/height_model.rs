//! Geoid and height correction models: what lies between the ellipsoid and a vertical datum, from a
//! grid file that the user has.

use crate::crs::{Crs, VerticalCrs, datum_code};
use crate::datum::Unavailable;
use crate::extent::{Bounds, Coverage, Extent};
use crate::grid::{Grids, ShiftGrid};
use crate::position::Geographic;
use crate::projection::Parameters;
use std::collections::BTreeSet;
use std::sync::Arc;
use velvet_peg_epsg::{CrsRow, OperationRow, operations_of_datum};

/// EPSG methods whose files are read, to a vertical system (or one of depths) or to a compound one that
/// has it: NGS `.bin`, `.gtx`, `.byn`, AUSGeoid, Gravsoft and the Earth gravity models, ISG, IGN, lists
/// of nodes.
const METHODS: [u32; 37] = [
    1134, 1135, 9665, 1088, 1121, 1122, 1060, 1090, 1048, 1083, 9662, 1047, 1072, 1093, 1096, 1109,
    1110, 9661, 1103, 1117, 1118, 1025, 1092, 1073, 1094, 1095, 9664, 1030, 1059, 1081, 1082, 1089,
    1098, 1099, 1100, 1115, 1116,
];

/// Those whose files are GeoTIFF.
const GEOTIFF: [u32; 4] = [1123, 1124, 1127, 1128];

/// Whether the files of an EPSG method are models that are read.
pub(crate) fn by_files(method: u32) -> bool {
    METHODS.contains(&method) || (cfg!(feature = "geotiff") && GEOTIFF.contains(&method))
}

/// EPSG methods by one height of the geoid that their row states.
pub(crate) const CONSTANT: [u32; 2] = [1131, 1136];

/// A model that is there.
#[derive(Clone, Debug)]
pub(crate) struct HeightModel {
    pub(crate) code: u32,
    pub(crate) name: &'static str,
    pub(crate) accuracy_m: Option<f64>,
    /// More accurate ones that cannot be used.
    pub(crate) better: Vec<Unavailable>,
    surface: Surface,
}

/// The height of a vertical datum above the ellipsoid.
#[derive(Clone, Debug)]
enum Surface {
    Grid(Arc<ShiftGrid>),
    /// The same everywhere, metres.
    Constant(f64),
}

/// Why there is no model.
pub(crate) enum Lacking {
    /// Models of the registry that would serve, each with what it needs.
    Needs(Vec<String>),
    /// Models that are on other datums than the positions: the names of these.
    OnOther(Vec<String>),
}

impl HeightModel {
    /// The best model between the ellipsoid of a system's datum and a vertical datum over an area:
    /// the most accurate, of equals the newest.
    pub(crate) fn between(
        horizontal: &Crs,
        vertical: &VerticalCrs,
        area: Option<&Bounds>,
        grids: Option<&Grids>,
    ) -> Result<HeightModel, Lacking> {
        let own = horizontal.datum().and_then(|datum| datum.code());
        let (mut lacking, mut others) = (Vec::new(), Vec::new());
        for row in rows(own, vertical, area) {
            let Some(datum) = datum_of(row.source) else { continue };
            if Some(datum) != own {
                let name = row.source.and_then(CrsRow::find).map(|row| row.name.to_string());
                others.extend(name.filter(|name| !others.contains(name)));
                continue;
            }
            match read(&row, grids) {
                Ok(surface) => {
                    let accuracy_m = row.accuracy_m.map(|accuracy| accuracy.to_f64());
                    let better = better(lacking, accuracy_m);
                    return Ok(HeightModel {
                        code: row.code,
                        name: row.name,
                        accuracy_m,
                        better,
                        surface,
                    });
                }
                Err(needs) => lacking.push(unavailable(&row, needs)),
            }
        }
        match lacking.is_empty() && !others.is_empty() {
            true => Err(Lacking::OnOther(others)),
            false => Err(Lacking::Needs(in_words(lacking))),
        }
    }

    /// Metres from the ellipsoid up to the vertical datum; none outside the model.
    pub(crate) fn at(&self, at: Geographic) -> Option<f64> {
        match &self.surface {
            Surface::Constant(height) => Some(*height),
            Surface::Grid(grid) => grid.height(at),
        }
    }
}

/// An operation of heights that lacks something.
pub(crate) fn unavailable(row: &OperationRow, needs: String) -> Unavailable {
    let accuracy_m = row.accuracy_m.map(|accuracy| accuracy.to_f64());
    Unavailable { code: row.code, name: row.name, accuracy_m, needs, needs_epoch: false }
}

/// What operations of heights lack, in words; of those that lack the same file one.
pub(crate) fn in_words(lacking: Vec<Unavailable>) -> Vec<String> {
    let lacking = without_repeats(lacking).into_iter();
    lacking.map(|one| format!("{} [EPSG:{}] needs {}", one.name, one.code, one.needs)).collect()
}

/// Those of some that are known to be more accurate than the one that is taken; of those that lack the
/// same file one.
pub(crate) fn better(mut lacking: Vec<Unavailable>, taken_m: Option<f64>) -> Vec<Unavailable> {
    let taken_m = taken_m.unwrap_or(f64::INFINITY);
    lacking.retain(|one| one.accuracy_m.is_some_and(|metres| metres < taken_m));
    without_repeats(lacking)
}

fn without_repeats(lacking: Vec<Unavailable>) -> Vec<Unavailable> {
    let mut kept: Vec<Unavailable> = Vec::new();
    for one in lacking {
        if !kept.iter().any(|other| other.needs == one.needs) {
            kept.push(one);
        }
    }
    kept
}

fn datum_of(crs: Option<u32>) -> Option<u32> {
    datum_code(&CrsRow::find(crs?)?)
}

/// The datum of the vertical system that a row leads to, on its own or in a compound one.
fn vertical_datum_of(crs: Option<u32>) -> Option<u32> {
    let row = CrsRow::find(crs?)?;
    match row.vertical {
        Some(vertical) => CrsRow::find(vertical)?.datum,
        None => row.datum,
    }
}

/// Models of the registry that lead to a vertical datum: those that are filed under it, and under the
/// datum of the positions.
fn rows(own: Option<u32>, vertical: &VerticalCrs, area: Option<&Bounds>) -> Vec<OperationRow> {
    let filed = |datum: Option<u32>| datum.map(operations_of_datum).unwrap_or_default();
    let codes: BTreeSet<u32> = filed(vertical.datum_code).into_iter().chain(filed(own)).collect();
    let mut rows: Vec<OperationRow> = codes
        .into_iter()
        .filter_map(OperationRow::find)
        .filter(|row| {
            let is_model = |code| by_files(code) || CONSTANT.contains(&code);
            !row.deprecated && row.method.is_some_and(is_model)
        })
        .filter(|row| vertical_datum_of(row.target) == vertical.datum_code)
        .filter(|row| {
            area.is_none_or(|area| {
                let extent = Extent::of_codes(&row.extents);
                extent.coverage(area) != Coverage::None && !extent.excludes(area)
            })
        })
        .collect();
    // The most accurate first; of equals those to the vertical system itself (one file has a row for
    // each), then the newest.
    let known = |row: &OperationRow| row.accuracy_m.map_or(1000.0, |accuracy| accuracy.to_f64());
    let compound = |row: &OperationRow| {
        row.target.and_then(CrsRow::find).is_some_and(|target| target.vertical.is_some())
    };
    rows.sort_by(|a, b| {
        let plain = compound(a).cmp(&compound(b));
        known(a).total_cmp(&known(b)).then(plain).then(b.code.cmp(&a.code))
    });
    rows
}

fn read(row: &OperationRow, grids: Option<&Grids>) -> Result<Surface, String> {
    let parameters = Parameters::from_registry(&row.parameters).map_err(|e| e.to_string())?;
    if row.method.is_some_and(|code| CONSTANT.contains(&code)) {
        return parameters.metres(8604).map(Surface::Constant).map_err(|e| e.to_string());
    }
    let file = parameters.file().ok_or_else(|| "a file that is not named".to_string())?;
    match grids {
        Some(grids) => grids.get(row, &[file]).map(Surface::Grid),
        None => Err(format!("the file {file} in a folder of grid files")),
    }
}
