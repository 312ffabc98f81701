//! The box in which the geometries of a column must have a place for a condition to be true.

use crate::constant::constant;
use crate::geometry::Shapes;
use crate::plans::plan;
use crate::rejects::Rejects;
use crate::system;
use crate::tagging::{POLYGON_FIRST, Relation, Test};
use datafusion::common::ScalarValue;
use datafusion::logical_expr::{BinaryExpr, Expr, Operator};
use velvet_peg_core::metres_per_unit;

/// West, south, east and north.
pub(super) type Box4 = [f64; 4];

const EVERYWHERE: Box4 = [f64::NEG_INFINITY, f64::NEG_INFINITY, f64::INFINITY, f64::INFINITY];

/// The column and its box; none if a condition says nothing of where geometries are.
pub(super) fn of_condition(condition: &Expr) -> Option<(String, Box4)> {
    match condition {
        Expr::BinaryExpr(comparison) => of_comparison(comparison),
        Expr::ScalarFunction(call) => of_relation(call.name(), &call.args),
        _ => None,
    }
}

/// `st_x(column) >= 5` and the like; `AND` comes as two conditions, `BETWEEN` as two comparisons.
fn of_comparison(comparison: &BinaryExpr) -> Option<(String, Box4)> {
    let BinaryExpr { left, op, right } = comparison;
    if *op == Operator::And {
        let (Some(a), Some(b)) = (of_condition(left), of_condition(right)) else {
            return of_condition(left).or_else(|| of_condition(right));
        };
        return Some(if a.0 == b.0 { (a.0, both(a.1, b.1)) } else { a });
    }
    let (call, op, number) = match (number(left), number(right)) {
        (None, Some(number)) => (left, *op, number),
        (Some(number), None) => (right, op.swap()?, number),
        _ => return None,
    };
    let Expr::ScalarFunction(call) = call.as_ref() else { return None };
    let low = match call.name() {
        "st_x" => 0,
        "st_y" => 1,
        _ => return None,
    };
    let column = column(call.args.first()?)?;
    let mut wanted = EVERYWHERE;
    match op {
        Operator::Gt | Operator::GtEq => wanted[low] = number,
        Operator::Lt | Operator::LtEq => wanted[low + 2] = number,
        Operator::Eq => (wanted[low], wanted[low + 2]) = (number, number),
        _ => return None,
    }
    Some((column, wanted))
}

/// What is in both.
pub(super) fn both(a: Box4, b: Box4) -> Box4 {
    [a[0].max(b[0]), a[1].max(b[1]), a[2].min(b[2]), a[3].min(b[3])]
}

fn number(expr: &Expr) -> Option<f64> {
    match expr {
        Expr::Literal(ScalarValue::Float64(number), _) => *number,
        _ => None,
    }
}

fn column(expr: &Expr) -> Option<String> {
    match expr {
        Expr::Column(column) => Some(column.name.clone()),
        _ => None,
    }
}

/// A relation of a column and one geometry, in either place.
fn of_relation(name: &str, args: &[Expr]) -> Option<(String, Box4)> {
    let polygon_first = name == POLYGON_FIRST;
    let relation = if polygon_first { Relation::Within } else { Relation::named(name)? };
    let [a, b, a_system, b_system, metres, _] = args else { return None };
    let text = |expr: &Expr| match expr {
        Expr::Literal(value, _) => constant(value),
        _ => None,
    };
    let tolerance_m = if relation == Relation::FallsIn { number(metres)? } else { 0.0 };
    let test = Test::new(relation, tolerance_m).ok()?;
    let (a_system, b_system) = (text(a_system)?, text(b_system)?);
    match (column(a), column(b)) {
        (Some(name), None) => Some((name, around(b, &b_system, &a_system, test)?)),
        (None, Some(name)) => Some((name, around(a, &a_system, &b_system, test)?)),
        _ => None,
    }
}

/// Places on an edge that stand for all of it when it is carried.
const STEPS: usize = 16;

/// A share of the size that is added on all sides: carried edges bend between the places on them.
const SLACK: f64 = 0.01;

/// Metres by which routes between two datums may differ.
const SHIFT_M: f64 = 1_000.0;

/// Metres around a geometry beyond which units change too much from place to place.
const FAR_M: f64 = 20_000.0;

/// The box around one geometry in another system; none where a box would not hold it.
fn around(geometry: &Expr, from: &str, to: &str, test: Test) -> Option<Box4> {
    let Expr::Literal(value, _) = geometry else { return None };
    let column = value.to_array().ok()?;
    let shapes = Shapes::of(&column, &Rejects::unseen()).ok()?;
    let crs = system::named(to).ok()?;
    let way = plan(from, to, None).ok()?;
    let (mut x, mut y) = (Vec::new(), Vec::new());
    for run in &shapes.runs {
        let (run_x, run_y) = (&shapes.x[run.vertices.clone()], &shapes.y[run.vertices.clone()]);
        x.extend(run_x.last());
        y.extend(run_y.last());
        for (a, b) in run_x.windows(2).zip(run_y.windows(2)) {
            let along =
                |side: &[f64], step| side[0] + (side[1] - side[0]) * step as f64 / STEPS as f64;
            x.extend((0..STEPS).map(|step| along(a, step)));
            y.extend((0..STEPS).map(|step| along(b, step)));
        }
    }
    if x.is_empty() {
        return None;
    }
    way.convert_columns(&mut x, &mut y, None);
    let least = |side: &[f64]| side.iter().copied().fold(f64::INFINITY, f64::min);
    let most = |side: &[f64]| side.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let [west, south, east, north] = [least(&x), least(&y), most(&x), most(&y)];
    if x.iter().chain(&y).any(|number| !number.is_finite()) {
        return None;
    }
    // A polygon around a pole, or over the meridian where longitudes begin, is in no box of its vertices.
    let whole = from == to;
    if !whole && crs.is_geographic() {
        let degrees = crs.degrees_per_unit().unwrap_or(1.0);
        if (east - west) * degrees > 90.0 || north.max(-south) * degrees > 85.0 {
            return None;
        }
    }
    let mut slack = 0.0;
    if !whole {
        let size = (east - west).max(north - south);
        slack += SLACK * size + 1e-9 * (1.0 + east.abs().max(north.abs()));
    }
    // Another area may have another route.
    let shift_m = if way.route().operations().next().is_some() { SHIFT_M } else { 0.0 };
    let metres = test.tolerance_m + shift_m;
    if metres > FAR_M {
        return None;
    }
    if metres > 0.0 {
        // The unit that is the shortest on the ground counts, twice, since it changes from place to place.
        let middle = (west + east) / 2.0;
        let at = |y: f64| metres_per_unit(&crs, (middle, y));
        let (a, b) = (at(south)?, at(north)?);
        slack += 2.0 * metres / a.0.min(a.1).min(b.0).min(b.1);
    }
    Some([west - slack, south - slack, east + slack, north + slack])
}
