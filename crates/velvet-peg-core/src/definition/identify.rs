//! Which system of the registry a definition describes, by what it says and not by its name.
//!
//! What the numbers come to on the ground decides, not how many of them differ: writers round angles
//! to eight digits, feet to seven and scales to ten, give the parallels in either order, or say one
//! projection in the words of another.

use super::apart::{apart_m, apart_up_to};
use super::names::folded;
use crate::converter::Converter;
use crate::crs::{Axis, AxisUnit, Crs, Datum, Height, datum_code};
use crate::projection::{ParameterKind, kind_of_parameter};
use velvet_peg_epsg::{CrsKind, CrsRow, DatumRow, parameter_name};

/// How well a definition fits the registry's system.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum MatchLevel {
    /// The same numbers (or numbers that are rounded, see below) and the same name.
    Exact,
    /// The same numbers under another name, or numbers that put no coordinates of the area of use
    /// more than 5 mm elsewhere.
    SameNumbers,
    /// Close, with the differences listed.
    Near,
    /// Nothing in the registry is close.
    Unknown,
}

/// One thing in which a definition differs from the registry's system.
#[derive(Clone, Debug, PartialEq)]
pub struct Difference {
    /// What differs, such as "Scale factor at natural origin" or "unit".
    pub what: String,
    /// As the definition has it.
    pub stated: String,
    /// As the registry has it.
    pub registry: String,
}

/// The answer of [`identify`].
#[derive(Clone, Debug, PartialEq)]
pub struct Identity {
    /// How well it fits.
    pub level: MatchLevel,
    /// EPSG code of the system that it fits best.
    pub code: Option<u32>,
    /// What differs, where it is only near.
    pub differences: Vec<Difference>,
    /// Other codes that fit equally well (often withdrawn rows of the same system).
    pub also: Vec<u32>,
    /// The farthest that the same coordinates lie apart in both systems over the area of use, metres;
    /// none where that cannot be said: other datums or units, or systems that are not projected.
    pub apart_m: Option<f64>,
}

/// Systems that put the same coordinates no farther apart are one, whose numbers are rounded: metres.
const ALIKE_M: f64 = 0.005;

/// Systems that put the same coordinates no farther apart are near each other, however many of their
/// numbers differ: metres.
const NEAR_M: f64 = 50.0;

impl Identity {
    fn unknown() -> Identity {
        Identity {
            level: MatchLevel::Unknown,
            code: None,
            differences: Vec::new(),
            also: Vec::new(),
            apart_m: None,
        }
    }

    /// True if numbers and name agree.
    pub fn is_exact(&self) -> bool {
        self.level == MatchLevel::Exact
    }

    /// EPSG code of the system that it is, under whatever name; none where it is only near one.
    pub fn same(&self) -> Option<u32> {
        let is_same = matches!(self.level, MatchLevel::Exact | MatchLevel::SameNumbers);
        self.code.filter(|_| is_same)
    }

    /// The answer in words.
    pub fn summary(&self) -> String {
        let label = |code: u32| Crs::from_epsg(code).map_or(String::new(), |crs| crs.label());
        match (self.level, self.code) {
            (MatchLevel::Exact, Some(code)) => format!("exactly {}", label(code)),
            (MatchLevel::SameNumbers, Some(code)) => {
                format!("{}: the same numbers under another name", label(code))
            }
            (MatchLevel::Near, Some(code)) => {
                let list: Vec<String> = self
                    .differences
                    .iter()
                    .map(|d| {
                        format!("{} is {} where the registry has {}", d.what, d.stated, d.registry)
                    })
                    .collect();
                let apart = match self.apart_m {
                    Some(metres) if metres < 1000.0 => {
                        format!("; the same coordinates lie up to {metres:.3} m apart")
                    }
                    Some(metres) => {
                        format!("; the same coordinates lie up to {:.0} km apart", metres / 1000.0)
                    }
                    None => String::new(),
                };
                format!("near {}, but {}{apart}", label(code), list.join("; "))
            }
            _ => "no system of the registry is near".to_string(),
        }
    }
}

/// A system of the registry beside the one that is looked for.
struct Candidate {
    differences: Vec<Difference>,
    apart_m: Option<f64>,
    other_name: bool,
    deprecated: bool,
    code: u32,
}

