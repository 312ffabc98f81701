//! What becomes of the third coordinate between two systems.
//!
//! Heights above the ellipsoid take part in the change of datum. Heights above a vertical
//! datum keep their datum, in another unit or sense if need be, or change it by an operation
//! of the registry: a constant offset (EPSG method 9616), an offset with slopes (1046, 9657), or
//! differences at the nodes of a grid, from a file that the user has. Between an ellipsoid and a vertical datum a model of the geoid leads, from a
//! file that the user has (`height_model.rs`); without one that change is refused, not ignored.

use crate::crs::{Crs, Height, VerticalCrs, datum_code};
use crate::datum::Unavailable;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Kind, Result};
use crate::extent::{Bounds, Coverage, Extent};
use crate::grid::{Grids, ShiftGrid};
use crate::height_model::{self, HeightModel, Lacking};
use crate::position::Geographic;
use crate::projection::Parameters;
use std::sync::Arc;
use velvet_peg_epsg::{CrsRow, OperationKind, OperationRow, operations_of_datum};

const OFFSET: u32 = 9616;
const OFFSET_AND_SLOPE: u32 = 1046;
const OFFSET_AND_SLOPE_OLD: u32 = 9657;

/// EPSG methods that change heights without a file.
pub(crate) const OFFSETS: [u32; 3] = [OFFSET, OFFSET_AND_SLOPE, OFFSET_AND_SLOPE_OLD];

/// EPSG methods that change heights by differences at the nodes of a grid, which are added. The systems
/// that rows state for the interpolation are not gone into: differences change by millimetres over the
/// hundreds of metres between datums.
const GRID_OFFSETS: [u32; 7] = [1071, 1080, 1084, 1085, 1101, SUBTRACTED, 9658];

/// The one of them whose files are GeoTIFF.
const GEOTIFF_OFFSETS: u32 = 1129;

/// Whether an EPSG method changes heights by differences in files that are read.
pub(crate) fn by_files(method: u32) -> bool {
    GRID_OFFSETS.contains(&method) || (cfg!(feature = "geotiff") && method == GEOTIFF_OFFSETS)
}

/// EPSG method 1126, whose grids hold what is subtracted.
const SUBTRACTED: u32 = 1126;

/// How the third coordinate is carried.
#[derive(Clone, Debug)]
pub(crate) enum HeightPlan {
    /// As it is: one of the systems has no height of its own.
    Carry,
    /// Through the change of datum, as heights above the ellipsoid.
    Ellipsoidal(Ends),
    /// Times a factor, with an offset in target units by position.
    Gravity { factor: f64, offset: Option<Offset> },
}

/// How heights come to the ellipsoid of the source, and from that of the target.
#[derive(Clone, Debug)]
pub(crate) struct Ends {
    /// The model from the vertical datum of the source, if it has one.
    pub(crate) from: Option<HeightModel>,
    /// Metres upward of the source's unit.
    pub(crate) from_up: f64,
    /// The model to the vertical datum of the target, if it has one.
    pub(crate) to: Option<HeightModel>,
    /// Metres upward of the target's unit.
    pub(crate) to_up: f64,
}

/// A change of vertical datum, upward metres at a position.
#[derive(Clone, Debug)]
pub(crate) struct Offset {
    pub(crate) code: u32,
    pub(crate) name: &'static str,
    pub(crate) accuracy_m: Option<f64>,
    /// More accurate ones that cannot be run.
    better: Vec<Unavailable>,
    by: By,
    /// Turned where run backwards.
    sign: f64,
    /// Metres upward of one unit of the target's axis.
    target_up: f64,
}

/// Metres, upward, added to heights.
#[derive(Clone, Debug)]
enum By {
    Constant(f64),
    /// An offset at a point, with slopes.
    Slopes(f64, Slopes),
    Grid(Arc<ShiftGrid>),
    /// A grid of what is subtracted.
    GridSubtracted(Arc<ShiftGrid>),
}

/// Evaluation point, slopes (radian) and radii.
#[derive(Clone, Debug)]
struct Slopes {
    lat0: f64,
    lon0: f64,
    by_lat: f64,
    by_lon: f64,
    rho: f64,
    nu: f64,
}

