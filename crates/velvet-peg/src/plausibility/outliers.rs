//! Looking for the trade's everyday mistakes in a column of positions: columns swapped, a
//! minus sign lost, feet taken for metres, a projected table declared geographic.
//!
//! Works on a bounded sample of the positions, so that it costs the same for any table.

use super::strays::{self, Stray, Strays, Suspect};
use crate::advice::Advice;
use crate::error::Error;
use crate::examples::Examples;
use crate::layer::{Extender, LayerInfo};
use crate::notice::{Notice, NoticeKind};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, Geographic};

/// Positions kept to know where the bulk of the data lies.
const SAMPLE: usize = 4096;

/// Spreads of the bulk within which positions are with it, and the least that counts as one, metres.
const REACH: f64 = 20.0;
const LEAST_REACH_M: f64 = 100.0;
/// Length of a degree of latitude, metres, as near as distances are told here.
const DEGREE_M: f64 = 111_200.0;

/// What the numbers count.
#[derive(Clone, Copy, Debug)]
enum Unit {
    /// Lengths of so many metres.
    Metres(f64),
    /// Angles of so many degrees.
    Degrees(f64),
}

/// Positions of slips that are kept to be shown.
const SHOWN: usize = 64;

fn keep(slips: &mut Vec<Suspect>, slip: Suspect) {
    if slips.len() < SHOWN {
        slips.push(slip);
    }
}

/// Gathers positions and then judges single rows against the bulk.
#[derive(Debug, Default)]
pub(crate) struct PositionSample {
    /// What is judged, if not rows.
    noun: Option<&'static str>,
    /// Nothing is kept or written by looking.
    looked: bool,
    /// Metres in a unit of the coordinates, or degrees in one, where the system says it.
    unit: Option<Unit>,
    seen: u64,
    /// Rows or features judged with all their vertices.
    features: u64,
    /// The row that was told last: each is told once.
    told: Option<u64>,
    x: Vec<f64>,
    y: Vec<f64>,
    centre: (f64, f64),
    spread: (f64, f64),
    flipped: Examples,
    swapped: Examples,
    strays: Strays,
    /// Where the first of the flipped and of the swapped ones are.
    flips: Vec<Suspect>,
    swaps: Vec<Suspect>,
}

impl PositionSample {
    /// Judges the vertices of features, not rows.
    pub(crate) fn of_features() -> PositionSample {
        PositionSample { noun: Some("feature"), ..PositionSample::default() }
    }

    /// These positions.
    pub(crate) fn of(positions: impl IntoIterator<Item = (f64, f64)>) -> PositionSample {
        let mut sample = PositionSample::default();
        positions.into_iter().for_each(|(x, y)| sample.gather(x, y));
        sample.settle();
        sample
    }

    /// The system that the positions are in, if it is known.
    pub(crate) fn set_system(&mut self, crs: Option<&Crs>) {
        self.unit = crs.and_then(|crs| match crs.degrees_per_unit() {
            Some(degrees) if crs.is_geographic() => Some(Unit::Degrees(degrees)),
            _ => crs.length_unit().map(|unit| Unit::Metres(unit.metres())),
        });
    }

    /// What is judged is only looked at.
    pub(crate) fn only_look(&mut self) {
        self.looked = true;
    }

    /// Adds a position to the sample: every position at first, then ever fewer.
    pub(crate) fn gather(&mut self, x: f64, y: f64) {
        self.seen += 1;
        let stride = (self.seen / SAMPLE as u64).next_power_of_two();
        if self.x.len() < SAMPLE || self.seen.is_multiple_of(stride) {
            if self.x.len() >= SAMPLE {
                // Replacing round robin keeps early and late rows.
                let at = (self.seen / stride) as usize % SAMPLE;
                (self.x[at], self.y[at]) = (x, y);
            } else {
                self.x.push(x);
                self.y.push(y);
            }
        }
    }

