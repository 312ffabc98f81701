//! The JSON encoding of reference systems that GeoParquet metadata uses. A text is turned
//! into the elements of well-known text 2, whose structure it shares, and read as those.

use super::node::{Node, Part, VERTICAL_FRAME};
use super::wkt2::{direction_word, inverse_flattening, unit_name};
use crate::crs::{Axis, AxisUnit, Crs, Datum, Derived, Height};
use crate::error::{Error, Result};
use crate::projection::{ParameterKind, PlaneNumber, Quantity, kind_of_parameter};
use crate::unit::LengthUnit;
use serde_json::{Value, json};
use velvet_peg_epsg::{CrsKind, DatumRow, method_name, parameter_name};

pub(crate) fn read(text: &str) -> Result<Node> {
    let value: Value = serde_json::from_str(text).map_err(|error| {
        Error::malformed(format!(
            "the definition is not JSON: {error} (line {}, column {})",
            error.line(),
            error.column()
        ))
    })?;
    system(&value)
}

fn lacks(what: &str) -> Error {
    Error::malformed(format!("the definition lacks \"{what}\""))
}

fn text(value: &Value, key: &str) -> String {
    value[key].as_str().unwrap_or_default().to_string()
}

fn system(value: &Value) -> Result<Node> {
    let keyword = match value["type"].as_str().ok_or_else(|| lacks("type"))? {
        "ProjectedCRS" => "PROJCRS",
        "DerivedProjectedCRS" => "DERIVEDPROJCRS",
        "GeographicCRS" => "GEOGCRS",
        "GeodeticCRS" => "GEODCRS",
        "VerticalCRS" => "VERTCRS",
        "CompoundCRS" => "COMPOUNDCRS",
        "BoundCRS" => return bound_system(value),
        "EngineeringCRS" => "ENGCRS",
        other => {
            return Err(Error::malformed(format!(
                "\"{other}\" is not a kind of reference system that can be read"
            )));
        }
    };
    let mut parts = vec![Part::Text(text(value, "name"))];
    let mut add = |node: Node| parts.push(Part::Node(node));
    if let Some(components) = value["components"].as_array() {
        for component in components {
            add(system(component)?);
        }
    }
    if value["base_crs"].is_object() {
        let mut base = system(&value["base_crs"])?;
        let projected = base.keyword == "PROJCRS";
        base.keyword = if projected { "BASEPROJCRS" } else { "BASEGEOGCRS" }.to_string();
        add(base);
    }
    for key in ["datum", "datum_ensemble"] {
        if value[key].is_object() {
            let (datum, meridian) = frame(&value[key], keyword == "VERTCRS");
            add(datum);
            if let Some(meridian) = meridian {
                add(meridian);
            }
        }
    }
    if value["conversion"].is_object() {
        add(conversion(&value["conversion"]));
    }
    let axes = &value["coordinate_system"]["axis"];
    if let Some(list) = axes.as_array() {
        let kind = text(&value["coordinate_system"], "subtype");
        add(Node::new("CS", vec![Part::Word(kind), Part::Number(list.len() as f64)]));
        for axis in list {
            add(axis_node(axis));
        }
    }
    let bbox = &value["bbox"];
    let sides = ["south_latitude", "west_longitude", "north_latitude", "east_longitude"]
        .map(|side| bbox[side].as_f64());
    if sides.iter().all(Option::is_some) {
        add(Node::new("BBOX", sides.into_iter().flatten().map(Part::Number).collect()));
    }
    parts.extend(id_node(value).map(Part::Node));
    Ok(Node::new(keyword, parts))
}

