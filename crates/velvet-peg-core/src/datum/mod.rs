//! Datum operations: what carries a position from one datum to another.
//!
//! An [`Operation`] is a registry row made executable. Heights: methods defined for
//! geographic 2D systems take the ellipsoidal height as 0 and drop the height that results;
//! the others carry it.

mod block;
mod chain;
mod coordinates;
mod setting;
mod similarity;
mod translations;

pub(crate) use setting::Setting;

use crate::crs::{Crs, Datum, Side};
use crate::error::{Error, Kind, Result};
use crate::extent::Extent;
use crate::geocentric;
use crate::grid::{self, ShiftGrid};
use crate::position::Geographic;
use crate::projection::Parameters;
use chain::Link;
use coordinates::CoordinateChange;
use similarity::{Domain, Similarity, Timing, timing};
use std::sync::Arc;
use velvet_peg_epsg::{OperationKind, OperationRow, method_name};

/// A position between steps: longitude and latitude in degrees relative to the prime
/// meridian of the datum in hand, ellipsoidal height in metres.
#[derive(Clone, Copy, Debug)]
pub(crate) struct State {
    pub(crate) lon: f64,
    pub(crate) lat: f64,
    pub(crate) h: f64,
}

impl State {
    pub(crate) fn new(at: Geographic, h: f64) -> State {
        State { lon: at.lon, lat: at.lat, h }
    }

    pub(crate) fn position(self) -> Geographic {
        Geographic { lat: self.lat, lon: self.lon }
    }
}

/// No two datums put a place farther apart: what a formula moves by more has other parameters than it
/// takes.
const FARTHEST_M: f64 = 5_000.0;

const NEEDS_EPOCH: &str = "the epoch of the coordinates, in decimal years";

/// EPSG methods by grids of shifts, whose files are read.
pub(crate) const GRID_METHODS: [u32; 5] = [9613, 9615, 1074, 1075, TRANSLATIONS];

/// EPSG method 1087: geocentric translations at the nodes of a grid.
const TRANSLATIONS: u32 = 1087;

#[derive(Clone, Debug)]
enum Method {
    Similarity(Similarity),
    /// EPSG method 9601.
    LongitudeRotation(f64),
    /// EPSG methods 9619, 9618 and 9660: degrees of latitude and longitude, metres of
    /// ellipsoidal height.
    Offsets(f64, f64, f64),
    /// EPSG methods 9613, 9615, 1074 and 1075.
    Grid(Arc<ShiftGrid>),
    /// EPSG method 1087.
    Translations(Arc<ShiftGrid>),
    /// A formula between the coordinates of two systems.
    Coordinates(Arc<CoordinateChange>),
    /// A concatenated operation.
    Chain(Vec<Link>),
    /// The two sides are one ensemble and its member: nothing is known but its accuracy.
    SameEnsemble,
}

/// A datum operation of the registry, ready to run in the direction it is used.
#[derive(Clone, Debug)]
pub struct Operation {
    row: Arc<Prepared>,
    reversed: bool,
    /// A newer row that can be run supersedes it.
    pub(crate) superseded: bool,
}

/// What is the same of an operation in both directions.
#[derive(Debug)]
struct Prepared {
    code: Option<u32>,
    name: String,
    method_code: Option<u32>,
    accuracy_m: Option<f64>,
    extent: Extent,
    method: Method,
}

/// Why a registry row cannot be run here.
#[derive(Clone, Debug)]
pub struct Unavailable {
    /// EPSG code of the operation.
    pub code: u32,
    /// Its name.
    pub name: &'static str,
    /// Stated accuracy, metres.
    pub accuracy_m: Option<f64>,
    /// What it would need, in words.
    pub needs: String,
    /// True if the epoch of the coordinates is all that it needs.
    pub needs_epoch: bool,
}