    /// Ends the gathering: finds the middle and the spread of the bulk.
    pub(crate) fn settle(&mut self) {
        let middle = |values: &[f64]| -> (f64, f64) {
            let mut sorted = values.to_vec();
            sorted.sort_by(f64::total_cmp);
            let last = sorted.len() - 1;
            let at = |share: f64| sorted[(last as f64 * share) as usize];
            // Of a few, all but the one that stands out.
            let spread = match last {
                0..=1 => at(1.0) - at(0.0),
                2..=9 => (sorted[last] - sorted[1]).min(sorted[last - 1] - sorted[0]),
                _ => at(0.9) - at(0.1),
            };
            (at(0.5), spread)
        };
        if self.x.is_empty() {
            return;
        }
        let (x, y) = (middle(&self.x), middle(&self.y));
        self.centre = (x.0, y.0);
        self.spread = (x.1, y.1);
    }

    /// Median of the positions gathered.
    pub(crate) fn centre(&self) -> Option<(f64, f64)> {
        (!self.x.is_empty()).then_some(self.centre)
    }

    /// Judges one row against the bulk.
    pub(crate) fn judge(&mut self, row: u64, x: f64, y: f64) {
        self.judge_one(row, x, y, false);
    }

    /// Judges the vertices of one feature against the bulk.
    pub(crate) fn judge_feature(&mut self, number: u64, x: &[f64], y: &[f64]) {
        self.features += 1;
        let near = x.iter().zip(y).filter(|(x, y)| self.near(**x, **y)).count();
        if near < x.len() {
            for (x, y) in x.iter().zip(y) {
                self.judge_one(number, *x, *y, near > 0);
            }
        }
    }

    fn judge_one(&mut self, number: u64, x: f64, y: f64, torn: bool) {
        // Two positions have no bulk to stand apart from.
        let told = self.noun.is_none() && self.told == Some(number);
        if self.seen < 3 || told || self.near(x, y) {
            return;
        }
        let (metres, spreads) = self.distance(x, y);
        if self.seen < strays::FEW && metres < strays::METRES_OF_FEW {
            return;
        }
        self.told = Some(number);
        let noun = self.noun.unwrap_or("row");
        let case = || format!("{noun} {number} ({}, {})", short(x), short(y));
        let slip = |what: &str| Suspect { number, x, y, what: what.to_string() };
        if self.near(-x, y) || self.near(x, -y) {
            self.flipped.add(case);
            keep(&mut self.flips, slip("a sign turned?"));
        } else if self.near(y, x) || self.near(-y, x) || self.near(y, -x) {
            self.swapped.add(case);
            keep(&mut self.swaps, slip("coordinates swapped?"));
        } else {
            // Few vertices are no evidence of a slip in one of them.
            let torn = torn && self.seen >= strays::FEW;
            self.strays.add(Stray { number, x, y, metres, spreads, torn });
        }
    }

    /// How far the bulk reaches from its middle, in units of the coordinates.
    fn reach(&self) -> f64 {
        let (across, along) = self.metres_of_units();
        REACH * self.spread.0.max(self.spread.1).max(LEAST_REACH_M / REACH / across.max(along))
    }

    /// True of a position within reach of the bulk; after [`PositionSample::settle`].
    pub(crate) fn near(&self, x: f64, y: f64) -> bool {
        let reach = self.reach();
        (x - self.centre.0).abs() <= reach && (y - self.centre.1).abs() <= reach
    }

    /// The unit that is known, or that of numbers that could be degrees.
    fn known_unit(&self) -> Option<Unit> {
        let could_be_degrees = self.centre.0.abs() <= 360.0 && self.centre.1.abs() <= 90.0;
        self.unit.or(could_be_degrees.then_some(Unit::Degrees(1.0)))
    }

