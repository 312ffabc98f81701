//! Joins that compare every point with every polygon become joins that ask an index.

use super::join::{How, Kind, PolygonJoin};
use super::relation::{POLYGON_FIRST, Relation, Test};
use crate::constant::constant;
use datafusion::common::config::ConfigOptions;
use datafusion::common::tree_node::{Transformed, TransformedResult, TreeNode};
use datafusion::common::{JoinSide, JoinType};
use datafusion::error::Result;
use datafusion::physical_expr::expressions::{Column, Literal};
use datafusion::physical_expr::projection::ProjectionExpr;
use datafusion::physical_expr::utils::{collect_columns, split_conjunction};
use datafusion::physical_expr::{PhysicalExpr, ScalarFunctionExpr, conjunction};
use datafusion::physical_optimizer::PhysicalOptimizerRule;
use datafusion::physical_plan::ExecutionPlan;
use datafusion::physical_plan::filter::FilterExec;
use datafusion::physical_plan::joins::NestedLoopJoinExec;
use datafusion::physical_plan::joins::utils::JoinFilter;
use datafusion::physical_plan::projection::ProjectionExec;
use std::sync::Arc;

/// The rule. It runs before partitions are laid out, so that points stay in as many as they are.
#[derive(Debug, Default)]
pub(crate) struct PointsInPolygons;

impl PhysicalOptimizerRule for PointsInPolygons {
    fn optimize(
        &self,
        plan: Arc<dyn ExecutionPlan>,
        _config: &ConfigOptions,
    ) -> Result<Arc<dyn ExecutionPlan>> {
        plan.transform_up(|node| {
            let joined = match node.downcast_ref::<NestedLoopJoinExec>() {
                Some(join) => with_index(join)?,
                None => None,
            };
            Ok(joined.map_or_else(|| Transformed::no(node), Transformed::yes))
        })
        .data()
    }

    fn name(&self) -> &'static str {
        POINTS_IN_POLYGONS
    }

    fn schema_check(&self) -> bool {
        true
    }
}

/// The name of the rule.
pub(crate) const POINTS_IN_POLYGONS: &str = "points_in_polygons";

/// A call of a relation in the condition of a join.
struct Call {
    test: Test,
    from: String,
    to: String,
    route: String,
    /// The geometries, in terms of the columns of their own side.
    point: Arc<dyn PhysicalExpr>,
    polygon: Arc<dyn PhysicalExpr>,
    /// The side of the points.
    points: JoinSide,
}

/// The join that asks an index, where a join can be one.
fn with_index(join: &NestedLoopJoinExec) -> Result<Option<Arc<dyn ExecutionPlan>>> {
    let Some(filter) = join.filter() else { return Ok(None) };
    let parts = split_conjunction(filter.expression());
    let found = parts.iter().enumerate().find_map(|(at, part)| Some((at, call(part, filter)?)));
    let Some((place, call)) = found else { return Ok(None) };
    let rest: Vec<_> = parts.iter().enumerate().filter(|(at, _)| *at != place).collect();
    let Some(kind) = kind(*join.join_type(), call.points) else { return Ok(None) };
    // What else is asked decides whether a point is in none: only pairs can be asked afterwards.
    if !rest.is_empty() && kind != Kind::Inner {
        return Ok(None);
    }
    let points_first = call.points == JoinSide::Left;
    let (points, polygons) = match points_first {
        true => (join.left(), join.right()),
        false => (join.right(), join.left()),
    };
    let (of_points, of_polygons) =
        (points.schema().fields().len(), polygons.schema().fields().len());
    let (points, point) = with_column(points, &call.point)?;
    let (polygons, polygon) = with_column(polygons, &call.polygon)?;
    let more = |plan: &Arc<dyn ExecutionPlan>, before: usize| plan.schema().fields().len() - before;
    let added = (more(&points, of_points), more(&polygons, of_polygons));
    let Call { test, from, to, route, .. } = call;
    let how = How { kind, test, point, polygon, from, to, route, points_first };
    let mut plan: Arc<dyn ExecutionPlan> = Arc::new(PolygonJoin::new(points, polygons, how));
    // Columns that were added to compute geometries go, so that the rest finds its own by number.
    let has_polygons = matches!(kind, Kind::Inner | Kind::All);
    let (first, second) = match points_first {
        true => ((of_points, added.0), (if has_polygons { of_polygons } else { 0 }, added.1)),
        false => ((if has_polygons { of_polygons } else { 0 }, added.1), (of_points, added.0)),
    };
    let skipped = if has_polygons || points_first { first.1 } else { 0 };
    let wanted: Vec<usize> =
        (0..first.0).chain((0..second.0).map(|at| first.0 + skipped + at)).collect();
    if wanted.len() < plan.schema().fields().len() {
        plan = project(plan, &wanted)?;
    }
    if !rest.is_empty() {
        let left = join.left().schema().fields().len();
        let parts = rest.into_iter().map(|(_, part)| {
            renumbered(part, filter, &plan, &|side, index| match side {
                JoinSide::Left => Some(index),
                JoinSide::Right => Some(left + index),
                JoinSide::None => None,
            })
        });
        let Some(parts) = parts.collect::<Result<Option<Vec<_>>>>()? else { return Ok(None) };
        plan = Arc::new(FilterExec::try_new(conjunction(parts), plan)?);
    }
    if let Some(columns) = join.projection() {
        plan = project(plan, columns)?;
    }
    Ok(Some(plan))
}