impl Operation {
    /// Makes a registry row executable, or says what it lacks.
    pub(crate) fn from_row(
        row: &OperationRow,
        reversed: bool,
        setting: &Setting,
    ) -> std::result::Result<Operation, Unavailable> {
        let lacking = |needs: String| Unavailable {
            code: row.code,
            name: row.name,
            accuracy_m: row.accuracy_m.map(|accuracy| accuracy.to_f64()),
            needs_epoch: needs == NEEDS_EPOCH,
            needs,
        };
        let method = match (row.kind, row.method) {
            (OperationKind::Transformation, Some(code)) => Method::new(code, row, setting),
            (OperationKind::Concatenated, _) => chain::links(row, setting).map(Method::Chain),
            _ => Err("a model of motion, which is not computed".into()),
        }
        .map_err(lacking)?;
        let extent = Extent::of_codes(&row.extents);
        if let Method::Coordinates(change) = &method
            && let Some(metres) = change.moves_m(&extent).filter(|metres| *metres > FARTHEST_M)
        {
            return Err(lacking(format!(
                "parameters that fit its formula: by these the middle of its area would move by {:.0} \
                 km",
                metres / 1000.0
            )));
        }
        let method_code = row.method;
        let prepared = Prepared {
            code: Some(row.code),
            name: row.name.to_string(),
            method_code,
            accuracy_m: row.accuracy_m.map(|accuracy| accuracy.to_f64()),
            extent,
            method,
        };
        Ok(Operation::of(prepared, reversed))
    }

    fn of(row: Prepared, reversed: bool) -> Operation {
        Operation { row: Arc::new(row), reversed, superseded: false }
    }

    /// The operation in this direction of the registry's.
    pub(crate) fn directed(&self, reversed: bool) -> Operation {
        Operation { reversed, ..self.clone() }
    }

    /// The tie between a datum ensemble and one of its members.
    pub(crate) fn within_ensemble(name: &str, accuracy_m: Option<f64>) -> Operation {
        let prepared = Prepared {
            code: None,
            name: format!("{name}: ensemble and member taken as one"),
            method_code: None,
            accuracy_m,
            extent: Extent::world(),
            method: Method::SameEnsemble,
        };
        Operation::of(prepared, false)
    }

    /// The shift to WGS 84 that the definition of a datum states; none if it states none.
    ///
    /// # Errors
    /// If it is none between two datums.
    pub(crate) fn of_definition(datum: &Datum, reversed: bool) -> Result<Option<Operation>> {
        const POSITION_VECTOR: u32 = 9606;
        let Some([x, y, z, rx, ry, rz, scale]) = datum.shift_to_wgs84() else { return Ok(None) };
        let seconds = |value: f64| value / 3600.0;
        let parameters = Parameters::new()
            .length(8605, x)
            .length(8606, y)
            .length(8607, z)
            .angle(8608, seconds(rx))
            .angle(8609, seconds(ry))
            .angle(8610, seconds(rz))
            .scale(8611, scale * 1e-6);
        let similarity = Similarity::new(POSITION_VECTOR, &parameters, None).transpose()?;
        Ok(similarity.map(|similarity| {
            let prepared = Prepared {
                code: None,
                name: format!("{} to WGS 84 as its definition says", datum.name()),
                method_code: Some(POSITION_VECTOR),
                accuracy_m: None,
                extent: Extent::world(),
                method: Method::Similarity(similarity),
            };
            Operation::of(prepared, reversed)
        }))
    }

    /// Looks an operation up by its EPSG code.
    ///
    /// ```
    /// use velvet_peg_core::{Crs, Geographic, Operation};
    /// let shift = Operation::from_epsg(1314)?; // OSGB36 to WGS 84 (6)
    /// assert_eq!(shift.accuracy_m(), Some(2.0));
    /// let (source, target) = (Crs::from_epsg(4277)?, Crs::from_epsg(4326)?);
    /// let (at, _) = shift.apply(Geographic { lat: 52.0, lon: -1.0 }, 0.0, &source, &target)?;
    /// assert!((at.lat - 52.000_4).abs() < 1e-4);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is no such row, or it cannot be run here; the message says what it needs.
    pub fn from_epsg(code: u32) -> Result<Operation> {
        Operation::at_epoch(code, None)
    }