    /// Metres in a unit of x and of y; what nobody knows counts as metres.
    fn metres_of_units(&self) -> (f64, f64) {
        match self.known_unit() {
            Some(Unit::Metres(metres)) => (metres, metres),
            Some(Unit::Degrees(degrees)) => {
                let north = (self.centre.1 * degrees).to_radians().cos().max(0.01);
                (DEGREE_M * degrees * north, DEGREE_M * degrees)
            }
            None => (1.0, 1.0),
        }
    }

    /// From the middle of the bulk: in metres, and in its spreads.
    fn distance(&self, x: f64, y: f64) -> (f64, f64) {
        let (across, along) = self.metres_of_units();
        let (east, north) = ((x - self.centre.0).abs(), (y - self.centre.1).abs());
        let spread = self.spread.0.max(self.spread.1).max(f64::MIN_POSITIVE);
        ((east * across).hypot(north * along), east.max(north) / spread)
    }

    /// Where the first of those that stood out are, by their numbers.
    #[cfg(feature = "drawing")]
    pub(crate) fn suspects(&self) -> Vec<Suspect> {
        let of = if self.features > 0 { self.features } else { self.seen };
        let known = self.known_unit().is_some();
        let mut suspects = self.strays.places(of, self.reach(), known);
        suspects.extend(self.flips.iter().chain(&self.swaps).cloned());
        suspects.sort_by_key(|suspect| suspect.number);
        suspects.dedup_by_key(|suspect| suspect.number);
        suspects
    }

    /// The positions that were kept.
    #[cfg(feature = "drawing")]
    pub(crate) fn kept(&self) -> impl Iterator<Item = (f64, f64)> {
        self.x.iter().copied().zip(self.y.iter().copied())
    }

    /// What stood out.
    pub(crate) fn notices(&self) -> Vec<Notice> {
        self.told().into_iter().map(|(notice, _)| notice).collect()
    }

    /// What stood out, each with where the first are.
    pub(crate) fn told(&self) -> Vec<(Notice, Vec<Suspect>)> {
        let mut notices = Vec::new();
        let noun = self.noun.unwrap_or("row");
        let unit = if self.noun.is_some() { "vertice" } else { "row" };
        let mut tell =
            |suspects: &Examples, at: Vec<Suspect>, (one, many): (&str, &str), what: &str| {
                let subject = match suspects.count {
                    0 => return,
                    1 => format!("1 {} {one}", if self.noun.is_some() { "vertex" } else { "row" }),
                    count => format!("{count} {unit}s {many}"),
                };
                let kept =
                    if self.noun.is_none() && !self.looked { "; kept as written" } else { "" };
                let notice = Notice::warning(
                    NoticeKind::Outliers,
                    format!("{subject} {what}{kept}: {}", suspects.listed()),
                );
                notices.push((notice.count(suspects.count), at));
            };
        let join = ("would join the others with", "would join the others with");
        let sign = "the sign turned (a lost minus or W?)";
        tell(&self.flipped, self.flips.clone(), join, sign);
        tell(&self.swapped, self.swaps.clone(), join, "the coordinates swapped");
        let of = if self.features > 0 { self.features } else { self.seen };
        let known = self.known_unit().is_some();
        let apart = self.strays.apart(noun, of, self.reach(), known);
        let places = self.strays.places(of, self.reach(), known);
        tell(&apart, places, ("lies", "lie"), "far from all others");
        notices
    }

    /// A warning where all numbers would be degrees in a system that counts metres or feet: no system
    /// of the dataset has its origin where it is used.
    fn degrees_in(&self, crs: &Crs) -> Option<Notice> {
        let small = crs.is_projected()
            && crs.code().is_some()
            && crs.length_unit().is_some_and(|unit| unit.metres() < 10.0)
            && self.x.iter().chain(&self.y).all(|value| value.abs() <= 360.0);
        let (x, y) = self.centre().filter(|_| small)?;
        // Nothing but zeros are no degrees either.
        let order = match (x.abs() <= 180.0 && y.abs() <= 90.0, x.abs() <= 90.0) {
            _ if x == 0.0 && y == 0.0 => return None,
            (true, _) => "",
            (false, true) => ", with the latitude as x",
            (false, false) => return None,
        };
        let text = format!(
            "all coordinates are within ±360, and {} counts {}: these look like degrees{order}, such \
             as those of EPSG:4326 (WGS 84)",
            crs.label(),
            crs.unit_plural()
        );
        Some(Notice::warning(NoticeKind::Area, text).advise(Advice::FindSystem))
    }

