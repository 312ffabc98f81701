//! Layers: features with a name, a reference system (or honestly none), attributes and
//! geometries in columns.
//!
//! A [`Layer`] holds everything in memory and is the convenient form for code; files are
//! read and written in [`Batch`]es, so that millions of features pass in bounded memory.

pub(crate) mod column_names;
mod gather;
mod geometry;
mod learn;
mod value;

pub(crate) use gather::Gather;
pub(crate) use geometry::common_kind;
pub use geometry::{Geometry, GeometryColumn, GeometryKind};
pub(crate) use learn::{Learn, type_of_value};
pub(crate) use value::{Rows, value_at};
pub use value::{Value, type_name};

use crate::error::{Error, Result};
use crate::notice::Notice;
use arrow_array::RecordBatch;
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use std::path::Path;
use std::sync::Arc;
use velvet_peg_core::{Bounds, Converter, Crs};

/// Features of a batch that a stage works on at once.
pub(crate) const BATCH: usize = 8192;

/// What is known of a layer without reading its features.
#[derive(Clone, Debug)]
pub struct LayerInfo {
    /// Name.
    pub name: String,
    /// Reference system; none if the data has none.
    pub crs: Option<Crs>,
    /// Where the reference system is known from.
    pub crs_origin: CrsOrigin,
    /// Attribute columns.
    pub schema: SchemaRef,
    /// Kind of all geometries; none if mixed or unknown.
    pub kind: Option<GeometryKind>,
    /// True if vertices have heights.
    pub has_z: bool,
    /// True if vertices have measures.
    pub has_m: bool,
    /// Number of features, if known.
    pub count: Option<u64>,
    /// Smallest box around the coordinates in the layer's own units, if known: `south`,
    /// `north` bound y; `west`, `east` bound x.
    pub extent: Option<Bounds>,
}

/// Where the reference system of a layer is known from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CrsOrigin {
    /// It is missing, or was given by whoever made the layer.
    #[default]
    Given,
    /// The file states it.
    File,
    /// A side file (`.prj`) states it.
    SideFile,
    /// The standard of the format fixes it.
    Format,
}

impl CrsOrigin {
    /// In words.
    pub fn name(self) -> &'static str {
        match self {
            CrsOrigin::Given => "given",
            CrsOrigin::File => "stated in the file",
            CrsOrigin::SideFile => "from a side file",
            CrsOrigin::Format => "fixed by the format's standard",
        }
    }
}

/// A record of a file that no feature could be made of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unreadable {
    /// Its number in the source, from 1.
    pub number: u64,
    /// Why.
    pub reason: String,
    /// What was there, as far as it can be shown.
    pub original: String,
}

/// Some features of a layer.
#[derive(Clone, Debug)]
pub struct Batch {
    /// Geometries.
    pub geometry: GeometryColumn,
    /// Attributes, one row a feature.
    pub attributes: RecordBatch,
    /// Number of the first feature in its source, from 1.
    pub first: u64,
    /// Records met before these features that could not be read.
    pub unreadable: Vec<Unreadable>,
}

impl Batch {
    /// Features of which the first has this number in its source.
    pub(crate) fn new(geometry: GeometryColumn, attributes: RecordBatch, first: u64) -> Batch {
        Batch { geometry, attributes, first, unreadable: Vec::new() }
    }

    /// Features with their attributes, a row a feature; the first has this number.
    ///
    /// # Errors
    /// If there are more or fewer rows than geometries, or heights or measures than vertices.
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
        Ok(Batch::new(geometry, attributes, first))
    }

    /// A warning of the records that could not be read, for whoever cannot make them rejects.
    pub(crate) fn lost(&self, file: &Path) -> Option<Notice> {
        let first = self.unreadable.first()?;
        Some(Notice::warning(format!(
            "{}: {} records cannot be read and take no part; the first, {}: {}",
            file.display(),
            self.unreadable.len(),
            first.number,
            first.reason
        )))
    }

    /// Attribute values of one feature, in the order of the schema.
    pub fn values(&self, feature: usize) -> Vec<Value> {
        self.attributes.columns().iter().map(|column| value_at(column, feature)).collect()
    }
}

/// A layer in memory.
#[derive(Clone, Debug)]
pub struct Layer {
    info: LayerInfo,
    batches: Vec<Batch>,
    /// Features.
    count: usize,
    /// Batches at the end that hold one pushed feature each.
    loose: usize,
    /// True while features may be pushed.
    open: bool,
}

