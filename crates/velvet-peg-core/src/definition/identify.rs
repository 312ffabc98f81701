//! Which system of the registry a definition describes, by what it says and not by its name.

use super::names::folded;
use crate::crs::{Axis, AxisUnit, Crs, Height};
use crate::projection::{ParameterKind, kind_of_parameter};
use velvet_peg_epsg::{CrsKind, CrsRow, parameter_name};

/// How well a definition fits the registry's system.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum MatchLevel {
    /// The same numbers and the same name.
    Exact,
    /// The same numbers under another name.
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
}

impl Identity {
    /// True if numbers and name agree.
    pub fn is_exact(&self) -> bool {
        self.level == MatchLevel::Exact
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
                format!("near {}, but {}", label(code), list.join("; "))
            }
            _ => "no system of the registry is near".to_string(),
        }
    }
}

/// Compares a system with every one of its kind in the registry: datum, method, parameters,
/// unit and sense of the axes.
pub fn identify(crs: &Crs) -> Identity {
    if let Some(code) = crs.code() {
        return Identity {
            level: MatchLevel::Exact,
            code: Some(code),
            differences: Vec::new(),
            also: Vec::new(),
        };
    }
    let name = folded(crs.name());
    // Best first: fewest differences, then the name, then current rows, then the lowest code.
    let mut found: Vec<(usize, bool, bool, u32, Vec<Difference>)> = Vec::new();
    for row in CrsRow::all().filter(|row| row.kind == crs.kind()) {
        let Ok(known) = Crs::from_epsg(row.code) else { continue };
        let Some(differences) = differences(crs, &known) else { continue };
        let named = folded(known.name()) == name
            || known.aliases().iter().any(|alias| folded(alias) == name);
        found.push((differences.len(), !named, row.deprecated, row.code, differences));
    }
    found.sort_by_key(|found| (found.0, found.1, found.2, found.3));
    let Some((count, other_name, _, code, differences)) = found.first().cloned() else {
        return Identity {
            level: MatchLevel::Unknown,
            code: None,
            differences: Vec::new(),
            also: Vec::new(),
        };
    };
    let level = match (count, other_name) {
        (0, false) => MatchLevel::Exact,
        (0, true) => MatchLevel::SameNumbers,
        _ => MatchLevel::Near,
    };
    let also = found
        .iter()
        .skip(1)
        .filter(|other| other.0 == count)
        .map(|other| other.3)
        .take(8)
        .collect();
    Identity { level, code: Some(code), differences, also }
}

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
            return Some(found);
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
    // One parameter may be anything (a neighbouring zone's meridian); of two, angles are close.
    if found.len() > 2 || (found.len() == 2 && elsewhere) {
        return None;
    }
    let unit = |axes: &[Axis]| axes.first().map(|axis| axis.unit);
    if !same_unit(unit(crs.axes()), unit(known.axes())) {
        let name = |axes: &[Axis]| unit(axes).map_or("none", |unit| unit.name()).to_string();
        found.push(Difference {
            what: "unit".into(),
            stated: name(crs.axes()),
            registry: name(known.axes()),
        });
    }
    // Whichever order the text has, the senses of the axes must be there.
    let senses = |crs: &Crs| {
        let back = |word: &str| crs.axes().iter().any(|axis| axis.direction == word);
        (back("west"), back("south"))
    };
    if senses(crs) != senses(known) {
        let name = |crs: &Crs| {
            crs.axes().iter().map(|axis| axis.direction.to_string()).collect::<Vec<_>>().join(", ")
        };
        found.push(Difference { what: "axes".into(), stated: name(crs), registry: name(known) });
    }
    (found.len() <= 2).then_some(found)
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
