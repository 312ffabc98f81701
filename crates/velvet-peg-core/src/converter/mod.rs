//! Carrying coordinates from one reference system to another.
//!
//! A [`Converter`] is planned once, holds the [`Route`] it chose and what it turned down,
//! and is immutable and shareable from then on. One kernel stands behind the scalar, the
//! slice and the column form; they differ in what they do with a coordinate that cannot be
//! converted: an error, an error that leaves everything as it was, or a mark.

mod block;

use crate::crs::{Crs, Mapping};
use crate::datum::{Setting, State, Unavailable};
use crate::error::{Error, Kind, Result};
use crate::extent::{Bounds, intersection};
use crate::geocentric;
use crate::geodesic::Geodesic;
use crate::grid::Grids;
use crate::height_plan::{Ends, HeightPlan};
use crate::position::Coordinate;
use crate::position::Geographic;
use crate::route::{CandidateRoute, Policy, Route, plan};
use std::sync::Arc;

/// What a converter is planned for.
#[derive(Clone, Debug, Default)]
pub struct PlanOptions {
    /// Where the data lies, degrees from Greenwich; none to take the area that the two
    /// systems' areas of use share.
    pub area: Option<Bounds>,
    /// What to do when several operations would serve.
    pub policy: Policy,
    /// EPSG codes of the operations to take from datum to datum, in their order, each forward or
    /// backward as it leads on; the best ones if none. Between an ensemble of datums and its members
    /// nothing need be named.
    pub operations: Vec<u32>,
    /// Epoch of the coordinates in decimal years, such as 2026.9: time-dependent operations
    /// cannot be run without one.
    pub epoch: Option<f64>,
    /// Where grids of shifts come from; none for the default ones (see
    /// [`Grids::make_default`]), if there are any.
    pub grids: Option<Arc<Grids>>,
}

/// Converts coordinates between two reference systems.
///
/// ```
/// use velvet_peg_core::{Converter, Coordinate, Crs};
/// let nad83 = Crs::from_epsg(4269)?;
/// let grid = Crs::from_epsg(2286)?; // NAD83 / Washington South (ftUS)
/// let converter = Converter::new(&nad83, &grid)?;
/// let at = converter.convert(Coordinate::xy(-120.5, 46.0))?;
/// assert!((at.x - 1_640_416.667).abs() < 1e-3); // on the central meridian
/// assert_eq!(converter.route().accuracy_m(), Some(0.0)); // one datum
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Converter {
    source: Crs,
    target: Crs,
    from: Mapping,
    to: Mapping,
    route: Route,
    height: HeightPlan,
    epoch: Option<f64>,
}

/// An epoch as decimal years, if it can be one: moving frames are known for this age only.
///
/// ```
/// use velvet_peg_core::check_epoch;
/// assert!(check_epoch(2026.9).is_ok());
/// assert!(check_epoch(26.9).unwrap_err().is_malformed());
/// ```
///
/// # Errors
/// If it lies before 1900 or from 2100 on, or is no number.
pub fn check_epoch(year: f64) -> Result<f64> {
    match (1900.0..2100.0).contains(&year) {
        true => Ok(year),
        false => Err(Error::malformed(format!(
            "{year} is no epoch of coordinates: it is a year from 1900 to 2100 with decimals, such \
             as 2026.9"
        ))),
    }
}

impl Converter {
    /// Plans for the area that both systems are used in.
    ///
    /// # Errors
    /// If a system cannot be computed with, or no operation joins their datums.
    pub fn new(source: &Crs, target: &Crs) -> Result<Converter> {
        Converter::plan(source, target, &PlanOptions::default())
    }

