//! Guessing the reference system of coordinates that come without one, from what is known of
//! where they should be.
//!
//! Every system of the registry whose area of use reaches the place expected is tried, with
//! the readings that everyday mistakes suggest: as written, swapped, with a sign lost, in feet
//! though the system counts metres, or the other way round. They are ranked by how far the
//! positions land from where they should be. Systems that land too near to each other to be
//! told apart are named together, with the distance between their answers.

mod surroundings;
mod target;

pub use surroundings::Surroundings;
pub use target::Expected;

use crate::converter::{Converter, PlanOptions};
use crate::crs::{Crs, Mapping};
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::extent::{Bounds, Extent};
use crate::geodesic::Geodesic;
use crate::position::{Coordinate, Geographic};
use std::collections::HashMap;
use target::Target;
use velvet_peg_epsg::{CrsKind, CrsRow};

/// How coordinates are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Hypothesis {
    /// As they are written.
    AsWritten,
    /// First and second swapped.
    Swapped,
    /// The sign of the longitude lost.
    LongitudeSign,
    /// The sign of the latitude lost.
    LatitudeSign,
    /// Written in US survey feet, where the system counts metres.
    InUsSurveyFeet,
    /// Written in international feet, where the system counts metres.
    InFeet,
    /// Written in metres, where the system counts feet.
    InMetres,
}

impl Hypothesis {
    /// In words.
    pub fn text(self) -> &'static str {
        match self {
            Hypothesis::AsWritten => "as written",
            Hypothesis::Swapped => "x and y swapped",
            Hypothesis::LongitudeSign => "longitude with its sign turned",
            Hypothesis::LatitudeSign => "latitude with its sign turned",
            Hypothesis::InUsSurveyFeet => "numbers in US survey feet, system in metres",
            Hypothesis::InFeet => "numbers in international feet, system in metres",
            Hypothesis::InMetres => "numbers in metres, system in feet",
        }
    }

    fn apply(self, (x, y): (f64, f64), unit_m: f64) -> (f64, f64) {
        let times = |metres: f64| (x * metres / unit_m, y * metres / unit_m);
        match self {
            Hypothesis::AsWritten => (x, y),
            Hypothesis::Swapped => (y, x),
            Hypothesis::LongitudeSign => (-x, y),
            Hypothesis::LatitudeSign => (x, -y),
            Hypothesis::InUsSurveyFeet => times(1200.0 / 3937.0),
            Hypothesis::InFeet => times(0.3048),
            Hypothesis::InMetres => times(1.0),
        }
    }
}

/// A system in which coordinates land where they should be, or near it.
#[derive(Clone, Debug)]
pub struct Guess {
    /// The system.
    pub crs: Crs,
    /// How the coordinates are read.
    pub hypothesis: Hypothesis,
    /// Typical (median) distance from where they should be, metres: from the place, from the nearest
    /// vertex of the features that they should be among, from the known position of the same point;
    /// 0 in the state that they should be in, and otherwise the distance from its middle.
    pub distance_m: f64,
    /// Whether most of them land inside the state, or the box around the features that they should
    /// be among; none where something else is expected.
    pub inside: Option<bool>,
    /// Where the middle coordinate lands.
    pub lands: Geographic,
    /// Other readings of the numbers in the same system that land too near to be told apart, such as
    /// the other kind of foot.
    pub also_read: Vec<Hypothesis>,
    /// Systems that cannot be told apart from it by this.
    pub alike: Vec<Indistinguishable>,
}

impl Guess {
    fn is_as_written(&self) -> bool {
        self.hypothesis == Hypothesis::AsWritten
    }
}

/// A system whose answer lies so near to a better one's that a guess cannot decide.
#[derive(Clone, Debug)]
pub struct Indistinguishable {
    /// The system.
    pub crs: Crs,
    /// How far apart the two answers lie on the ground, metres, the change of datum included.
    pub apart_m: f64,
    /// What that is known to, metres; none if the change of datum states nothing or none is
    /// known.
    pub known_m: Option<f64>,
}

/// Coordinates that take part; more do not make a guess better.
const SAMPLE: usize = 60;
/// Metres that a rough place is taken to be off at least.
const TIED_M: f64 = 250.0;
/// Metres beyond which a system explains nothing.
const REACH_M: f64 = 2_000_000.0;
/// Degrees that a place may lie outside an area of use.
const MARGIN: f64 = 2.0;

