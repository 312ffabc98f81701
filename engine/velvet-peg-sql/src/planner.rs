//! Plans with the rule of points in polygons, and with writers that keep their metadata on the way, where others choose which rules there are: the scheduler of a cluster
//! plans with its own.

use crate::tables::keep_metadata;
use crate::tagging::{POINTS_IN_POLYGONS, PointsInPolygons};
use datafusion::catalog::Session;
use datafusion::error::Result;
use datafusion::execution::SessionState;
use datafusion::execution::context::QueryPlanner;
use datafusion::execution::session_state::SessionStateBuilder;
use datafusion::logical_expr::LogicalPlan;
use datafusion::physical_optimizer::PhysicalOptimizerRule;
use datafusion::physical_plan::ExecutionPlan;
use datafusion::physical_planner::{DefaultPhysicalPlanner, PhysicalPlanner};
use std::sync::Arc;

/// The planner of the engine, which is given the rule.
#[derive(Debug, Default)]
pub(crate) struct Planner;

#[async_trait::async_trait]
impl QueryPlanner for Planner {
    async fn create_physical_plan(
        &self,
        plan: &LogicalPlan,
        session: &dyn Session,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        let planner = DefaultPhysicalPlanner::default();
        let planned = match session.as_any().downcast_ref::<SessionState>() {
            Some(state) => planner.create_physical_plan(plan, &with_rule(state)).await,
            None => planner.create_physical_plan(plan, session).await,
        };
        keep_metadata(planned?)
    }
}

/// A state with the rule in front of the others.
pub(crate) fn with_rule(state: &SessionState) -> SessionState {
    let mut rules = state.physical_optimizers().to_vec();
    if !rules.iter().any(|rule| rule.name() == POINTS_IN_POLYGONS) {
        rules.insert(0, Arc::new(PointsInPolygons) as Arc<dyn PhysicalOptimizerRule + Send + Sync>);
    }
    SessionStateBuilder::new_from_existing(state.clone())
        .with_physical_optimizer_rules(rules)
        .build()
}
