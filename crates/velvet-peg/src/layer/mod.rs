//! Layers: features with a name, a reference system (or honestly none), attributes and
//! geometries in columns.
//!
//! A [`Layer`] holds everything in memory and is the convenient form for code; files are
//! read and written in [`Batch`]es, so that millions of features pass in bounded memory.

mod attribute_column;
pub(crate) mod attribute_types;
mod batch;
mod batch_builder;
mod collection;
pub(crate) mod column_names;
mod extender;
mod geometry;
mod info;
mod one_geometry;
mod push;
mod row_builder;
mod schema_inference;
mod taken;
mod unreadable;
mod value;
pub(crate) mod value_type;

pub use attribute_column::AttributeColumn;
pub use attribute_types::{COLUMN_DESCRIPTION, COLUMN_MIME, COLUMN_NAME, COLUMN_TITLE};
pub use batch::{Batch, Feature};
pub(crate) use batch_builder::BatchBuilder;
pub(crate) use collection::Collection;
pub(crate) use extender::Extender;
pub(crate) use geometry::common_kind;
pub use geometry::{GeometryColumn, GeometryKind};
pub use info::{CrsOrigin, LayerInfo};
pub(crate) use info::{LINEAGE, lineage};
pub use one_geometry::Geometry;
pub(crate) use row_builder::RowBuilder;
pub(crate) use schema_inference::SchemaInference;
pub(crate) use taken::{Taken, TakenApart};
pub use unreadable::Unreadable;
pub(crate) use unreadable::{LeftOut, Unread};
pub use value::{Value, ValueRef, type_name};

use crate::advice::Advice;
use crate::error::{Error, Result};
use arrow_schema::{Field, Schema, SchemaRef};
use std::collections::BTreeSet;
use std::sync::{Arc, OnceLock};
use velvet_peg_core::{Bounds, Converter, Crs};

/// Features of a batch that a transform works on at once.
pub(crate) const BATCH: usize = 8192;

/// A layer in memory.
#[derive(Debug)]
pub struct Layer {
    info: LayerInfo,
    /// Full batches.
    batches: Vec<Batch>,
    /// Features that were pushed since the last full one.
    pending: Option<Pending>,
    /// Features.
    count: usize,
    /// True while features may be pushed.
    open: bool,
    /// Columns of a layer that is pushed to which hold nothing so far, and have no type yet.
    untyped: Vec<bool>,
}

impl Clone for Layer {
    fn clone(&self) -> Layer {
        let (info, batches) = (self.info.clone(), self.batches().cloned().collect());
        let (count, open, untyped) = (self.count, self.open, self.untyped.clone());
        Layer { info, batches, pending: None, count, open, untyped }
    }
}

/// Features that are pushed one by one.
#[derive(Debug)]
struct Pending {
    geometry: GeometryColumn,
    rows: RowBuilder,
    first: u64,
    /// They as a batch, once somebody wants to see it.
    batch: OnceLock<Batch>,
}

impl Pending {
    fn new(schema: SchemaRef, first: u64) -> Pending {
        let (geometry, rows) = (GeometryColumn::new(), RowBuilder::new(schema));
        Pending { geometry, rows, first, batch: OnceLock::new() }
    }

    /// # Panics
    /// Never: geometries and rows are pushed together.
    fn batch(&self) -> &Batch {
        self.batch.get_or_init(|| {
            let rows = self.rows.snapshot();
            rows.and_then(|rows| Batch::try_new(self.geometry.clone(), rows, self.first))
                .expect("a row was pushed with every geometry")
        })
    }