    /// Looks an operation up for coordinates of an epoch, in decimal years, which time-dependent
    /// methods need.
    ///
    /// # Errors
    /// As [`Operation::from_epsg`].
    pub fn at_epoch(code: u32, epoch: Option<f64>) -> Result<Operation> {
        let row = OperationRow::find(code).ok_or_else(|| {
            Error::new(Kind::Unknown, format!("the registry has no operation {code}"))
        })?;
        let setting = Setting { epoch, ..Setting::default() };
        Operation::from_row(&row, false, &setting).map_err(|lacking| {
            Error::unsupported(format!(
                "operation {code} ({}) needs {}",
                lacking.name, lacking.needs
            ))
        })
    }

    /// The same operation the other way.
    pub fn reversed(&self) -> Operation {
        Operation { reversed: !self.reversed, ..self.clone() }
    }

    /// Carries one position and ellipsoidal height (metres) through the operation, in its
    /// direction: from the datum of `source` to that of `target`, longitudes relative to each
    /// datum's prime meridian. Of a reversed operation `source` is what the registry calls target.
    ///
    /// # Errors
    /// If one of the systems has no geodetic datum.
    pub fn apply(
        &self,
        at: Geographic,
        h_m: f64,
        source: &Crs,
        target: &Crs,
    ) -> Result<(Geographic, f64)> {
        let side = |crs: &Crs| {
            crs.datum().map(Datum::side).ok_or_else(|| {
                Error::unsupported(format!("{} stands on no geodetic datum", crs.label()))
            })
        };
        let state = State { lon: at.lon, lat: at.lat, h: h_m };
        let to = self.run(state, &side(source)?, &side(target)?, false).ok_or_else(|| {
            Error::out_of_domain(format!(
                "latitude {}°, longitude {}° is outside the grid of {}",
                at.lat, at.lon, self.row.name
            ))
        })?;
        Ok((Geographic { lat: to.lat, lon: to.lon }, to.h))
    }

    /// EPSG code; none for the tie within an ensemble.
    pub fn code(&self) -> Option<u32> {
        self.row.code
    }

    /// Name in the registry.
    pub fn name(&self) -> &str {
        &self.row.name
    }

    /// EPSG code of the method; none for chains and for the tie within an ensemble.
    pub fn method_code(&self) -> Option<u32> {
        self.row.method_code
    }