/// One feature seen as a row.
#[derive(Clone, Debug)]
pub struct Feature<'a> {
    /// Number in the layer, from 1.
    pub number: u64,
    column: &'a GeometryColumn,
    at: usize,
    batch: &'a Batch,
}

impl Feature<'_> {
    /// Kind of its geometry; none if it has none.
    pub fn kind(&self) -> Option<GeometryKind> {
        self.column.kinds()[self.at]
    }

    /// Vertices as `(x, y)`: longitude or easting first.
    pub fn vertices(&self) -> Vec<(f64, f64)> {
        self.column.vertices(self.at).map(|v| (self.column.x[v], self.column.y[v])).collect()
    }

    /// The value of a named attribute; none if there is no such column.
    pub fn value(&self, name: &str) -> Option<Value> {
        let column = self.batch.attributes.column_by_name(name)?;
        Some(value_at(column, self.at))
    }
}

impl Layer {
    /// An empty layer to push features to.
    ///
    /// ```
    /// use velvet_peg::{Crs, Layer};
    /// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4326)?));
    /// gates.push((-120.004, 47.412), [("name", "Gate 7".into()), ("cfs", 4.5.into())])?;
    /// gates.push((-119.991, 47.405), [("name", "Gate 8".into()), ("cfs", 2.0.into())])?;
    /// assert_eq!(gates.len(), 2);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    pub fn new(name: &str, crs: Option<Crs>) -> Layer {
        Layer {
            info: LayerInfo {
                name: name.to_string(),
                crs,
                crs_origin: CrsOrigin::Given,
                schema: Arc::new(Schema::empty()),
                kind: None,
                has_z: false,
                has_m: false,
                count: Some(0),
                extent: None,
            },
            batches: Vec::new(),
            count: 0,
            loose: 0,
            open: true,
        }
    }

    /// An empty layer whose columns and their types are known beforehand.
    pub(crate) fn with_fields(name: &str, crs: Option<Crs>, fields: Vec<Field>) -> Layer {
        let mut layer = Layer::new(name, crs);
        layer.info.schema = Arc::new(Schema::new(fields));
        layer
    }

    pub(crate) fn from_batches(info: LayerInfo, batches: Vec<Batch>) -> Layer {
        let count = batches.iter().map(|batch| batch.geometry.len()).sum();
        Layer { info, batches, count, loose: 0, open: false }
    }

    /// Adds a feature with its attributes. A pair of numbers is a point, a slice or array of
    /// them a line; [`Geometry`] has the rest. The first feature decides the columns and their
    /// types.
    ///
    /// # Errors
    /// If the layer was read from a file, or the attribute names differ from the first
    /// feature's.
    pub fn push<const N: usize>(
        &mut self,
        geometry: impl Into<Geometry>,
        attributes: [(&str, Value); N],
    ) -> Result<()> {
        self.add(geometry, attributes.into_iter().collect())
    }

    /// As [`Layer::push`], with attributes whose number is not known beforehand.
    ///
    /// # Errors
    /// As [`Layer::push`].
    pub fn add(
        &mut self,
        geometry: impl Into<Geometry>,
        attributes: Vec<(&str, Value)>,
    ) -> Result<()> {
        let geometry = geometry.into();
        if !self.open {
            return Err(Error::usage(
                "features can be pushed only to a layer made with Layer::new",
            ));
        }
        if self.is_empty() && self.info.schema.fields().is_empty() {
            let fields: Vec<Field> =
                attributes.iter().map(|(name, value)| field(name, value)).collect();
            self.info.schema = Arc::new(Schema::new(fields));
        }
        let names = self.info.schema.fields().iter().map(|field| field.name().as_str());
        if !names.eq(attributes.iter().map(|(name, _)| *name)) {
            return Err(Error::usage(
                "every feature of a layer needs the same attribute names in the same order",
            ));
        }
        let mut column = GeometryColumn::new();
        column.push(&geometry);
        let mut rows = Rows::new(self.info.schema.clone());
        rows.push(attributes.into_iter().map(|(_, value)| value));
        let kinds = [self.info.kind, column.common_kind()].into_iter().flatten();
        let mixed = !self.is_empty() && self.info.kind.is_none();
        self.info.kind = if mixed { None } else { common_kind(kinds) };
        let first = self.len() as u64 + 1;
        self.batches.push(Batch::new(column, rows.finish()?, first));
        self.info.count = Some(first);
        self.count += 1;
        self.loose += 1;
        if self.loose == BATCH { self.gather() } else { Ok(()) }
    }

    /// Makes one batch of the features that were pushed one by one.
    fn gather(&mut self) -> Result<()> {
        let loose = self.batches.split_off(self.batches.len() - self.loose);
        let mut geometry = GeometryColumn::new();
        loose.iter().for_each(|batch| geometry.push_from(&batch.geometry, 0));
        let attributes = arrow_select::concat::concat_batches(
            &self.info.schema,
            loose.iter().map(|batch| &batch.attributes),
        )?;
        self.batches.push(Batch::new(geometry, attributes, loose[0].first));
        self.loose = 0;
        Ok(())
    }

    /// Name, system, columns and kind.
    pub fn info(&self) -> &LayerInfo {
        &self.info
    }

    /// Reference system; none if the data has none.
    pub fn crs(&self) -> Option<&Crs> {
        self.info.crs.as_ref()
    }

    /// Number of features.
    pub fn len(&self) -> usize {
        self.count
    }

    /// True if there is no feature.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The batches it is held in.
    pub fn batches(&self) -> &[Batch] {
        &self.batches
    }

    /// Features as rows.
    pub fn features(&self) -> impl Iterator<Item = Feature<'_>> {
        self.batches.iter().flat_map(|batch| {
            (0..batch.geometry.len()).map(move |at| Feature {
                number: batch.first + at as u64,
                column: &batch.geometry,
                at,
                batch,
            })
        })
    }

    /// Gives the layer a reference system without moving a coordinate.
    pub fn declare(&mut self, crs: Crs) {
        self.info.crs = Some(crs);
    }

    /// The layer carried into another reference system.
    ///
    /// ```
    /// use velvet_peg::{Crs, Geometry, Layer};
    /// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4326)?));
    /// gates.push(Geometry::Point((-123.0, 47.4)), [("name", "Gate 7".into())])?;
    /// let utm = gates.convert(&Crs::from_epsg(32610)?)?;
    /// let (easting, _) = utm.features().next().unwrap().vertices()[0];
    /// assert!((easting - 500_000.0).abs() < 1e-6);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the layer has no reference system, no operation joins the two, or a vertex cannot
    /// be converted.
    pub fn convert(&self, target: &Crs) -> Result<Layer> {
        let source = self.crs().ok_or_else(|| no_system(&self.info.name))?;
        let converter = Converter::new(source, target)?;
        let mut converted = self.clone();
        for batch in &mut converted.batches {
            let failed = batch.geometry.convert(&converter);
            if failed > 0 {
                return Err(Error::data(format!(
                    "{failed} vertices cannot be carried from {} to {}",
                    source.label(),
                    target.label()
                ))
                .in_layer(&self.info.name));
            }
        }
        converted.info.crs = Some(target.clone());
        converted.info.extent = None;
        converted.open = false;
        Ok(converted)
    }

    /// Smallest box around all vertices in the layer's own units; none if there are none.
    pub fn extent(&self) -> Option<Bounds> {
        let mut extent = Extender::default();
        self.batches.iter().for_each(|batch| extent.add(&batch.geometry));
        extent.bounds()
    }
}