    /// Plans for the options given.
    ///
    /// ```
    /// use velvet_peg_core::{Bounds, Converter, Crs, PlanOptions};
    /// let area = Some(Bounds { south: 47.3, west: -120.1, north: 47.5, east: -119.9 });
    /// let options = PlanOptions { area, ..PlanOptions::default() };
    /// let converter = Converter::plan(&Crs::from_epsg(4267)?, &Crs::from_epsg(4269)?, &options)?;
    /// let lacking = &converter.route().unavailable[0]; // more accurate, but needs a grid file
    /// assert!(lacking.accuracy_m < converter.route().accuracy_m());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`Converter::new`]; if an operation that is named cannot be run, or does not lead on; under
    /// [`Policy::RequireUnique`] also if several operations would serve, under
    /// [`Policy::RequireBest`] if a better one cannot be run.
    pub fn plan(source: &Crs, target: &Crs, options: &PlanOptions) -> Result<Converter> {
        if let Some(epoch) = options.epoch {
            check_epoch(epoch)?;
        }
        let (from, to) = (source.mapping()?.clone(), target.mapping()?.clone());
        let area = options.area.or_else(|| shared_area(source, target));
        let grids = options.grids.clone().or_else(Grids::default_grids);
        if let Some(grids) = &grids {
            grids.forget_failures();
        }
        let height = HeightPlan::new(source, target, area.as_ref(), grids.as_deref())?;
        if let (Policy::RequireBest, Some(better)) = (options.policy, height.better().first()) {
            let metres = better.accuracy_m.map_or(String::new(), |m| format!(" ({m} m)"));
            return Err(Error::new(
                Kind::NoRoute,
                format!(
                    "the best way is asked for, and for heights that is {} [EPSG:{}]{metres}, which needs {}",
                    better.name, better.code, better.needs
                ),
            ));
        }
        let heights = height.is_ellipsoidal();
        let setting = Setting {
            epoch: options.epoch,
            heights: heights || source.has_ellipsoidal_height(),
            grids,
        };
        Ok(Converter {
            from,
            to,
            route: plan(
                source,
                target,
                area.as_ref(),
                options.policy,
                &options.operations,
                &setting,
            )?,
            height,
            epoch: options.epoch,
            source: source.clone(),
            target: target.clone(),
        })
    }

    /// The system converted from.
    pub fn source(&self) -> &Crs {
        &self.source
    }

    /// The system converted to.
    pub fn target(&self) -> &Crs {
        &self.target
    }

    /// The way chosen, its accuracy, and what was turned down or not available.
    pub fn route(&self) -> &Route {
        &self.route
    }

    /// Epoch of the coordinates, decimal years, if one was given.
    pub fn epoch(&self) -> Option<f64> {
        self.epoch
    }

