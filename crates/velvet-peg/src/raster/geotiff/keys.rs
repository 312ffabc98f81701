//! The keys of a GeoTIFF as a reference system (OGC 19-008r4, 7.2 and 7.5). What a file defines itself is
//! recognised by its numbers, as definition texts are.

use super::methods::{Quantity, of_key};
use super::tags::key::{
    ANGLE_SIZE, ANGLE_UNIT, CITATION, CONVERSION, DATUM, ELLIPSOID, GEODETIC, GEODETIC_CITATION,
    INVERSE_FLATTENING, LENGTH_SIZE, LENGTH_UNIT, MERIDIAN, MERIDIAN_LONGITUDE, METHOD, MODEL,
    PROJECTED, PROJECTED_CITATION, SEMI_MAJOR, SEMI_MINOR, VERTICAL,
};
use super::tags::{IS_GEOCENTRIC, IS_GEOGRAPHIC, IS_PROJECTED, USER_DEFINED};
use crate::error::{Error, Result};
use std::collections::BTreeMap;
use velvet_peg_core::crs::{Datum, PrimeMeridian};
use velvet_peg_core::projection::Parameters;
use velvet_peg_core::registry::OperationRow;
use velvet_peg_core::{AngleUnit, Crs, Ellipsoid, LengthUnit, definition};

/// What one key states.
#[derive(Clone, Debug, PartialEq)]
enum Stated {
    Code(u16),
    Figures(Vec<f64>),
    Text(String),
}

/// The keys of a file.
#[derive(Clone, Debug, Default)]
pub(super) struct Keys(BTreeMap<u16, Stated>);

/// Tags that hold figures and texts of keys.
const DOUBLES: u16 = 34736;
const TEXTS: u16 = 34737;

impl Keys {
    /// From the three tags.
    pub(super) fn read(directory: &[u16], doubles: Vec<f64>, text: &str) -> Keys {
        let mut keys = BTreeMap::new();
        for entry in directory.chunks_exact(4).skip(1) {
            let [id, tag, count, value] = [entry[0], entry[1], entry[2], entry[3]];
            let (first, count) = (usize::from(value), usize::from(count));
            let stated = match tag {
                0 => Stated::Code(value),
                DOUBLES => match doubles.get(first..first + count) {
                    Some(figures) => Stated::Figures(figures.to_vec()),
                    None => continue,
                },
                TEXTS => {
                    let text: String = text.chars().skip(first).take(count).collect();
                    Stated::Text(text.trim_matches(['|', '\0', ' ']).to_string())
                }
                // Codes may stand behind the directory's own entries.
                34735 => match directory.get(first) {
                    Some(code) => Stated::Code(*code),
                    None => continue,
                },
                _ => continue,
            };
            keys.insert(id, stated);
        }
        Keys(keys)
    }

    pub(super) fn is_empty(&self) -> bool {
        !self.0.keys().any(|key| *key != super::tags::key::RASTER)
    }

    pub(super) fn number(&self, key: u16) -> Option<u16> {
        match self.0.get(&key)? {
            Stated::Code(code) => Some(*code),
            _ => None,
        }
    }

    /// A code of the registry.
    fn code(&self, key: u16) -> Option<u32> {
        let code = self.number(key).filter(|code| *code > 0 && *code < USER_DEFINED)?;
        Some(u32::from(code))
    }

    fn figure(&self, key: u16) -> Option<f64> {
        match self.0.get(&key)? {
            Stated::Figures(figures) => figures.first().copied(),
            Stated::Code(code) => Some(f64::from(*code)),
            Stated::Text(_) => None,
        }
    }

    fn text(&self, key: u16) -> Option<&str> {
        match self.0.get(&key)? {
            Stated::Text(text) => Some(text.as_str()).filter(|text| !text.is_empty()),
            _ => None,
        }
    }

    /// The reference system; none where the keys only name a model.
    pub(super) fn system(&self) -> Result<Option<Crs>> {
        let model = self.number(MODEL);
        let projected = self.code(PROJECTED);
        match model {
            Some(IS_GEOCENTRIC) => {
                Err(Error::data("it is geocentric: pixels lie in no plane of it"))
            }
            Some(IS_GEOGRAPHIC) => self.geodetic().map(Some),
            _ if projected.is_some() || self.number(PROJECTED) == Some(USER_DEFINED) => {
                self.projected().map(Some)
            }
            Some(IS_PROJECTED)
                if self.0.contains_key(&METHOD) || self.0.contains_key(&CONVERSION) =>
            {
                self.projected().map(Some)
            }
            Some(IS_PROJECTED) => Err(Error::data("it is projected, and no key says how")),
            _ if self.code(GEODETIC).is_some() => self.geodetic().map(Some),
            _ => Ok(None),
        }
    }

    /// The vertical system of the values, by its code.
    pub(super) fn vertical(&self) -> Option<Crs> {
        Crs::from_epsg(self.code(VERTICAL)?).ok()
    }

