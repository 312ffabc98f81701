//! Zones of the Universal Transverse Mercator system, and grid references in it.
//!
//! Sources: NGA.SIG.0012 (2014), "The universal grids and the transverse Mercator and polar
//! stereographic map projections", sections 7 (zones, with the exceptions round Norway and
//! Svalbard) and NGA.STND.0037 (2014) for the lettered squares.

use crate::converter::Converter;
use crate::crs::Crs;
use crate::error::{Error, Result};
use crate::position::{Coordinate, Geographic};

/// A UTM zone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct UtmZone {
    /// Zone number, 1 to 60.
    pub number: u8,
    /// True north of the equator.
    pub north: bool,
}

impl UtmZone {
    /// The zone of a position on WGS 84, with the wider zones of south-west Norway and
    /// Svalbard. None beyond 84° north and 80° south, where the polar grids take over.
    ///
    /// ```
    /// use velvet_peg_core::{Geographic, UtmZone};
    /// let zone = UtmZone::of(Geographic { lat: 47.4, lon: -120.01 }).unwrap();
    /// assert_eq!((zone.number, zone.north), (10, true));
    /// assert_eq!(UtmZone::of(Geographic { lat: 60.0, lon: 5.0 }).unwrap().number, 32);
    /// ```
    pub fn of(at: Geographic) -> Option<UtmZone> {
        if !(-80.0..84.0).contains(&at.lat) || !at.lon.is_finite() {
            return None;
        }
        let lon = (at.lon + 180.0).rem_euclid(360.0);
        let mut number = (lon / 6.0).floor() as u8 % 60 + 1;
        let east = lon - 180.0;
        if (56.0..64.0).contains(&at.lat) && (3.0..12.0).contains(&east) {
            number = 32;
        }
        if at.lat >= 72.0 {
            for (limits, zone) in
                [(0.0..9.0, 31), (9.0..21.0, 33), (21.0..33.0, 35), (33.0..42.0, 37)]
            {
                if limits.contains(&east) {
                    number = zone;
                }
            }
        }
        Some(UtmZone { number, north: at.lat >= 0.0 })
    }

    /// The WGS 84 system of the zone.
    ///
    /// # Errors
    /// If the registry lacks it, which it does not.
    pub fn crs(self) -> Result<Crs> {
        Crs::from_epsg(if self.north { 32600 } else { 32700 } + u32::from(self.number))
    }

    /// `10N`.
    pub fn name(self) -> String {
        format!("{}{}", self.number, if self.north { "N" } else { "S" })
    }

    /// Longitude of the central meridian, degrees.
    pub fn central_meridian_deg(self) -> f64 {
        f64::from(self.number) * 6.0 - 183.0
    }
}

/// Letters of latitude bands from 80° south.
const BANDS: &[u8; 20] = b"CDEFGHJKLMNPQRSTUVWX";
/// Letters of rows of squares.
const ROWS: &[u8; 20] = b"ABCDEFGHJKLMNPQRSTUV";

/// The grid reference of a position on WGS 84, to the metre (truncated, as grid references
/// are), such as `10T GT 12345 67890`.
///
/// ```
/// use velvet_peg_core::{grid_reference, Geographic};
/// let text = grid_reference(Geographic { lat: 0.0, lon: 0.0 })?;
/// assert_eq!(text, "31N AA 66021 00000");
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// Beyond 84° north and 80° south.
pub fn grid_reference(at: Geographic) -> Result<String> {
    let zone = UtmZone::of(at).ok_or_else(|| {
        Error::out_of_domain("grid references of the polar grids are not written yet")
    })?;
    let utm = zone.crs()?;
    let geographic = Crs::from_epsg(4326)?;
    let grid = Converter::new(&geographic, &utm)?.convert(Coordinate::xy(at.lon, at.lat))?;
    let (e, n) = (grid.x.floor() as i64, (grid.y + 1e-9).floor() as i64);
    let band = BANDS[(((at.lat + 80.0) / 8.0).floor() as usize).min(19)] as char;
    // Columns repeat every three zones; rows shift by five in even zones.
    let letters = [b"ABCDEFGH", b"JKLMNPQR", b"STUVWXYZ"][usize::from((zone.number - 1) % 3)];
    let column = letters[(e / 100_000 - 1).clamp(0, 7) as usize] as char;
    let shift = if zone.number % 2 == 0 { 5 } else { 0 };
    let row = ROWS[((n / 100_000 + shift).rem_euclid(20)) as usize] as char;
    Ok(format!(
        "{}{band} {column}{row} {:05} {:05}",
        zone.number,
        e.rem_euclid(100_000),
        n.rem_euclid(100_000)
    ))
}