/// Ranks the systems in which the coordinates (x, y) land where they should be, best first, as
/// many as asked for.
///
/// ```
/// use velvet_peg_core::Geographic;
/// use velvet_peg_core::guess::{guess, Expected};
/// let points = [(1_840_000.0, 155_000.0), (1_842_000.0, 156_500.0)];
/// let near = Expected::Near(Geographic { lat: 47.4, lon: -120.0 });
/// let guesses = guess(&points, &near, 5)?;
/// assert_eq!(guesses[0].crs.code(), Some(2285)); // Washington North, US survey feet
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// If there are no coordinates, or a state of that name does not exist.
pub fn guess(points: &[(f64, f64)], expected: &Expected, limit: usize) -> Result<Vec<Guess>> {
    let finite = |(x, y): &(f64, f64)| x.is_finite() && y.is_finite();
    let mut sample: Vec<usize> = (0..points.len()).filter(|at| finite(&points[*at])).collect();
    if sample.is_empty() {
        return Err(Error::malformed("there are no coordinates to guess from"));
    }
    let step = sample.len().div_ceil(SAMPLE);
    sample = sample.into_iter().step_by(step).collect();
    let geodesic = Geodesic::new(&Ellipsoid::from_epsg(7030)?);
    let target = Target::new(expected, &sample, &geodesic)?;
    let mut found: Vec<Guess> = Vec::new();
    for row in CrsRow::all() {
        let kind = matches!(row.kind, CrsKind::Projected | CrsKind::Geographic2D);
        let reaches = || {
            let extent = Extent::of_codes(&row.extents);
            !extent.boxes().is_empty() && extent.is_near(target.centre, MARGIN)
        };
        if !kind || row.deprecated || !reaches() {
            continue;
        }
        let Ok(crs) = Crs::from_epsg(row.code) else { continue };
        for hypothesis in hypotheses(&crs) {
            let landed: Vec<Option<Geographic>> =
                sample.iter().map(|at| land(&crs, hypothesis, points[*at])).collect();
            if landed.iter().filter(|place| place.is_some()).count() * 2 <= landed.len() {
                continue;
            }
            // Most of what is tried lands on another continent, which takes no geodesic to see.
            let pairs = || sample.iter().zip(&landed);
            let far =
                pairs().filter(|(at, place)| target.is_beyond(**at, **place, REACH_M)).count();
            if far >= landed.len() - landed.len() / 2 {
                continue;
            }
            let mut off: Vec<f64> = pairs().map(|(at, place)| target.miss(*at, *place)).collect();
            off.sort_by(f64::total_cmp);
            let distance_m = off[off.len() / 2];
            let lands = landed[landed.len() / 2].or(landed.iter().flatten().next().copied());
            let Some(lands) = lands else { continue };
            if distance_m < REACH_M {
                found.push(Guess {
                    crs: crs.clone(),
                    hypothesis,
                    distance_m,
                    inside: target.holds(&landed),
                    lands,
                    also_read: Vec::new(),
                    alike: Vec::new(),
                });
            }
        }
    }
    if matches!(expected, Expected::Known(_)) {
        refine(&mut found, points, &sample, &target);
    }
    // Nearest first; a mistake is believed only if it explains clearly more than none does, and
    // of equals the plainer name goes first.
    let doubt = |guess: &Guess| match guess.hypothesis {
        Hypothesis::AsWritten => guess.distance_m + 1.0,
        _ => guess.distance_m * 1.5 + 5_000.0,
    };
    // A rough place is off by some such distance itself: what is not much farther from it is as good,
    // and of these the systems in use now are meant before those of old datums. A metre makes no
    // difference to any guess.
    let best = found.iter().min_by(|a, b| doubt(a).total_cmp(&doubt(b)));
    let (least, plain) = best.map_or((0.0, false), |best| (doubt(best), best.is_as_written()));
    let rough = plain && !matches!(expected, Expected::Known(_));
    let tied = |guess: &Guess| match doubt(guess) {
        far if far <= least + 1.0 => true,
        far => rough && guess.is_as_written() && far <= 3.0 * least + TIED_M,
    };
    let key = |guess: &Guess| {
        let (far, preference) = (doubt(guess).round(), preference(&guess.crs, guess.lands));
        match tied(guess) {
            true => (0.0, preference, far, guess.crs.code()),
            false => (far.max(1.0), preference, 0.0, guess.crs.code()),
        }
    };
    let mut keyed: Vec<_> = found.into_iter().map(|guess| (key(&guess), guess)).collect();
    keyed.sort_by(|(a, _), (b, _)| a.partial_cmp(b).unwrap_or(std::cmp::Ordering::Equal));
    let found: Vec<Guess> = keyed.into_iter().map(|(_, guess)| guess).collect();
    // Known positions tell systems apart that a rough place does not.
    let apart = match (expected, found.first()) {
        (Expected::Known(_), Some(best)) => (3.0 * best.distance_m).max(1.0),
        _ => TIED_M,
    };
    Ok(together(found, &geodesic, limit, apart))
}

