//! Counties of the United States: which one a place lies in.
//!
//! Source: cartographic boundaries of the US Census Bureau, 1:10 000 000, whose lines are
//! generalised: see [`super::OUTLINE_UNCERTAINTY_M`].

use crate::position::Geographic;
use std::sync::OnceLock;
use velvet_peg_epsg::{Outlines, outlines};

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

/// Outlines with the boxes of the counties.
pub(crate) struct Atlas {
    pub(crate) outlines: Outlines,
    /// West, south, east, north of each county.
    boxes: Vec<[f64; 4]>,
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
                let mut limits =
                    [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY];
                for arc in county.polygons.iter().flatten().flatten() {
                    for (lon, lat) in &outlines.arcs[arc_number(*arc)] {
                        limits = [
                            limits[0].min(*lon),
                            limits[1].min(*lat),
                            limits[2].max(*lon),
                            limits[3].max(*lat),
                        ];
                    }
                }
                limits
            })
            .collect();
        Atlas { outlines, boxes }
    })
}

/// Index of an arc, whichever way it is run.
pub(crate) fn arc_number(arc: i64) -> usize {
    (if arc < 0 { !arc } else { arc }) as usize
}

impl Atlas {
    pub(crate) fn county(&self, at: usize) -> County {
        let outline = &self.outlines.counties[at];
        let state = self.outlines.states.iter().find(|(fips, _)| *fips == outline.fips / 1000);
        County { fips: outline.fips, name: outline.name, state: state.map_or("", |(_, name)| name) }
    }

    /// Index of the county that holds a place.
    pub(crate) fn find(&self, at: Geographic) -> Option<usize> {
        (0..self.boxes.len()).find(|county| {
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

/// Counties of a name, such as `Douglas county, Washington` or `Douglas, WA`'s long form; all
/// of that name where no state is given.
///
/// ```
/// use velvet_peg_core::zones::county_named;
/// assert_eq!(county_named("Douglas county, Washington").len(), 1);
/// assert!(county_named("Douglas").len() > 5);
/// ```
pub fn county_named(text: &str) -> Vec<County> {
    let folded = |text: &str| -> String {
        let lower = text.to_lowercase();
        let words: Vec<&str> = lower
            .split(|c: char| !c.is_alphanumeric())
            .filter(|word| !["county", "parish", "borough", "of", ""].contains(word))
            .collect();
        words.concat()
    };
    let (name, state) = match text.rsplit_once(',') {
        Some((name, state)) => (folded(name), folded(state)),
        None => (folded(text), String::new()),
    };
    let atlas = atlas();
    (0..atlas.outlines.counties.len())
        .map(|at| atlas.county(at))
        .filter(|county| folded(county.name) == name)
        .filter(|county| state.is_empty() || folded(county.state) == state)
        .collect()
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
