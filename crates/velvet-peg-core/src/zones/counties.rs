//! Counties of the United States: which one a place lies in.
//!
//! Source: cartographic boundaries of the US Census Bureau, 1:10 000 000, whose lines are
//! generalised: see [`super::OUTLINE_UNCERTAINTY_M`].

use crate::math::degrees::wrap;
use crate::position::Geographic;
use crate::states::POSTAL;
use crate::zones::UtmZone;
use std::collections::HashMap;
use std::sync::OnceLock;
use velvet_peg_epsg::{CountyOutline, Outlines, outlines};

/// A county (parish, borough, census area, municipio).
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct County {
    /// FIPS number; the thousands are the state's.
    pub fips: u32,
    /// Name without "county".
    pub name: &'static str,
    /// Name of the state.
    pub state: &'static str,
}

impl County {
    /// True if it is called a county: not a parish, borough, census area, municipio or island, nor a
    /// city apart from counties.
    pub fn is_county(&self) -> bool {
        !matches!(self.fips / 1000, 2 | 11 | 22 | 60 | 66 | 69 | 72 | 78) && !apart(self.fips)
    }

    /// Name and state, such as `Douglas, Washington`; of a city apart from counties
    /// `Richmond city, Virginia`, for there may be a county of its name.
    pub fn label(&self) -> String {
        let kind = if apart(self.fips) && !self.name.ends_with("City") { " city" } else { "" };
        format!("{}{kind}, {}", self.name, self.state)
    }

    /// As [`County::label`], with the noun where it is called a county: `Douglas county, Washington`.
    pub fn described(&self) -> String {
        match self.is_county() {
            true => format!("{} county, {}", self.name, self.state),
            false => self.label(),
        }
    }
}

/// Outlines with the boxes of the counties.
pub(crate) struct Atlas {
    pub(crate) outlines: Outlines,
    /// West, south, east, north of each county.
    boxes: Vec<[f64; 4]>,
    /// Which boxes touch a square of the Earth, by [`square`].
    squares: Vec<Vec<u16>>,
}

/// Side of a square of [`Atlas::squares`], degrees.
const SQUARE: f64 = 4.0;
/// Squares from west to east.
const SQUARES_AROUND: usize = (360.0 / SQUARE) as usize;

/// Column and row of the square that holds a place.
fn square(lon: f64, lat: f64) -> (usize, usize) {
    let number = |from_edge: f64| (from_edge / SQUARE).max(0.0) as usize;
    (
        number(lon + 180.0).min(SQUARES_AROUND - 1),
        number(lat + 90.0).min((180.0 / SQUARE) as usize - 1),
    )
}

/// For each square, the numbers of the boxes that touch it, in order.
fn squares(boxes: &[[f64; 4]]) -> Vec<Vec<u16>> {
    let mut squares = vec![Vec::new(); SQUARES_AROUND * (180.0 / SQUARE) as usize];
    for (number, [west, south, east, north]) in boxes.iter().enumerate() {
        let (from, to) = (square(*west, *south), square(*east, *north));
        for row in from.1..=to.1 {
            for column in from.0..=to.0 {
                squares[row * SQUARES_AROUND + column].push(number as u16);
            }
        }
    }
    squares
}

/// The outlines, decoded once.
pub(crate) fn atlas() -> &'static Atlas {
    static ATLAS: OnceLock<Atlas> = OnceLock::new();
    ATLAS.get_or_init(|| {
        let outlines = outlines();
        let boxes = outlines
            .counties
            .iter()
            .map(|county| {
                let none = [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY];
                vertices(&outlines, county).fold(none, |limits, (lon, lat)| {
                    let [west, south, east, north] = limits;
                    [west.min(lon), south.min(lat), east.max(lon), north.max(lat)]
                })
            })
            .collect::<Vec<_>>();
        let squares = squares(&boxes);
        Atlas { outlines, boxes, squares }
    })
}

/// Index of an arc, whichever way it is run.
pub(crate) fn arc_number(arc: i64) -> usize {
    (if arc < 0 { !arc } else { arc }) as usize
}

/// Vertices of all lines of a county.
fn vertices<'a>(
    outlines: &'a Outlines,
    county: &'a CountyOutline,
) -> impl Iterator<Item = (f64, f64)> + 'a {
    let arcs = county.polygons.iter().flatten().flatten();
    arcs.flat_map(|arc| outlines.arcs[arc_number(*arc)].iter().copied())
}

