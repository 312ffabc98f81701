//! The join itself: polygons are collected and made ready, points stream past them.

use super::index::Polygons;
use super::relation::Test;
use crate::error::wrong;
use crate::geometry::Points;
use crate::plans::{plan, same_route};
use crate::rejects::Rejects;
use crate::settings::area_of;
use crate::system;
use datafusion::arrow::array::{RecordBatch, RecordBatchOptions, UInt32Array};
use datafusion::arrow::compute::{concat_batches, take, take_record_batch};
use datafusion::arrow::datatypes::{Field, FieldRef, Schema, SchemaRef};
use datafusion::common::tree_node::TreeNodeRecursion;
use datafusion::error::{DataFusionError, Result};
use datafusion::execution::memory_pool::{MemoryConsumer, MemoryReservation};
use datafusion::execution::{SendableRecordBatchStream, TaskContext};
use datafusion::physical_expr::{Distribution, EquivalenceProperties, Partitioning, PhysicalExpr};
use datafusion::physical_plan::distribution_requirements::InputDistributionRequirements;
use datafusion::physical_plan::execution_plan::{
    ChildrenPropertiesMode, EmissionType, ReplaceChildrenOptions,
};
use datafusion::physical_plan::metrics::{BaselineMetrics, ExecutionPlanMetricsSet, MetricsSet};
use datafusion::physical_plan::stream::RecordBatchStreamAdapter;
use datafusion::physical_plan::{
    DisplayAs, DisplayFormatType, ExecutionPlan, ExecutionPlanProperties, PlanProperties,
};
use futures::{StreamExt, TryStreamExt, stream};
use serde::{Deserialize, Serialize};
use std::fmt;
use std::sync::Arc;
use tokio::sync::OnceCell;
use velvet_peg_core::Converter;

/// What becomes of points.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) enum Kind {
    /// A row for each polygon that a point is in.
    Inner,
    /// The same, and one row, without a polygon, for each point that is in none.
    All,
    /// Points that are in a polygon, once.
    In,
    /// Points that are in none.
    Out,
}

impl Kind {
    fn name(self) -> &'static str {
        match self {
            Kind::Inner => "points in polygons",
            Kind::All => "all points",
            Kind::In => "points that are in one",
            Kind::Out => "points that are in none",
        }
    }

    /// Whether rows have the columns of polygons.
    fn has_polygons(self) -> bool {
        matches!(self, Kind::Inner | Kind::All)
    }
}

/// How points and polygons are joined.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct How {
    pub(crate) kind: Kind,
    pub(crate) test: Test,
    /// Numbers of the columns of geometries.
    pub(crate) point: usize,
    pub(crate) polygon: usize,
    /// Systems of both.
    pub(crate) from: String,
    pub(crate) to: String,
    /// The route between them that the query was planned with.
    pub(crate) route: String,
    /// Whether the columns of points come first.
    pub(crate) points_first: bool,
}

/// A polygon index that is made once for all partitions.
type Once = Arc<OnceCell<Arc<Held>>>;

#[derive(Debug)]
struct Held {
    polygons: Polygons,
    /// Given back when the polygons are.
    _memory: MemoryReservation,
}

/// Joins points with the polygons that they are in.
#[derive(Debug)]
pub(crate) struct PolygonJoin {
    points: Arc<dyn ExecutionPlan>,
    polygons: Arc<dyn ExecutionPlan>,
    how: How,
    properties: Arc<PlanProperties>,
    held: Once,
    metrics: ExecutionPlanMetricsSet,
}

/// Rows of an output batch: more pairs than these are divided.
const ROWS: usize = 8_192;

impl PolygonJoin {
    pub(crate) fn new(
        points: Arc<dyn ExecutionPlan>,
        polygons: Arc<dyn ExecutionPlan>,
        how: How,
    ) -> PolygonJoin {
        let schema = Arc::new(schema(&points.schema(), &polygons.schema(), &how));
        let partitions = points.output_partitioning().partition_count();
        let properties = PlanProperties::new(
            EquivalenceProperties::new(schema),
            Partitioning::UnknownPartitioning(partitions),
            EmissionType::Incremental,
            points.boundedness(),
        );
        PolygonJoin {
            points,
            polygons,
            how,
            properties: Arc::new(properties),
            held: Once::default(),
            metrics: ExecutionPlanMetricsSet::new(),
        }
    }

    pub(crate) fn how(&self) -> &How {
        &self.how
    }
}

