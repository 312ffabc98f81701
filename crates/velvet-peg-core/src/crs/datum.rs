//! Datums, reference frames and datum ensembles.

use crate::datum::Side;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Kind, Result};
use crate::unit::AngleUnit;
use velvet_peg_epsg::{DatumKind, DatumRow, PrimeMeridianRow};

/// A meridian that longitudes are reckoned from.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PrimeMeridian {
    /// Name, such as "Greenwich".
    pub name: &'static str,
    /// Longitude from Greenwich, degrees, east positive.
    pub longitude_deg: f64,
}

/// A datum, or an ensemble of realisations that are taken as one.
#[derive(Clone, Debug)]
pub struct Datum {
    row: DatumRow,
    ellipsoid: Ellipsoid,
    prime_meridian: PrimeMeridian,
}

impl Datum {
    /// The geodetic datum of an EPSG code.
    ///
    /// ```
    /// use velvet_peg_core::Datum;
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
        let meridian = row
            .prime_meridian
            .and_then(PrimeMeridianRow::find)
            .ok_or_else(|| unknown("the prime meridian"))?;
        let longitude_deg = match meridian.unit {
            9110 => meridian.longitude.packed_degrees(),
            unit => meridian.longitude.to_f64() * AngleUnit::from_epsg(unit)?.degrees(),
        };
        Ok(Datum {
            row,
            ellipsoid,
            prime_meridian: PrimeMeridian { name: meridian.name, longitude_deg },
        })
    }

    /// EPSG code.
    pub fn code(&self) -> u32 {
        self.row.code
    }

    /// Name.
    pub fn name(&self) -> &'static str {
        self.row.name
    }

    /// Ellipsoid; for an ensemble that of its members.
    pub fn ellipsoid(&self) -> &Ellipsoid {
        &self.ellipsoid
    }

    /// Prime meridian.
    pub fn prime_meridian(&self) -> &PrimeMeridian {
        &self.prime_meridian
    }

    /// For an ensemble: how far its members may lie apart, metres.
    pub fn ensemble_accuracy_m(&self) -> Option<f64> {
        self.row.ensemble_accuracy_m.map(|accuracy| accuracy.to_f64())
    }

    /// True for a frame whose coordinates change with time.
    pub fn is_dynamic(&self) -> bool {
        self.row.kind == DatumKind::DynamicGeodetic
    }

    /// Frame reference epoch of a dynamic frame, decimal years.
    pub fn frame_epoch(&self) -> Option<f64> {
        self.row.frame_epoch.map(|epoch| epoch.to_f64())
    }

    pub(crate) fn side(&self) -> Side {
        Side { ellipsoid: self.ellipsoid, prime_meridian_deg: self.prime_meridian.longitude_deg }
    }
}
