//! Figures for machines.

use super::single;
use serde_json::{Value as Json, json};
use velvet_peg::AreaUnit;
use velvet_peg::layer::GeometryKind;
use velvet_peg::measure::{FigureUnits, Measured, Measures, Statistics};

pub(super) fn as_json(
    measures: &Measures,
    name: &str,
    units: &FigureUnits,
    groups: &[&str],
) -> Json {
    let acre = AreaUnit::UsSurveyAcre.square_metres();
    let features: Vec<Json> = measures
        .features
        .iter()
        .map(|m| {
            let mut entry = json!({
                "feature": m.number,
                "name": m.label,
                "kind": m.kind.map(GeometryKind::name),
                "vertices": m.vertices,
            });
            let mut put = |key: &str, value: Option<f64>| {
                if let Some(value) = value {
                    entry[key] = json!(value);
                }
            };
            let polygon = single(m) == Some(GeometryKind::Polygon);
            let length = if polygon { "perimeter" } else { "length" };
            if polygon || single(m) == Some(GeometryKind::LineString) {
                put(&format!("{length}_ellipsoid_m"), Some(m.length_m));
                put(&format!("{length}_grid_m"), m.grid_length_m);
                put(&format!("{length}_ground_m"), m.ground_length_m);
            }
            if polygon {
                put("area_ellipsoid_m2", Some(m.area_m2));
                put("area_ellipsoid_acres_us_survey", Some(m.area_m2 / acre));
                put("area_grid_m2", m.grid_area_m2);
                put("area_ground_m2", m.ground_area_m2);
                put("grid_minus_ellipsoid_ppm", m.area_ppm());
                for unit in &units.areas {
                    let key = unit.symbol().replace('²', "2").replace('-', "_");
                    put(&format!("area_ellipsoid_{key}"), Some(m.area_m2 / unit.square_metres()));
                }
            } else {
                put("grid_minus_ellipsoid_ppm", m.length_ppm());
            }
            for unit in &units.lengths {
                let key = unit.symbol().replace([' ', '-'], "_");
                put(&format!("{length}_ellipsoid_{key}"), Some(m.length_m / unit.metres()));
            }
            put("scale_factor", m.scale_factor);
            if !m.group.is_empty() {
                entry["group"] = json!(m.group);
            }
            entry
        })
        .collect();
    let groups: Vec<Json> = groups
        .iter()
        .copied()
        .filter(|group| !group.is_empty())
        .map(|group| {
            let of = |figure: fn(&Measured) -> Option<f64>| {
                let members = measures.features.iter().filter(|m| m.group == group);
                statistics(&Statistics::of(members.filter_map(figure)))
            };
            json!({
                "group": group,
                "length_ellipsoid_m": of(|m| Some(m.length_m)),
                "area_ellipsoid_m2": of(|m| Some(m.area_m2)),
                "length_grid_m": of(|m| m.grid_length_m),
                "area_grid_m2": of(|m| m.grid_area_m2),
                "length_ground_m": of(|m| m.ground_length_m),
                "area_ground_m2": of(|m| m.ground_area_m2),
            })
        })
        .collect();
    let all = |figure: fn(&Measured) -> Option<f64>| {
        statistics(&Statistics::of(measures.features.iter().filter_map(figure)))
    };
    json!({
        "layer": name,
        "crs": measures.crs.reference(),
        "crs_name": measures.crs.name(),
        "ellipsoid": measures.ellipsoid,
        "grid": measures.grid.as_ref().map(|grid| grid.reference()),
        "ground_height_m": measures.ground_height_m,
        "combined_factor": measures.combined_factor,
        "features": features,
        "totals": {
            "features": measures.features.len(),
            "length_ellipsoid_m": measures.total(|m| Some(m.length_m)),
            "area_ellipsoid_m2": measures.total(|m| Some(m.area_m2)),
            "length_grid_m": measures.total(|m| m.grid_length_m),
            "area_grid_m2": measures.total(|m| m.grid_area_m2),
            "length_ground_m": measures.total(|m| m.ground_length_m),
            "area_ground_m2": measures.total(|m| m.ground_area_m2),
        },
        "statistics": {
            "length_ellipsoid_m": all(|m| Some(m.length_m)),
            "area_ellipsoid_m2": all(|m| Some(m.area_m2)),
            "length_grid_m": all(|m| m.grid_length_m),
            "area_grid_m2": all(|m| m.grid_area_m2),
            "length_ground_m": all(|m| m.ground_length_m),
            "area_ground_m2": all(|m| m.ground_area_m2),
        },
        "groups": groups,
        "notices": crate::show::notices_as_json(&measures.notices),
    })
}

fn statistics(of: &Statistics) -> Json {
    match of.count {
        0 => Json::Null,
        _ => json!({
            "count": of.count,
            "sum": of.sum,
            "mean": of.mean,
            "median": of.median,
            "minimum": of.minimum,
            "maximum": of.maximum,
            "sample_standard_deviation": of.deviation,
        }),
    }
}