fn schema(points: &Schema, polygons: &Schema, how: &How) -> Schema {
    let points: Vec<FieldRef> = points.fields().iter().cloned().collect();
    let optional = |field: &FieldRef| -> FieldRef {
        let field: &Field = field;
        Arc::new(field.clone().with_nullable(field.is_nullable() || how.kind == Kind::All))
    };
    let polygons: Vec<FieldRef> = match how.kind.has_polygons() {
        true => polygons.fields().iter().map(optional).collect(),
        false => Vec::new(),
    };
    Schema::new(match how.points_first {
        true => [points, polygons].concat(),
        false => [polygons, points].concat(),
    })
}

impl DisplayAs for PolygonJoin {
    fn fmt_as(&self, _kind: DisplayFormatType, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let How { kind, test, from, to, route, .. } = &self.how;
        write!(f, "PolygonJoin: {} by {}", kind.name(), test.relation.name())?;
        if test.tolerance_m > 0.0 {
            write!(f, " with {} m", test.tolerance_m)?;
        }
        write!(f, ", points {from}, polygons {to}")?;
        match from == to {
            true => Ok(()),
            false => write!(f, ", by {route}"),
        }
    }
}

impl ExecutionPlan for PolygonJoin {
    fn name(&self) -> &'static str {
        "PolygonJoin"
    }

    fn properties(&self) -> &Arc<PlanProperties> {
        &self.properties
    }

    fn input_distribution_requirements(&self) -> InputDistributionRequirements {
        InputDistributionRequirements::new(vec![
            Distribution::UnspecifiedDistribution,
            Distribution::SinglePartition,
        ])
    }

    fn children(&self) -> Vec<&Arc<dyn ExecutionPlan>> {
        vec![&self.points, &self.polygons]
    }

    fn apply_expressions(
        &self,
        _each: &mut dyn FnMut(&Arc<dyn PhysicalExpr>) -> Result<TreeNodeRecursion>,
    ) -> Result<TreeNodeRecursion> {
        Ok(TreeNodeRecursion::Continue)
    }

    fn replace_children(
        self: Arc<Self>,
        children: Vec<Arc<dyn ExecutionPlan>>,
        _options: ReplaceChildrenOptions,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        let [points, polygons] =
            <[_; 2]>::try_from(children).map_err(|_| wrong("a join has two inputs"))?;
        Ok(Arc::new(PolygonJoin::new(points, polygons, self.how.clone())))
    }

    fn with_new_children(
        self: Arc<Self>,
        children: Vec<Arc<dyn ExecutionPlan>>,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        self.replace_children(
            children,
            ReplaceChildrenOptions::new(ChildrenPropertiesMode::Recompute),
        )
    }

    fn metrics(&self) -> Option<MetricsSet> {
        Some(self.metrics.clone_inner())
    }

    fn execute(
        &self,
        partition: usize,
        context: Arc<TaskContext>,
    ) -> Result<SendableRecordBatchStream> {
        let metrics = BaselineMetrics::new(&self.metrics, partition);
        let name = self.how.test.relation.name();
        let rejects = Rejects::of(context.session_config().options(), name);
        let area = area_of(context.session_config().options());
        let way = plan(&self.how.from, &self.how.to, area)?;
        same_route(&way, &self.how.route)?;
        let asked =
            Asked { how: self.how.clone(), schema: self.schema(), way, rejects: rejects.clone() };
        let (held, polygons) = (self.held.clone(), self.polygons.clone());
        let (how, of_polygons) = (self.how.clone(), context.clone());
        let points = self.points.execute(partition, context)?;
        let rows = async move {
            let held =
                held.get_or_try_init(|| collect(polygons, how, of_polygons, rejects)).await?;
            let held = held.clone();
            let answers = points.map_ok(move |batch| {
                stream::iter(Answers::new(asked.clone(), held.clone(), batch, metrics.clone()))
            });
            Ok::<_, DataFusionError>(answers.try_flatten())
        };
        let rows = stream::once(rows).try_flatten();
        Ok(Box::pin(RecordBatchStreamAdapter::new(self.schema(), rows)))
    }
}

/// What polygons are reckoned to take, for each of their bytes (rows, which are held twice for a moment, and edges, which
/// lie in several bands) and for each of them (cells, a region). An estimate.
const BYTES: usize = 10;
const POLYGON: usize = 1_000;

