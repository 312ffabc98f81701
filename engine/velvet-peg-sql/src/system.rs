//! Reference systems: texts among the arguments, and metadata of fields (GeoArrow, extension types: `crs` and
//! `crs_type`).

use crate::error::refused;
use datafusion::arrow::datatypes::Field;
use datafusion::error::Result;
use serde_json::{Value, json};
use std::collections::HashMap;
use velvet_peg_core::{Crs, definition};

const EXTENSION: &str = "ARROW:extension:name";
const METADATA: &str = "ARROW:extension:metadata";

/// The system of a text: `EPSG:2286`, definition text, or words that match one.
///
/// # Errors
/// If it is none, or several match.
pub(crate) fn named(text: &str) -> Result<Crs> {
    Crs::parse(text).map_err(refused)
}

/// A system as a text that [`named`] reads: its code, or its definition.
///
/// # Errors
/// If it has neither.
pub(crate) fn text_of(crs: &Crs) -> Result<String> {
    if crs.code().is_some() || crs.part_codes().is_some() {
        return Ok(crs.reference());
    }
    definition::wkt2(crs)
        .ok_or_else(|| refused(format!("{} cannot be written down for others", crs.label())))
}

/// The system of degrees on the datum of a system.
///
/// # Errors
/// If it has no places on an ellipsoid.
pub(crate) fn in_degrees(crs: &Crs) -> Result<Crs> {
    crs.in_degrees()
        .ok_or_else(|| refused(format!("{} has no places on an ellipsoid", crs.label())))
}

/// The text of the system that a field of geometries states, if it states one.
pub(crate) fn of_field(field: &Field) -> Option<String> {
    let metadata: Value = serde_json::from_str(field.metadata().get(METADATA)?).ok()?;
    match metadata.get("crs")? {
        Value::String(text) => Some(text.clone()),
        Value::Null => None,
        definition => Some(definition.to_string()),
    }
}

/// Whether a field says that it is one of geometries.
pub(crate) fn is_geometry(field: &Field) -> bool {
    field.metadata().get(EXTENSION).is_some_and(|name| name.starts_with("geoarrow."))
}

/// A field with the kind of its geometries and their system.
pub(crate) fn with_system(field: Field, kind: &str, system: Option<&str>) -> Field {
    let crs = match system {
        None => json!({}),
        // A definition in JSON is an object, which says of itself what it is.
        Some(text) if text.starts_with('{') => {
            json!({ "crs": serde_json::from_str(text).unwrap_or(Value::Null) })
        }
        Some(text) if text.starts_with("EPSG:") && !text.contains('+') => {
            json!({ "crs": text, "crs_type": "authority_code" })
        }
        Some(text) => json!({ "crs": text, "crs_type": "wkt2:2019" }),
    };
    let mut metadata: HashMap<String, String> = field.metadata().clone();
    metadata.insert(EXTENSION.to_string(), format!("geoarrow.{kind}"));
    metadata.insert(METADATA.to_string(), crs.to_string());
    field.with_metadata(metadata)
}