/// What a type of join is for points on a side; none where polygons without points are asked for.
fn kind(join: JoinType, points: JoinSide) -> Option<Kind> {
    match (join, points) {
        (JoinType::Inner, _) => Some(Kind::Inner),
        (JoinType::Left, JoinSide::Left) | (JoinType::Right, JoinSide::Right) => Some(Kind::All),
        (JoinType::LeftSemi, JoinSide::Left) | (JoinType::RightSemi, JoinSide::Right) => {
            Some(Kind::In)
        }
        (JoinType::LeftAnti, JoinSide::Left) | (JoinType::RightAnti, JoinSide::Right) => {
            Some(Kind::Out)
        }
        _ => None,
    }
}

/// The call of a relation that a part of a condition is.
fn call(part: &Arc<dyn PhysicalExpr>, filter: &JoinFilter) -> Option<Call> {
    let function = part.downcast_ref::<ScalarFunctionExpr>()?;
    let polygon_first = function.name() == POLYGON_FIRST;
    let relation = match polygon_first {
        true => Relation::Within,
        false => Relation::named(function.name())?,
    };
    let [a, b, a_system, b_system, metres, route] = function.args() else { return None };
    let text = |expr: &Arc<dyn PhysicalExpr>| constant(expr.downcast_ref::<Literal>()?.value());
    let tolerance_m = match relation {
        Relation::FallsIn => match metres.downcast_ref::<Literal>()?.value() {
            datafusion::common::ScalarValue::Float64(Some(metres)) => *metres,
            _ => return None,
        },
        Relation::Within | Relation::Intersects => 0.0,
    };
    let (a, b) = ((a, text(a_system)?), (b, text(b_system)?));
    let ((point, from), (polygon, to)) = if polygon_first { (b, a) } else { (a, b) };
    let (points, polygons) = (side_of(point, filter)?, side_of(polygon, filter)?);
    if points == polygons {
        return None;
    }
    Some(Call {
        test: Test::new(relation, tolerance_m).ok()?,
        from,
        to,
        route: text(route)?,
        point: of_one_side(point, filter)?,
        polygon: of_one_side(polygon, filter)?,
        points,
    })
}

/// The side that all columns of an expression are of.
fn side_of(expr: &Arc<dyn PhysicalExpr>, filter: &JoinFilter) -> Option<JoinSide> {
    let columns = collect_columns(expr);
    let mut sides = columns.iter().map(|column| filter.column_indices()[column.index()].side);
    let first = sides.next()?;
    (first != JoinSide::None && sides.all(|side| side == first)).then_some(first)
}

/// An expression with the numbers that columns have on their own side.
fn of_one_side(expr: &Arc<dyn PhysicalExpr>, filter: &JoinFilter) -> Option<Arc<dyn PhysicalExpr>> {
    let place = |column: &Column| filter.column_indices()[column.index()].index;
    let renamed = expr.clone().transform(|node| {
        let column = node.downcast_ref::<Column>().map(|c| Column::new(c.name(), place(c)));
        Ok(match column {
            Some(column) => Transformed::yes(Arc::new(column) as Arc<dyn PhysicalExpr>),
            None => Transformed::no(node),
        })
    });
    renamed.data().ok()
}

/// An expression with the numbers that columns have in a plan.
fn renumbered(
    expr: &Arc<dyn PhysicalExpr>,
    filter: &JoinFilter,
    plan: &Arc<dyn ExecutionPlan>,
    place: &dyn Fn(JoinSide, usize) -> Option<usize>,
) -> Result<Option<Arc<dyn PhysicalExpr>>> {
    let mut known = true;
    let schema = plan.schema();
    let expr = expr.clone().transform(|node| {
        let Some(column) = node.downcast_ref::<Column>() else { return Ok(Transformed::no(node)) };
        let of = &filter.column_indices()[column.index()];
        let Some(at) = place(of.side, of.index) else {
            known = false;
            return Ok(Transformed::no(node));
        };
        let column = Column::new(schema.field(at).name(), at);
        Ok(Transformed::yes(Arc::new(column) as Arc<dyn PhysicalExpr>))
    });
    let expr = expr.data()?;
    Ok(known.then_some(expr))
}

/// A plan in which a geometry is a column, and the number of that column.
fn with_column(
    plan: &Arc<dyn ExecutionPlan>,
    geometry: &Arc<dyn PhysicalExpr>,
) -> Result<(Arc<dyn ExecutionPlan>, usize)> {
    if let Some(column) = geometry.downcast_ref::<Column>() {
        return Ok((plan.clone(), column.index()));
    }
    let schema = plan.schema();
    let mut columns = all(plan, &(0..schema.fields().len()).collect::<Vec<_>>());
    columns.push(ProjectionExpr::new(geometry.clone(), "place of a join"));
    let plan = ProjectionExec::try_new(columns, plan.clone())?;
    Ok((Arc::new(plan), schema.fields().len()))
}

fn project(plan: Arc<dyn ExecutionPlan>, columns: &[usize]) -> Result<Arc<dyn ExecutionPlan>> {
    Ok(Arc::new(ProjectionExec::try_new(all(&plan, columns), plan)?))
}

fn all(plan: &Arc<dyn ExecutionPlan>, columns: &[usize]) -> Vec<ProjectionExpr> {
    let schema = plan.schema();
    let column = |at: &usize| {
        let name = schema.field(*at).name();
        ProjectionExpr::new(Arc::new(Column::new(name, *at)), name.clone())
    };
    columns.iter().map(column).collect()
}
