//! Some features of a layer, in columns.

use super::attribute_types::held;
use super::{AttributeColumn, GeometryColumn, GeometryKind, Unreadable, Value};
use crate::error::{Error, Result};
use crate::notice::{Notice, NoticeKind};
use arrow_array::RecordBatch;
use std::path::Path;

/// Some features of a layer: their geometries, and their attributes in the columns of an Arrow
/// record batch. Types and lengths are checked when it is made.
#[derive(Clone, Debug)]
pub struct Batch {
    pub(crate) geometry: GeometryColumn,
    attributes: RecordBatch,
    pub(crate) first: u64,
    pub(crate) unreadable: Vec<Unreadable>,
}

impl Batch {
    /// Features with their attributes, a row a feature; the first has this number in its source.
    ///
    /// Columns of other types become what attributes are held in, without losing a digit: all whole
    /// numbers `Int64`, all numbers `Float64`, texts `Utf8`, bytes `Binary`; dates and times text in
    /// the form of ISO 8601; whole numbers beyond `Int64` and long decimals text.
    ///
    /// ```
    /// use std::sync::Arc;
    /// use velvet_peg::arrow::array::{ArrayRef, Int32Array, RecordBatch};
    /// use velvet_peg::layer::{Batch, GeometryColumn, ValueRef};
    /// let mut gates = GeometryColumn::new();
    /// gates.push_point(-120.004, 47.412, None);
    /// gates.push_point(-119.991, 47.405, None);
    /// let numbers: ArrayRef = Arc::new(Int32Array::from(vec![7, 8]));
    /// let batch = Batch::try_new(gates, RecordBatch::try_from_iter([("gate", numbers)])?, 1)?;
    /// assert_eq!(batch.columns()[0].value(1), ValueRef::Integer(8));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// If there are more or fewer rows than geometries, heights or measures than vertices, or a
    /// column is of lists, records or the like.
    pub fn try_new(geometry: GeometryColumn, attributes: RecordBatch, first: u64) -> Result<Batch> {
        let (features, rows) = (geometry.len(), attributes.num_rows());
        if features != rows {
            return Err(Error::data(format!("{features} geometries have {rows} rows")));
        }
        let vertices = geometry.x.len();
        let fits = |values: &[f64]| values.is_empty() || values.len() == vertices;
        let ends = (0..features).map(|at| geometry.vertices(at).end).max().unwrap_or(0);
        if geometry.y.len() != vertices
            || !fits(&geometry.z)
            || !fits(&geometry.m)
            || ends > vertices
        {
            return Err(Error::data(
                "the vertices of a geometry column have not all the same coordinates",
            ));
        }
        Ok(Batch { geometry, attributes: held(attributes)?, first, unreadable: Vec::new() })
    }

    /// The same features with other attributes.
    pub(crate) fn with_attributes(self, attributes: RecordBatch) -> Result<Batch> {
        let unreadable = self.unreadable;
        Ok(Batch { unreadable, ..Batch::try_new(self.geometry, attributes, self.first)? })
    }

    /// The same features with records that could not be read.
    pub(crate) fn with_unreadable(self, unreadable: Vec<Unreadable>) -> Batch {
        Batch { unreadable, ..self }
    }

    /// Bytes that it takes in memory, or little more.
    pub(crate) fn bytes(&self) -> usize {
        self.attributes.get_array_memory_size() + self.geometry.bytes()
    }

    /// Features.
    pub fn len(&self) -> usize {
        self.geometry.len()
    }

    /// True if there is no feature.
    pub fn is_empty(&self) -> bool {
        self.geometry.is_empty()
    }

    /// Geometries.
    pub fn geometry(&self) -> &GeometryColumn {
        &self.geometry
    }

    /// Attributes, one row a feature.
    pub fn attributes(&self) -> &RecordBatch {
        &self.attributes
    }

    /// Number of the first feature in its source, from 1.
    pub fn first(&self) -> u64 {
        self.first
    }

    /// Records met before these features that could not be read.
    pub fn unreadable(&self) -> &[Unreadable] {
        &self.unreadable
    }

    /// The geometries and the attributes.
    pub fn into_parts(self) -> (GeometryColumn, RecordBatch) {
        (self.geometry, self.attributes)
    }

    /// A warning of the records that could not be read, for whoever cannot make them rejects.
    pub(crate) fn lost(&self, file: &Path) -> Option<Notice> {
        let first = self.unreadable.first()?;
        let what = match self.unreadable.len() {
            1 => "1 record cannot be read and takes no part: record".to_string(),
            count => format!("{count} records cannot be read and take no part; the first,"),
        };
        Some(
            Notice::warning(
                NoticeKind::Unreadable,
                format!("{}: {what} {}: {}", file.display(), first.number, first.reason),
            )
            .count(self.unreadable.len() as u64)
            .in_file(file),
        )
    }

    /// The attribute columns with their types, in the order of the schema.
    pub fn columns(&self) -> Vec<AttributeColumn<'_>> {
        // Every column is of one of these types: `held` has made sure of it.
        self.attributes.columns().iter().filter_map(AttributeColumn::of).collect()
    }

    /// One attribute column by its place.
    pub(crate) fn column(&self, at: usize) -> Option<AttributeColumn<'_>> {
        AttributeColumn::of(self.attributes.columns().get(at)?)
    }

    /// Attribute values of one feature, in the order of the schema. Whoever goes through many
    /// features takes [`Batch::columns`].
    pub fn values(&self, feature: usize) -> Vec<Value> {
        self.columns().iter().map(|column| column.value(feature).to_value()).collect()
    }

    /// The attributes of one feature as text.
    pub(crate) fn texts(&self, feature: usize) -> Vec<String> {
        self.columns().iter().map(|column| column.value(feature).to_string()).collect()
    }

    /// Features as rows.
    pub fn features(&self) -> impl Iterator<Item = Feature<'_>> {
        (0..self.len()).map(|at| Feature { number: self.first + at as u64, batch: self, at })
    }
}

/// One feature seen as a row.
#[derive(Clone, Debug)]
pub struct Feature<'a> {
    /// Number in the layer, from 1.
    pub number: u64,
    batch: &'a Batch,
    at: usize,
}

impl Feature<'_> {
    /// Kind of its geometry; none if it has none.
    pub fn kind(&self) -> Option<GeometryKind> {
        self.batch.geometry.kinds()[self.at]
    }

    /// Vertices as `(x, y)`: longitude or easting first.
    pub fn vertices(&self) -> Vec<(f64, f64)> {
        let column = &self.batch.geometry;
        column.vertices(self.at).map(|v| (column.x[v], column.y[v])).collect()
    }

    /// The value of a named attribute; none if there is no such column.
    pub fn value(&self, name: &str) -> Option<Value> {
        let at = self.batch.attributes.schema().index_of(name).ok()?;
        Some(self.batch.column(at)?.value(self.at).to_value())
    }
}
