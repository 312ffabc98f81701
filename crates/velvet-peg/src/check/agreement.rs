//! Whether layers go together: the same system or not, which one lies elsewhere, and what would
//! bring it home.

use super::sexagesimal::Misread;
use super::{Finding, QualitySheet, Severity, in_degrees};
use serde::Serialize;
use velvet_peg_core::guess::{Expected, Hypothesis, Surroundings, guess};
use velvet_peg_core::{Crs, Ellipsoid, Geodesic, Geographic};

/// How several layers go together.
#[derive(Clone, Debug, Serialize)]
pub struct Agreement {
    /// The systems, each with the layers that are in it.
    pub systems: Vec<(String, Vec<String>)>,
    /// Pairs of layers whose extents overlap.
    pub overlapping: Vec<(String, String)>,
    /// Layers that lie away from the others.
    pub elsewhere: Vec<Elsewhere>,
    /// What was found.
    pub findings: Vec<Finding>,
}

/// A layer that lies away from the others.
#[derive(Clone, Debug, Serialize)]
pub struct Elsewhere {
    /// Its name.
    pub layer: String,
    /// From the nearest of its vertices to the nearest of the others', metres.
    pub distance_m: f64,
    /// What would bring it home, the likeliest first, with the distance that would be left; 0 where
    /// it would lie within the box around the others.
    pub hypotheses: Vec<(String, f64)>,
}

/// Where a layer lies.
struct Spot {
    sheet: usize,
    centre: Geographic,
    /// West, south, east, north.
    bounds: [f64; 4],
    /// From the middle to where nine of ten positions lie within.
    reach_m: f64,
    /// Positions that do not stray.
    places: Vec<Geographic>,
}

/// Hypotheses named.
const NAMED: usize = 3;

impl Agreement {
    /// Compares layers by their sheets.
    pub(super) fn of(sheets: &[QualitySheet]) -> Agreement {
        let mut agreement = Agreement {
            systems: Vec::new(),
            overlapping: Vec::new(),
            elsewhere: Vec::new(),
            findings: Vec::new(),
        };
        let names = names_of(sheets);
        agreement.compare_systems(sheets, &names);
        let Ok(ellipsoid) = Ellipsoid::from_epsg(7030) else { return agreement };
        let geodesic = Geodesic::new(&ellipsoid);
        let spots: Vec<Spot> = sheets
            .iter()
            .enumerate()
            .filter_map(|(at, sheet)| spot(at, sheet, &geodesic))
            .collect();
        let near = |a: &Spot, b: &Spot| {
            let distance = geodesic.inverse(a.centre, b.centre).distance_m;
            // Layers of one district lie within their own sizes of each other.
            touching(a.bounds, b.bounds) || distance <= 3.0 * (a.reach_m.max(b.reach_m) + 100.0)
        };
        for (i, a) in spots.iter().enumerate() {
            for b in &spots[i + 1..] {
                if touching(a.bounds, b.bounds) {
                    let pair = (names[a.sheet].clone(), names[b.sheet].clone());
                    agreement.overlapping.push(pair);
                }
            }
        }
        let home = largest_group(&spots, &near);
        let reference: Vec<&Spot> = home.iter().map(|at| &spots[*at]).collect();
        let others = reference.iter().flat_map(|spot| spot.places.iter().copied());
        let Ok(others) = Surroundings::new(others) else { return agreement };
        let middle = others.middle();
        let datums: Vec<u32> = reference
            .iter()
            .filter_map(|spot| sheets[spot.sheet].system.as_ref()?.datum()?.code())
            .collect();
        let reach = reference
            .iter()
            .map(|s| geodesic.inverse(middle, s.centre).distance_m + s.reach_m)
            .fold(0.0, f64::max);
        let lost: Vec<usize> = (0..spots.len()).filter(|at| !home.contains(at)).collect();
        let unplaced: Vec<usize> =
            (0..sheets.len()).filter(|at| !spots.iter().any(|s| s.sheet == *at)).collect();
        let mut strays: Vec<(usize, Option<f64>)> = lost
            .iter()
            .map(|at| (spots[*at].sheet, Some(nearest_m(&spots[*at].places, &others))))
            .collect();
        strays.extend(unplaced.into_iter().map(|at| (at, None)));
        for (at, distance) in strays {
            let sheet = &sheets[at];
            let hypotheses = hypotheses(sheet, &others, 2.0 * reach + 200.0, &datums);
            let text = stray(&names[at], distance, &hypotheses);
            agreement.findings.push(Finding { level: Severity::Fault, about: "position", text });
            agreement.elsewhere.push(Elsewhere {
                layer: names[at].clone(),
                distance_m: distance.unwrap_or(f64::NAN),
                hypotheses,
            });
        }
        agreement.findings.sort_by_key(|finding| std::cmp::Reverse(finding.level));
        agreement
    }

