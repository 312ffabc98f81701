//! Datums, reference frames and datum ensembles.

use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Kind, Result};
use crate::unit::AngleUnit;
use std::borrow::Cow;
use velvet_peg_epsg::{DatumKind, DatumRow, EllipsoidRow, PrimeMeridianRow};

/// A meridian that longitudes are reckoned from.
#[derive(Clone, Debug, PartialEq)]
pub struct PrimeMeridian {
    /// Name, such as "Greenwich".
    pub name: Cow<'static, str>,
    /// Longitude from Greenwich, degrees, east positive.
    pub longitude_deg: f64,
    /// EPSG code, if it comes from the registry.
    pub code: Option<u32>,
}

impl PrimeMeridian {
    /// The meridian of Greenwich.
    pub fn greenwich() -> PrimeMeridian {
        PrimeMeridian { name: "Greenwich".into(), longitude_deg: 0.0, code: Some(8901) }
    }

    /// The prime meridian of an EPSG code.
    ///
    /// # Errors
    /// If the registry has no such meridian.
    pub fn from_epsg(code: u32) -> Result<PrimeMeridian> {
        let row = PrimeMeridianRow::find(code).ok_or_else(|| {
            Error::new(Kind::Unknown, format!("the registry has no prime meridian {code}"))
        })?;
        Ok(PrimeMeridian {
            name: row.name.into(),
            longitude_deg: longitude_deg(&row)?,
            code: Some(code),
        })
    }

    /// The meridian at a longitude from Greenwich: the registry's, if it has one within a
    /// thousandth of a second of it, otherwise under the name given.
    pub fn at(longitude_deg: f64, name: &str) -> PrimeMeridian {
        let known = PrimeMeridianRow::all().find(|row| {
            self::longitude_deg(row).is_ok_and(|lon| (lon - longitude_deg).abs() < 3e-7)
        });
        match known {
            Some(row) => PrimeMeridian {
                name: row.name.into(),
                longitude_deg: self::longitude_deg(&row).unwrap_or(longitude_deg),
                code: Some(row.code),
            },
            None => PrimeMeridian { name: name.to_string().into(), longitude_deg, code: None },
        }
    }
}

fn longitude_deg(row: &PrimeMeridianRow) -> Result<f64> {
    Ok(match row.unit {
        9110 => row.longitude.packed_degrees(),
        unit => row.longitude.to_f64() * AngleUnit::from_epsg(unit)?.degrees(),
    })
}

/// Ellipsoid and prime meridian on one side of a datum operation.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Side {
    pub(crate) ellipsoid: Ellipsoid,
    pub(crate) prime_meridian_deg: f64,
}

/// A datum, or an ensemble of realisations that are taken as one.
#[derive(Clone, Debug)]
pub struct Datum {
    name: Cow<'static, str>,
    row: Option<DatumRow>,
    ellipsoid: Ellipsoid,
    ellipsoid_name: Cow<'static, str>,
    prime_meridian: PrimeMeridian,
    /// Of a datum of one's own, where its definition says how it lies to WGS 84.
    to_wgs84: Option<[f64; 7]>,
}

impl Datum {
    /// The geodetic datum of an EPSG code.
    ///
    /// ```
    /// use velvet_peg_core::crs::Datum;
    /// assert_eq!(Datum::from_epsg(6326)?.ensemble_accuracy_m(), Some(2.0)); // the WGS 84 ensemble
    /// assert_eq!(Datum::from_epsg(6807)?.prime_meridian().name, "Paris");
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If there is none, or it has no ellipsoid.
    pub fn from_epsg(code: u32) -> Result<Datum> {
        let unknown = |what: &str| {
            Error::new(Kind::Unknown, format!("{what} of datum {code} is not in the registry"))
        };
        let row = DatumRow::find(code).ok_or_else(|| unknown("the row"))?;
        let ellipsoid =
            Ellipsoid::from_epsg(row.ellipsoid.ok_or_else(|| unknown("the ellipsoid"))?)?;
        let meridian = row.prime_meridian.ok_or_else(|| unknown("the prime meridian"))?;
        Ok(Datum {
            name: row.name.into(),
            ellipsoid,
            ellipsoid_name: ellipsoid.name().into(),
            prime_meridian: PrimeMeridian::from_epsg(meridian)?,
            row: Some(row),
            to_wgs84: None,
        })
    }