impl HeightPlan {
    /// Plans between two systems over an area.
    pub(crate) fn new(
        source: &Crs,
        target: &Crs,
        area: Option<&Bounds>,
        grids: Option<&Grids>,
    ) -> Result<HeightPlan> {
        let metres = |height: &Height| match height {
            Height::Ellipsoidal(unit) => unit.metres(),
            _ => 1.0,
        };
        match (source.height(), target.height()) {
            (Height::GravityRelated(from), Height::GravityRelated(to)) => {
                let factor = from.up_m() / to.up_m();
                if from.is_same_datum(to) {
                    return Ok(HeightPlan::Gravity { factor, offset: None });
                }
                let mut needs = match Offset::between(from, to, area, grids) {
                    Ok(offset) => return Ok(HeightPlan::Gravity { factor, offset: Some(offset) }),
                    Err(needs) => needs,
                };
                // By way of the ellipsoid, where both models are there.
                let down = HeightModel::between(source, from, area, grids);
                let up = HeightModel::between(target, to, area, grids);
                match (down, up) {
                    (Ok(down), Ok(up)) => {
                        return Ok(ellipsoidal(Some(down), from.up_m(), Some(up), to.up_m()));
                    }
                    (down, up) if needs.is_empty() => needs.extend(to_complete(down, up)),
                    _ => {}
                }
                Err(match needs.is_empty() {
                    true => {
                        let models = models(from.datum_code, to.datum_code, area);
                        refused(source, target, &models)
                    }
                    false => needing(source, target, &needs),
                })
            }
            (Height::GravityRelated(from), to @ (Height::Ellipsoidal(_) | Height::Geocentric)) => {
                match HeightModel::between(source, from, area, grids) {
                    Ok(model) => Ok(ellipsoidal(Some(model), from.up_m(), None, metres(to))),
                    Err(lacking) => Err(no_model(source, target, source, &lacking)),
                }
            }
            (from @ (Height::Ellipsoidal(_) | Height::Geocentric), Height::GravityRelated(to)) => {
                match HeightModel::between(target, to, area, grids) {
                    Ok(model) => Ok(ellipsoidal(None, metres(from), Some(model), to.up_m())),
                    Err(lacking) => Err(no_model(source, target, target, &lacking)),
                }
            }
            (from @ (Height::Ellipsoidal(_) | Height::Geocentric), Height::None) => {
                // Left behind in the unit it came in.
                Ok(ellipsoidal(None, metres(from), None, metres(from)))
            }
            (Height::None, Height::Geocentric) => Ok(ellipsoidal(None, 1.0, None, 1.0)),
            (Height::None, _) | (_, Height::None) => Ok(HeightPlan::Carry),
            (from, to) => Ok(ellipsoidal(None, metres(from), None, metres(to))),
        }
    }

    /// Whether heights take part in the change of datum.
    pub(crate) fn is_ellipsoidal(&self) -> bool {
        matches!(self, HeightPlan::Ellipsoidal(_))
    }

    /// A height of the source in metres, as it goes into the change of datum: 0 where it takes no part, and
    /// where it is unknown, so that the place is carried as it lies on the ellipsoid.
    pub(crate) fn metres(&self, z: f64) -> f64 {
        match self {
            HeightPlan::Ellipsoidal(ends) if z.is_finite() => z * ends.from_up,
            _ => 0.0,
        }
    }

    /// What the model of the source adds to a known height at a place on its datum, metres; none outside
    /// the model.
    pub(crate) fn rise(&self, at: Geographic) -> Option<f64> {
        match self {
            HeightPlan::Ellipsoidal(Ends { from: Some(model), .. }) => model.at(at),
            _ => Some(0.0),
        }
    }

    /// The height in the target at a place on its datum, of one in the source (`z`) that was carried through
    /// the change of datum to `h` metres above the ellipsoid. What is unknown stays so; none outside a model
    /// or a grid.
    pub(crate) fn height(&self, at: Geographic, z: f64, h: f64) -> Option<f64> {
        Some(match self {
            _ if !z.is_finite() => z,
            HeightPlan::Carry => z,
            HeightPlan::Ellipsoidal(Ends { to: None, to_up, .. }) => h / to_up,
            HeightPlan::Ellipsoidal(Ends { to: Some(model), to_up, .. }) => {
                (h - model.at(at)?) / to_up
            }
            HeightPlan::Gravity { factor, offset: None } => z * factor,
            HeightPlan::Gravity { factor, offset: Some(offset) } => z * factor + offset.at(at)?,
        })
    }

    /// More accurate changes of heights than the one that is taken, which cannot be run.
    pub(crate) fn better(&self) -> Vec<&Unavailable> {
        match self {
            HeightPlan::Gravity { offset, .. } => {
                offset.iter().flat_map(|offset| &offset.better).collect()
            }
            HeightPlan::Ellipsoidal(ends) => {
                ends.models().flat_map(|model| &model.better).collect()
            }
            HeightPlan::Carry => Vec::new(),
        }
    }

    /// The operations of the registry that change the vertical datum, in their order: code, name and
    /// accuracy of each.
    pub(crate) fn changes(&self) -> Vec<(u32, &'static str, Option<f64>)> {
        match self {
            HeightPlan::Gravity { offset, .. } => {
                offset.iter().map(|offset| (offset.code, offset.name, offset.accuracy_m)).collect()
            }
            HeightPlan::Ellipsoidal(ends) => {
                ends.models().map(|model| (model.code, model.name, model.accuracy_m)).collect()
            }
            HeightPlan::Carry => Vec::new(),
        }
    }
}

