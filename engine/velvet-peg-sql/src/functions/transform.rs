//! `st_transform(geometry, 'REF')`: another reference system.

use super::arguments::{
    column, constant, field_of, named_system, reference_type, system_at, system_of, wrong_number,
};
use crate::error::wrong;
use crate::failures::Failures;
use crate::geometry::{Points, Shapes, point_type};
use crate::plans::plan;
use crate::system::{text_of, with_system};
use datafusion::arrow::datatypes::{DataType, Field, FieldRef};
use datafusion::error::Result;
use datafusion::logical_expr::expr::ScalarFunction;
use datafusion::logical_expr::simplify::{ExprSimplifyResult, SimplifyContext};
use datafusion::logical_expr::{
    ColumnarValue, Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, ScalarUDFImpl, Signature,
    Volatility, lit,
};
use std::sync::Arc;
use velvet_peg_core::{Converter, Coordinate};

/// Geometries carried to another system. Before the query runs the call gets the system that they are in and the
/// route, `st_transform(geometry, 'FROM', 'TO', 'ROUTE')`, which `EXPLAIN` shows.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(super) struct Transform(Signature);

impl Transform {
    pub(super) fn new() -> Transform {
        Transform(Signature::user_defined(Volatility::Immutable))
    }
}

/// Arguments of a call that is resolved.
const RESOLVED: usize = 4;

impl ScalarUDFImpl for Transform {
    fn name(&self) -> &str {
        "st_transform"
    }

    fn signature(&self) -> &Signature {
        &self.0
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [geometry, texts @ ..] if (1..RESOLVED).contains(&texts.len()) => {
                let texts = texts.iter().map(reference_type);
                Ok(std::iter::once(geometry.clone()).chain(texts).collect())
            }
            _ => wrong_number(self.name(), "a geometry and a reference system", types),
        }
    }

    fn return_type(&self, types: &[DataType]) -> Result<DataType> {
        Ok(carried_type(&types[0]))
    }

    fn return_field_from_args(&self, args: ReturnFieldArgs<'_>) -> Result<FieldRef> {
        let target = named_system(&args, if args.arg_fields.len() == 2 { 1 } else { 2 })?;
        if args.arg_fields.len() == 2 {
            // Refused before the query runs.
            plan(&system_of(self.name(), &args.arg_fields[0])?, &target)?;
        }
        let gives = carried_type(args.arg_fields[0].data_type());
        let kind = if gives == DataType::Binary { "wkb" } else { "point" };
        Ok(Arc::new(with_system(Field::new(self.name(), gives, true), kind, Some(&target))))
    }

    fn simplify(&self, args: Vec<Expr>, info: &SimplifyContext) -> Result<ExprSimplifyResult> {
        let (geometry, from, to) = match args.as_slice() {
            [geometry, Expr::Literal(to, _)] => {
                let field = field_of(geometry, info.schema())?;
                (geometry.clone(), Some(system_of(self.name(), &field)?), constant(to))
            }
            [geometry, Expr::Literal(from, _), Expr::Literal(to, _)] => {
                (geometry.clone(), constant(from), constant(to))
            }
            _ => return Ok(ExprSimplifyResult::Original(args)),
        };
        let (Some(from), Some(to)) = (from, to) else {
            return Ok(ExprSimplifyResult::Original(args));
        };
        let way = plan(&from, &to)?;
        let (from, to) = (text_of(way.source())?, text_of(way.target())?);
        let known = way.route().summary();
        let function = Arc::new(ScalarUDF::from(Transform::new()));
        let args = vec![geometry, lit(from), lit(to), lit(known)];
        Ok(ExprSimplifyResult::Simplified(Expr::ScalarFunction(ScalarFunction::new_udf(
            function, args,
        ))))
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        // A call that is not resolved names the target only.
        let target = if args.args.len() == 2 { 1 } else { 2 };
        let from = match target {
            1 => system_of(self.name(), &args.arg_fields[0])?,
            _ => system_at(&args, 0, 1)?,
        };
        let way = plan(&from, &system_at(&args, 0, target)?)?;
        let fail = Failures::end_the_query(&args.config_options);
        let geometries = column(&args.args[0], args.number_rows)?;
        if carried_type(geometries.data_type()) == DataType::Binary {
            let mut shapes = Shapes::of(&geometries)?;
            carry(&way, &mut shapes.x, &mut shapes.y, fail)?;
            return Ok(ColumnarValue::Array(shapes.into_binary()));
        }
        let mut points = Points::of(&geometries)?;
        carry(&way, &mut points.x, &mut points.y, fail)?;
        Ok(ColumnarValue::Array(points.into_column()))
    }
}

/// The type that geometries of a type have when they are carried.
fn carried_type(geometries: &DataType) -> DataType {
    match geometries {
        DataType::Binary | DataType::LargeBinary | DataType::BinaryView => DataType::Binary,
        _ => point_type(),
    }
}

/// Carries coordinates; with `fail`, the first that cannot be is an error.
fn carry(way: &Converter, x: &mut [f64], y: &mut [f64], fail: bool) -> Result<()> {
    let before = fail.then(|| (x.to_vec(), y.to_vec()));
    let failed = way.convert_columns(x, y, None);
    let Some((from_x, from_y)) = before.filter(|_| failed > 0) else {
        return Ok(());
    };
    let lost = |at: &usize| from_x[*at].is_finite() && !x[*at].is_finite();
    match (0..x.len()).find(lost) {
        Some(at) => way.convert(Coordinate::xy(from_x[at], from_y[at])).map(drop).map_err(wrong),
        None => Ok(()),
    }
}