impl Atlas {
    /// Vertices of all lines of a county by its index.
    fn vertices(&self, county: usize) -> impl Iterator<Item = (f64, f64)> + '_ {
        vertices(&self.outlines, &self.outlines.counties[county])
    }

    pub(crate) fn county(&self, at: usize) -> County {
        let outline = &self.outlines.counties[at];
        let state = self.outlines.states.iter().find(|(fips, _)| *fips == outline.fips / 1000);
        County { fips: outline.fips, name: outline.name, state: state.map_or("", |(_, name)| name) }
    }

    /// Index of the county that holds a place.
    pub(crate) fn find(&self, at: Geographic) -> Option<usize> {
        let (column, row) = square(at.lon, at.lat);
        let near = &self.squares[row * SQUARES_AROUND + column];
        near.iter().map(|number| usize::from(*number)).find(|county| {
            let [west, south, east, north] = self.boxes[*county];
            (west..=east).contains(&at.lon)
                && (south..=north).contains(&at.lat)
                && self.holds(*county, at)
        })
    }

    /// Even-odd rule over all lines of the outline: holes and islands need no care.
    fn holds(&self, county: usize, at: Geographic) -> bool {
        let Geographic { lon, lat } = at;
        let mut inside = false;
        for arc in self.outlines.counties[county].polygons.iter().flatten().flatten() {
            for pair in self.outlines.arcs[arc_number(*arc)].windows(2) {
                let ((x1, y1), (x2, y2)) = (pair[0], pair[1]);
                if (y1 > lat) != (y2 > lat) && lon < (x2 - x1) * (lat - y1) / (y2 - y1) + x1 {
                    inside = !inside;
                }
            }
        }
        inside
    }
}

/// The UTM zones of a county by its FIPS number, each with the share of its area, the largest first; what
/// is less than a hundredth is left out, for outlines are known no better.
///
/// ```
/// use velvet_peg_core::zones::{county_named, utm_zones_of_county};
/// let douglas = &county_named("Douglas county, Washington")[0];
/// let zones = utm_zones_of_county(douglas.fips);
/// let names: Vec<String> = zones.iter().map(|(zone, _)| zone.name()).collect();
/// assert_eq!(names, ["11N", "10N"]);
/// ```
pub fn utm_zones_of_county(fips: u32) -> Vec<(UtmZone, f64)> {
    const SIDE: usize = 100;
    let atlas = atlas();
    let Some(county) = atlas.outlines.counties.iter().position(|county| county.fips == fips) else {
        return Vec::new();
    };
    let [mut west, south, mut east, north] = atlas.boxes[county];
    if east - west > 180.0 {
        // Across the antimeridian: longitudes eastward from Greenwich.
        let lons = || atlas.vertices(county).map(|(lon, _)| lon.rem_euclid(360.0));
        (west, east) = (lons().fold(f64::INFINITY, f64::min), lons().fold(0.0, f64::max));
    }
    let along =
        |low: f64, high: f64, at: usize| low + (high - low) * (at as f64 + 0.5) / SIDE as f64;
    let mut counts: Vec<(UtmZone, usize)> = Vec::new();
    for at in 0..SIDE * SIDE {
        let place = Geographic {
            lat: along(south, north, at / SIDE),
            lon: wrap(along(west, east, at % SIDE)),
        };
        let Some(zone) = UtmZone::of(place).filter(|_| atlas.holds(county, place)) else {
            continue;
        };
        match counts.iter_mut().find(|(known, _)| *known == zone) {
            Some((_, count)) => *count += 1,
            None => counts.push((zone, 1)),
        }
    }
    let all: usize = counts.iter().map(|(_, count)| count).sum();
    let mut shares: Vec<(UtmZone, f64)> =
        counts.into_iter().map(|(zone, count)| (zone, count as f64 / all as f64)).collect();
    shares.retain(|(_, share)| *share >= 0.01);
    shares.sort_by(|a, b| b.1.total_cmp(&a.1));
    shares
}

/// The county that holds a position in degrees (NAD83, or WGS 84 for that matter); none
/// outside the United States.
///
/// ```
/// use velvet_peg_core::{Geographic, zones::county_at};
/// let county = county_at(Geographic { lat: 47.6, lon: -119.9 }).unwrap();
/// assert_eq!((county.name, county.state), ("Douglas", "Washington"));
/// assert!(county_at(Geographic { lat: 51.5, lon: 0.0 }).is_none());
/// ```
pub fn county_at(at: Geographic) -> Option<County> {
    let atlas = atlas();
    atlas.find(at).map(|county| atlas.county(county))
}

/// Counties of a name, such as `Douglas county, Washington`, `Douglas, WA`, `Saint Louis MO` or
/// `Dona Ana`; all of that name where no state is given. The kind decides between a county and a city
/// of one name: `Richmond city, VA`.
///
/// ```
/// use velvet_peg_core::zones::county_named;
/// assert_eq!(county_named("Douglas county, Washington").len(), 1);
/// assert_eq!(county_named("st louis city, mo")[0].fips, 29510);
/// assert!(county_named("Douglas").len() > 5);
/// ```
pub fn county_named(text: &str) -> Vec<County> {
    let words = words(text);
    // The whole may be a name; otherwise its last words name a state.
    let whole = of_words(&words, None);
    if !whole.is_empty() {
        return whole;
    }
    (1..words.len())
        .filter_map(|at| Some(of_words(&words[..at], Some(state_number(&words[at..])?))))
        .find(|counties| !counties.is_empty())
        .unwrap_or_default()
}