impl Candidate {
    /// What is the same first, then what lies near on the ground, then what differs in few numbers;
    /// among these the one of the same name, then current rows, then the lowest code.
    fn rank(&self) -> (u8, usize, u64, bool, bool, u32) {
        let near = self.apart_m.filter(|metres| *metres <= NEAR_M);
        let (class, count, micrometres) = match near {
            _ if self.differences.is_empty() => (0, 0, 0),
            Some(metres) => (1, 0, (metres * 1e6).round() as u64),
            None => (2, self.differences.len(), 0),
        };
        (class, count, micrometres, self.other_name, self.deprecated, self.code)
    }
}

/// Compares a system with every one of its kind in the registry: datum, unit and sense of the axes
/// by what they are, projections by where they put coordinates.
pub fn identify(crs: &Crs) -> Identity {
    if let Some(code) = crs.code() {
        return Identity {
            level: MatchLevel::Exact,
            code: Some(code),
            differences: Vec::new(),
            also: Vec::new(),
            apart_m: None,
        };
    }
    if crs.derived().is_some() {
        // The registry has no system whose plane is turned.
        return Identity::unknown();
    }
    let name = folded(crs.name());
    let mut found: Vec<Candidate> = Vec::new();
    for row in CrsRow::all().filter(|row| row.kind == crs.kind() && may_be_alike(crs, row)) {
        let Ok(known) = Crs::from_epsg(row.code) else { continue };
        let Some((differences, apart_m)) = compared(crs, &known) else { continue };
        let named = folded(known.name()) == name
            || known.aliases().iter().any(|alias| folded(alias) == name);
        let (other_name, deprecated, code) = (!named, row.deprecated, row.code);
        found.push(Candidate { differences, apart_m, other_name, deprecated, code });
    }
    found.sort_by_key(Candidate::rank);
    let Some(first) = found.first() else {
        return Identity::unknown();
    };
    let level = match (first.differences.is_empty(), first.other_name) {
        (true, false) => MatchLevel::Exact,
        (true, true) => MatchLevel::SameNumbers,
        (false, _) => MatchLevel::Near,
    };
    let key = |candidate: &Candidate| {
        let (class, count, micrometres, ..) = candidate.rank();
        (class, count, micrometres)
    };
    // What was only looked at as far as it mattered is told whole.
    let apart_m = match first.apart_m {
        Some(metres) if metres > NEAR_M => {
            Crs::from_epsg(first.code).ok().and_then(|known| apart_m(&flat(&known), &flat(crs)))
        }
        apart => apart,
    };
    let also = found[1..].iter().filter(|other| key(other) == key(first)).map(|other| other.code);
    Identity {
        level,
        code: Some(first.code),
        also: also.take(8).collect(),
        differences: first.differences.clone(),
        apart_m,
    }
}

/// Leaves out, from what a row says, the systems on other figures of the Earth.
fn may_be_alike(crs: &Crs, row: &CrsRow) -> bool {
    let figure = |code: Option<u32>| DatumRow::find(code?)?.ellipsoid;
    let (mine, theirs) = (crs.datum().and_then(Datum::code), datum_code(row));
    mine == theirs || figure(mine).is_none() || figure(mine) == figure(theirs)
}

/// In what a system differs from one of the registry, none of it if they put coordinates in the same
/// place, and how far apart they put them; none if they have too little in common.
fn compared(crs: &Crs, known: &Crs) -> Option<(Vec<Difference>, Option<f64>)> {
    let listed = listed(crs, known);
    if listed.as_ref().is_some_and(|(list, _)| list.is_empty()) {
        return Some((Vec::new(), None));
    }
    let (mine, theirs) = (flat(crs), flat(known));
    let apart = (mine.is_projected()
        && same_heights(crs, known)
        && same_axes(&mine, &theirs)
        && same_frame(&mine, &theirs))
    .then(|| apart_up_to(&theirs, &mine, NEAR_M))
    .flatten();
    match (apart, listed) {
        (Some(metres), _) if metres <= ALIKE_M => Some((Vec::new(), apart)),
        (_, Some((list, elsewhere))) if is_few(&list, elsewhere) => Some((list, apart)),
        (Some(metres), Some((list, _))) if metres <= NEAR_M => Some((list, apart)),
        (Some(metres), None) if metres <= NEAR_M => {
            let method = |crs: &Crs| crs.conversion().map_or("", |c| c.method_name()).to_string();
            let (what, stated, registry) = ("method".to_string(), method(&mine), method(&theirs));
            Some((vec![Difference { what, stated, registry }], apart))
        }
        _ => None,
    }
}

