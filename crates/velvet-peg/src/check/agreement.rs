//! Whether layers go together: the same system or not, which one lies elsewhere, and what would
//! bring it home.

use super::placement::{Placement, kilometres, middle_of, nearest_m, touching};
use super::sexagesimal::Misread;
use super::{Finding, QualitySheet, Severity, in_degrees};
use serde::Serialize;
use velvet_peg_core::guess::{Expected, Hypothesis, Surroundings, guess};
use velvet_peg_core::{Crs, Geographic};

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
    /// Which of the sheets is of it.
    #[serde(skip)]
    pub sheet: usize,
    /// From the nearest of its vertices to the nearest of the others', metres.
    pub distance_m: f64,
    /// What would bring it home, the likeliest first, with the distance that would be left; 0 where
    /// it would lie within the box around the others.
    pub hypotheses: Vec<(String, f64)>,
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
        let places: Vec<Vec<Geographic>> = sheets
            .iter()
            .map(|sheet| match &sheet.system {
                Some(crs) => in_degrees(crs, &sheet.sample),
                None => Vec::new(),
            })
            .collect();
        let Some(placement) = Placement::of(&places) else { return agreement };
        let spots = &placement.spots;
        for (i, a) in spots.iter().enumerate() {
            for b in &spots[i + 1..] {
                if touching(a.bounds, b.bounds) {
                    let pair = (names[a.layer].clone(), names[b.layer].clone());
                    agreement.overlapping.push(pair);
                }
            }
        }
        let datums: Vec<u32> = placement
            .at_home()
            .filter_map(|at| sheets[at].system.as_ref()?.datum()?.code())
            .collect();
        let (others, reach) = (&placement.others, placement.reach_m);
        let unplaced = (0..sheets.len()).filter(|at| !spots.iter().any(|s| s.layer == *at));
        let mut strays: Vec<(usize, Option<f64>)> =
            placement.away().into_iter().map(|(layer, distance)| (layer, Some(distance))).collect();
        strays.extend(unplaced.map(|at| (at, None)));
        for (at, distance) in strays {
            let sheet = &sheets[at];
            let hypotheses = hypotheses(sheet, others, 2.0 * reach + 200.0, &datums);
            let text = stray(&names[at], distance, &hypotheses);
            agreement.findings.push(Finding::new(Severity::Fault, "position", text));
            agreement.elsewhere.push(Elsewhere {
                layer: names[at].clone(),
                sheet: at,
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
            let text =
                format!("the layers are in {} systems: {}", self.systems.len(), parts.join("; "));
            self.findings.push(Finding::new(Severity::Note, "crs", text));
        }
    }
}

/// Names of the layers; those of the same name are told apart by their files.
pub(crate) fn names_of(sheets: &[QualitySheet]) -> Vec<String> {
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
