//! What lies under the layers: land and water, and the lines and names of countries, states and
//! counties, as much of them as the scale of the map can show.

mod atlas;
mod names;
mod outline;

pub(super) use atlas::counties;
#[cfg(feature = "backdrop")]
pub(super) use atlas::{borders, whole_land};
pub(super) use names::{Name, named, whereabouts};
pub(super) use outline::{Line, ring};

use super::view::{View, Window};
use names::Level;
use velvet_peg_core::zones::county_at;

/// Kilometres across from which on outlines are told: below, they are too rough to tell water from
/// land; counties are too small above, and so on.
const LAND_KM: f64 = 60.0;
const COUNTIES_KM: f64 = 1_200.0;
const COUNTY_NAMES_KM: f64 = 500.0;
const STATES_KM: f64 = 7_000.0;
const COUNTRY_NAMES_KM: f64 = 900.0;
const ROUGH_KM: f64 = 8_000.0;

/// The backdrop of a view, in pixels.
#[derive(Debug, Default)]
pub(super) struct Backdrop {
    /// What of the Earth is shown, where land and water are told apart.
    pub(super) water: Vec<Line>,
    pub(super) land: Vec<Line>,
    /// Land by the outlines of counties, which are finer; it lies over the other.
    pub(super) county_land: Vec<Line>,
    pub(super) coasts: Vec<Line>,
    pub(super) countries: Vec<Line>,
    pub(super) states: Vec<Line>,
    pub(super) counties: Vec<Line>,
    pub(super) names: Vec<Name>,
    /// Where the lines are from, and how good they are.
    pub(super) sources: Vec<&'static str>,
}

impl Backdrop {
    pub(super) fn of(view: &View) -> Backdrop {
        let mut backdrop = Backdrop::default();
        let (Some(window), Some(metres)) = (view.window(), view.metres_across()) else {
            return backdrop;
        };
        let km = metres / 1000.0;
        backdrop.world(view, &window, km);
        let in_states = backdrop.united_states(view, &window, km);
        let level = match km {
            km if km < COUNTY_NAMES_KM => Level::Counties,
            km if km < STATES_KM / 2.0 => Level::States,
            _ => Level::Countries,
        };
        if in_states || level == Level::Countries {
            backdrop.names = names::in_view(view, level);
        }
        if level != Level::Countries && km > COUNTRY_NAMES_KM / 3.0 && cfg!(feature = "backdrop") {
            let countries = names::in_view(view, Level::Countries);
            let own = countries.into_iter().filter(|name| !name.text.starts_with("United States"));
            backdrop.names.extend(own);
        }
        backdrop
    }

    #[cfg(feature = "backdrop")]
    fn world(&mut self, view: &View, window: &Window, km: f64) {
        if km < LAND_KM {
            return;
        }
        let Window { west, south, east, north } = *window;
        let whole = [(west, south), (east, south), (east, north), (west, north)];
        outline::fill(view, window, &whole, &mut self.water);
        let borders = borders();
        let countries = &borders.countries;
        if km > ROUGH_KM {
            for country in &countries.countries {
                let polygons = &country.polygons;
                outline::filled(view, window, &countries.arcs, polygons, &mut self.land);
            }
            for (arc, divides) in countries.arcs.iter().zip(&borders.divides) {
                let lines = if *divides { &mut self.countries } else { &mut self.coasts };
                outline::seen(view, window, arc, lines);
            }
            self.sources.push("land and countries: Natural Earth, 1:110 000 000");
            return;
        }
        let land = whole_land();
        outline::filled(view, window, &land.arcs, &land.polygons, &mut self.land);
        if km > 300.0 {
            land.arcs.iter().for_each(|arc| outline::seen(view, window, arc, &mut self.coasts));
            // At this scale the borders of countries are rough, and its coasts would stand beside
            // those of the land.
            for (arc, divides) in countries.arcs.iter().zip(&borders.divides) {
                if *divides && km > COUNTRY_NAMES_KM {
                    outline::seen(view, window, arc, &mut self.countries);
                }
            }
        }
        self.sources.push("land: Natural Earth, 1:50 000 000");
    }

    #[cfg(not(feature = "backdrop"))]
    fn world(&mut self, _: &View, _: &Window, _: f64) {}

    /// Lines of states and counties; true if there are any.
    fn united_states(&mut self, view: &View, window: &Window, km: f64) -> bool {
        if km > STATES_KM {
            return false;
        }
        let atlas = counties();
        let (with_counties, close) = (km < COUNTIES_KM, km < 300.0);
        for (at, arc) in atlas.outlines.arcs.iter().enumerate() {
            // Coasts are those of the land, but where they are too rough.
            let lines = match (atlas.divides_states[at], atlas.outer[at]) {
                (_, true) if close || self.water.is_empty() => &mut self.states,
                (_, true) => continue,
                (true, false) => &mut self.states,
                (false, false) if with_counties => &mut self.counties,
                (false, false) => continue,
            };
            outline::seen(view, window, arc, lines);
        }
        let any = !(self.states.is_empty() && self.counties.is_empty());
        if any && close && !self.water.is_empty() {
            for county in &atlas.outlines.counties {
                let arcs = &atlas.outlines.arcs;
                outline::filled(view, window, arcs, &county.polygons, &mut self.county_land);
            }
        }
        // Inside one county no line is seen, and its name is.
        let inside = || view.place_at(view.centre()).is_some_and(|at| county_at(at).is_some());
        let any = any || inside();
        if any {
            self.sources.push(match with_counties {
                true => "counties: US Census Bureau, 1:10 000 000, good to some 2 km",
                false => "states: US Census Bureau, 1:10 000 000",
            });
        }
        any
    }
}

/// Lines of longitudes and latitudes as a view shows them.
pub(super) fn lines_seen(view: &View, lines: &[Vec<(f64, f64)>]) -> Vec<Line> {
    let mut seen = Vec::new();
    if let Some(window) = view.window() {
        lines.iter().for_each(|line| outline::seen(view, &window, line, &mut seen));
    }
    seen
}