    /// The converter that takes another of the ways that its route has turned down.
    ///
    /// ```
    /// use velvet_peg_core::{Bounds, Converter, Crs, PlanOptions};
    /// let area = Some(Bounds { south: 51.9, west: -1.1, north: 52.1, east: -0.9 });
    /// let options = PlanOptions { area, ..PlanOptions::default() };
    /// let best = Converter::plan(&Crs::from_epsg(4277)?, &Crs::from_epsg(4326)?, &options)?;
    /// let other = best.by(&best.route().alternatives[0]);
    /// assert!(other.route().accuracy_m() > best.route().accuracy_m());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn by(&self, way: &CandidateRoute) -> Converter {
        let route = Route {
            steps: way.steps.clone(),
            alternatives: Vec::new(),
            unavailable: Vec::new(),
            covers_area: way.share >= 1.0,
            is_named: true,
        };
        Converter { route, ..self.clone() }
    }

    /// True if the third coordinate takes part; false if it is carried as it is because one of
    /// the systems has no height.
    pub fn changes_height(&self) -> bool {
        !matches!(self.height, HeightPlan::Carry)
    }

    /// The operations that change the vertical datum, in their order: of each its EPSG code, name and
    /// stated accuracy in metres. Two lead by way of the ellipsoid: a model from the source's vertical
    /// datum, one to the target's.
    pub fn height_changes(&self) -> Vec<(u32, &'static str, Option<f64>)> {
        self.height.changes()
    }

    /// More accurate operations for the change of heights than the one that is taken, which cannot be run
    /// here, with what each needs; those for the change of datum are in
    /// [`Route::unavailable`].
    pub fn better_heights(&self) -> Vec<&Unavailable> {
        self.height.better()
    }

    /// Converts one coordinate: x longitude or easting, y latitude or northing, z height (or
    /// geocentric X, Y, Z), in the units and sense of each system's axes. Heights above the
    /// ellipsoid take part; heights above a vertical datum keep it (in another unit if the
    /// target has one); where one of the systems has no height, z is carried as it is. A height that
    /// is no number stays so, and the place is carried at height 0.
    ///
    /// # Errors
    /// If the coordinate is outside what either system can hold.
    pub fn convert(&self, at: Coordinate) -> Result<Coordinate> {
        self.kernel(at).ok_or_else(|| {
            let why = self.grid_left(at).unwrap_or_else(|| {
                "check the order, the unit and the reference system of the coordinates".to_string()
            });
            Error::out_of_domain(format!(
                "{}, {} cannot be carried from {} to {}: {why}",
                at.x,
                at.y,
                self.source.label(),
                self.target.label()
            ))
        })
    }

    /// The grid that a coordinate of the source lies outside of, in words; none if that is not why it
    /// cannot be converted.
    ///
    /// ```
    /// use velvet_peg_core::{Converter, Coordinate, Crs};
    /// let converter = Converter::new(&Crs::from_epsg(4326)?, &Crs::from_epsg(32610)?)?;
    /// assert_eq!(converter.grid_left(Coordinate::xy(-123.0, 97.0)), None); // no latitude of 97°
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn grid_left(&self, at: Coordinate) -> Option<String> {
        let (mut state, heights) = self.begin(at)?;
        let outside = |name: &str, code: Option<u32>| {
            let code = code.map_or(String::new(), |code| format!(" [EPSG:{code}]"));
            format!("the place lies outside the grid of {name}{code}, or where it has no value")
        };
        if let HeightPlan::Ellipsoidal(Ends { from: Some(model), .. }) = &self.height
            && model.at(state.position()).is_none()
        {
            return Some(outside(model.name, Some(model.code)));
        }
        for step in &self.route.steps {
            let Some(next) = step.operation.run(state, &step.from, &step.to, heights) else {
                return Some(outside(step.operation.name(), step.operation.code()));
            };
            state = next;
        }
        match &self.height {
            HeightPlan::Ellipsoidal(Ends { to: Some(model), .. })
                if model.at(state.position()).is_none() =>
            {
                Some(outside(model.name, Some(model.code)))
            }
            HeightPlan::Gravity { offset: Some(offset), .. }
                if offset.at(state.position()).is_none() =>
            {
                Some(outside(offset.name, Some(offset.code)))
            }
            _ => None,
        }
    }

    /// Converts all coordinates in place, or none: on the first one that cannot be converted
    /// the slice is left as it was.
    ///
    /// ```
    /// use velvet_peg_core::{Converter, Coordinate, Crs};
    /// let converter = Converter::new(&Crs::from_epsg(4326)?, &Crs::from_epsg(32610)?)?;
    /// let mut places = [Coordinate::xy(-123.0, 47.0), Coordinate::xy(-123.0, 97.0)];
    /// let before = places;
    /// assert!(converter.convert_slice(&mut places).is_err()); // no latitude of 97°
    /// assert_eq!(places, before);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`Converter::convert`], for the first coordinate that fails.
    pub fn convert_slice(&self, coordinates: &mut [Coordinate]) -> Result<()> {
        let converted: Vec<Coordinate> =
            coordinates.iter().map(|at| self.convert(*at)).collect::<Result<_>>()?;
        coordinates.copy_from_slice(&converted);
        Ok(())
    }

    /// Converts columns in place and marks what cannot be converted as NaN; gives the number
    /// of rows so marked that were not NaN before. Columns of unequal length are converted as
    /// far as the shortest. Without a z column heights are unknown, in space 0.
    ///
    /// ```
    /// use velvet_peg_core::{Converter, Crs};
    /// let converter = Converter::new(&Crs::from_epsg(4326)?, &Crs::from_epsg(32610)?)?;
    /// let (mut x, mut y) = (vec![-123.0, -123.0], vec![47.0, 97.0]);
    /// assert_eq!(converter.convert_columns(&mut x, &mut y, None), 1);
    /// assert!((x[0] - 500_000.0).abs() < 1e-8 && x[1].is_nan());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn convert_columns(&self, x: &mut [f64], y: &mut [f64], z: Option<&mut [f64]>) -> usize {
        self.convert_blocks(x, y, z)
    }

    /// Where a place is after the change of datum, at height 0: latitude and longitude in degrees, from
    /// Greenwich on both datums. None where an operation has no answer, such as outside its grid.
    ///
    /// ```
    /// use velvet_peg_core::{Converter, Crs, Geographic};
    /// let converter = Converter::new(&Crs::from_epsg(4277)?, &Crs::from_epsg(4326)?)?;
    /// let at = Geographic { lat: 52.0, lon: -1.0 };
    /// let moved = converter.place(at).unwrap();
    /// assert!((moved.lat - 52.0004).abs() < 1e-4 && (moved.lon + 1.0016).abs() < 1e-4);
    /// assert!((converter.displacement_m(at).unwrap() - 115.67).abs() < 0.01);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn place(&self, at: Geographic) -> Option<Geographic> {
        let meridian =
            |crs: &Crs| crs.datum().map_or(0.0, |datum| datum.prime_meridian().longitude_deg);
        let mut state = State { lon: at.lon - meridian(&self.source), lat: at.lat, h: 0.0 };
        for step in &self.route.steps {
            state = step.operation.run(state, &step.from, &step.to, false)?;
        }
        let lon = crate::math::degrees::wrap(state.lon + meridian(&self.target));
        (state.lat.is_finite() && lon.is_finite()).then_some(Geographic { lat: state.lat, lon })
    }

    /// How far the change of datum moves the latitude and longitude of a place, metres along the
    /// geodesic on the target's ellipsoid.
    pub fn displacement_m(&self, at: Geographic) -> Option<f64> {
        self.metres_between(at, self.place(at)?)
    }

    /// How far from each other this way and another to the same system put a place, metres along the
    /// geodesic on the target's ellipsoid.
    pub fn apart_m(&self, other: &Converter, at: Geographic) -> Option<f64> {
        self.metres_between(self.place(at)?, other.place(at)?)
    }

    fn metres_between(&self, a: Geographic, b: Geographic) -> Option<f64> {
        Some(Geodesic::new(self.target.datum()?.ellipsoid()).inverse(a, b).distance_m)
    }

    /// The position of a coordinate on the source's datum, and whether its height is ellipsoidal.
    fn begin(&self, at: Coordinate) -> Option<(State, bool)> {
        if !(at.x.is_finite() && at.y.is_finite()) {
            return None;
        }
        let (ellipsoid, meridian) = self
            .source
            .datum()
            .map(|datum| (datum.ellipsoid(), datum.prime_meridian().longitude_deg))?;
        let h = self.height.metres(at.z);
        let state = match &self.from {
            Mapping::Geographic(unit) => {
                let (lon, lat) = (at.x * unit.degrees(), at.y * unit.degrees());
                if lat.abs() > 90.0 || lon.abs() > 360.0 {
                    return None;
                }
                State { lon, lat, h }
            }
            Mapping::Projected { projection, unit, x_sense, y_sense } => {
                let metres = unit.metres();
                let at =
                    projection.to_geographic(at.x * x_sense * metres, at.y * y_sense * metres)?;
                State::new(at, h)
            }
            Mapping::Geocentric(unit) => {
                let metres = unit.metres();
                let (at, h) = geocentric::to_geographic(
                    ellipsoid,
                    [at.x * metres, at.y * metres, at.z * metres],
                );
                State { lon: crate::math::degrees::wrap(at.lon - meridian), lat: at.lat, h }
            }
        };
        Some((state, self.height.is_ellipsoidal()))
    }

    fn kernel(&self, at: Coordinate) -> Option<Coordinate> {
        let (mut state, heights) = self.begin(at)?;
        if at.z.is_finite() {
            state.h += self.height.rise(state.position())?;
        }
        for step in &self.route.steps {
            state = step.operation.run(state, &step.from, &step.to, heights)?;
        }
        if !(state.lat.abs() <= 90.0 && state.lon.abs() <= 360.0) {
            return None;
        }
        let z = self.height.height(state.position(), at.z, state.h)?;
        let to = match &self.to {
            Mapping::Geographic(unit) => {
                Coordinate { x: state.lon / unit.degrees(), y: state.lat / unit.degrees(), z }
            }
            Mapping::Projected { projection, unit, x_sense, y_sense } => {
                let (e, n) = projection.to_grid(state.position())?;
                Coordinate { x: e / unit.metres() * x_sense, y: n / unit.metres() * y_sense, z }
            }
            Mapping::Geocentric(unit) => {
                let datum = self.target.datum()?;
                let lon = state.lon + datum.prime_meridian().longitude_deg;
                let p = geocentric::from_geographic(
                    datum.ellipsoid(),
                    Geographic { lat: state.lat, lon },
                    state.h,
                );
                let [x, y, z] = p.map(|metres| metres / unit.metres());
                Coordinate { x, y, z }
            }
        };
        (to.x.is_finite() && to.y.is_finite()).then_some(to)
    }
}

/// Where both systems are used: the area to plan for when none is given.
fn shared_area(source: &Crs, target: &Crs) -> Option<Bounds> {
    match (source.extent().boxes().first(), target.extent().boxes().first()) {
        (Some(a), Some(b)) => intersection(a, b).or(Some(*a)),
        (Some(only), None) | (None, Some(only)) => Some(*only),
        (None, None) => None,
    }
}