/// Of a compound system the horizontal part is judged, where the vertical one is the same.
fn flat(crs: &Crs) -> Crs {
    crs.horizontal().unwrap_or_else(|| crs.clone())
}

fn same_heights(crs: &Crs, known: &Crs) -> bool {
    match (crs.height(), known.height()) {
        (Height::GravityRelated(a), Height::GravityRelated(b)) => {
            a.is_same_datum(b) && a.unit == b.unit && a.down == b.down
        }
        (Height::GravityRelated(_), _) | (_, Height::GravityRelated(_)) => false,
        _ => true,
    }
}

/// One datum, or two that differ by their prime meridian alone.
fn same_frame(crs: &Crs, known: &Crs) -> bool {
    let (Some(a), Some(b)) = (crs.datum(), known.datum()) else { return false };
    if a.is_same(b) {
        return true;
    }
    if a.prime_meridian().longitude_deg == b.prime_meridian().longitude_deg
        || a.ellipsoid() != b.ellipsoid()
    {
        return false;
    }
    let (Some(a), Some(b)) = (crs.in_degrees(), known.in_degrees()) else { return false };
    Converter::new(&a, &b).is_ok_and(|converter| {
        let mut steps = converter.route().operations();
        steps.all(|step| step.method_code() == Some(LONGITUDE_ROTATION))
    })
}

/// EPSG method code of a change of prime meridian.
const LONGITUDE_ROTATION: u32 = 9601;

/// Tells the parameters that differ; gives true if an angle differs by more than a degree. None if
/// the methods are not the same.
fn compare_conversions(
    crs: &Crs,
    known: &Crs,
    differ: &mut dyn FnMut(&str, String, String),
) -> Option<bool> {
    let (Some(a), Some(b)) = (crs.conversion(), known.conversion()) else { return Some(false) };
    let mut elsewhere = false;
    // Mercator true to scale at the equator is both variants (EPSG:9804 and 9805).
    let equatorial = (a.method_code, b.method_code) == (9805, 9804)
        && a.parameters.iter().any(|p| p.code == 8823 && p.value() == Some(0.0));
    if a.method_code != b.method_code && !equatorial {
        return None;
    }
    for parameter in b.parameters.iter() {
        // Mercator (variant A) ignores its latitude of origin.
        if (b.method_code, parameter.code) == (9804, 8801) {
            continue;
        }
        let value = parameter.value()?;
        let of = |code: u32| a.parameters.iter().find(|p| p.code == code).and_then(|p| p.value());
        let mine = match parameter.code {
            8805 if equatorial => 1.0,
            code => of(code).unwrap_or(f64::NAN),
        };
        let tolerance = match parameter.code {
            // The registry rounds false origins in feet to thousandths: 0.2 mm.
            8806 | 8807 | 8816 | 8817 | 8826 | 8827 => 2e-4,
            8805 | 8815 | 8819 | 1038 => 1e-12,
            // The registry rounds azimuths to ten-thousandths of a second: 0.2 mm in 1,000 km.
            8813 | 8814 | 1036 => 1e-8,
            _ => 3e-12 * value.abs().max(1.0),
        };
        // Two standard parallels may stand in either order.
        let swapped = match parameter.code {
            8823 => of(8824),
            8824 => of(8823),
            _ => None,
        };
        // The same figures in another unit: that is told as the unit, once.
        let in_other_unit =
            match (kind_of_parameter(parameter.code), crs.length_unit(), known.length_unit()) {
                (ParameterKind::Length, Some(a), Some(b)) if a != b => {
                    mine / a.metres() * b.metres()
                }
                _ => mine,
            };
        let turn = match kind_of_parameter(parameter.code) {
            ParameterKind::Angle => 360.0,
            _ => f64::INFINITY,
        };
        let fits = |mine: f64| {
            let apart = (mine - value).abs();
            apart <= tolerance || (apart - turn).abs() <= tolerance
        };
        if fits(in_other_unit) {
            continue;
        }
        if !(fits(mine) || swapped.is_some_and(fits)) {
            elsewhere |= turn.is_finite() && (mine - value).abs() > 1.0;
            let name = parameter_name(parameter.code).unwrap_or("parameter");
            differ(name, mine.to_string(), value.to_string());
        }
    }
    Some(elsewhere)
}

