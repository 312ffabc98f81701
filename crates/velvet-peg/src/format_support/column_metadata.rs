//! What the metadata of a column says: the type that it was declared with where it came from, and
//! whether it is what the features are known by.

use crate::layer::attribute_types::DECLARED;
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use std::collections::HashMap;
use std::sync::Arc;

/// Metadata of a field whose whole numbers are what the features are known by in their file.
pub(crate) const KEY: &str = "feature_key";

/// A column of whole numbers that features are known by.
pub(crate) fn key_field(name: &str) -> Field {
    let metadata = HashMap::from([
        (KEY.to_string(), String::new()),
        (DECLARED.to_string(), "INTEGER".to_string()),
    ]);
    Field::new(name, DataType::Int64, true).with_metadata(metadata)
}

/// The type that a column was declared with where it came from.
pub(crate) fn declared(field: &Field) -> &str {
    field.metadata().get(DECLARED).map_or("", String::as_str)
}

/// A field that is declared to be of a type.
pub(crate) fn field_declared(field: Field, kind: &str) -> Field {
    field.with_metadata(HashMap::from([(DECLARED.to_string(), kind.to_string())]))
}

/// A schema in which text columns of these names are declared to be of a type.
pub(crate) fn declare(schema: &Schema, names: &[&str], kind: &str) -> SchemaRef {
    let fields: Vec<Field> = schema
        .fields()
        .iter()
        .map(|field| {
            let field = field.as_ref().clone();
            let text = field.data_type() == &DataType::Utf8;
            if !text || !names.contains(&field.name().as_str()) {
                return field;
            }
            field_declared(field, kind)
        })
        .collect();
    Arc::new(Schema::new(fields))
}
