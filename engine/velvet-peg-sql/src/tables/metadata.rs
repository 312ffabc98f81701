//! The metadata of GeoParquet (OGC, version 1.1) in the key `geo` of a Parquet file.

use crate::error::refused;
use crate::functions::BOUNDS;
use crate::system::{self, is_geometry};
use datafusion::arrow::datatypes::{DataType, Field, Schema};
use datafusion::error::Result;
use serde_json::{Map, Value, json};
use velvet_peg_core::definition;

pub(super) const KEY: &str = "geo";

/// What the metadata say of a column.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct GeoColumn {
    pub(super) name: String,
    /// `wkb`, or the kind of GeoArrow.
    pub(super) kind: String,
    /// The system as a text; none if it is not known.
    pub(super) system: Option<String>,
    /// Columns of west, south, east and north, as paths with dots.
    pub(super) boxes: Option<[String; 4]>,
}

/// The columns of geometries that metadata state.
///
/// # Errors
/// If they are none.
pub(super) fn read(text: &str) -> Result<Vec<GeoColumn>> {
    let geo: Value = serde_json::from_str(text).map_err(|_| refused("its `geo` is no JSON"))?;
    let columns = geo["columns"].as_object().ok_or_else(|| refused("its `geo` has no columns"))?;
    columns.iter().map(|(name, column)| of_column(name, column)).collect()
}

fn of_column(name: &str, column: &Value) -> Result<GeoColumn> {
    let encoding = column["encoding"].as_str().unwrap_or_default();
    let kind = match encoding {
        "WKB" => "wkb",
        "point" => "point",
        other => {
            return Err(refused(format!(
                "the geometries of `{name}` are encoded as `{other}`, which is not read: WKB and point are"
            )));
        }
    };
    let system = match column.get("crs") {
        // Longitude first, as all coordinates here.
        None => Some("EPSG:4326".to_string()),
        Some(Value::Null) => None,
        Some(definition) => Some(system::text_of(&system::named(&definition.to_string())?)?),
    };
    let path = |side: &str| -> Option<String> {
        let path = column["covering"]["bbox"][side].as_array()?;
        Some(path.iter().filter_map(Value::as_str).collect::<Vec<_>>().join("."))
    };
    let sides = ["xmin", "ymin", "xmax", "ymax"].map(path);
    let boxes = match (kind, sides) {
        (_, [Some(west), Some(south), Some(east), Some(north)]) => Some([west, south, east, north]),
        // Points of two columns are their own boxes.
        ("point", _) => Some(["x", "y", "x", "y"].map(|part| format!("{name}.{part}"))),
        _ => None,
    };
    Ok(GeoColumn { name: name.to_string(), kind: kind.to_string(), system, boxes })
}

/// A schema whose fields state what the columns are.
pub(super) fn annotated(schema: &Schema, columns: &[GeoColumn]) -> Schema {
    let field = |field: &Field| match columns.iter().find(|column| column.name == *field.name()) {
        Some(column) => system::with_system(field.clone(), &column.kind, column.system.as_deref()),
        None => field.clone(),
    };
    let fields: Vec<Field> = schema.fields().iter().map(|f| field(f)).collect();
    Schema::new_with_metadata(fields, schema.metadata().clone())
}

/// The metadata of columns of a query; `boxes` is the column that `bounds` made of each.
///
/// # Errors
/// If there is no column of geometries, or a system cannot be written down.
pub(super) fn written(fields: &[(Field, Option<String>)]) -> Result<String> {
    let mut columns = Map::new();
    for (field, boxes) in fields.iter().filter(|(field, _)| is_geometry(field)) {
        let mut column = json!({
            "encoding": match field.data_type() {
                DataType::Struct(_) => "point",
                _ => "WKB",
            },
            "geometry_types": [],
            "crs": match system::of_field(field) {
                None => Value::Null,
                Some(text) => written_system(&text)?,
            },
        });
        if let Some(boxes) = boxes {
            let sides = BOUNDS.map(|side| (side.to_string(), json!([boxes, side])));
            column["covering"] = json!({ "bbox": Map::from_iter(sides) });
        }
        columns.insert(field.name().clone(), column);
    }
    let Some(first) = columns.keys().next().cloned() else {
        return Err(refused(
            "nothing of this query is a geometry, such as st_point(x, y, 'EPSG:…') makes: \
             without one, STORED AS PARQUET is what fits",
        ));
    };
    let geo = json!({ "version": "1.1.0", "primary_column": first, "columns": columns });
    Ok(geo.to_string())
}

/// A definition in JSON, which the standard asks for.
fn written_system(text: &str) -> Result<Value> {
    let crs = system::named(text)?;
    definition::json(&crs)
        .and_then(|text| serde_json::from_str(&text).ok())
        .ok_or_else(|| refused(format!("{} cannot be written in JSON", crs.label())))
}
