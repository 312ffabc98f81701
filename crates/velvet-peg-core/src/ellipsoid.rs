//! Ellipsoids of revolution and the lengths that follow from their two parameters.

use crate::error::{Error, Kind, Result};
use crate::unit::LengthUnit;
use velvet_peg_epsg::EllipsoidRow;

/// An ellipsoid of revolution (oblate, or a sphere).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ellipsoid {
    name: &'static str,
    code: Option<u32>,
    a: f64,
    f: f64,
    b: f64,
}

impl Ellipsoid {
    /// From the semi-major axis in metres and the inverse flattening; 0 or infinity for a
    /// sphere.
    ///
    /// ```
    /// use velvet_peg_core::Ellipsoid;
    /// let airy = Ellipsoid::new(6_377_563.396, 299.324_964_6)?;
    /// assert!((airy.semi_minor_m() - 6_356_256.909).abs() < 1e-3);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the axis is not a positive length, or the inverse flattening is below 2.
    pub fn new(semi_major_m: f64, inverse_flattening: f64) -> Result<Ellipsoid> {
        let f = if inverse_flattening == 0.0 || inverse_flattening.is_infinite() {
            0.0
        } else {
            1.0 / inverse_flattening
        };
        let b = semi_major_m * (1.0 - f);
        Ellipsoid::checked("custom", None, semi_major_m, f, b)
    }

    /// From both semi-axes in metres.
    ///
    /// # Errors
    /// If the axes are not positive lengths with `semi_minor_m <= semi_major_m`.
    pub fn from_axes(semi_major_m: f64, semi_minor_m: f64) -> Result<Ellipsoid> {
        let f = (semi_major_m - semi_minor_m) / semi_major_m;
        Ellipsoid::checked("custom", None, semi_major_m, f, semi_minor_m)
    }

    /// The ellipsoid of an EPSG code, such as 7030 for WGS 84.
    ///
    /// ```
    /// # use velvet_peg_core::Ellipsoid;
    /// let clarke = Ellipsoid::from_epsg(7008)?; // Clarke 1866, defined by both axes
    /// assert_eq!(clarke.semi_minor_m(), 6356583.8);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the registry has no such ellipsoid.
    pub fn from_epsg(code: u32) -> Result<Ellipsoid> {
        let row = EllipsoidRow::find(code).ok_or_else(|| {
            Error::new(Kind::Unknown, format!("the registry has no ellipsoid {code}"))
        })?;
        let metres = LengthUnit::from_epsg(row.unit)?.metres();
        let a = row.semi_major.to_f64() * metres;
        let (f, b) = match (row.inverse_flattening, row.semi_minor) {
            (Some(inverse), _) => {
                let f = 1.0 / inverse.to_f64();
                (f, a * (1.0 - f))
            }
            (None, Some(minor)) => {
                let b = minor.to_f64() * metres;
                ((a - b) / a, b)
            }
            (None, None) => (0.0, a),
        };
        Ellipsoid::checked(row.name, Some(code), a, f, b)
    }

    /// The registry's ellipsoid of this size and shape, if it has one (axis to 0.1 mm and
    /// inverse flattening to 10⁻⁶, which is finer than any two of its rows differ); otherwise
    /// itself.
    pub fn recognised(self) -> Ellipsoid {
        EllipsoidRow::all()
            .filter_map(|row| Ellipsoid::from_epsg(row.code).ok())
            .find(|known| {
                let apart = match (known.f, self.f) {
                    (0.0, 0.0) => 0.0,
                    (0.0, _) | (_, 0.0) => return false,
                    (a, b) => 1.0 / a - 1.0 / b,
                };
                (known.a - self.a).abs() < 1e-4 && apart.abs() < 1e-6
            })
            .unwrap_or(self)
    }

    /// True if both have the same axes, whatever they are called.
    pub fn same_figure(&self, other: &Ellipsoid) -> bool {
        self.a == other.a && self.f == other.f
    }

    fn checked(name: &'static str, code: Option<u32>, a: f64, f: f64, b: f64) -> Result<Ellipsoid> {
        if !(a.is_finite() && a > 0.0 && (0.0..0.5).contains(&f)) {
            return Err(Error::malformed(format!(
                "no ellipsoid has a semi-major axis of {a} m and a flattening of {f}"
            )));
        }
        Ok(Ellipsoid { name, code, a, f, b })
    }

    /// Name in the registry, or "custom".
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// EPSG code, if it comes from the registry.
    pub fn code(&self) -> Option<u32> {
        self.code
    }

    /// Semi-major axis a, metres.
    pub fn semi_major_m(&self) -> f64 {
        self.a
    }

    /// Semi-minor axis b, metres.
    pub fn semi_minor_m(&self) -> f64 {
        self.b
    }

    /// Flattening f = (a − b)/a.
    pub fn flattening(&self) -> f64 {
        self.f
    }

    /// First eccentricity squared, e² = f(2 − f).
    pub fn eccentricity_squared(&self) -> f64 {
        self.f * (2.0 - self.f)
    }

    /// Third flattening n = (a − b)/(a + b) = f/(2 − f).
    pub fn third_flattening(&self) -> f64 {
        self.f / (2.0 - self.f)
    }

    /// Radius of curvature in the meridian ρ at a latitude in degrees, metres.
    pub fn meridian_radius_m(&self, lat_deg: f64) -> f64 {
        let e2 = self.eccentricity_squared();
        let w2 = 1.0 - e2 * lat_deg.to_radians().sin().powi(2);
        self.a * (1.0 - e2) / (w2 * w2.sqrt())
    }

    /// Radius of curvature in the prime vertical ν at a latitude in degrees, metres.
    pub fn prime_vertical_radius_m(&self, lat_deg: f64) -> f64 {
        let w2 = 1.0 - self.eccentricity_squared() * lat_deg.to_radians().sin().powi(2);
        self.a / w2.sqrt()
    }

    /// Lengths on the ellipsoid divided by those at a height above it: R / (R + h), with the mean radius
    /// R = √(ρν) at the latitude.
    ///
    /// ```
    /// let grs80 = velvet_peg_core::Ellipsoid::from_epsg(7019)?;
    /// assert!((grs80.elevation_factor(47.4, 380.0) - 0.999_940_5).abs() < 1e-7);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn elevation_factor(&self, lat_deg: f64, height_m: f64) -> f64 {
        let radius =
            (self.meridian_radius_m(lat_deg) * self.prime_vertical_radius_m(lat_deg)).sqrt();
        radius / (radius + height_m)
    }

    /// Area of the whole surface, square metres (closed form).
    pub fn surface_area_m2(&self) -> f64 {
        4.0 * std::f64::consts::PI * self.authalic_radius_squared_m2()
    }

    /// Square of the radius of the sphere of equal area, c² = a²/2 + b²/2 · atanh(e)/e.
    pub(crate) fn authalic_radius_squared_m2(&self) -> f64 {
        let e = self.eccentricity_squared().sqrt();
        let ratio = if e == 0.0 { 1.0 } else { e.atanh() / e };
        (self.a * self.a + self.b * self.b * ratio) / 2.0
    }
}
