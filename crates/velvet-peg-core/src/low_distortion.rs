//! Low-distortion projections: the conformal projection of an area whose plane distances differ least
//! from those on the ground.
//!
//! The distortion at a place is d = k · R/(R + h) − 1, in parts per million, with the point scale factor k
//! and the elevation factor of the ellipsoidal height h. For a meridian (Transverse Mercator) or a parallel
//! (Lambert Conformal Conic) the scale that makes the largest |d| over the area smallest is
//! 2/(g₁ + g₂), where g₁ and g₂ are the least and the largest of the products with a scale of 1; the
//! meridian or parallel is then found by search. Meridians and parallels are whole minutes and scales
//! have six decimals, so that they can be printed and typed: that costs half a part in a million.

use crate::crs::{Crs, is_of_ground};
use crate::error::{Error, Result};
use crate::extent::{Bounds, Extent};
use crate::position::Geographic;
use crate::projection::{Parameters, Projection};
use crate::unit::LengthUnit;

const TRANSVERSE_MERCATOR: u32 = 9807;
const ONE_PARALLEL: u32 = 9801;

/// A place on the ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GroundPlace {
    /// Position, degrees.
    pub at: Geographic,
    /// Ellipsoidal height, metres.
    pub height_m: f64,
}

/// Distortions over an area, parts per million: positive where the plane is longer than the ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Distortion {
    /// The least.
    pub least_ppm: f64,
    /// The largest.
    pub most_ppm: f64,
    /// Their mean over the places.
    pub mean_ppm: f64,
}

impl Distortion {
    /// The distortion of a projected system over places in degrees on its datum.
    ///
    /// ```
    /// use velvet_peg_core::low_distortion::{Distortion, GroundPlace};
    /// use velvet_peg_core::{Crs, Geographic};
    /// let places = [47.3, 47.5].map(|lat| GroundPlace {
    ///     at: Geographic { lat, lon: -120.0 },
    ///     height_m: 380.0,
    /// });
    /// let utm = Distortion::over(&Crs::from_epsg(26911)?, &places)?;
    /// assert!((utm.most_ppm - 172.6).abs() < 0.1);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the system is not projected, there are no places, or one has no coordinates in it.
    pub fn over(crs: &Crs, places: &[GroundPlace]) -> Result<Distortion> {
        let projection = crs.projection()?;
        let ellipsoid = crs.ellipsoid().ok_or_else(no_datum)?;
        let mut found =
            Distortion { least_ppm: f64::INFINITY, most_ppm: f64::NEG_INFINITY, mean_ppm: 0.0 };
        for place in places {
            let factors = projection.factors(place.at)?;
            let elevation = ellipsoid.elevation_factor(place.at.lat, place.height_m);
            let ppm = [factors.meridian_scale, factors.parallel_scale]
                .map(|scale| (scale * elevation - 1.0) * 1e6);
            found.least_ppm = found.least_ppm.min(ppm[0].min(ppm[1]));
            found.most_ppm = found.most_ppm.max(ppm[0].max(ppm[1]));
            found.mean_ppm += (ppm[0] + ppm[1]) / 2.0 / places.len() as f64;
        }
        match places.is_empty() {
            true => Err(no_places()),
            false => Ok(found),
        }
    }

    /// The largest distortion in either sense, parts per million.
    pub fn worst_ppm(&self) -> f64 {
        self.least_ppm.abs().max(self.most_ppm.abs())
    }
}

/// A projection for an area.
#[derive(Clone, Debug)]
pub struct Proposal {
    /// The system.
    pub crs: Crs,
    /// Its distortion over the area.
    pub distortion: Distortion,
}