impl Ends {
    fn models(&self) -> impl Iterator<Item = &HeightModel> {
        self.from.iter().chain(&self.to)
    }
}

/// What is to be had to change heights by way of the ellipsoid, if that makes the way whole.
fn to_complete(
    down: std::result::Result<HeightModel, Lacking>,
    up: std::result::Result<HeightModel, Lacking>,
) -> Option<String> {
    let mut needs = Vec::new();
    for lacking in [down.err(), up.err()].into_iter().flatten() {
        match lacking {
            Lacking::Needs(first) => needs.push(first.into_iter().next()?),
            Lacking::OnOther(_) => return None,
        }
    }
    Some(needs.join(", and "))
}

fn ellipsoidal(
    from: Option<HeightModel>,
    from_up: f64,
    to: Option<HeightModel>,
    to_up: f64,
) -> HeightPlan {
    HeightPlan::Ellipsoidal(Ends { from, from_up, to, to_up })
}

impl Offset {
    /// The most accurate one that can be run; if none can, what those that would serve need.
    fn between(
        from: &VerticalCrs,
        to: &VerticalCrs,
        area: Option<&Bounds>,
        grids: Option<&Grids>,
    ) -> std::result::Result<Offset, Vec<String>> {
        let (Some(from_code), Some(to_code)) = (from.datum_code, to.datum_code) else {
            return Err(Vec::new());
        };
        let mut rows: Vec<(OperationRow, f64)> = operations_of_datum(from_code)
            .into_iter()
            .filter_map(OperationRow::find)
            .filter(|row| !row.deprecated && row.kind == OperationKind::Transformation)
            .filter(|row| {
                area.is_none_or(|area| {
                    Extent::of_codes(&row.extents).coverage(area) != Coverage::None
                })
            })
            .filter_map(|row| {
                let ends = (ends_at(row.source)?, ends_at(row.target)?);
                match ends {
                    ends if ends == (from_code, to_code) => Some((row, 1.0)),
                    ends if ends == (to_code, from_code) => Some((row, -1.0)),
                    _ => None,
                }
            })
            .collect();
        let metres =
            |row: &OperationRow| row.accuracy_m.map_or(1000.0, |accuracy| accuracy.to_f64());
        rows.sort_by(|(a, _), (b, _)| metres(a).total_cmp(&metres(b)).then(a.code.cmp(&b.code)));
        let mut lacking = Vec::new();
        for (row, sign) in rows {
            match Offset::read(&row, sign, to.up_m(), grids) {
                Ok(offset) => {
                    let better = height_model::better(lacking, offset.accuracy_m);
                    return Ok(Offset { better, ..offset });
                }
                Err(Some(needs)) => lacking.push(height_model::unavailable(&row, needs)),
                Err(None) => {}
            }
        }
        Err(height_model::in_words(lacking))
    }

    /// The offset of a row; if it cannot be run, what it needs, and none if it is no offset.
    fn read(
        row: &OperationRow,
        sign: f64,
        target_up: f64,
        grids: Option<&Grids>,
    ) -> std::result::Result<Offset, Option<String>> {
        let words = |error: Error| Some(error.to_string());
        let parameters = Parameters::from_registry(&row.parameters).map_err(words)?;
        // An offset is the value of the source's origin in the target, in the sense of its axis: of a
        // depth it goes down.
        let target = row.target.and_then(|code| Crs::from_epsg(code).ok());
        let down = target.is_some_and(
            |crs| matches!(crs.height(), Height::GravityRelated(vertical) if vertical.down),
        );
        let up = || {
            let offset = parameters.metres(8603).map_err(words)?;
            Ok::<f64, Option<String>>(if down { -offset } else { offset })
        };
        let by = match row.method {
            Some(OFFSET) => By::Constant(up()?),
            Some(OFFSET_AND_SLOPE | OFFSET_AND_SLOPE_OLD) => {
                By::Slopes(up()?, Slopes::read(&parameters).map_err(words)?)
            }
            Some(method) if by_files(method) => {
                let file = parameters.file().ok_or(None)?;
                let missing = || Some(format!("the file {file} in a folder of grid files"));
                let grid = grids.ok_or_else(missing)?.get(row, &[file]).map_err(Some)?;
                // What is subtracted goes as what is added along an axis that points down.
                match (method == SUBTRACTED) != down {
                    true => By::GridSubtracted(grid),
                    false => By::Grid(grid),
                }
            }
            _ => return Err(None),
        };
        Ok(Offset {
            code: row.code,
            name: row.name,
            accuracy_m: row.accuracy_m.map(|accuracy| accuracy.to_f64()),
            better: Vec::new(),
            by,
            sign,
            target_up,
        })
    }