/// A bound system with its shift to another.
fn bound_system(value: &Value) -> Result<Node> {
    let inside = |keyword: &str, key: &str| -> Result<Part> {
        Ok(Part::Node(Node::new(keyword, vec![Part::Node(system(&value[key])?)])))
    };
    let given = &value["transformation"];
    let mut parts = vec![Part::Text(text(given, "name"))];
    parts.push(Part::Node(Node::new("METHOD", vec![Part::Text(text(&given["method"], "name"))])));
    for parameter in given["parameters"].as_array().into_iter().flatten() {
        let Some(number) = parameter["value"].as_f64() else { continue };
        let mut of = vec![Part::Text(text(parameter, "name")), Part::Number(number)];
        // A unit by its name is one of those that are understood where none is said.
        if let Some(size) = parameter["unit"]["conversion_factor"].as_f64() {
            of.push(Part::Node(Node::new("UNIT", vec![Part::Number(size)])));
        }
        of.extend(id_node(parameter).map(Part::Node));
        parts.push(Part::Node(Node::new("PARAMETER", of)));
    }
    let transformation = Part::Node(Node::new("ABRIDGEDTRANSFORMATION", parts));
    let (source, target) = (inside("SOURCECRS", "source_crs")?, inside("TARGETCRS", "target_crs")?);
    Ok(Node::new("BOUNDCRS", vec![source, target, transformation]))
}

fn id_node(value: &Value) -> Option<Node> {
    let id = &value["id"];
    let code = match &id["code"] {
        Value::Number(code) => Part::Number(code.as_f64()?),
        Value::String(code) => Part::Text(code.clone()),
        _ => return None,
    };
    Some(Node::new("ID", vec![Part::Text(text(id, "authority")), code]))
}

fn frame(value: &Value, vertical: bool) -> (Node, Option<Node>) {
    let mut parts = vec![Part::Text(text(value, "name"))];
    let shape = &value["ellipsoid"];
    if shape.is_object() {
        let length = |key: &str| -> Option<f64> {
            match &shape[key] {
                Value::Number(number) => number.as_f64(),
                Value::Object(given) => Some(
                    given.get("value")?.as_f64()?
                        * given
                            .get("unit")
                            .and_then(|unit| unit["conversion_factor"].as_f64())
                            .unwrap_or(1.0),
                ),
                _ => None,
            }
        };
        let a = length("semi_major_axis").or_else(|| length("radius")).unwrap_or(f64::NAN);
        let inverse = shape["inverse_flattening"].as_f64().or_else(|| {
            let b = length("semi_minor_axis")?;
            Some(if a == b { 0.0 } else { a / (a - b) })
        });
        parts.push(Part::Node(Node::new(
            "ELLIPSOID",
            vec![
                Part::Text(text(shape, "name")),
                Part::Number(a),
                Part::Number(inverse.unwrap_or(0.0)),
            ],
        )));
    }
    parts.extend(id_node(value).map(Part::Node));
    let meridian = &value["prime_meridian"];
    let meridian = meridian.is_object().then(|| {
        let (number, unit) = match &meridian["longitude"] {
            Value::Object(given) => (
                given.get("value").and_then(Value::as_f64).unwrap_or(f64::NAN),
                unit_node(given.get("unit").unwrap_or(&Value::Null)),
            ),
            other => (other.as_f64().unwrap_or(0.0), unit_node(&json!("degree"))),
        };
        let mut parts = vec![Part::Text(text(meridian, "name")), Part::Number(number)];
        parts.extend(unit.map(Part::Node));
        Node::new("PRIMEM", parts)
    });
    (Node::new(if vertical { VERTICAL_FRAME } else { "DATUM" }, parts), meridian)
}

fn unit_node(unit: &Value) -> Option<Node> {
    let (keyword, name, factor) = match unit {
        Value::String(name) => match name.as_str() {
            "metre" => ("LENGTHUNIT", "metre", 1.0),
            "degree" => ("ANGLEUNIT", "degree", 0.0174532925199433),
            "unity" => ("SCALEUNIT", "unity", 1.0),
            _ => return None,
        },
        Value::Object(given) => {
            let keyword = match given.get("type").and_then(Value::as_str)? {
                "LinearUnit" => "LENGTHUNIT",
                "AngularUnit" => "ANGLEUNIT",
                "ScaleUnit" => "SCALEUNIT",
                _ => return None,
            };
            let name = given.get("name").and_then(Value::as_str).unwrap_or_default();
            (keyword, name, given.get("conversion_factor")?.as_f64()?)
        }
        _ => return None,
    };
    Some(Node::new(keyword, vec![Part::Text(name.to_string()), Part::Number(factor)]))
}