fn field(name: &str, value: &Value) -> Field {
    let kind = match value {
        Value::Integer(_) => DataType::Int64,
        Value::Real(_) => DataType::Float64,
        Value::Boolean(_) => DataType::Boolean,
        Value::Binary(_) => DataType::Binary,
        Value::Text(_) | Value::Null => DataType::Utf8,
    };
    Field::new(name, kind, true)
}

pub(crate) fn no_system(layer: &str) -> Error {
    Error::usage(format!(
        "layer {layer} has no reference system: say which one it is in with `vpeg declare FILE \
         --crs REF -o OUT` (search with `vpeg crs find`)"
    ))
}

/// Grows a box around vertices.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Extender(Option<Bounds>);

impl Extender {
    pub(crate) fn add(&mut self, column: &GeometryColumn) {
        column.x.iter().zip(&column.y).for_each(|(x, y)| self.point(*x, *y));
    }

    pub(crate) fn point(&mut self, x: f64, y: f64) {
        if !(x.is_finite() && y.is_finite()) {
            return;
        }
        let bounds = self.0.get_or_insert(Bounds { south: y, west: x, north: y, east: x });
        bounds.south = bounds.south.min(y);
        bounds.north = bounds.north.max(y);
        bounds.west = bounds.west.min(x);
        bounds.east = bounds.east.max(x);
    }

    pub(crate) fn bounds(self) -> Option<Bounds> {
        self.0
    }
}