    /// What is added in units of the target's axis; none where its grid has no value.
    pub(crate) fn at(&self, at: Geographic) -> Option<f64> {
        let up = match &self.by {
            By::Constant(up) => *up,
            By::Slopes(up, slopes) => up + slopes.at(at),
            By::Grid(grid) => grid.height(at)?,
            By::GridSubtracted(grid) => -grid.height(at)?,
        };
        Some(self.sign * up / self.target_up)
    }
}

impl Slopes {
    fn read(parameters: &Parameters) -> Result<Slopes> {
        let lat0 = parameters.degrees(8617)?;
        // The ellipsoid hardly matters to slopes of seconds: GRS 1980 where none is said.
        let horizontal = parameters.ratio(1037).unwrap_or(4258.0) as u32;
        let ellipsoid = Crs::from_epsg(horizontal)
            .ok()
            .and_then(|crs| crs.ellipsoid().copied())
            .map_or_else(|| Ellipsoid::from_epsg(7019), Ok)?;
        Ok(Slopes {
            lat0,
            lon0: parameters.degrees(8618)?,
            by_lat: parameters.degrees(8730)?.to_radians(),
            by_lon: parameters.degrees(8731)?.to_radians(),
            rho: ellipsoid.meridian_radius_m(lat0),
            nu: ellipsoid.prime_vertical_radius_m(lat0),
        })
    }

    /// Metres above the offset at the evaluation point.
    fn at(&self, Geographic { lon, lat }: Geographic) -> f64 {
        self.by_lat * self.rho * (lat - self.lat0).to_radians()
            + self.by_lon * self.nu * (lon - self.lon0).to_radians() * lat.to_radians().cos()
    }
}

fn ends_at(crs: Option<u32>) -> Option<u32> {
    datum_code(&CrsRow::find(crs?)?)
}

/// Models of the registry that touch a vertical datum and serve in the area, in words.
fn models(from: Option<u32>, to: Option<u32>, area: Option<&Bounds>) -> Vec<String> {
    let rows = from.map(operations_of_datum).unwrap_or_default();
    let other = to.map(operations_of_datum);
    rows.into_iter()
        .filter(|code| other.as_ref().is_none_or(|other| other.contains(code)))
        .filter_map(OperationRow::find)
        .filter(|row| !row.deprecated)
        .filter(|row| {
            area.is_none_or(|area| Extent::of_codes(&row.extents).coverage(area) != Coverage::None)
        })
        .map(|row| format!("{} [EPSG:{}]", row.name, row.code))
        .take(4)
        .collect()
}

/// Refuses a change between the ellipsoid and a vertical datum, of which there is no model on the datum
/// of `on`.
fn no_model(source: &Crs, target: &Crs, on: &Crs, lacking: &Lacking) -> Error {
    let models: Vec<String> = match lacking {
        Lacking::Needs(needs) => needs.iter().take(4).cloned().collect(),
        Lacking::OnOther(others) => {
            let datum = on.datum().map_or("", |datum| datum.name());
            return Error::new(
                Kind::NoRoute,
                format!(
                    "heights change from {} to {}, which takes a model: those that can be read are for \
                     {}, and the positions are on {datum}: convert them to one of these first",
                    surface(source),
                    surface(target),
                    others.join(", ")
                ),
            );
        }
    };
    if models.is_empty() {
        let vertical = [source, target].into_iter().find_map(|crs| match crs.height() {
            Height::GravityRelated(vertical) => vertical.datum_code,
            _ => None,
        });
        return refused(source, target, &self::models(vertical, None, None));
    }
    needing(source, target, &models)
}

/// Refuses a change of heights for which there are operations that need something.
fn needing(source: &Crs, target: &Crs, needs: &[String]) -> Error {
    let needs: Vec<&str> = needs.iter().take(4).map(String::as_str).collect();
    Error::new(
        Kind::NoRoute,
        format!(
            "heights change from {} to {}, which takes a model: {}. Or convert the horizontal part alone \
             (name the systems without their heights)",
            surface(source),
            surface(target),
            needs.join("; ")
        ),
    )
}

fn surface(crs: &Crs) -> String {
    match crs.height() {
        Height::GravityRelated(vertical) => vertical.datum_name.to_string(),
        _ => "the ellipsoid".to_string(),
    }
}

fn refused(source: &Crs, target: &Crs, models: &[String]) -> Error {
    let known = match models.is_empty() {
        true => "the registry knows no model between them here".to_string(),
        false => format!(
            "the registry names models for it ({}), whose grids are not part of this library",
            models.join("; ")
        ),
    };
    Error::new(
        Kind::NoRoute,
        format!(
            "heights change from {} to {}, which takes a model: {known}. Convert the horizontal \
             part alone (name the systems without their heights), or keep the vertical datum",
            surface(source),
            surface(target)
        ),
    )
}