    /// The layers by their systems; a note if there are several.
    fn compare_systems(&mut self, sheets: &[QualitySheet], names: &[String]) {
        for (sheet, name) in sheets.iter().zip(names) {
            let system = sheet.crs.clone().unwrap_or_else(|| "no reference system".to_string());
            match self.systems.iter_mut().find(|(name, _)| *name == system) {
                Some((_, layers)) => layers.push(name.clone()),
                None => self.systems.push((system, vec![name.clone()])),
            }
        }
        if self.systems.len() > 1 {
            let parts: Vec<String> = self
                .systems
                .iter()
                .map(|(system, layers)| format!("{} in {system}", layers.join(", ")))
                .collect();
            self.findings.push(Finding {
                level: Severity::Note,
                about: "crs",
                text: format!(
                    "the layers are in {} systems: {}",
                    self.systems.len(),
                    parts.join("; ")
                ),
            });
        }
    }
}

/// Names of the layers; those of the same name are told apart by their files.
fn names_of(sheets: &[QualitySheet]) -> Vec<String> {
    sheets
        .iter()
        .map(|sheet| match sheets.iter().filter(|other| other.layer == sheet.layer).count() {
            1 => sheet.layer.clone(),
            _ => format!("{} ({})", sheet.layer, sheet.source.display()),
        })
        .collect()
}

/// What is told of a layer that lies elsewhere.
fn stray(name: &str, distance: Option<f64>, hypotheses: &[(String, f64)]) -> String {
    let ways: Vec<String> = hypotheses
        .iter()
        .map(|(what, left)| match left {
            0.0 => format!("{what} (then among them)"),
            left => format!("{what} (then {} from the nearest of them)", kilometres(*left)),
        })
        .collect();
    let ways = match ways.as_slice() {
        [] => "; nothing that is tried brings it to them".to_string(),
        ways => format!("; it would be with them: {}", ways.join("; or ")),
    };
    match distance {
        Some(distance) => {
            let distance = kilometres(distance);
            format!("{name} lies {distance} from the nearest feature of the other layers{ways}")
        }
        None => format!("{} cannot be placed{ways}", name),
    }
}

fn kilometres(metres: f64) -> String {
    match metres {
        m if m < 1000.0 => format!("{m:.0} m"),
        m if m < 100_000.0 => format!("{:.1} km", m / 1000.0),
        m => format!("{:.0} km", m / 1000.0),
    }
}

fn spot(at: usize, sheet: &QualitySheet, geodesic: &Geodesic) -> Option<Spot> {
    let crs = sheet.system.as_ref()?;
    let places = in_degrees(crs, &sheet.sample);
    if places.is_empty() {
        return None;
    }
    let centre = middle_of(&places);
    let mut far: Vec<f64> =
        places.iter().map(|place| geodesic.inverse(centre, *place).distance_m).collect();
    far.sort_by(f64::total_cmp);
    let reach_m = far[(far.len() - 1) * 9 / 10];
    // Strays do not make a layer overlap.
    let near: Vec<&Geographic> = places
        .iter()
        .filter(|place| geodesic.inverse(centre, **place).distance_m <= 3.0 * reach_m + 1.0)
        .collect();
    let limit = |value: fn(&Geographic) -> f64, better: fn(f64, f64) -> f64| {
        near.iter().map(|place| value(place)).reduce(better).unwrap_or(f64::NAN)
    };
    let bounds = [
        limit(|p| p.lon, f64::min),
        limit(|p| p.lat, f64::min),
        limit(|p| p.lon, f64::max),
        limit(|p| p.lat, f64::max),
    ];
    let places = near.into_iter().copied().collect();
    Some(Spot { sheet: at, centre, bounds, reach_m, places })
}

/// The median of both coordinates.
fn middle_of(places: &[Geographic]) -> Geographic {
    let median = |value: fn(&Geographic) -> f64| {
        let mut values: Vec<f64> = places.iter().map(value).collect();
        values.sort_by(f64::total_cmp);
        values[values.len() / 2]
    };
    Geographic { lat: median(|p| p.lat), lon: median(|p| p.lon) }
}

fn touching(a: [f64; 4], b: [f64; 4]) -> bool {
    a[0] <= b[2] && b[0] <= a[2] && a[1] <= b[3] && b[1] <= a[3]
}

