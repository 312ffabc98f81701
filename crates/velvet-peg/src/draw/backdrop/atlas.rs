//! Outlines of states, counties, land and countries, decoded once.

#[cfg(feature = "backdrop")]
use crate::draw::view::Window;
use std::collections::HashMap;
use std::sync::OnceLock;
#[cfg(feature = "backdrop")]
use velvet_peg_core::Geographic;
#[cfg(feature = "backdrop")]
use velvet_peg_core::registry::{Arc, Countries, Land, Polygons, countries, land};
use velvet_peg_core::registry::{Outlines, outlines};

/// Counties of the United States, and which arcs of them divide states.
pub(in crate::draw) struct Counties {
    pub(in crate::draw) outlines: Outlines,
    /// Arcs with another state, or none, on their other side.
    pub(in crate::draw) divides_states: Vec<bool>,
    /// Arcs with nothing on their other side.
    pub(in crate::draw) outer: Vec<bool>,
}

pub(in crate::draw) fn counties() -> &'static Counties {
    static COUNTIES: OnceLock<Counties> = OnceLock::new();
    COUNTIES.get_or_init(|| {
        let outlines = outlines();
        let mut sides: HashMap<usize, Vec<u32>> = HashMap::new();
        for county in &outlines.counties {
            for arc in county.polygons.iter().flatten().flatten() {
                sides.entry(arc_number(*arc)).or_default().push(county.fips / 1000);
            }
        }
        let of = |at: usize| sides.get(&at).map_or(&[][..], Vec::as_slice);
        let arcs = 0..outlines.arcs.len();
        let outer = arcs.clone().map(|at| of(at).len() < 2).collect();
        let divides_states = arcs
            .map(|at| of(at).len() < 2 || of(at).windows(2).any(|pair| pair[0] != pair[1]))
            .collect();
        Counties { outlines, divides_states, outer }
    })
}

fn arc_number(arc: i64) -> usize {
    (if arc < 0 { !arc } else { arc }) as usize
}

#[cfg(feature = "backdrop")]
pub(in crate::draw) fn whole_land() -> &'static Land {
    static LAND: OnceLock<Land> = OnceLock::new();
    LAND.get_or_init(land)
}

/// A ring, and the window around it.
#[cfg(feature = "backdrop")]
struct Ring {
    window: Window,
    /// Longitudes and latitudes.
    places: Vec<(f64, f64)>,
}

/// Degrees around a place without land from which on it is at sea: outlines are rough.
#[cfg(feature = "backdrop")]
const OFF_SHORE: f64 = 0.1;

/// True of a place with no land near it.
#[cfg(feature = "backdrop")]
pub(in crate::draw) fn is_at_sea(at: Geographic) -> bool {
    static RINGS: OnceLock<Vec<Ring>> = OnceLock::new();
    let rings = RINGS.get_or_init(|| {
        let land = whole_land();
        rings_of(&land.arcs, &land.polygons)
    });
    let east = OFF_SHORE / at.lat.to_radians().cos().max(0.05);
    let around = [(0.0, 0.0), (east, 0.0), (-east, 0.0), (0.0, OFF_SHORE), (0.0, -OFF_SHORE)];
    let on_land = |lon: f64, lat: f64| {
        rings.iter().filter(|ring| ring.holds(Geographic { lon, lat })).count() % 2 == 1
    };
    !around.into_iter().any(|(across, up)| {
        let turns = [-360.0, 0.0, 360.0];
        turns.into_iter().any(|turn| on_land(at.lon + across + turn, at.lat + up))
    })
}

/// Countries, and which arcs of them divide two.
#[cfg(feature = "backdrop")]
pub(in crate::draw) struct Borders {
    pub(in crate::draw) countries: Countries,
    pub(in crate::draw) divides: Vec<bool>,
    /// Their rings, to look places up in.
    rings: Vec<Vec<Ring>>,
}

#[cfg(feature = "backdrop")]
pub(in crate::draw) fn borders() -> &'static Borders {
    static BORDERS: OnceLock<Borders> = OnceLock::new();
    BORDERS.get_or_init(|| {
        let countries = countries();
        let mut sides = vec![0_u32; countries.arcs.len()];
        for country in &countries.countries {
            for arc in country.polygons.iter().flatten().flatten() {
                sides[arc_number(*arc)] += 1;
            }
        }
        let divides = sides.into_iter().map(|sides| sides > 1).collect();
        let rings = countries
            .countries
            .iter()
            .map(|country| rings_of(&countries.arcs, &country.polygons))
            .collect();
        Borders { countries, divides, rings }
    })
}

#[cfg(feature = "backdrop")]
impl Borders {
    /// Name of the country that a place lies in, by the outlines.
    pub(in crate::draw) fn country_at(&self, at: Geographic) -> Option<&'static str> {
        let found = self.rings.iter().position(|rings| {
            // Even-odd rule over all rings: holes and islands need no care. Some go on beyond 180°.
            [-360.0, 0.0, 360.0].into_iter().any(|turn| {
                let at = Geographic { lon: at.lon + turn, ..at };
                rings.iter().fold(false, |inside, ring| inside != ring.holds(at))
            })
        })?;
        Some(self.countries.countries[found].name)
    }
}

#[cfg(feature = "backdrop")]
fn rings_of(arcs: &[Arc], polygons: &Polygons) -> Vec<Ring> {
    let ring = |numbers: &Vec<i64>| {
        let places = super::outline::ring(arcs, numbers);
        Ring { window: Window::around(&places), places }
    };
    polygons.iter().flatten().map(ring).collect()
}

#[cfg(feature = "backdrop")]
impl Ring {
    /// True of a place inside, by the even-odd rule.
    fn holds(&self, Geographic { lon, lat }: Geographic) -> bool {
        self.window.holds(lon, lat)
            && self.places.windows(2).fold(false, |inside, pair| {
                let ((x1, y1), (x2, y2)) = (pair[0], pair[1]);
                let crosses =
                    (y1 > lat) != (y2 > lat) && lon < (x2 - x1) * (lat - y1) / (y2 - y1) + x1;
                inside != crosses
            })
    }
}