fn axis_node(axis: &Value) -> Node {
    let name = format!("{} ({})", text(axis, "name"), text(axis, "abbreviation"));
    let mut parts = vec![Part::Text(name), Part::Word(text(axis, "direction"))];
    let meridian = &axis["meridian"]["longitude"];
    let meridian = meridian.as_f64().or_else(|| meridian["value"].as_f64());
    if let Some(longitude) = meridian {
        parts.push(Part::Node(Node::new("MERIDIAN", vec![Part::Number(longitude)])));
    }
    parts.extend(unit_node(&axis["unit"]).map(Part::Node));
    Node::new("AXIS", parts)
}

fn conversion(value: &Value) -> Node {
    let mut parts = vec![Part::Text(text(value, "name"))];
    let mut method = vec![Part::Text(text(&value["method"], "name"))];
    method.extend(id_node(&value["method"]).map(Part::Node));
    parts.push(Part::Node(Node::new("METHOD", method)));
    for parameter in value["parameters"].as_array().into_iter().flatten() {
        let mut own = vec![Part::Text(text(parameter, "name"))];
        own.extend(parameter["value"].as_f64().map(Part::Number));
        own.extend(unit_node(&parameter["unit"]).map(Part::Node));
        own.extend(id_node(parameter).map(Part::Node));
        parts.push(Part::Node(Node::new("PARAMETER", own)));
    }
    Node::new("CONVERSION", parts)
}

/// The system in the JSON encoding; none for kinds without a position or a height.
///
/// ```
/// use velvet_peg_core::{definition, Crs};
/// let text = definition::json(&Crs::from_epsg(2286)?).unwrap();
/// assert!(text.contains("\"type\": \"ProjectedCRS\""));
/// assert_eq!(definition::resolve(&text)?.code(), Some(2286));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn write(crs: &Crs) -> Option<String> {
    serde_json::to_string_pretty(&value(crs)?).ok()
}

