//! Projections and geocentric coordinates by the formulas as they stand in books, one place at a time.

use velvet_peg_core::{Crs, Ellipsoid, Geographic};

/// What the parameters of a system say.
pub struct Plain {
    ellipsoid: Ellipsoid,
    conic: bool,
    lat0: f64,
    lon0: f64,
    scale: f64,
    parallels: (f64, f64),
    false_origin: (f64, f64),
}

impl Plain {
    /// Of a system by Transverse Mercator (9807) or a conformal conic (9801, 9802).
    pub fn of(crs: &Crs) -> Plain {
        let conversion = crs.conversion().unwrap();
        // In degrees and metres.
        let value = |code| {
            let given = conversion.parameters.iter().find(|given| given.code == code);
            given.and_then(|given| given.value()).unwrap()
        };
        let two = conversion.method_code == 9802;
        let lat0 = value(if two { 8821 } else { 8801 });
        let parallels = if two { (value(8823), value(8824)) } else { (lat0, lat0) };
        Plain {
            ellipsoid: *crs.ellipsoid().unwrap(),
            conic: conversion.method_code != 9807,
            lat0,
            lon0: value(if two { 8822 } else { 8802 }),
            scale: if two { 1.0 } else { value(8805) },
            parallels,
            false_origin: match two {
                true => (value(8826), value(8827)),
                false => (value(8806), value(8807)),
            },
        }
    }

    pub fn origin(&self) -> (f64, f64) {
        (self.lat0, self.lon0)
    }

    pub fn forward(&self, at: Geographic) -> (f64, f64) {
        let (e, n) = if self.conic { self.conic(at) } else { self.transverse_mercator(at) };
        (e + self.false_origin.0, n + self.false_origin.1)
    }

    fn eccentricity(&self) -> f64 {
        self.ellipsoid.eccentricity_squared().sqrt()
    }

    /// The latitude of an isometric one, degrees, by halving.
    pub fn latitude_of_isometric(&self, psi: f64) -> f64 {
        let (mut low, mut high) = (-89.0, 89.0);
        for _ in 0..60 {
            let middle = f64::midpoint(low, high);
            if self.isometric(middle) < psi { low = middle } else { high = middle }
        }
        low
    }

    /// The cone constant.
    pub fn cone(&self) -> f64 {
        let (lat1, lat2) = self.parallels;
        match lat1 == lat2 {
            true => lat1.to_radians().sin(),
            false => {
                (self.m(lat1) / self.m(lat2)).ln() / (self.isometric(lat2) - self.isometric(lat1))
            }
        }
    }

    /// Radius of a parallel over the semi-major axis.
    fn m(&self, lat: f64) -> f64 {
        let (e, sin) = (self.eccentricity(), lat.to_radians().sin());
        lat.to_radians().cos() / (1.0 - e * e * sin * sin).sqrt()
    }

    /// Isometric latitude.
    pub fn isometric(&self, lat: f64) -> f64 {
        let (e, sin) = (self.eccentricity(), lat.to_radians().sin());
        lat.to_radians().tan().asinh() - e * (e * sin).atanh()
    }

    /// Snyder (1987) eq. 15-1 to 15-8; differences of isometric latitudes from that of the origin.
    fn conic(&self, at: Geographic) -> (f64, f64) {
        let (lat1, n) = (self.parallels.0, self.cone());
        let psi0 = self.isometric(self.lat0);
        let rho0 = self.ellipsoid.semi_major_m() * self.scale * self.m(lat1) / n
            * (n * (self.isometric(lat1) - psi0)).exp();
        let shrink = (-n * (self.isometric(at.lat) - psi0)).exp_m1();
        let theta = n * (at.lon - self.lon0).to_radians();
        let rho = rho0 * (1.0 + shrink);
        (rho * theta.sin(), 2.0 * rho * (theta / 2.0).sin().powi(2) - rho0 * shrink)
    }

    /// The series of Krüger in the form of Karney (2011), its coefficients to order 4 from EPSG Guidance
    /// Note 7-2, and to 6 from his equation 35.
    fn transverse_mercator(&self, at: Geographic) -> (f64, f64) {
        let f = self.ellipsoid.flattening();
        let n = f / (2.0 - f);
        let [n2, n3, n4, n5, n6] = [2, 3, 4, 5, 6].map(|k| n.powi(k));
        let radius =
            self.ellipsoid.semi_major_m() / (1.0 + n) * (1.0 + n2 / 4.0 + n4 / 64.0 + n6 / 256.0);
        let h = [
            n / 2.0 - 2.0 / 3.0 * n2 + 5.0 / 16.0 * n3 + 41.0 / 180.0 * n4 - 127.0 / 288.0 * n5
                + 7891.0 / 37_800.0 * n6,
            13.0 / 48.0 * n2 - 3.0 / 5.0 * n3 + 557.0 / 1440.0 * n4 + 281.0 / 630.0 * n5
                - 1_983_433.0 / 1_935_360.0 * n6,
            61.0 / 240.0 * n3 - 103.0 / 140.0 * n4
                + 15_061.0 / 26_880.0 * n5
                + 167_603.0 / 181_440.0 * n6,
            49_561.0 / 161_280.0 * n4 - 179.0 / 168.0 * n5 + 6_601_661.0 / 7_257_600.0 * n6,
            34_729.0 / 80_640.0 * n5 - 3_418_889.0 / 1_995_840.0 * n6,
            212_378_941.0 / 319_334_400.0 * n6,
        ];
        let rectified = |lat: f64, east: f64| {
            let tan = self.isometric(lat).sinh();
            let lambda = east.to_radians();
            let xi = tan.atan2(lambda.cos());
            let eta = (lambda.sin() / tan.hypot(lambda.cos())).asinh();
            let mut sum = (xi, eta);
            for (k, h) in h.iter().enumerate() {
                let j = 2.0 * (k + 1) as f64;
                sum.0 += h * (j * xi).sin() * (j * eta).cosh();
                sum.1 += h * (j * xi).cos() * (j * eta).sinh();
            }
            sum
        };
        let (xi, eta) = rectified(at.lat, at.lon - self.lon0);
        let (xi0, _) = rectified(self.lat0, 0.0);
        (radius * self.scale * eta, radius * self.scale * (xi - xi0))
    }
}

/// Latitude by fixed-point iteration on its tangent, and the height along the normal.
pub fn from_space(ellipsoid: &Ellipsoid, [x, y, z]: [f64; 3]) -> (Geographic, f64) {
    let (a, e2) = (ellipsoid.semi_major_m(), ellipsoid.eccentricity_squared());
    let p = x.hypot(y);
    let (mut sin, mut cos) = (z / p.hypot(z), p / p.hypot(z));
    for _ in 0..60 {
        let nu = a / (1.0 - e2 * sin * sin).sqrt();
        let up = z + e2 * nu * sin;
        let norm = p.hypot(up);
        (sin, cos) = (up / norm, p / norm);
    }
    let h = p * cos + z * sin - a * (1.0 - e2 * sin * sin).sqrt();
    (Geographic { lat: sin.atan2(cos).to_degrees(), lon: y.atan2(x).to_degrees() }, h)
}