/// A Transverse Mercator and a Lambert conic for places on the datum of a geographic system, the one
/// with the smaller largest distortion first. False origins keep coordinates positive, and northings above
/// eastings, so that the two are not mistaken for each other.
///
/// ```
/// use velvet_peg_core::low_distortion::{GroundPlace, propose};
/// use velvet_peg_core::{Crs, Geographic, LengthUnit};
/// let places: Vec<GroundPlace> = (0..25)
///     .map(|i| Geographic { lat: 47.3 + 0.05 * f64::from(i / 5), lon: -120.2 + 0.1 * f64::from(i % 5) })
///     .map(|at| GroundPlace { at, height_m: 380.0 })
///     .collect();
/// let proposals = propose("Tumblewick LDP", &Crs::from_epsg(6318)?, &places, LengthUnit::METRE)?;
/// assert!(proposals[0].distortion.worst_ppm() < 2.0);
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If the system is not geographic, or the places are none, not on the Earth, or too far apart for one
/// plane.
pub fn propose(
    name: &str,
    base: &Crs,
    places: &[GroundPlace],
    unit: LengthUnit,
) -> Result<Vec<Proposal>> {
    let area = Area::of(base, places)?;
    let mut proposals = Vec::new();
    for kind in [Kind::Meridian, Kind::Parallel] {
        // A parallel at the equator, or near a pole, makes no cone.
        let Ok(proposal) = area.proposal(name, kind, unit) else { continue };
        proposals.push(proposal);
    }
    if proposals.is_empty() {
        return Err(Error::unsupported("no projection fits an area of this place and size"));
    }
    proposals.sort_by(|a, b| a.distortion.worst_ppm().total_cmp(&b.distortion.worst_ppm()));
    Ok(proposals)
}

fn no_datum() -> Error {
    Error::unsupported("a system without a datum has no distortion")
}

fn no_places() -> Error {
    Error::unsupported("an area without a place has no distortion")
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Kind {
    Meridian,
    Parallel,
}

/// Places with longitudes from one of them, so that an area across the antimeridian is in one piece.
struct Area<'a> {
    base: &'a Crs,
    places: &'a [GroundPlace],
    /// West, east, south and north, degrees.
    lon: (f64, f64),
    lat: (f64, f64),
}