/// What a county is called beside its name, and whether that is a city apart from counties.
const KINDS: [(&str, Option<bool>); 10] = [
    ("county", Some(false)),
    ("parish", Some(false)),
    ("borough", Some(false)),
    ("census", Some(false)),
    ("area", Some(false)),
    ("municipio", Some(false)),
    ("municipality", Some(false)),
    ("city", Some(true)),
    ("of", None),
    ("and", None),
];

/// The counties of a name in words, in a state.
fn of_words(name: &[String], state: Option<u32>) -> Vec<County> {
    let atlas = atlas();
    let kind = |word: &String| KINDS.iter().find(|(kind, _)| kind == word);
    let plain: String = name.iter().filter(|word| kind(word).is_none()).cloned().collect();
    let full = name.concat();
    let is_city = match name.iter().filter_map(|word| kind(word)?.1).reduce(|a, b| a && b) {
        // A name may have the word itself, as James City county has.
        Some(true) if !plain.is_empty() => Some(true),
        kind => kind.filter(|city| !city),
    };
    // Some kinds are of one state.
    let of_kind = |word: &String| match word.as_str() {
        "parish" => Some(22),
        "borough" | "census" => Some(2),
        "municipio" => Some(72),
        _ => None,
    };
    let state = state.or_else(|| name.iter().find_map(of_kind));
    let is = |wanted: &str| -> Vec<County> {
        let same = by_name().get(wanted).into_iter().flatten();
        let of_state = |at: &&usize| {
            state.is_none_or(|fips| atlas.outlines.counties[**at].fips / 1000 == fips)
        };
        same.filter(of_state).map(|at| atlas.county(*at)).collect()
    };
    // "Carson City" and "James City county" have the word in their names.
    let with_its_words: String =
        name.iter().filter(|word| !matches!(kind(word), Some((_, Some(false))))).cloned().collect();
    let mut found: Vec<County> = [full, with_its_words, plain]
        .iter()
        .map(|name| is(name))
        .find(|f| !f.is_empty())
        .unwrap_or_default();
    if let Some(city) = is_city
        && found.iter().any(|county| apart(county.fips) == city)
    {
        found.retain(|county| apart(county.fips) == city);
    }
    found
}

/// Counties by the words of their names, one behind the other.
fn by_name() -> &'static HashMap<String, Vec<usize>> {
    static NAMES: OnceLock<HashMap<String, Vec<usize>>> = OnceLock::new();
    NAMES.get_or_init(|| {
        let mut names: HashMap<String, Vec<usize>> = HashMap::new();
        for (at, county) in atlas().outlines.counties.iter().enumerate() {
            names.entry(words(county.name).concat()).or_default().push(at);
        }
        names
    })
}

/// Whether a number is that of a city apart from counties: in Virginia, Maryland, Missouri and Nevada
/// they follow the counties from 510 on.
fn apart(fips: u32) -> bool {
    matches!(fips / 1000, 24 | 29 | 32 | 51) && fips % 1000 >= 510
}

/// Small letters without marks, words apart; what is written in several ways in one.
fn words(text: &str) -> Vec<String> {
    crate::spelling::plain(text)
        .replace('\'', "")
        .split(|c: char| !c.is_alphanumeric())
        .filter(|word| !word.is_empty())
        .map(|word| match word {
            "st" | "ste" | "sainte" => "saint".to_string(),
            "co" if text.contains("Co.") => "county".to_string(),
            other => other.to_string(),
        })
        .collect()
}

/// The FIPS number of a state by its name or its postal letters.
fn state_number(name: &[String]) -> Option<u32> {
    let long = match name {
        [letters] => POSTAL.iter().find(|(postal, _)| postal == letters).map(|(_, long)| *long),
        _ => None,
    };
    let wanted = long.map_or_else(|| name.join(" "), str::to_string);
    let states = &atlas().outlines.states;
    states.iter().find(|(_, own)| own.eq_ignore_ascii_case(&wanted)).map(|(fips, _)| *fips)
}

/// The middle of a state's box, by its name.
pub(crate) fn state_centre(name: &str) -> Option<Geographic> {
    let atlas = atlas();
    let (fips, _) =
        atlas.outlines.states.iter().find(|(_, state)| state.eq_ignore_ascii_case(name))?;
    let boxes = atlas.outlines.counties.iter().zip(&atlas.boxes);
    let own: Vec<&[f64; 4]> =
        boxes.filter(|(county, _)| county.fips / 1000 == *fips).map(|(_, limits)| limits).collect();
    let middle = |low: usize, high: usize| -> f64 {
        let from = own.iter().map(|limits| limits[low]).fold(f64::INFINITY, f64::min);
        let to = own.iter().map(|limits| limits[high]).fold(f64::NEG_INFINITY, f64::max);
        (from + to) / 2.0
    };
    // Alaska's box reaches round 180°: its mainland is meant.
    let lon = if name.eq_ignore_ascii_case("Alaska") { -152.0 } else { middle(0, 2) };
    Some(Geographic { lat: middle(1, 3), lon })
}