/// Known positions are taken as WGS 84, and the nearest candidates carried to it, so that a
/// datum is not mistaken for another by the shift between them.
fn refine(found: &mut [Guess], points: &[(f64, f64)], sample: &[usize], target: &Target<'_>) {
    let centre = target.centre;
    let best = found.iter().map(|guess| guess.distance_m).fold(f64::INFINITY, f64::min);
    let Ok(wgs84) = Crs::from_epsg(4326) else { return };
    let area =
        Some(Bounds { south: centre.lat, west: centre.lon, north: centre.lat, east: centre.lon });
    let options = PlanOptions { area, ..PlanOptions::default() };
    let mut planned: HashMap<u32, Option<Converter>> = HashMap::new();
    for guess in found.iter_mut().filter(|guess| guess.distance_m < best + 1_500.0) {
        let base = guess.crs.base().unwrap_or_else(|| guess.crs.clone());
        let Some(code) = base.code().filter(|_| is_plain(&base)) else { continue };
        let converter =
            planned.entry(code).or_insert_with(|| Converter::plan(&base, &wgs84, &options).ok());
        let Some(converter) = converter else { continue };
        let carried = |at: usize| -> Option<Geographic> {
            let place = land(&guess.crs, guess.hypothesis, points[at])?;
            let to = converter.convert(Coordinate::xy(place.lon, place.lat)).ok()?;
            Some(Geographic { lat: to.y, lon: to.x })
        };
        let places: Vec<Option<Geographic>> = sample.iter().map(|at| carried(*at)).collect();
        let mut off: Vec<f64> =
            sample.iter().zip(&places).map(|(at, place)| target.miss(*at, *place)).collect();
        off.sort_by(f64::total_cmp);
        guess.distance_m = off[off.len() / 2];
        if let Some(place) = places[places.len() / 2] {
            guess.lands = place;
        }
    }
}

/// Degrees from Greenwich.
fn is_plain(crs: &Crs) -> bool {
    crs.degrees_per_unit() == Some(1.0)
        && crs.datum().is_some_and(|datum| datum.prime_meridian().longitude_deg == 0.0)
}

/// How much less likely than others a system is meant, of those that cannot be told apart: its class,
/// whether it is a variant of axes or a later realisation, and how old its datum is.
type Preference = (u32, bool, u32);

/// What technicians at a place mean first: what is meant for the place, and of this NAD83, then the
/// frames of the region, WGS 84, and the datums from before the satellites, last those that count from
/// another meridian than Greenwich. Degrees are those of NAD83 or WGS 84 before all others.
fn preference(crs: &Crs, at: Geographic) -> Preference {
    const NAD83: u32 = 6269;
    const WGS84: u32 = 6326;
    const ETRS89: u32 = 6258;
    /// GRS 1980 and the ellipsoid of WGS 84: what frames of our day stand on.
    const GEOCENTRIC: [u32; 2] = [7019, 7030];
    /// Realisations of NAD83 before the latest, and the Canadian one.
    const NAD83_OTHERS: [u32; 6] = [6152, 6759, 1133, 6140, 1251, 1252];
    let Some(datum) = crs.datum() else { return (u32::MAX, false, 0) };
    let code = datum.code().unwrap_or_default();
    let modern = datum.ellipsoid().code().is_some_and(|code| GEOCENTRIC.contains(&code));
    let class = match code {
        NAD83 => 0,
        WGS84 if crs.is_geographic() => 0,
        WGS84 => 2,
        _ if crs.is_geographic() => 2,
        code if NAD83_OTHERS.contains(&code) => 2,
        _ if modern => 1,
        _ if datum.prime_meridian().longitude_deg == 0.0 => 3,
        _ => 4,
    };
    let point = Bounds { south: at.lat, west: at.lon, north: at.lat, east: at.lon };
    let elsewhere = !crs.extent().contains(at) || crs.extent().excludes(&point);
    let other_axes = ["(N-E)", "(E-N)", "(zE-N)"].iter().any(|end| crs.name().ends_with(end));
    // `v2` and the like: a realisation that few mean without saying so.
    let version = datum.name().rsplit(' ').next().and_then(|word| word.strip_prefix('v'));
    let later =
        version.is_some_and(|number| number.starts_with(|c: char| ('2'..='9').contains(&c)));
    let variant = other_axes || later;
    // The registry's codes of datums began anew at 1024 when those above 6000 were used up.
    let age = match code {
        ETRS89 => 0,
        1024..4000 => 4000 - code,
        _ => 10_000u32.saturating_sub(code),
    };
    (class + if elsewhere { 10 } else { 0 }, variant, age)
}