/// In what a system differs from another: datum, parameters, unit, senses of the axes. None if
/// the two have too little in common to be compared: another kind, method or ellipsoid, more
/// than two differences, or two of which one puts the grid more than a degree away.
pub fn differences(crs: &Crs, known: &Crs) -> Option<Vec<Difference>> {
    let (list, elsewhere) = listed(crs, known)?;
    is_few(&list, elsewhere).then_some(list)
}

/// One parameter may be anything (a neighbouring zone's meridian); of two, angles are close.
fn is_few(list: &[Difference], elsewhere: bool) -> bool {
    let parameters = list.iter().filter(|difference| !AXES.contains(&difference.what.as_str()));
    list.len() <= 2 && !(parameters.count() == 2 && elsewhere)
}

/// What differs in axes.
const AXES: [&str; 2] = ["unit", "axes"];

/// All differences, and true if an angle differs by more than a degree.
fn listed(crs: &Crs, known: &Crs) -> Option<(Vec<Difference>, bool)> {
    let mut found = Vec::new();
    let mut differ = |what: &str, stated: String, registry: String| {
        found.push(Difference { what: what.to_string(), stated, registry });
    };
    if let (Height::GravityRelated(a), Height::GravityRelated(b)) = (crs.height(), known.height()) {
        if !a.is_same_datum(b) {
            return None;
        }
        if a.unit != b.unit || a.down != b.down {
            return None;
        }
        if crs.kind() == CrsKind::Vertical {
            return Some((found, false));
        }
    }
    let (datum, known_datum) = (crs.datum()?, known.datum()?);
    if !datum.is_same(known_datum) {
        // Another datum on the same figure is near at best.
        let same_figure = (datum.ellipsoid().semi_major_m()
            - known_datum.ellipsoid().semi_major_m())
        .abs()
            < 1e-3
            && (datum.ellipsoid().flattening() - known_datum.ellipsoid().flattening()).abs()
                < 1e-10
            && datum.prime_meridian().longitude_deg == known_datum.prime_meridian().longitude_deg;
        if !same_figure || crs.conversion().is_none() {
            return None;
        }
        differ("datum", datum.name().to_string(), known_datum.name().to_string());
    }
    let elsewhere = compare_conversions(crs, known, &mut differ)?;
    let unit = |axes: &[Axis]| axes.first().map(|axis| axis.unit);
    if !same_unit(unit(crs.axes()), unit(known.axes())) {
        let name = |axes: &[Axis]| unit(axes).map_or("none", |unit| unit.name()).to_string();
        found.push(Difference {
            what: "unit".into(),
            stated: name(crs.axes()),
            registry: name(known.axes()),
        });
    }
    if senses(crs) != senses(known) {
        let name = |crs: &Crs| {
            crs.axes().iter().map(|axis| axis.direction.to_string()).collect::<Vec<_>>().join(", ")
        };
        found.push(Difference { what: "axes".into(), stated: name(crs), registry: name(known) });
    }
    Some((found, elsewhere))
}

/// Whether axes count westward or southward, whichever order they have.
fn senses(crs: &Crs) -> (bool, bool) {
    let back = |word: &str| crs.axes().iter().any(|axis| axis.direction == word);
    (back("west"), back("south"))
}

fn same_axes(crs: &Crs, known: &Crs) -> bool {
    let unit = |crs: &Crs| crs.axes().first().map(|axis| axis.unit);
    same_unit(unit(crs), unit(known)) && senses(crs) == senses(known)
}

fn same_unit(a: Option<AxisUnit>, b: Option<AxisUnit>) -> bool {
    match (a, b) {
        (Some(AxisUnit::Length(a)), Some(AxisUnit::Length(b))) => {
            (a.metres() / b.metres() - 1.0).abs() < 1e-10
        }
        (Some(AxisUnit::Angle(a)), Some(AxisUnit::Angle(b))) => {
            (a.degrees() / b.degrees() - 1.0).abs() < 1e-9
        }
        (a, b) => a == b,
    }
}