/// Without the shift of its datum.
fn plain(crs: &Crs) -> Option<Value> {
    let mut value = match crs.kind() {
        CrsKind::Projected if crs.derived().is_some() => derived(crs, crs.derived()?)?,
        CrsKind::Projected => {
            let conversion = crs.conversion()?;
            let parameters: Vec<Value> = conversion
                .parameters
                .iter()
                .filter_map(|parameter| {
                    let unit = match (&parameter.quantity, kind_of_parameter(parameter.code)) {
                        (Quantity::File(_) | Quantity::Rate(_), _) => return None,
                        (_, ParameterKind::Angle) => "degree",
                        (_, ParameterKind::Length) => "metre",
                        (_, ParameterKind::Scale) => "unity",
                    };
                    Some(json!({
                        "name": parameter_name(parameter.code),
                        "value": parameter.value()?,
                        "unit": unit,
                        "id": {"authority": "EPSG", "code": parameter.code},
                    }))
                })
                .collect();
            json!({
                "type": "ProjectedCRS",
                "name": crs.name(),
                "base_crs": plain(&crs.base()?)?,
                "conversion": {
                    "name": if conversion.name.is_empty() { "unnamed" } else { &conversion.name },
                    "method": {
                        "name": conversion.method_name(),
                        "id": {"authority": "EPSG", "code": conversion.method_code},
                    },
                    "parameters": parameters,
                },
                "coordinate_system": axes(crs.axes(), "Cartesian"),
            })
        }
        CrsKind::Geographic2D | CrsKind::Geographic3D => {
            geodetic(crs, "GeographicCRS", "ellipsoidal")?
        }
        CrsKind::Geocentric => geodetic(crs, "GeodeticCRS", "Cartesian")?,
        CrsKind::Vertical => {
            let Height::GravityRelated(vertical) = crs.height() else { return None };
            let mut datum = json!({"type": "VerticalReferenceFrame", "name": vertical.datum_name});
            if let Some(code) = vertical.datum_code {
                datum["id"] = json!({"authority": "EPSG", "code": code});
            }
            json!({
                "type": "VerticalCRS",
                "name": crs.name(),
                "datum": datum,
                "coordinate_system": axes(crs.axes(), "vertical"),
            })
        }
        CrsKind::Compound => {
            let Height::GravityRelated(vertical) = crs.height() else { return None };
            let parts = [crs.horizontal()?, Crs::from_epsg(vertical.code?).ok()?];
            json!({
                "type": "CompoundCRS",
                "name": crs.name(),
                "components": parts.iter().map(value).collect::<Option<Vec<_>>>()?,
            })
        }
        CrsKind::Engineering => {
            let datum = json!({"type": "EngineeringDatum", "name": crs.name()});
            let mut value = json!({"type": "EngineeringCRS", "name": crs.name(), "datum": datum});
            if !crs.axes().is_empty() {
                value["coordinate_system"] = axes(crs.axes(), "Cartesian");
            }
            value
        }
        CrsKind::Derived => return None,
    };
    if let Some(bounds) = crs.extent().boxes().first() {
        value["area"] = json!(crs.extent().name());
        value["bbox"] = json!({
            "south_latitude": bounds.south, "west_longitude": bounds.west,
            "north_latitude": bounds.north, "east_longitude": bounds.east,
        });
    }
    if let Some(code) = crs.code() {
        value["id"] = json!({"authority": "EPSG", "code": code});
    }
    Some(value)
}

fn value(crs: &Crs) -> Option<Value> {
    let value = plain(crs)?;
    // Of a compound system the horizontal part is bound.
    let shift = crs.datum().and_then(Datum::shift_to_wgs84);
    match shift.filter(|_| crs.kind() != CrsKind::Compound) {
        Some(shift) => bound(crs, value, &shift),
        None => Some(value),
    }
}

fn bound(crs: &Crs, source: Value, shift: &[f64; 7]) -> Option<Value> {
    let parameters: Vec<Value> = super::bound::parameters(shift)
        .map(|(code, name, value)| {
            let unit = match code {
                8605..=8607 => json!("metre"),
                8608..=8610 => json!({
                    "type": "AngularUnit", "name": "arc-second",
                    "conversion_factor": std::f64::consts::PI / 648_000.0,
                }),
                _ => json!({
                    "type": "ScaleUnit", "name": "parts per million", "conversion_factor": 1e-6,
                }),
            };
            let id = json!({"authority": "EPSG", "code": code});
            json!({"name": name, "value": value, "unit": unit, "id": id})
        })
        .collect();
    Some(json!({
        "type": "BoundCRS",
        "source_crs": source,
        "target_crs": value(&Crs::from_epsg(4326).ok()?)?,
        "transformation": {
            "name": format!("{} to WGS 84", crs.datum()?.name()),
            "method": {
                "name": "Position Vector transformation (geog2D domain)",
                "id": {"authority": "EPSG", "code": 9606},
            },
            "parameters": parameters,
        },
    }))
}

fn geodetic(crs: &Crs, kind: &str, subtype: &str) -> Option<Value> {
    let datum = crs.datum()?;
    let mut value = json!({"type": kind, "name": crs.name()});
    let key = if datum.ensemble_accuracy_m().is_some() { "datum_ensemble" } else { "datum" };
    value[key] = datum_value(datum);
    value["coordinate_system"] = axes(crs.axes(), subtype);
    Some(value)
}