    /// Name of the method.
    pub fn method_name(&self) -> &'static str {
        self.row.method_code.and_then(method_name).unwrap_or("no change")
    }

    /// Stated accuracy in metres, if the registry states one.
    pub fn accuracy_m(&self) -> Option<f64> {
        self.row.accuracy_m
    }

    /// Area that the operation is meant for.
    pub fn extent(&self) -> &Extent {
        &self.row.extent
    }

    /// True if the route runs it from its target to its source.
    pub fn is_reversed(&self) -> bool {
        self.reversed
    }

    /// True if it changes no number: the two systems differ by an amount known no better
    /// than its accuracy.
    pub fn is_null(&self) -> bool {
        match &self.row.method {
            Method::Similarity(similarity) => similarity.is_null(),
            Method::SameEnsemble => true,
            Method::Coordinates(change) => change.is_null(),
            Method::Chain(links) => links.iter().all(|link| link.operation.is_null()),
            Method::LongitudeRotation(_)
            | Method::Offsets(..)
            | Method::Grid(_)
            | Method::Translations(_) => false,
        }
    }

    /// True for a zero shift of the registry that is only known to half a metre or worse: it stands
    /// where nobody knew better, not where two frames are one.
    pub(crate) fn is_stopgap(&self) -> bool {
        let known = self.row.accuracy_m.is_some_and(|metres| metres < 0.5);
        self.is_null() && !matches!(self.row.method, Method::SameEnsemble) && !known
    }

    /// How far the operation moves a place on the ground, metres; none where it cannot be run.
    pub(crate) fn displacement_m(&self, at: Geographic, from: &Side, to: &Side) -> Option<f64> {
        let moved = self.run(State::new(at, 0.0), from, to, false)?;
        let east = (moved.lon - at.lon) * at.lat.to_radians().cos();
        Some((moved.lat - at.lat).hypot(east).to_radians() * from.ellipsoid.semi_major_m())
    }

    /// Runs the operation in its direction, from the system on `from` to that on `to`. Where
    /// positions have true ellipsoidal heights, a method defined for positions without a
    /// height runs on all three coordinates: its parameters are geocentric all the same.
    /// None outside the grid of an operation that has one.
    pub(crate) fn run(&self, state: State, from: &Side, to: &Side, heights: bool) -> Option<State> {
        Some(match &self.row.method {
            Method::SameEnsemble => state,
            Method::LongitudeRotation(rotation) => {
                let rotation = if self.reversed { -rotation } else { *rotation };
                State { lon: crate::math::degrees::wrap(state.lon + rotation), ..state }
            }
            Method::Offsets(lat, lon, h) => {
                let sign = if self.reversed { -1.0 } else { 1.0 };
                State {
                    lat: state.lat + sign * lat,
                    lon: crate::math::degrees::wrap(state.lon + sign * lon),
                    h: state.h + sign * h,
                }
            }
            Method::Grid(grid) => return self.shift_by_grid(grid, state),
            Method::Translations(grid) => {
                return translations::run(grid, self.reversed, state, (from, to), heights);
            }
            Method::Coordinates(change) => return change.run(state, self.reversed),
            Method::Chain(links) => return chain::run(links, state, self.reversed, heights),
            Method::Similarity(similarity) => {
                if similarity.is_null() && from.ellipsoid == to.ellipsoid {
                    return Some(state);
                }
                let domain = if heights { Domain::Spatial } else { similarity.domain };
                match (domain, self.reversed) {
                    (Domain::Spatial, _) => self.shift(similarity, state, from, to),
                    (Domain::Geographic2D, false) => {
                        let flat = State { h: 0.0, ..state };
                        State { h: state.h, ..self.shift(similarity, flat, from, to) }
                    }
                    (Domain::Geographic2D, true) => {
                        self.shift_flat_back(similarity, state, from, to)
                    }
                }
            }
        })
    }

    /// Forward the shift is added; backward the place is found whose shifted image this is.
    fn shift_by_grid(&self, grid: &ShiftGrid, state: State) -> Option<State> {
        if !self.reversed {
            let shift = grid.shift(state.position())?;
            return Some(State {
                lon: crate::math::degrees::wrap(state.lon + shift.lon),
                lat: state.lat + shift.lat,
                h: state.h + shift.h,
            });
        }
        let (mut lon, mut lat) = (state.lon, state.lat);
        // Shifts change by parts in ten thousand: each round gains four digits.
        for _ in 0..12 {
            let shift = grid.shift(Geographic { lat, lon })?;
            let next = (state.lon - shift.lon, state.lat - shift.lat);
            let change = (next.0 - lon).abs() + (next.1 - lat).abs();
            (lon, lat) = next;
            if change < 1e-15 {
                break;
            }
        }
        let h = state.h - grid.shift(Geographic { lat, lon })?.h;
        Some(State { lon: crate::math::degrees::wrap(lon), lat, h })
    }

    fn shift(&self, similarity: &Similarity, state: State, from: &Side, to: &Side) -> State {
        Self::shift_in(similarity, self.reversed, state, from, to)
    }

    fn shift_in(
        similarity: &Similarity,
        reversed: bool,
        state: State,
        from: &Side,
        to: &Side,
    ) -> State {
        let lon = state.lon + from.prime_meridian_deg;
        let p = geocentric::from_geographic(
            &from.ellipsoid,
            Geographic { lat: state.lat, lon },
            state.h,
        );
        let moved = if reversed { similarity.apply_inverse(p) } else { similarity.apply(p) };
        let (at, h) = geocentric::to_geographic(&to.ellipsoid, moved);
        State { lon: crate::math::degrees::wrap(at.lon - to.prime_meridian_deg), lat: at.lat, h }
    }

    /// Backwards through a method that drops the height: finds the position whose forward image this is,
    /// so that there and back closes. The plain reverse misses by the height dropped times the tilt of the
    /// ellipsoids, up to millimetres.
    fn shift_flat_back(
        &self,
        similarity: &Similarity,
        state: State,
        from: &Side,
        to: &Side,
    ) -> State {
        if let Some([lon, lat]) = block::flat_back(similarity, [state.lon, state.lat], from, to) {
            return State { lon, lat, h: state.h };
        }
        // Between an ellipsoid and a sphere, and far from the surface of either.
        let mut above = State { h: 0.0, ..state };
        let mut found = Self::shift_in(similarity, true, above, from, to);
        for _ in 0..20 {
            if found.h.abs() <= block::LEFT_M {
                break;
            }
            above.h -= found.h;
            found = Self::shift_in(similarity, true, above, from, to);
        }
        State { h: state.h, ..found }
    }
}