    /// A datum of one's own. Nothing is known of how it lies to others: a converter joins it
    /// only to systems that stand on a datum of the same name, ellipsoid and meridian, unless
    /// [`Datum::with_shift_to_wgs84`] says more.
    pub fn custom(
        name: &str,
        ellipsoid: Ellipsoid,
        ellipsoid_name: &str,
        prime_meridian: PrimeMeridian,
    ) -> Datum {
        let known = ellipsoid.code().and_then(EllipsoidRow::find).map(|row| row.name.into());
        Datum {
            name: name.to_string().into(),
            row: None,
            ellipsoid,
            ellipsoid_name: known.unwrap_or_else(|| ellipsoid_name.to_string().into()),
            prime_meridian,
            to_wgs84: None,
        }
    }

    /// The same datum with a shift to WGS 84, by which converters join it to others: translations
    /// along X, Y and Z (metres), rotations of the position vector about them (seconds of arc), and a
    /// difference of scale (parts per million; EPSG method 9606). The registry's datums keep what the
    /// registry knows.
    pub fn with_shift_to_wgs84(self, shift: [f64; 7]) -> Datum {
        Datum { to_wgs84: self.row.is_none().then_some(shift), ..self }
    }

    /// The shift to WGS 84 of a datum of one's own.
    pub fn shift_to_wgs84(&self) -> Option<[f64; 7]> {
        self.to_wgs84
    }

    /// EPSG code, if it comes from the registry.
    pub fn code(&self) -> Option<u32> {
        self.row.as_ref().map(|row| row.code)
    }

    /// Name.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Ellipsoid; for an ensemble that of its members.
    pub fn ellipsoid(&self) -> &Ellipsoid {
        &self.ellipsoid
    }

    /// Name of the ellipsoid.
    pub fn ellipsoid_name(&self) -> &str {
        &self.ellipsoid_name
    }

    /// Prime meridian.
    pub fn prime_meridian(&self) -> &PrimeMeridian {
        &self.prime_meridian
    }

    /// For an ensemble: how far its members may lie apart, metres.
    pub fn ensemble_accuracy_m(&self) -> Option<f64> {
        self.row.as_ref()?.ensemble_accuracy_m.map(|accuracy| accuracy.to_f64())
    }

    /// Members of an ensemble, as EPSG codes; empty for a single datum.
    pub fn members(&self) -> &[u32] {
        self.row.as_ref().map_or(&[], |row| &row.members)
    }

    /// True for a frame whose coordinates change with time.
    pub fn is_dynamic(&self) -> bool {
        self.row.as_ref().is_some_and(|row| row.kind == DatumKind::DynamicGeodetic)
    }

    /// Frame reference epoch of a dynamic frame, decimal years.
    pub fn frame_epoch(&self) -> Option<f64> {
        self.row.as_ref()?.frame_epoch.map(|epoch| epoch.to_f64())
    }

    /// True if both are one datum: the same row of the registry, or the same name, ellipsoid
    /// and prime meridian.
    pub fn is_same(&self, other: &Datum) -> bool {
        match (self.code(), other.code()) {
            (Some(a), Some(b)) => a == b,
            (None, None) => {
                self.name == other.name
                    && self.ellipsoid.same_figure(&other.ellipsoid)
                    && self.prime_meridian.longitude_deg == other.prime_meridian.longitude_deg
                    && self.to_wgs84 == other.to_wgs84
            }
            _ => false,
        }
    }

    pub(crate) fn side(&self) -> Side {
        Side { ellipsoid: self.ellipsoid, prime_meridian_deg: self.prime_meridian.longitude_deg }
    }
}