    /// What lies there.
    fn subject(&self) -> &'static str {
        if self.seen == 1 { "the position" } else { "the middle of the data" }
    }

    /// A warning of degrees of a world-wide system that lie in Antarctica and, with the coordinates
    /// swapped, elsewhere.
    fn at_the_pole(&self, crs: &Crs, at: Geographic, swapped: Geographic) -> Option<Notice> {
        let pole = Geographic { lat: -89.0, lon: 0.0 };
        let world = crs.is_geographic() && crs.extent().contains(pole);
        world.then(|| {
            let text = format!(
                "{} falls at latitude {:.4}°, longitude {:.4}°, in Antarctica; with x and y swapped \
                 it would be at latitude {:.4}°, longitude {:.4}°: are the columns the wrong way \
                 round?",
                self.subject(),
                at.lat,
                at.lon,
                swapped.lat,
                swapped.lon
            );
            Notice::warning(NoticeKind::Area, text)
                .with("latitude", at.lat, "degree")
                .with("longitude", at.lon, "degree")
        })
    }

    /// True if the middle lies where a system is used.
    fn lands(&self, crs: &Crs) -> bool {
        let place = || {
            let ((x, y), home) = (self.centre()?, crs.in_degrees()?);
            let at = Converter::new(crs, &home).ok()?.convert(Coordinate::xy(x, y)).ok()?;
            Some(crs.extent().contains(home.from_greenwich(at)))
        };
        place().unwrap_or(false)
    }

    /// Whether the bulk lies where the declared system is used, and if not, what would put
    /// it there.
    pub(crate) fn against(&self, crs: &Crs) -> Option<Notice> {
        let (x, y) = self.centre()?;
        if let Some(degrees) = self.degrees_in(crs) {
            return Some(degrees);
        }
        if crs.extent().boxes().is_empty() {
            return None;
        }
        let home = crs.in_degrees()?;
        let to_degrees = Converter::new(crs, &home).ok()?;
        let lands = |x: f64, y: f64| {
            let margin = if crs.is_projected() { 0.1 } else { 0.0 };
            to_degrees
                .convert(Coordinate::xy(x, y))
                .ok()
                .map(|at| home.from_greenwich(at))
                // Zones are carried on a little beyond their edge as a matter of course.
                .filter(|at| crs.extent().is_near(*at, margin))
        };
        if let Some(at) = lands(x, y) {
            // Rings about the pole have longitudes that are no latitudes.
            let all = self.x.iter().all(|x| x.abs() < 75.0) && self.y.iter().all(|y| *y < -60.0);
            let swapped = lands(y, x).filter(|_| all);
            return swapped.and_then(|swapped| self.at_the_pole(crs, at, swapped));
        }
        let feet = 0.3048;
        let mut advice = None;
        let hint = if lands(y, x).is_some() {
            match self.seen {
                1 => "; with x and y swapped it would be inside: is the northing first? Letters say \
                      which is which: N … E …",
                _ => "; with x and y swapped it would be inside: are the columns the wrong way round?",
            }
            .to_string()
        } else if crs.is_projected() && lands(x * feet, y * feet).is_some() {
            format!(
                "; taken as feet it would be inside: this system counts in {}",
                crs.unit_plural()
            )
        } else if crs.is_projected() && lands(x / feet, y / feet).is_some() {
            format!(
                "; taken as metres it would be inside: this system counts in {}",
                crs.unit_plural()
            )
        } else if lands(-x, y).is_some() {
            "; with the sign of x turned it would be inside: is a minus or W missing?".to_string()
        } else {
            advice = Some(Advice::FindSystem);
            "; is it the right system?".to_string()
        };
        let at = to_degrees.convert(Coordinate::xy(x, y)).ok().map(|at| home.from_greenwich(at));
        let place = at.map_or("nowhere on the map".to_string(), |at| {
            format!("latitude {:.4}°, longitude {:.4}°", at.lat, at.lon)
        });
        let (x, y) = (short(x), short(y));
        let outside = Notice::warning(
            NoticeKind::Area,
            format!(
                "{} ({x}, {y}) falls at {place}, outside the area where {} is \
                 used ({}){hint}",
                self.subject(),
                crs.label(),
                crs.extent().name()
            ),
        )
        .advise_if(advice);
        Some(match at {
            Some(at) => {
                outside.with("latitude", at.lat, "degree").with("longitude", at.lon, "degree")
            }
            None => outside,
        })
    }
}

