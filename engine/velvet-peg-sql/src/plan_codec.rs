//! Parts of plans that are ours on their way to the executors of a cluster.

use crate::error::wrong;
use crate::tables::{GeoSink, Texts};
use crate::tagging::{How, Kind, PolygonJoin, Relation, Test};
use ballista_core::serde::BallistaPhysicalExtensionCodec;
use datafusion::error::Result;
use datafusion::execution::TaskContext;
use datafusion::physical_plan::ExecutionPlan;
use datafusion_proto::physical_plan::{PhysicalExtensionCodec, PhysicalProtoConverterExtension};
use serde_json::{Value, json};
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
        let how = serde_json::from_slice(text).ok().and_then(|text| how(&text));
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
        let How { kind, test, point, polygon, from, to, route, points_first } = join.how();
        bytes.extend_from_slice(JOIN);
        let text = json!({
            "kind": kind.name(),
            "relation": test.relation.name(),
            "tolerance_m": test.tolerance_m,
            "point": point,
            "polygon": polygon,
            "from": from,
            "to": to,
            "route": route,
            "points_first": points_first,
        });
        bytes.extend_from_slice(text.to_string().as_bytes());
        Ok(())
    }
}

fn how(text: &Value) -> Option<How> {
    let column = |name: &str| usize::try_from(text[name].as_u64()?).ok();
    let kind = text["kind"].as_str()?;
    let relation = Relation::named(text["relation"].as_str()?)?;
    Some(How {
        kind: Kind::ALL.into_iter().find(|known| known.name() == kind)?,
        test: Test::new(relation, text["tolerance_m"].as_f64()?).ok()?,
        point: column("point")?,
        polygon: column("polygon")?,
        from: text["from"].as_str()?.to_string(),
        to: text["to"].as_str()?.to_string(),
        route: text["route"].as_str()?.to_string(),
        points_first: text["points_first"].as_bool()?,
    })
}
