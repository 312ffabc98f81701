//! Ground systems: a projected system scaled so that its plane distances are those on the ground of a
//! site, shifted so that its coordinates are not taken for those of the grid, and turned.

use super::{Conversion, Crs, Mapping};
use crate::error::{Error, Result};
use crate::position::Geographic;
use crate::projection::{Parameters, PlaneSimilarity, Projection, Quantity, parameters_of};

/// Lambert Conic Conformal with two standard parallels, and with one and a scale factor.
const TWO_PARALLELS: u32 = 9802;
const ONE_PARALLEL: u32 = 9801;

/// Parameters that scale the whole plane.
const SCALES: [u32; 3] = [8805, 8815, 1038];

/// How the plane of a system becomes that of the ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ground {
    /// Ground lengths divided by grid lengths: 1 over the combined factor.
    pub scale: f64,
    /// Easting and northing in the grid of the point about which it is scaled and turned.
    pub about: (f64, f64),
    /// What is added to the coordinates of that point, in the grid's unit.
    pub shift: (f64, f64),
    /// Degrees by which the new axes lie anticlockwise from those of the grid.
    pub rotation_deg: f64,
}

impl Crs {
    /// A ground system on this projected one. Without a rotation, and where the method of the projection
    /// has a scale factor, it is a projected system of its own that every notation can say; else it
    /// is a derived one, which only WKT 2 and JSON can.
    ///
    /// ```
    /// use velvet_peg_core::crs::Ground;
    /// use velvet_peg_core::{Converter, Coordinate, Crs};
    /// let grid = Crs::from_epsg(2285)?;
    /// let about = (1_850_000.0, 150_000.0);
    /// let ground = Ground { scale: 1.000_08, about, shift: (0.0, 0.0), rotation_deg: 0.0 };
    /// let site = grid.on_ground("Tumblewick ground", &ground)?;
    /// let to_site = Converter::new(&grid, &site)?;
    /// let at = to_site.convert(Coordinate::xy(1_860_000.0, 150_000.0))?;
    /// assert!((at.x - 1_860_000.8).abs() < 1e-6); // 10,000 ft are 10,000.8 ft on the ground
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If this is no projected system of eastings and northings, or the numbers make no plane.
    pub fn on_ground(&self, name: &str, ground: &Ground) -> Result<Crs> {
        let turn =
            PlaneSimilarity::about(ground.about, ground.scale, ground.rotation_deg, ground.shift)?;
        if ground.rotation_deg == 0.0
            && let Some(crs) = self.rescaled(name, &turn)?
        {
            return Ok(crs);
        }
        Crs::turned(name, self, turn)
    }

    /// The combined factor at a place: the point scale factor times the factor of an ellipsoidal height.
    /// Grid lengths divided by it are those on the ground.
    ///
    /// ```
    /// use velvet_peg_core::{Crs, Geographic};
    /// let at = Geographic { lat: 47.4, lon: -120.0 };
    /// let factor = Crs::from_epsg(2285)?.combined_factor(at, 380.0)?;
    /// assert!((factor - 0.999_934).abs() < 1e-4);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If this is no projected system, its projection keeps no angles, the place has no coordinates in it, or
    /// the height is not one of the ground.
    pub fn combined_factor(&self, at: Geographic, height_m: f64) -> Result<f64> {
        if !is_of_ground(height_m) {
            return Err(Error::out_of_domain(format!("{height_m} m is no height of the ground")));
        }
        let projection = self.projection()?;
        if !projection.is_conformal() {
            return Err(Error::unsupported(format!(
                "{} keeps no angles: its scale differs by direction, and no one factor leads to the ground",
                self.label()
            )));
        }
        let scale = projection.factors(at)?.meridian_scale;
        let ellipsoid =
            self.ellipsoid().ok_or_else(|| Error::unsupported("it has no ellipsoid"))?;
        Ok(scale * ellipsoid.elevation_factor(at.lat, height_m))
    }

    /// The system with the scale and the false origin of its projection changed; none if the method has no
    /// scale.
    fn rescaled(&self, name: &str, turn: &PlaneSimilarity) -> Result<Option<Crs>> {
        let Mapping::Projected { projection, unit, x_sense, y_sense } = self.mapping()? else {
            return Ok(None);
        };
        let plain = projection.counts_west_south() == (false, false)
            && (*x_sense, *y_sense) == (1.0, 1.0)
            && self.derived().is_none()
            && self.horizontal().is_none()
            && !self.is_northing_first();
        let (Some(conversion), Some(base)) = (self.conversion().filter(|_| plain), self.base())
        else {
            return Ok(None);
        };
        let conversion = match conversion.method_code {
            TWO_PARALLELS => with_one_parallel(conversion, projection)?,
            _ => conversion.clone(),
        };
        let codes = parameters_of(conversion.method_code).unwrap_or_default();
        let Some(scale) = SCALES.into_iter().find(|code| codes.contains(code)) else {
            return Ok(None);
        };
        let metres = unit.metres();
        let (easting, northing) = Projection::false_origin(conversion.method_code)?;
        let mut parameters = Parameters::new();
        for parameter in conversion.parameters.iter() {
            let shifted = |value: f64, origin: f64| turn.scale * value + origin * metres;
            parameters = match (&parameter.quantity, parameter.code) {
                (Quantity::Scale(value), code) if code == scale => {
                    parameters.scale(code, value * turn.scale)
                }
                (Quantity::Length(value), code) if code == easting => {
                    parameters.length(code, shifted(*value, turn.origin.0))
                }
                (Quantity::Length(value), code) if code == northing => {
                    parameters.length(code, shifted(*value, turn.origin.1))
                }
                _ => parameters.and(parameter.clone()),
            };
        }
        let crs = Crs::projected(name, &base, conversion.method_code, parameters, *unit)?;
        Ok(Some(crs.with_extent(self.extent().clone())))
    }
}

/// Whether ground may be so high above the ellipsoid, metres.
pub(crate) fn is_of_ground(height_m: f64) -> bool {
    height_m.abs() < 20_000.0
}

/// The same Lambert conic by its one parallel of least scale.
fn with_one_parallel(conversion: &Conversion, projection: &Projection) -> Result<Conversion> {
    let degrees = |code| conversion.parameters.degrees(code);
    let lon = degrees(8822)?;
    let cone = projection.cone_constant().ok_or_else(|| Error::unsupported("it is no cone"))?;
    let at = Geographic { lat: cone.asin().to_degrees(), lon };
    let (easting, northing) = projection.forward(at)?;
    let parameters = Parameters::new()
        .angle(8801, at.lat)
        .angle(8802, lon)
        .scale(8805, projection.factors(at)?.meridian_scale)
        .length(8806, easting)
        .length(8807, northing);
    Ok(Conversion { code: None, method_code: ONE_PARALLEL, parameters, ..conversion.clone() })
}