/// A warning of a layer that lies elsewhere than its system is used, by its extent.
pub(crate) fn extent_against(info: &LayerInfo) -> Option<Notice> {
    box_against(&info.extent?, info.crs.as_ref()?)
}

/// The error of finding no way between two systems: what lies elsewhere than its own is used finds
/// none that is for its place.
pub(crate) fn no_way(
    error: velvet_peg_core::Error,
    source: &Crs,
    extent: Option<&Bounds>,
) -> Error {
    let astray =
        extent.filter(|_| error.is_no_route()).and_then(|extent| box_against(extent, source));
    match astray {
        None => Error::from(error),
        Some(why) => Error::data(format!("{error}: {}", why.text)).advise_if(why.advice),
    }
}

/// A warning of a box that lies elsewhere than its system is used.
pub(crate) fn box_against(extent: &Bounds, crs: &Crs) -> Option<Notice> {
    let Bounds { west, south, east, north } = *extent;
    let middle = ((west + east) / 2.0, (south + north) / 2.0);
    let sample = PositionSample::of([(west, south), middle, (east, north)]);
    // One stray feature makes an extent wide: what it has of the area may be all the others.
    let wide = sample.degrees_in(crs).is_none()
        && areas_of(crs).iter().any(|area| {
            area.west <= east && area.east >= west && area.south <= north && area.north >= south
        });
    if wide && !sample.lands(crs) { None } else { sample.against(crs) }
}

/// Boxes around the areas of a system, in its coordinates.
fn areas_of(crs: &Crs) -> Vec<Bounds> {
    const STEPS: u32 = 8;
    let Some(home) = crs.in_degrees() else { return Vec::new() };
    let Ok(converter) = Converter::new(&home, crs) else { return Vec::new() };
    let mut areas = Vec::new();
    for area in crs.extent().boxes() {
        let east = if area.east < area.west { area.east + 360.0 } else { area.east };
        let mut extender = Extender::default();
        for step in 0..=STEPS {
            for other in 0..=STEPS {
                let share = |step: u32| f64::from(step) / f64::from(STEPS);
                let lon = area.west + (east - area.west) * share(step);
                let lat = area.south + (area.north - area.south) * share(other);
                let place = Coordinate::xy((lon + 540.0).rem_euclid(360.0) - 180.0, lat);
                if let Ok(at) = converter.convert(place) {
                    extender.point(at.x, at.y);
                }
            }
        }
        areas.extend(extender.bounds());
    }
    areas
}

/// A coordinate to the centimetre or so, for messages.
pub(crate) fn short(value: f64) -> String {
    let decimals = if value.abs() <= 360.0 { 7 } else { 3 };
    let text = format!("{value:.decimals$}");
    text.trim_end_matches('0').trim_end_matches('.').to_string()
}
