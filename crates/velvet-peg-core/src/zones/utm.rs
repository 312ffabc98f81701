//! Zones of the Universal Transverse Mercator system and the polar grids beside them.
//!
//! Source: NGA.SIG.0012 (2014), "The universal grids and the transverse Mercator and polar
//! stereographic map projections", section 7 (zones, with the exceptions round Norway and
//! Svalbard).

use crate::crs::Crs;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::position::Geographic;
use std::fmt;

/// A UTM zone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct UtmZone {
    number: u8,
    north: bool,
}

impl UtmZone {
    /// The zone of a number from 1 to 60, north or south of the equator.
    ///
    /// # Errors
    /// If there is no zone of that number.
    pub fn new(number: u8, north: bool) -> Result<UtmZone> {
        match (1..=60).contains(&number) {
            true => Ok(UtmZone { number, north }),
            false => {
                Err(Error::unknown(format!("there is no UTM zone {number}: they go from 1 to 60")))
            }
        }
    }

    /// Zone number, 1 to 60.
    pub fn number(self) -> u8 {
        self.number
    }

    /// True north of the equator.
    pub fn is_north(self) -> bool {
        self.north
    }

    /// The zone of a position on WGS 84, with the wider zones of south-west Norway and
    /// Svalbard. None beyond 84° north and 80° south, where the polar grids take over.
    ///
    /// ```
    /// use velvet_peg_core::Geographic;
    /// use velvet_peg_core::zones::UtmZone;
    /// let zone = UtmZone::of(Geographic { lat: 47.4, lon: -120.01 }).unwrap();
    /// assert_eq!((zone.number(), zone.is_north()), (10, true));
    /// assert_eq!(UtmZone::of(Geographic { lat: 60.0, lon: 5.0 }).unwrap().number(), 32);
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

    /// Letter of the latitude band of a position, C to X; none beyond the zones.
    pub fn band(at: Geographic) -> Option<char> {
        UtmZone::of(at)?;
        Some(BANDS[(((at.lat + 80.0) / 8.0).floor() as usize).min(19)] as char)
    }

    /// Distance in metres from a position in the zone to the meridian or parallel where another
    /// zone begins (or the zones end), and the name of what lies there.
    pub fn edge(at: Geographic) -> Option<(f64, String)> {
        let zone = UtmZone::of(at)?;
        let wgs84 = Ellipsoid::from_epsg(7030).ok()?;
        let cos = at.lat.to_radians().cos();
        let east_m = wgs84.prime_vertical_radius_m(at.lat) * cos;
        let north_m = wgs84.meridian_radius_m(at.lat);
        let meridians = [-6.0, 0.0, 3.0, 6.0, 9.0, 12.0, 21.0, 33.0, 36.0, 42.0];
        let step = (at.lon / 6.0).floor() * 6.0;
        let lons = meridians.into_iter().chain([step, step + 6.0]);
        let lats = [-80.0, 0.0, 56.0, 64.0, 72.0, 84.0];
        // A hair to either side of the line: on the line itself one of them is the zone it belongs to.
        const SIDES: [f64; 2] = [-1e-9, 1e-9];
        let sideways = lons.flat_map(|lon| {
            let off = crate::math::degrees::wrap(lon - at.lon);
            SIDES.map(|side| {
                let beyond = Geographic { lon: at.lon + off + side, lat: at.lat };
                (off.abs().to_radians() * east_m, beyond)
            })
        });
        let upright = lats.into_iter().flat_map(|lat| {
            let metres = (lat - at.lat).abs().to_radians() * north_m;
            SIDES.map(|side| (metres, Geographic { lat: lat + side, lon: at.lon }))
        });
        sideways
            .chain(upright)
            .filter_map(|(metres, beyond)| match UtmZone::of(beyond) {
                Some(other) if other.number == zone.number => None,
                Some(other) => Some((metres, format!("UTM zone {}", other.name()))),
                None => Some((metres, "the polar grid".to_string())),
            })
            .min_by(|a, b| a.0.total_cmp(&b.0))
    }
}

/// Letters of latitude bands from 80° south.
pub(crate) const BANDS: &[u8; 20] = b"CDEFGHJKLMNPQRSTUVWX";

/// A grid of the Universal Polar Stereographic system.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PolarGrid {
    /// True for the north pole's.
    pub north: bool,
}

impl PolarGrid {
    /// The polar grid of a position on WGS 84: from 84° north, and beyond 80° south.
    pub fn of(at: Geographic) -> Option<PolarGrid> {
        match at.lat {
            lat if lat >= 84.0 => Some(PolarGrid { north: true }),
            lat if lat < -80.0 => Some(PolarGrid { north: false }),
            _ => None,
        }
    }

