//! Geometries for people who read a table: what they are, not their bytes.

use super::shapes::{Kind, Shapes};
use crate::rejects::Rejects;
use crate::system::is_geometry;
use datafusion::arrow::array::{ArrayRef, RecordBatch, StringArray};
use datafusion::arrow::datatypes::{DataType, Field, Schema};
use datafusion::error::Result;
use std::sync::Arc;

/// The same rows with geometries of well-known binary in words: `polygon of 7 vertices`.
///
/// # Errors
/// If rows cannot be put together again.
pub fn readable(rows: &[RecordBatch]) -> Result<Vec<RecordBatch>> {
    rows.iter().map(of_batch).collect()
}

fn of_batch(rows: &RecordBatch) -> Result<RecordBatch> {
    let schema = rows.schema();
    let mut fields: Vec<Field> =
        schema.fields().iter().map(|field| field.as_ref().clone()).collect();
    let mut columns = rows.columns().to_vec();
    for (field, column) in fields.iter_mut().zip(&mut columns) {
        if is_geometry(field) && !matches!(field.data_type(), DataType::Struct(_)) {
            *column = words(column)?;
            *field = Field::new(field.name(), DataType::Utf8, true);
        }
    }
    Ok(RecordBatch::try_new(Arc::new(Schema::new(fields)), columns)?)
}

fn words(column: &ArrayRef) -> Result<ArrayRef> {
    let shapes = Shapes::of(column, &Rejects::unseen())?;
    let mut kinds: Vec<[usize; 3]> = vec![[0; 3]; shapes.len()];
    let mut vertices = vec![0; shapes.len()];
    for run in &shapes.runs {
        let kind = match run.kind {
            Kind::Point => 0,
            Kind::Line => 1,
            Kind::Outer => 2,
            Kind::Hole => continue,
        };
        kinds[run.row][kind] += 1;
    }
    for run in &shapes.runs {
        vertices[run.row] += run.vertices.len();
    }
    let text = |row: usize| shapes.there[row].then(|| in_words(kinds[row], vertices[row]));
    Ok(Arc::new((0..shapes.len()).map(text).collect::<StringArray>()))
}

fn in_words(kinds: [usize; 3], vertices: usize) -> String {
    let parts: Vec<String> = ["point", "line", "polygon"]
        .iter()
        .zip(kinds)
        .filter(|(_, count)| *count > 0)
        .map(
            |(name, count)| {
                if count == 1 { (*name).to_string() } else { format!("{count} {name}s") }
            },
        )
        .collect();
    match parts.is_empty() {
        true => "empty".to_string(),
        false => format!(
            "{} of {vertices} {}",
            parts.join(", "),
            if vertices == 1 { "vertex" } else { "vertices" }
        ),
    }
}
