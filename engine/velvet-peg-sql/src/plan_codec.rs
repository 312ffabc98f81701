//! Parts of plans that are ours on their way to the executors of a cluster.

use crate::error::wrong;
use crate::tables::{GeoSink, Texts};
use crate::tagging::{How, PolygonJoin};
use ballista_core::serde::BallistaPhysicalExtensionCodec;
use datafusion::error::Result;
use datafusion::execution::TaskContext;
use datafusion::physical_plan::ExecutionPlan;
use datafusion_proto::physical_plan::{PhysicalExtensionCodec, PhysicalProtoConverterExtension};
use std::sync::Arc;

/// In front of a join, and of a writer; no node of the cluster's own begins so.
const JOIN: &[u8] = b"velvet-peg join\n";
const SINK: &[u8] = b"velvet-peg sink\n";

/// Writes and reads what the cluster does, joins of points with polygons, and writers of GeoParquet.
#[derive(Debug, Default)]
pub(crate) struct PlanCodec(BallistaPhysicalExtensionCodec);

impl PhysicalExtensionCodec for PlanCodec {
    fn try_decode(
        &self,
        bytes: &[u8],
        inputs: &[Arc<dyn ExecutionPlan>],
        context: &TaskContext,
        converter: &dyn PhysicalProtoConverterExtension,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        if let Some(text) = bytes.strip_prefix(SINK) {
            let texts: Option<Texts> = serde_json::from_slice(text).ok();
            return match (texts, inputs) {
                (Some(texts), [writer]) => Ok(Arc::new(GeoSink::new(writer.clone(), texts))),
                _ => Err(wrong("a writer of GeoParquet is of another version")),
            };
        }
        let Some(text) = bytes.strip_prefix(JOIN) else {
            return self.0.try_decode(bytes, inputs, context, converter);
        };
        let how: Option<How> = serde_json::from_slice(text).ok();
        match (how, inputs) {
            (Some(how), [points, polygons]) => {
                Ok(Arc::new(PolygonJoin::new(points.clone(), polygons.clone(), how)))
            }
            _ => Err(wrong("a join of points and polygons is of another version")),
        }
    }

    fn try_encode(
        &self,
        node: Arc<dyn ExecutionPlan>,
        bytes: &mut Vec<u8>,
        converter: &dyn PhysicalProtoConverterExtension,
    ) -> Result<()> {
        if let Some(sink) = node.downcast_ref::<GeoSink>() {
            bytes.extend_from_slice(SINK);
            return serde_json::to_writer(bytes, sink.texts()).map_err(wrong);
        }
        let Some(join) = node.downcast_ref::<PolygonJoin>() else {
            return self.0.try_encode(node, bytes, converter);
        };
        bytes.extend_from_slice(JOIN);
        serde_json::to_writer(bytes, join.how()).map_err(wrong)
    }
}