    /// Its WGS 84 system, easting before northing.
    ///
    /// # Errors
    /// If the registry lacks it, which it does not.
    pub fn crs(self) -> Result<Crs> {
        Crs::from_epsg(if self.north { 5041 } else { 5042 })
    }

    /// `UPS North`.
    pub fn name(self) -> &'static str {
        if self.north { "UPS North" } else { "UPS South" }
    }
}

/// A position written as zone, easting and northing.
#[derive(Clone, Debug, PartialEq)]
pub struct UtmText {
    /// The zone.
    pub zone: UtmZone,
    /// Easting and northing, metres.
    pub easting_m: f64,
    /// Northing, metres.
    pub northing_m: f64,
    /// What had to be decided, if anything: the letter S is a latitude band and a hemisphere.
    pub remark: Option<String>,
}

/// Reads `10T 705000 5254000`, `10N 705000 5254000`, `zone 10 north 705000E 5254000N`: the
/// letter behind the zone's number is a latitude band (C to X) or a hemisphere (N, S). `S` is
/// both: taken as the band (32° to 40° north) where the northing fits it, as the southern
/// hemisphere otherwise, and the remark says so.
///
/// ```
/// use velvet_peg_core::zones::utm_text;
/// let at = utm_text("10T 705000 5254000")?;
/// assert_eq!((at.zone.name().as_str(), at.easting_m), ("10N", 705_000.0));
/// let trap = utm_text("34S 300000 6250000")?; // near Cape Town, not in a band of 32° to 40° north
/// assert!(!trap.zone.is_north() && trap.remark.is_some());
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If it is not of this form, or the numbers cannot be in the zone.
pub fn utm_text(text: &str) -> Result<UtmText> {
    let malformed = || {
        Error::malformed(format!(
            "`{text}` is not a UTM position: write zone, easting and northing, as in `10T 705000 \
             5254000`"
        ))
    };
    let plain = text.to_uppercase().replace("UTM", " ").replace("ZONE", " ").replace(',', " ");
    let mut words = plain.split_whitespace();
    let first = words.next().ok_or_else(malformed)?;
    let digits: String = first.chars().take_while(char::is_ascii_digit).collect();
    let number: u8 = digits.parse().map_err(|_| malformed())?;
    if UtmZone::new(number, true).is_err() {
        return Err(Error::malformed(format!("`{text}`: there is no UTM zone {number}")));
    }
    let rest: Vec<&str> = words.collect();
    let (letter, numbers) = match (&first[digits.len()..], rest.as_slice()) {
        ("", [word, numbers @ ..]) => (*word, numbers),
        (letter, numbers) => (letter, numbers),
    };
    let number_of = |word: &str| -> Result<f64> {
        word.trim_end_matches(['E', 'N', 'M']).parse().map_err(|_| malformed())
    };
    let [easting, northing] = numbers else { return Err(malformed()) };
    let (easting_m, northing_m) = (number_of(easting)?, number_of(northing)?);
    if !(100_000.0..900_000.0).contains(&easting_m) || !(0.0..10_000_000.0).contains(&northing_m) {
        return Err(Error::out_of_domain(format!(
            "`{text}`: an easting in a UTM zone lies between 100 000 and 900 000 m, a northing \
             between 0 and 10 000 000 m; are the two swapped, or in feet?"
        )));
    }
    let mut remark = None;
    let north = match letter {
        "NORTH" | "NORTHERN" => true,
        "SOUTH" | "SOUTHERN" => false,
        "S" => {
            // 32° to 40° north is 3 540 to 4 430 km from the equator.
            let fits = (3_537_000.0..4_432_000.0).contains(&northing_m);
            remark = Some(match fits {
                true => format!(
                    "the S of `{text}` is taken as the latitude band from 32° to 40° north, which \
                     the northing fits; write SOUTH if the southern hemisphere is meant"
                ),
                false => format!(
                    "the S of `{text}` is taken as the southern hemisphere: the northing is not \
                     one of the latitude band S (32° to 40° north)"
                ),
            });
            fits
        }
        letter => {
            let mut letters = letter.chars();
            match (letters.next(), letters.next()) {
                (Some(band), None) if band.is_ascii() && BANDS.contains(&(band as u8)) => {
                    band >= 'N'
                }
                _ => return Err(malformed()),
            }
        }
    };
    Ok(UtmText { zone: UtmZone { number, north }, easting_m, northing_m, remark })
}

/// The name, such as `10N`.
impl fmt::Display for UtmZone {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.name())
    }
}