impl Method {
    /// The method of a row, or in words what it would need.
    fn new(
        code: u32,
        row: &OperationRow,
        setting: &Setting,
    ) -> std::result::Result<Method, String> {
        let words = |error: Error| error.to_string();
        let parameters = Parameters::from_registry(&row.parameters).map_err(words)?;
        match (timing(code), setting.epoch) {
            (Some(Timing::Dependent), None) => {
                return Err(NEEDS_EPOCH.into());
            }
            (Some(Timing::Specific), Some(epoch)) => {
                let at = parameters.rate(1049).map_err(words)?;
                if (epoch - at).abs() > 0.005 {
                    return Err(format!("coordinates of epoch {at}, not {epoch}"));
                }
            }
            _ => {}
        }
        if let Some(similarity) = Similarity::new(code, &parameters, setting.epoch) {
            return similarity.map(Method::Similarity).map_err(words);
        }
        if let Some(change) = CoordinateChange::new(code, &parameters, (row.source, row.target)) {
            return change.map(|change| Method::Coordinates(Arc::new(change)));
        }
        let angle = |code| parameters.degrees(code).map_err(words);
        match code {
            9601 => Ok(Method::LongitudeRotation(angle(8602)?)),
            9619 => Ok(Method::Offsets(angle(8601)?, angle(8602)?, 0.0)),
            9660 => {
                let h = parameters.metres(8603).map_err(words)?;
                Ok(Method::Offsets(angle(8601)?, angle(8602)?, h))
            }
            9618 if setting.heights => {
                Err("heights above the vertical datum that it is made for".into())
            }
            9618 => Ok(Method::Offsets(angle(8601)?, angle(8602)?, 0.0)),
            code if GRID_METHODS.contains(&code) => {
                let mut names: Vec<&str> = parameters.files().collect();
                grid::in_order(code, &mut names);
                let missing = || {
                    let word = if names.len() > 1 { "files" } else { "file" };
                    format!("the {word} {} in a folder of grid files", names.join(" and "))
                };
                let grids = setting.grids.as_ref().ok_or_else(missing)?;
                let grid = grids.get(row, &names)?;
                Ok(if code == TRANSLATIONS {
                    Method::Translations(grid)
                } else {
                    Method::Grid(grid)
                })
            }
            other => match parameters.file() {
                Some(file) => Err(format!(
                    "the file {file}, in a format that is not read ({})",
                    method_name(other).unwrap_or("unknown")
                )),
                None => Err(format!(
                    "the method {other} ({}), which is not computed",
                    method_name(other).unwrap_or("unknown")
                )),
            },
        }
    }
}