    fn into_batch(self) -> Batch {
        self.batch();
        self.batch.into_inner().expect("it was just made")
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
                description: None,
                crs,
                crs_origin: CrsOrigin::Given,
                schema: Arc::new(Schema::empty()),
                kind: None,
                bare: false,
                unit: None,
                aside: false,
                has_z: false,
                has_m: false,
                count: Some(0),
                extent: None,
            },
            batches: Vec::new(),
            pending: None,
            count: 0,
            open: true,
            untyped: Vec::new(),
        }
    }

    /// An empty layer whose columns and their types are known beforehand.
    pub(crate) fn with_fields(name: &str, crs: Option<Crs>, fields: Vec<Field>) -> Layer {
        let mut layer = Layer::new(name, crs);
        layer.info.schema = Arc::new(Schema::new(fields));
        layer
    }

    /// A layer of batches that were made elsewhere, which have the same columns.
    ///
    /// ```
    /// use velvet_peg::arrow::array::RecordBatch;
    /// use velvet_peg::arrow::schema::Schema;
    /// use velvet_peg::{Crs, Layer};
    /// use velvet_peg::layer::{Batch, GeometryColumn};
    /// let batch = Batch::try_new(GeometryColumn::new(), RecordBatch::new_empty(Schema::empty().into()), 1)?;
    /// let gates = Layer::try_from_batches("gates", Some(Crs::from_epsg(4326)?), vec![batch])?;
    /// assert!(gates.is_empty());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the columns of a batch are not those of the first.
    pub fn try_from_batches(name: &str, crs: Option<Crs>, batches: Vec<Batch>) -> Result<Layer> {
        let mut info = Layer::new(name, crs).info;
        let mut kinds = BTreeSet::new();
        let mut extent = Extender::default();
        if let Some(first) = batches.first() {
            info.schema = first.attributes().schema();
        }
        let mut count = 0;
        for batch in &batches {
            same_columns(&info.schema, &batch.attributes().schema())?;
            kinds.extend(batch.geometry.kinds().iter().flatten());
            info.has_z |= batch.geometry.has_z();
            info.has_m |= batch.geometry.has_m();
            count += batch.len() as u64;
            extent.add(&batch.geometry);
        }
        info.kind = common_kind(kinds);
        info.count = Some(count);
        info.extent = extent.bounds();
        Ok(Layer::from_batches(info, batches))
    }

    pub(crate) fn from_batches(info: LayerInfo, batches: Vec<Batch>) -> Layer {
        let count = batches.iter().map(|batch| batch.geometry.len()).sum();
        Layer { info, batches, pending: None, count, open: false, untyped: Vec::new() }
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
    pub fn batches(&self) -> impl Iterator<Item = &Batch> {
        self.batches.iter().chain(self.pending.as_ref().map(Pending::batch))
    }

    /// Features as rows.
    pub fn features(&self) -> impl Iterator<Item = Feature<'_>> {
        self.batches().flat_map(Batch::features)
    }

    /// Gives the layer a reference system without moving a coordinate.
    pub fn declare(&mut self, crs: Crs) {
        self.info.take_declaration(&crs);
    }

    /// The layer carried by a converter from its own system.
    ///
    /// # Errors
    /// If a vertex cannot be carried.
    pub(crate) fn carried(&self, converter: &Converter) -> Result<Layer> {
        let (source, target) = (converter.source(), converter.target());
        let mut converted = self.clone();
        for batch in &mut converted.batches {
            let failed = batch.geometry.convert(converter);
            if failed > 0 {
                return Err(Error::data(format!(
                    "{failed} vertices cannot be carried from {} to {}",
                    source.label(),
                    target.label()
                ))
                .in_layer(&self.info.name));
            }
        }
        converted.info.take_conversion(converter);
        Ok(converted)
    }

    /// Smallest box around all vertices in the layer's own units; none if there are none.
    pub fn extent(&self) -> Option<Bounds> {
        let mut extent = Extender::default();
        self.batches().for_each(|batch| extent.add(&batch.geometry));
        extent.bounds()
    }
}

/// The error of a layer whose coordinates are in no known system, or that has none.
pub(crate) fn no_system(info: &LayerInfo) -> Error {
    let name = &info.name;
    match info.bare {
        true => {
            Error::usage(format!("layer {name} is a table of attributes: it has no coordinates"))
        }
        false => Error::usage(format!("layer {name} has no reference system"))
            .advise(Advice::Declare(None)),
    }
}

/// # Errors
/// If the columns of a batch are not those of its layer.
pub(crate) fn same_columns(layer: &SchemaRef, batch: &SchemaRef) -> Result<()> {
    if Arc::ptr_eq(layer, batch) {
        return Ok(());
    }
    let columns = |schema: &SchemaRef| -> Vec<String> {
        schema.fields().iter().map(|f| format!("`{}` ({})", f.name(), type_name(f))).collect()
    };
    let (layer, batch) = (columns(layer), columns(batch));
    match layer == batch {
        true => Ok(()),
        false => Err(Error::usage(format!(
            "the columns of a batch, {}, are not those of its layer, {}",
            batch.join(", "),
            layer.join(", ")
        ))),
    }
}
