//! Writing with metadata in a cluster: the engine's own form of a writer on its way to an executor leaves out the
//! metadata of the file.

use crate::error::wrong;
use datafusion::common::tree_node::{Transformed, TransformedResult, TreeNode, TreeNodeRecursion};
use datafusion::datasource::file_format::parquet::ParquetSink;
use datafusion::datasource::physical_plan::FileSink;
use datafusion::datasource::sink::DataSinkExec;
use datafusion::error::Result;
use datafusion::execution::{SendableRecordBatchStream, TaskContext};
use datafusion::physical_expr::PhysicalExpr;
use datafusion::physical_plan::execution_plan::{ChildrenPropertiesMode, ReplaceChildrenOptions};
use datafusion::physical_plan::{DisplayAs, DisplayFormatType, ExecutionPlan, PlanProperties};
use std::collections::HashMap;
use std::fmt;
use std::sync::Arc;

/// Texts of a file by their keys.
pub(crate) type Texts = HashMap<String, Option<String>>;

/// A writer of Parquet, and the metadata that it is given where it runs.
#[derive(Debug)]
pub(crate) struct GeoSink {
    writer: Arc<dyn ExecutionPlan>,
    texts: Texts,
}

impl GeoSink {
    pub(crate) fn new(writer: Arc<dyn ExecutionPlan>, texts: Texts) -> GeoSink {
        GeoSink { writer, texts }
    }

    pub(crate) fn texts(&self) -> &Texts {
        &self.texts
    }
}

/// A plan whose writers of Parquet keep their metadata on the way.
///
/// # Errors
/// If the plan cannot be put together again.
pub(crate) fn keep_metadata(plan: Arc<dyn ExecutionPlan>) -> Result<Arc<dyn ExecutionPlan>> {
    let wrapped = plan.transform_down(|node| {
        if node.is::<GeoSink>() {
            return Ok(Transformed::new(node, false, TreeNodeRecursion::Jump));
        }
        let texts =
            sink_of(&node).map(|(_, sink)| sink.parquet_options().key_value_metadata.clone());
        Ok(match texts.filter(|texts| !texts.is_empty()) {
            None => Transformed::no(node),
            Some(texts) => {
                let sink: Arc<dyn ExecutionPlan> = Arc::new(GeoSink::new(node, texts));
                Transformed::new(sink, true, TreeNodeRecursion::Jump)
            }
        })
    });
    wrapped.data()
}

fn sink_of(node: &Arc<dyn ExecutionPlan>) -> Option<(&DataSinkExec, &ParquetSink)> {
    let writer = node.downcast_ref::<DataSinkExec>()?;
    Some((writer, writer.sink().downcast_ref::<ParquetSink>()?))
}

impl DisplayAs for GeoSink {
    fn fmt_as(&self, _kind: DisplayFormatType, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut keys: Vec<&str> = self.texts.keys().map(String::as_str).collect();
        keys.sort_unstable();
        write!(f, "GeoSink: with the metadata {}", keys.join(", "))
    }
}

impl ExecutionPlan for GeoSink {
    fn name(&self) -> &'static str {
        "GeoSink"
    }

    fn properties(&self) -> &Arc<PlanProperties> {
        self.writer.properties()
    }

    fn children(&self) -> Vec<&Arc<dyn ExecutionPlan>> {
        vec![&self.writer]
    }

    fn apply_expressions(
        &self,
        _each: &mut dyn FnMut(&Arc<dyn PhysicalExpr>) -> Result<TreeNodeRecursion>,
    ) -> Result<TreeNodeRecursion> {
        Ok(TreeNodeRecursion::Continue)
    }

    fn replace_children(
        self: Arc<Self>,
        mut children: Vec<Arc<dyn ExecutionPlan>>,
        _options: ReplaceChildrenOptions,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        let writer = children.pop().ok_or_else(|| wrong("a writer has one input"))?;
        Ok(Arc::new(GeoSink::new(writer, self.texts.clone())))
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

    fn execute(
        &self,
        partition: usize,
        context: Arc<TaskContext>,
    ) -> Result<SendableRecordBatchStream> {
        let (writer, sink) =
            sink_of(&self.writer).ok_or_else(|| wrong("what writes is no writer of Parquet"))?;
        let mut options = sink.parquet_options().clone();
        options.key_value_metadata.extend(self.texts.clone());
        let sink = ParquetSink::new(sink.config().clone(), options);
        let order = writer.sort_order().clone();
        DataSinkExec::new(writer.input().clone(), Arc::new(sink), order).execute(partition, context)
    }
}