    fn projected(&self) -> Result<Crs> {
        let unit = self.length_unit()?;
        if let Some(code) = self.code(PROJECTED) {
            let crs = Crs::from_epsg(code)?;
            // A code and another unit contradict each other: one of the two is wrong by feet for metres.
            if let (Some(unit), Some(own)) = (unit, crs.length_unit())
                && (unit.metres() / own.metres() - 1.0).abs() > 1e-9
            {
                return Err(Error::data(format!(
                    "it is {} by its code, which counts {}, and its key of units says {}: state the system \
                     that its coordinates are in",
                    crs.label(),
                    own.plural(),
                    unit.plural()
                )));
            }
            return Ok(crs);
        }
        let unit = unit.unwrap_or(LengthUnit::METRE);
        let base = self.geodetic()?;
        let name = self.text(PROJECTED_CITATION).or(self.text(CITATION)).unwrap_or("unnamed");
        let crs = match self.code(CONVERSION) {
            Some(code) => {
                let row = OperationRow::find(code)
                    .ok_or_else(|| Error::data(format!("the registry has no conversion {code}")))?;
                let parameters = Parameters::from_registry(&row.parameters)?;
                Crs::projected(name, &base, row.method.unwrap_or(0), parameters, unit)?
            }
            None => {
                let (method, parameters) = self.method(unit)?;
                Crs::projected(name, &base, method, parameters, unit)?
            }
        };
        recognised(crs)
    }

    fn method(&self, unit: LengthUnit) -> Result<(u32, Parameters)> {
        let key = self.number(METHOD).ok_or_else(|| Error::data("no key names its projection"))?;
        let degrees = self.angle_unit()?.degrees();
        let method = of_key(key, |key| self.figure(key).map(|figure| figure * degrees))
            .ok_or_else(|| {
                Error::data(format!(
                    "the projection of code {key} is none that can be computed with"
                ))
            })?;
        let mut parameters = Parameters::new();
        for (code, quantity, keys) in method.parameters {
            let figure = keys.iter().find_map(|key| self.figure(*key));
            parameters = match quantity {
                Quantity::Angle => {
                    // Where no angle of the grid is stated it is that of the line.
                    let azimuth =
                        || self.figure(super::tags::key::AZIMUTH).filter(|_| *code == 8814);
                    let figure = figure.or_else(azimuth).unwrap_or(0.0);
                    parameters.angle(*code, figure * degrees)
                }
                Quantity::Length => parameters.length(*code, figure.unwrap_or(0.0) * unit.metres()),
                Quantity::Ratio => parameters.scale(*code, figure.unwrap_or(1.0)),
            };
        }
        Ok((method.epsg, parameters))
    }

    fn length_unit(&self) -> Result<Option<LengthUnit>> {
        match (self.code(LENGTH_UNIT), self.figure(LENGTH_SIZE)) {
            (Some(code), _) => Ok(Some(LengthUnit::from_epsg(code)?)),
            (None, Some(metres)) => Ok(Some(LengthUnit::of_metres(metres)?)),
            (None, None) => Ok(None),
        }
    }

    fn angle_unit(&self) -> Result<AngleUnit> {
        match (self.code(ANGLE_UNIT), self.figure(ANGLE_SIZE)) {
            (Some(code), _) => Ok(AngleUnit::from_epsg(code)?),
            (None, Some(radians)) => Ok(AngleUnit::of_radians(radians)?),
            (None, None) => Ok(AngleUnit::DEGREE),
        }
    }

    fn geodetic(&self) -> Result<Crs> {
        if let Some(code) = self.code(GEODETIC) {
            return Ok(Crs::from_epsg(code)?);
        }
        let name = self.text(GEODETIC_CITATION).or(self.text(CITATION)).unwrap_or("unnamed");
        let unit = self.angle_unit()?;
        if self.number(MODEL) == Some(IS_GEOGRAPHIC) && (unit.degrees() - 1.0).abs() > 1e-12 {
            return Err(Error::data(format!(
                "its coordinates are in {}: systems that a file defines itself are read in degrees",
                unit.name()
            )));
        }
        let datum = match self.code(DATUM) {
            Some(code) => Datum::from_epsg(code)?,
            None => {
                let (ellipsoid, ellipsoid_name) = self.ellipsoid()?;
                let meridian = match (self.code(MERIDIAN), self.figure(MERIDIAN_LONGITUDE)) {
                    (Some(code), _) => PrimeMeridian::from_epsg(code)?,
                    (None, Some(longitude)) => {
                        PrimeMeridian::at(longitude * unit.degrees(), "unnamed")
                    }
                    (None, None) => PrimeMeridian::greenwich(),
                };
                Datum::custom(name, ellipsoid, ellipsoid_name, meridian)
            }
        };
        recognised(Crs::geographic(name, datum)?)
    }

    fn ellipsoid(&self) -> Result<(Ellipsoid, &str)> {
        if let Some(code) = self.code(ELLIPSOID) {
            return Ok((Ellipsoid::from_epsg(code)?, "unnamed"));
        }
        let major = self.figure(SEMI_MAJOR).ok_or_else(|| {
            Error::data("no key names its geographic system, its datum or its ellipsoid")
        })?;
        let ellipsoid = match (self.figure(INVERSE_FLATTENING), self.figure(SEMI_MINOR)) {
            (Some(inverse), _) => Ellipsoid::new(major, inverse)?,
            (None, Some(minor)) => Ellipsoid::from_axes(major, minor)?,
            (None, None) => return Err(Error::data("no key says how flat its ellipsoid is")),
        };
        Ok((ellipsoid, "unnamed"))
    }
}

/// The registry's own system where the numbers are its.
fn recognised(crs: Crs) -> Result<Crs> {
    match definition::identify(&crs).same() {
        Some(code) => Ok(Crs::from_epsg(code)?),
        None => Ok(crs),
    }
}