/// Systems whose answers lie within metres of a better one's are named beside it.
fn together(found: Vec<Guess>, geodesic: &Geodesic, limit: usize, near_m: f64) -> Vec<Guess> {
    let mut kept: Vec<Guess> = Vec::new();
    for guess in found {
        let near = kept.iter().enumerate().find_map(|(at, better)| {
            let apart = geodesic.inverse(better.lands, guess.lands).distance_m;
            (apart < near_m).then_some((at, apart))
        });
        match near {
            // A mistake that explains no more than what needs none is not worth a word.
            Some((at, apart)) if kept[at].hypothesis == guess.hypothesis => {
                let alike = Indistinguishable { crs: guess.crs, apart_m: apart, known_m: None };
                kept[at].alike.push(alike);
            }
            // Two kinds of feet are told apart by nobody: both are named.
            Some((at, _)) if kept[at].crs == guess.crs && !kept[at].is_as_written() => {
                kept[at].also_read.push(guess.hypothesis);
            }
            Some(_) => {}
            None if kept.len() < limit => kept.push(guess),
            None => {}
        }
    }
    for guess in &mut kept {
        let lands = guess.lands;
        let order =
            |alike: &Indistinguishable| (alike.apart_m.round(), preference(&alike.crs, lands));
        guess
            .alike
            .sort_by(|a, b| order(a).partial_cmp(&order(b)).unwrap_or(std::cmp::Ordering::Equal));
        for alike in guess.alike.iter_mut().take(EXPLAINED) {
            explain(&guess.crs, guess.lands, alike, geodesic);
        }
    }
    kept
}

/// Indistinguishable systems whose true distance is worked out; planning a change of datum for more takes
/// longer than anybody reads.
const EXPLAINED: usize = 10;

/// The same figures on two datums are two places: carries one's position to the other's datum.
fn explain(best: &Crs, lands: Geographic, alike: &mut Indistinguishable, geodesic: &Geodesic) {
    let geographic = |crs: &Crs| crs.base().unwrap_or_else(|| crs.clone());
    let (from, to) = (geographic(&alike.crs), geographic(best));
    // Positions here are from Greenwich in degrees; so must the two systems' be.
    if !is_plain(&from) || !is_plain(&to) {
        return;
    }
    let area =
        Some(Bounds { south: lands.lat, west: lands.lon, north: lands.lat, east: lands.lon });
    let options = PlanOptions { area, ..PlanOptions::default() };
    let Ok(converter) = Converter::plan(&from, &to, &options) else { return };
    // How far the change of datum moves the place, added to how far apart the figures land.
    if let Ok(moved) = converter.convert(Coordinate::xy(lands.lon, lands.lat)) {
        let moved = Geographic { lat: moved.y, lon: moved.x };
        if alike.apart_m < 1.0 {
            alike.apart_m = geodesic.inverse(lands, moved).distance_m;
        }
        alike.known_m = converter.route().accuracy_m();
    }
}

fn hypotheses(crs: &Crs) -> Vec<Hypothesis> {
    use Hypothesis::{
        AsWritten, InFeet, InMetres, InUsSurveyFeet, LatitudeSign, LongitudeSign, Swapped,
    };
    match crs.length_unit().map(|unit| unit.code()) {
        None => vec![AsWritten, Swapped, LongitudeSign, LatitudeSign],
        Some(9001) => vec![AsWritten, Swapped, InUsSurveyFeet, InFeet],
        Some(_) => vec![AsWritten, Swapped, InMetres],
    }
}

fn land(crs: &Crs, hypothesis: Hypothesis, point: (f64, f64)) -> Option<Geographic> {
    let meridian = crs.datum()?.prime_meridian().longitude_deg;
    let Geographic { lon, lat } = match crs.mapping().ok()? {
        Mapping::Geographic(unit) => {
            let (x, y) = hypothesis.apply(point, 1.0);
            Geographic { lat: y * unit.degrees(), lon: x * unit.degrees() }
        }
        Mapping::Projected { projection, unit, x_sense, y_sense } => {
            let (x, y) = hypothesis.apply(point, unit.metres());
            projection.to_geographic(x * x_sense * unit.metres(), y * y_sense * unit.metres())?
        }
        Mapping::Geocentric(_) => return None,
    };
    let place = Geographic { lat, lon: crate::math::degrees::wrap(lon + meridian) };
    (lat.abs() <= 90.0 && lon.abs() <= 360.0).then_some(place)
}