fn datum_value(datum: &Datum) -> Value {
    let ellipsoid = datum.ellipsoid();
    let shape = match ellipsoid.flattening() {
        0.0 => {
            json!({"name": datum.ellipsoid_name(), "radius": ellipsoid.semi_major_m()})
        }
        _ => json!({
            "name": datum.ellipsoid_name(),
            "semi_major_axis": ellipsoid.semi_major_m(),
            "inverse_flattening": inverse_flattening(ellipsoid),
        }),
    };
    let mut value = match datum.ensemble_accuracy_m() {
        Some(accuracy) => json!({
            "name": datum.name(),
            "members": datum.members().iter().filter_map(|code| DatumRow::find(*code)).map(|row| {
                json!({"name": row.name, "id": {"authority": "EPSG", "code": row.code}})
            }).collect::<Vec<_>>(),
            "accuracy": accuracy.to_string(),
        }),
        None if datum.is_dynamic() => json!({
            "type": "DynamicGeodeticReferenceFrame",
            "name": datum.name(),
            "frame_reference_epoch": datum.frame_epoch(),
        }),
        None => json!({"type": "GeodeticReferenceFrame", "name": datum.name()}),
    };
    value["ellipsoid"] = shape;
    let meridian = datum.prime_meridian();
    if meridian.longitude_deg != 0.0 {
        value["prime_meridian"] =
            json!({"name": meridian.name, "longitude": meridian.longitude_deg});
    }
    if let Some(code) = datum.code() {
        value["id"] = json!({"authority": "EPSG", "code": code});
    }
    value
}

fn axes(axes: &[Axis], subtype: &str) -> Value {
    let list: Vec<Value> = axes
        .iter()
        .map(|axis| {
            let unit = match &axis.unit {
                AxisUnit::Length(unit) if *unit == LengthUnit::METRE => json!("metre"),
                AxisUnit::Length(unit) => json!({
                    "type": "LinearUnit", "name": unit_name(unit),
                    "conversion_factor": unit.metres(),
                }),
                AxisUnit::Angle(unit) if unit.degrees() == 1.0 => json!("degree"),
                AxisUnit::Angle(unit) => json!({
                    "type": "AngularUnit", "name": unit.name(),
                    "conversion_factor": unit.degrees().to_radians(),
                }),
                AxisUnit::Other => json!("unity"),
            };
            let mut value = json!({
                "name": axis.name, "abbreviation": axis.abbreviation,
                "direction": direction_word(axis), "unit": unit,
            });
            if let Some((_, meridian)) = axis.direction.split_once(" along ") {
                let number: String =
                    meridian.chars().take_while(|c| c.is_ascii_digit() || *c == '.').collect();
                let sign = if meridian.ends_with('W') { -1.0 } else { 1.0 };
                let longitude = sign * number.parse().unwrap_or(0.0);
                value["meridian"] = json!({"longitude": longitude});
            }
            value
        })
        .collect();
    json!({"subtype": subtype, "axis": list})
}

/// A derived projected system; lengths in metres.
fn derived(crs: &Crs, how: &Derived) -> Option<Value> {
    let Derived { from, turn } = how;
    let metres = crs.length_unit()?.metres();
    let parameters: Vec<Value> = turn
        .in_metres(metres)
        .parameters()
        .into_iter()
        .map(|(code, value, number)| {
            json!({
                "name": parameter_name(code).unwrap_or("parameter"),
                "value": value,
                "unit": match number {
                    PlaneNumber::Length => "metre",
                    PlaneNumber::Ratio => "unity",
                    PlaneNumber::Degrees => "degree",
                },
                "id": {"authority": "EPSG", "code": code},
            })
        })
        .collect();
    let method = turn.method_code();
    Some(json!({
        "type": "DerivedProjectedCRS",
        "name": crs.name(),
        "base_crs": plain(from)?,
        "conversion": {
            "name": crs.name(),
            "method": {
                "name": method_name(method)?,
                "id": {"authority": "EPSG", "code": method},
            },
            "parameters": parameters,
        },
        "coordinate_system": axes(crs.axes(), "Cartesian"),
    }))
}
