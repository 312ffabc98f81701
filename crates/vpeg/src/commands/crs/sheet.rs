//! The plain-words sheet of a reference system.

use super::kind;
use velvet_peg::crs::Height;
use velvet_peg::projection::{PlaneMove, Quantity};
use velvet_peg::{Crs, registry};

pub(super) fn replacements(crs: &Crs) -> String {
    let codes: Vec<String> = crs.replaced_by().iter().map(|code| format!("EPSG:{code}")).collect();
    match codes.is_empty() {
        true => String::new(),
        false => format!(", replaced by {}", codes.join(", ")),
    }
}

/// The plain-words sheet of a system.
pub(super) fn sheet(crs: &Crs) -> Vec<(String, String)> {
    let mut pairs: Vec<(String, String)> = Vec::new();
    let mut add = |label: &str, text: String| pairs.push((label.to_string(), text));
    add("kind", kind(crs.kind()).to_string());
    let axes: Vec<String> = crs
        .axes()
        .iter()
        .map(|axis| {
            format!("{} ({}, {})", axis.name.to_lowercase(), axis.abbreviation, axis.direction)
        })
        .collect();
    add("axes in the registry's order", axes.join(", "));
    add("unit", crs.unit_name().to_string());
    if let Some(datum) = crs.datum() {
        let ensemble = datum.ensemble_accuracy_m().map_or(String::new(), |metres| {
            format!(" (an ensemble: its realisations agree to {metres} m)")
        });
        let epoch = match (datum.is_dynamic(), datum.frame_epoch()) {
            (true, Some(epoch)) => format!(" (dynamic, epoch {epoch})"),
            (true, None) => " (dynamic)".to_string(),
            _ => String::new(),
        };
        let code = datum.code().map_or(String::new(), |code| format!(" [EPSG:{code}]"));
        add("datum", format!("{}{ensemble}{epoch}{code}", datum.name()));
        let ellipsoid = datum.ellipsoid();
        add(
            "ellipsoid",
            format!(
                "{}, a = {} m, 1/f = {}",
                datum.ellipsoid_name(),
                ellipsoid.semi_major_m(),
                significant(1.0 / ellipsoid.flattening())
            ),
        );
        let meridian = datum.prime_meridian();
        if meridian.longitude_deg != 0.0 {
            add(
                "prime meridian",
                format!("{}, {}° from Greenwich", meridian.name, meridian.longitude_deg),
            );
        }
    }
    projection(crs, &mut add);
    match crs.height() {
        Height::GravityRelated(vertical) => {
            let sense = if vertical.down { "depths" } else { "heights" };
            add(
                "vertical",
                format!(
                    "{}: {sense} on {}, in {}",
                    vertical.name,
                    vertical.datum_name,
                    vertical.unit.plural()
                ),
            );
        }
        Height::Ellipsoidal(unit) => {
            add("height", format!("above the ellipsoid, in {}", unit.plural()));
        }
        Height::None | Height::Geocentric => {}
    }
    let area: Vec<&str> = crs.extent().description().split_whitespace().collect();
    add("area of use", area.join(" "));
    for bounds in crs.extent().boxes() {
        add(
            "  its box",
            format!(
                "{}° to {}° latitude, {}° to {}° longitude",
                bounds.south, bounds.north, bounds.west, bounds.east
            ),
        );
    }
    if crs.is_deprecated() {
        add("withdrawn", format!("yes{}", replacements(crs)));
    }
    let aliases = crs.aliases();
    if !aliases.is_empty() {
        add("other names", aliases.join("; "));
    }
    add(
        "source",
        match crs.code().is_some() || crs.part_codes().is_some() {
            true => format!("EPSG Dataset {}, owned by {}", registry::VERSION, registry::OWNER),
            false => "its definition".to_string(),
        },
    );
    pairs
}

/// The projection and its parameters.
fn projection(crs: &Crs, add: &mut dyn FnMut(&str, String)) {
    let Some(conversion) = crs.conversion() else { return };
    add("projection", format!("{} [EPSG:{}]", conversion.method_name(), conversion.method_code));
    for parameter in conversion.parameters.iter() {
        let unit = parameter.printed.and_then(|(_, code)| registry::UnitRow::find(code));
        let unit_name = unit.map_or("", |unit| unit.name);
        let text = match (&parameter.quantity, parameter.printed) {
            (Quantity::Angle(degrees), _) => format!(
                "{} = {}°",
                velvet_peg::angle::format(
                    *degrees,
                    velvet_peg::angle::Axis::Free,
                    velvet_peg::angle::Style::Seconds,
                    5
                ),
                significant(*degrees)
            ),
            (_, Some((printed, _))) if unit_name == "unity" => format!("{}", printed.to_f64()),
            (_, Some((printed, _))) => format!("{} {unit_name}", printed.to_f64()),
            (Quantity::Length(metres), None) => match crs.length_unit() {
                Some(unit) => format!("{} {}", significant(metres / unit.metres()), unit.name()),
                None => format!("{metres} m"),
            },
            (Quantity::Scale(number), None) => number.to_string(),
            (quantity, None) => format!("{quantity:?}"),
        };
        add(&format!("  {}", parameter.name().to_lowercase()), text);
    }
    if let Some(derived) = crs.derived() {
        let turn = &derived.turn;
        let unit = crs.unit_plural();
        add("derived from", derived.from.label());
        let pair = |(x, y): (f64, f64)| format!("{}, {}", significant(x), significant(y));
        let origin = match turn {
            PlaneMove::Similarity(turn) => {
                add("  lengths times", turn.scale.to_string());
                let degrees = significant(turn.rotation_deg);
                add("  axes turned", format!("{degrees}° anticlockwise"));
                turn.origin
            }
            PlaneMove::Affine(affine) => {
                add("  a step of 1 east becomes", pair(affine.first));
                add("  a step of 1 north becomes", pair(affine.second));
                affine.origin
            }
        };
        add("  its origin lies at", format!("{} ({unit})", pair(origin)));
    }
    match crs.projection() {
        Ok(projection) if projection.is_conformal() => {}
        Ok(_) => add("  keeps angles", "no: the projection is not conformal".to_string()),
        Err(error) => add("computing", error.to_string()),
    }
}

/// A number to twelve significant digits.
fn significant(value: f64) -> f64 {
    format!("{value:.11e}").parse().unwrap_or(value)
}