/// The polygons of all partitions, made ready.
async fn collect(
    polygons: Arc<dyn ExecutionPlan>,
    how: How,
    context: Arc<TaskContext>,
    rejects: Rejects,
) -> Result<Arc<Held>> {
    let memory = MemoryConsumer::new("polygons of a join").register(context.memory_pool());
    let mut batches = Vec::new();
    for partition in 0..polygons.output_partitioning().partition_count() {
        let mut rows = polygons.execute(partition, context.clone())?;
        while let Some(batch) = rows.next().await {
            let batch = batch?;
            memory.try_grow(BYTES * batch.get_array_memory_size() + POLYGON * batch.num_rows())?;
            batches.push(batch);
        }
    }
    let rows = concat_batches(&polygons.schema(), &batches)?;
    drop(batches);
    let crs = system::named(&how.to)?;
    let polygons = Polygons::new(rows, how.polygon, &crs, how.test, &rejects)?;
    Ok(Arc::new(Held { polygons, _memory: memory }))
}

/// What is the same for all points.
#[derive(Clone)]
struct Asked {
    how: How,
    schema: SchemaRef,
    way: Arc<Converter>,
    rejects: Rejects,
}

/// The rows of a batch of points, in batches.
struct Answers {
    asked: Asked,
    held: Arc<Held>,
    points: RecordBatch,
    /// Rows of points and of polygons; what is wrong, once.
    pairs: Result<Vec<(u32, Option<u32>)>, Option<DataFusionError>>,
    next: usize,
    metrics: BaselineMetrics,
}

impl Answers {
    fn new(
        asked: Asked,
        held: Arc<Held>,
        points: RecordBatch,
        metrics: BaselineMetrics,
    ) -> Answers {
        let timer = metrics.elapsed_compute().timer();
        let pairs = pairs(&asked, &held.polygons, &points).map_err(Some);
        timer.done();
        Answers { asked, held, points, pairs, next: 0, metrics }
    }

    fn rows(&self, pairs: &[(u32, Option<u32>)]) -> Result<RecordBatch> {
        let points = UInt32Array::from_iter_values(pairs.iter().map(|(point, _)| *point));
        let points = take_record_batch(&self.points, &points)?;
        let mut columns = points.columns().to_vec();
        if self.asked.how.kind.has_polygons() {
            let polygons: UInt32Array = pairs.iter().map(|(_, polygon)| *polygon).collect();
            let taken = self
                .held
                .polygons
                .rows
                .columns()
                .iter()
                .map(|column| Ok(take(column, &polygons, None)?));
            let polygons = taken.collect::<Result<Vec<_>>>()?;
            columns = match self.asked.how.points_first {
                true => [columns, polygons].concat(),
                false => [polygons, columns].concat(),
            };
        }
        let options = RecordBatchOptions::new().with_row_count(Some(pairs.len()));
        Ok(RecordBatch::try_new_with_options(self.asked.schema.clone(), columns, &options)?)
    }
}

impl Iterator for Answers {
    type Item = Result<RecordBatch>;

    fn next(&mut self) -> Option<Result<RecordBatch>> {
        let pairs = match &mut self.pairs {
            Err(error) => return error.take().map(Err),
            Ok(pairs) => pairs,
        };
        let end = pairs.len().min(self.next + ROWS);
        if self.next == end {
            return None;
        }
        let part = pairs[self.next..end].to_vec();
        self.next = end;
        let timer = self.metrics.elapsed_compute().timer();
        let rows = self.rows(&part);
        timer.done();
        self.metrics.record_output(part.len());
        Some(rows)
    }
}

/// Rows of points with rows of polygons, as the kind of join wants them.
fn pairs(
    asked: &Asked,
    polygons: &Polygons,
    rows: &RecordBatch,
) -> Result<Vec<(u32, Option<u32>)>> {
    let column = rows.column(asked.how.point);
    let mut points = Points::of(column, &asked.rejects)?;
    points.carry(&asked.way, column, &asked.rejects)?;
    let found = polygons.pairs(&points);
    if asked.how.kind == Kind::Inner {
        return Ok(found.into_iter().map(|(point, polygon)| (point, Some(polygon))).collect());
    }
    let mut found = found.into_iter().peekable();
    let mut pairs = Vec::with_capacity(points.len());
    for row in 0..points.len() as u32 {
        let mut any = false;
        while let Some((_, polygon)) = found.next_if(|(point, _)| *point == row) {
            if asked.how.kind == Kind::All || (asked.how.kind == Kind::In && !any) {
                pairs.push((row, Some(polygon)));
            }
            any = true;
        }
        if !any && matches!(asked.how.kind, Kind::All | Kind::Out) {
            pairs.push((row, None));
        }
    }
    Ok(pairs)
}