impl Area<'_> {
    fn of<'a>(base: &'a Crs, places: &'a [GroundPlace]) -> Result<Area<'a>> {
        if !base.is_geographic() {
            return Err(Error::unsupported(format!("{} is not geographic", base.label())));
        }
        let first = places.first().ok_or_else(no_places)?.at.lon;
        let range = |values: &mut dyn Iterator<Item = f64>| {
            values.fold((f64::INFINITY, f64::NEG_INFINITY), |range, value| {
                (range.0.min(value), range.1.max(value))
            })
        };
        let from_first = |lon: f64| first + crate::math::degrees::wrap(lon - first);
        let lon = range(&mut places.iter().map(|place| from_first(place.at.lon)));
        let lat = range(&mut places.iter().map(|place| place.at.lat));
        let sound = places.iter().all(|place| {
            place.at.lat.abs() < 89.0 && place.at.lon.is_finite() && is_of_ground(place.height_m)
        });
        if !sound || lon.1 - lon.0 > 20.0 || lat.1 - lat.0 > 20.0 {
            return Err(Error::out_of_domain(
                "a low-distortion projection is for places less than 20° apart, away from the poles, at \
                 heights on the Earth",
            ));
        }
        Ok(Area { base, places, lon, lat })
    }

    fn bounds(&self) -> Bounds {
        let wrapped = crate::math::degrees::wrap;
        Bounds {
            south: self.lat.0,
            west: wrapped(self.lon.0),
            north: self.lat.1,
            east: wrapped(self.lon.1),
        }
    }

    /// Least and largest product of scale and elevation factor, with a scale of 1 on a line.
    fn products(&self, kind: Kind, line: f64) -> Option<(f64, f64)> {
        let ellipsoid = self.base.ellipsoid()?;
        let (method, parameters) = self.parameters(kind, line, 1.0, (0.0, 0.0));
        let projection = Projection::new(method, &parameters, ellipsoid).ok()?;
        let mut range = (f64::INFINITY, f64::NEG_INFINITY);
        for place in self.places {
            let scale = projection.factors(place.at).ok()?.meridian_scale;
            let product = scale * ellipsoid.elevation_factor(place.at.lat, place.height_m);
            range = (range.0.min(product), range.1.max(product));
        }
        Some(range)
    }

    /// The largest distortion, with the best scale on a line.
    fn worst(&self, kind: Kind, line: f64) -> f64 {
        let worst = |(low, high): (f64, f64)| (high - low) / (high + low);
        self.products(kind, line).map_or(f64::INFINITY, worst)
    }

    /// The meridian or parallel, in whole minutes.
    fn line(&self, kind: Kind) -> f64 {
        const SAMPLES: i32 = 32;
        let (low, high) = if kind == Kind::Meridian { self.lon } else { self.lat };
        // Where the ground is tilted the best line may lie beside the area.
        let margin = (high - low).max(0.1);
        let (low, step) = (low - margin, (high - low + 2.0 * margin) / f64::from(SAMPLES));
        let best = |candidates: &mut dyn Iterator<Item = f64>| {
            let worst = candidates.map(|line| (self.worst(kind, line), line));
            worst.min_by(|a, b| a.0.total_cmp(&b.0)).map_or(low, |(_, line)| line)
        };
        let mut line = best(&mut (0..=SAMPLES).map(|at| low + step * f64::from(at)));
        let mut step = step;
        while step > 1.0 / 600.0 {
            step /= 2.0;
            line = best(&mut (-1..=1).map(|at| line + step * f64::from(at)));
        }
        let minute = (line * 60.0).round();
        let line = best(&mut (-1..=1).map(|at| (minute + f64::from(at)) / 60.0));
        (line * 60.0).round() / 60.0
    }

    /// With a false easting and northing in metres.
    fn parameters(
        &self,
        kind: Kind,
        line: f64,
        scale: f64,
        (easting, northing): (f64, f64),
    ) -> (u32, Parameters) {
        let middle = |range: (f64, f64)| ((range.0 + range.1) * 30.0).round() / 60.0;
        let wrapped = crate::math::degrees::wrap;
        let (method, lat, lon) = match kind {
            Kind::Meridian => (TRANSVERSE_MERCATOR, middle(self.lat), wrapped(line)),
            Kind::Parallel => (ONE_PARALLEL, line, wrapped(middle(self.lon))),
        };
        let origin = Parameters::new().angle(8801, lat).angle(8802, lon).scale(8805, scale);
        (method, origin.length(8806, easting).length(8807, northing))
    }

    fn proposal(&self, name: &str, kind: Kind, unit: LengthUnit) -> Result<Proposal> {
        let line = self.line(kind);
        let (low, high) = self.products(kind, line).ok_or_else(no_places)?;
        let scale = (2e6 / (low + high)).round() / 1e6;
        let at = |easting: f64, northing: f64| {
            let origin = (easting * unit.metres(), northing * unit.metres());
            let (method, parameters) = self.parameters(kind, line, scale, origin);
            let crs = Crs::projected(name, self.base, method, parameters, unit);
            crs.map(|crs| crs.with_extent(Extent::stated(self.bounds())))
        };
        let (easting, northing) = self.false_origin(&at(0.0, 0.0)?, unit)?;
        let crs = at(easting, northing)?;
        let distortion = Distortion::over(&crs, self.places)?;
        Ok(Proposal { crs, distortion })
    }

    /// False easting and northing in the unit, in round numbers.
    fn false_origin(&self, crs: &Crs, unit: LengthUnit) -> Result<(f64, f64)> {
        const ROUND: f64 = 10_000.0;
        let projection = crs.projection()?;
        let (mut low, mut high) = ((f64::INFINITY, f64::INFINITY), f64::NEG_INFINITY);
        for place in self.places {
            let (e, n) = projection.forward(place.at)?;
            let (e, n) = (e / unit.metres(), n / unit.metres());
            low = (low.0.min(e), low.1.min(n));
            high = high.max(e);
        }
        let up = |value: f64| (value / ROUND).ceil() * ROUND;
        let easting = up(ROUND - low.0);
        let highest_easting = high + easting;
        Ok((easting, up(highest_easting + ROUND - low.1)))
    }
}