/// The largest group of spots that are near each other, directly or through others; of equal
/// ones the first.
fn largest_group(spots: &[Spot], near: &dyn Fn(&Spot, &Spot) -> bool) -> Vec<usize> {
    let mut best: Vec<usize> = Vec::new();
    let mut left: Vec<usize> = (0..spots.len()).collect();
    while let Some(first) = left.first().copied() {
        let mut group = vec![first];
        left.remove(0);
        let mut at = 0;
        while at < group.len() {
            let member = group[at];
            left.retain(|other| {
                let joins = near(&spots[member], &spots[*other]);
                if joins {
                    group.push(*other);
                }
                !joins
            });
            at += 1;
        }
        if group.len() > best.len() {
            best = group;
        }
    }
    best
}

/// Vertices of a layer that are looked at for the nearest to others.
const LOOKED_AT: usize = 100;

/// From the nearest of some places to the nearest of others, metres.
fn nearest_m(places: &[Geographic], others: &Surroundings) -> f64 {
    let step = places.len().div_ceil(LOOKED_AT).max(1);
    places.iter().step_by(step).map(|at| others.nearest_m(*at)).fold(f64::INFINITY, f64::min)
}

/// What would bring a layer within reach of others.
fn hypotheses(
    sheet: &QualitySheet,
    others: &Surroundings,
    reach: f64,
    datums: &[u32],
) -> Vec<(String, f64)> {
    let mut found: Vec<(String, f64)> = Vec::new();
    let left = |crs: &Crs, points: &[(f64, f64)]| {
        let places = in_degrees(crs, points);
        (places.len() * 2 > points.len()).then(|| match others.contains(middle_of(&places)) {
            true => 0.0,
            false => nearest_m(&places, others),
        })
    };
    let mut offer = |what: String, distance: Option<f64>| {
        if let Some(distance) = distance.filter(|distance| *distance <= reach) {
            found.push((what, distance));
        }
    };
    // A mistake within its own system is likelier than another system.
    if let Some(crs) = &sheet.system {
        let mapped = |f: &dyn Fn(f64, f64) -> (f64, f64)| -> Vec<(f64, f64)> {
            sheet.sample.iter().map(|(x, y)| f(*x, *y)).collect()
        };
        offer("x and y swapped".into(), left(crs, &mapped(&|x, y| (y, x))));
        offer(
            "the sign of x turned (a lost minus or W)".into(),
            left(crs, &mapped(&|x, y| (-x, y))),
        );
        offer(
            "the sign of y turned (the other hemisphere)".into(),
            left(crs, &mapped(&|x, y| (x, -y))),
        );
        offer(
            "x and y swapped, and the sign of x turned".into(),
            left(crs, &mapped(&|x, y| (-y, x))),
        );
        if crs.is_geographic() {
            for misread in Misread::ALL {
                let points: Option<Vec<(f64, f64)>> = sheet
                    .sample
                    .iter()
                    .map(|(x, y)| Some((misread.meant(*x)?, misread.meant(*y)?)))
                    .collect();
                if let Some(points) = points {
                    offer(misread.text().into(), left(crs, &points));
                }
            }
        }
        if let Some(unit) = crs.length_unit().filter(|_| crs.is_projected()) {
            for (name, metres) in [
                ("metres", 1.0),
                ("US survey feet", 1200.0 / 3937.0),
                ("international feet", 0.3048),
            ] {
                let scale = metres / unit.metres();
                if (scale - 1.0).abs() > 1e-9 {
                    let points = mapped(&|x, y| (x * scale, y * scale));
                    offer(format!("its numbers taken as {name}"), left(crs, &points));
                }
            }
        }
    }
    found.sort_by(|a, b| a.1.total_cmp(&b.1));
    // Of systems that a rough place does not tell apart, the one on the datum that is declared,
    // or else on that of the other layers, is meant.
    let code = |crs: &Crs| crs.datum().and_then(|datum| datum.code());
    let own = sheet.system.as_ref().and_then(code);
    let rank = |crs: &Crs| match code(crs) {
        Some(datum) if Some(datum) == own => 0,
        Some(datum) if datums.contains(&datum) => 1,
        _ => 2,
    };
    let among = Expected::Among(Box::new(others.clone()));
    let guesses = guess(&sheet.sample, &among, NAMED).unwrap_or_default();
    for guess in guesses.iter().filter(|guess| guess.distance_m <= reach) {
        let alike = guess.alike.iter().map(|alike| &alike.crs);
        let Some(crs) = std::iter::once(&guess.crs).chain(alike).min_by_key(|crs| rank(crs)) else {
            continue;
        };
        if sheet.system.as_ref() == Some(crs) {
            continue;
        }
        let how = match guess.hypothesis {
            Hypothesis::AsWritten => String::new(),
            other => format!(", {}", other.text()),
        };
        let left = if guess.inside == Some(true) { 0.0 } else { guess.distance_m };
        found.push((format!("declared as {}{how}", crs.label()), left));
    }
    found.truncate(NAMED);
    found
}
