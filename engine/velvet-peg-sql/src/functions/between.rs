//! `st_distance(from, to)` and `azimuth(from, to)`: the geodesic between two points (Karney 2013).

use super::arguments::{column, field_of, named_system, system_at, system_of, wrong_number};
use crate::error::{refused, wrong};
use crate::geometry::Points;
use crate::plans::plan;
use crate::system;
use datafusion::arrow::array::Float64Array;
use datafusion::arrow::datatypes::{DataType, Field, FieldRef};
use datafusion::error::Result;
use datafusion::logical_expr::expr::ScalarFunction;
use datafusion::logical_expr::simplify::{ExprSimplifyResult, SimplifyContext};
use datafusion::logical_expr::{
    ColumnarValue, Expr, ReturnFieldArgs, ScalarFunctionArgs, ScalarUDF, ScalarUDFImpl, Signature,
    Volatility, lit,
};
use std::sync::Arc;
use velvet_peg_core::Geodesic;

/// What is told of the line between two points.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Which {
    /// Its length on the ellipsoid, metres.
    Distance,
    /// Its azimuth at the first point, degrees clockwise from true north, 0 to 360.
    Azimuth,
}

/// A figure of the geodesic between two points, on the ellipsoid of the first; before the query runs the call gets
/// the systems of both.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(super) struct Between {
    which: Which,
    signature: Signature,
}

impl Between {
    pub(super) fn new(which: Which) -> Between {
        Between { which, signature: Signature::user_defined(Volatility::Immutable) }
    }
}

impl ScalarUDFImpl for Between {
    fn name(&self) -> &str {
        match self.which {
            Which::Distance => "st_distance",
            Which::Azimuth => "azimuth",
        }
    }

    fn signature(&self) -> &Signature {
        &self.signature
    }

    fn coerce_types(&self, types: &[DataType]) -> Result<Vec<DataType>> {
        match types {
            [a, b] => Ok(vec![a.clone(), b.clone()]),
            [a, b, _, _] => Ok(vec![a.clone(), b.clone(), DataType::Utf8, DataType::Utf8]),
            _ => wrong_number(self.name(), "two points", types),
        }
    }

    fn return_type(&self, _types: &[DataType]) -> Result<DataType> {
        Ok(DataType::Float64)
    }

    fn return_field_from_args(&self, args: ReturnFieldArgs<'_>) -> Result<FieldRef> {
        let at = |at: usize| match args.arg_fields.len() {
            2 => system_of(self.name(), &args.arg_fields[at]),
            _ => named_system(&args, at + 2),
        };
        // Refused before the query runs.
        plan(&at(1)?, &degrees_of(&at(0)?)?)?;
        Ok(Arc::new(Field::new(self.name(), DataType::Float64, true)))
    }

    fn simplify(&self, mut args: Vec<Expr>, info: &SimplifyContext) -> Result<ExprSimplifyResult> {
        if args.len() != 2 {
            return Ok(ExprSimplifyResult::Original(args));
        }
        for at in 0..2 {
            let system = system_of(self.name(), &field_of(&args[at], info.schema())?)?;
            args.push(lit(system));
        }
        let function = Arc::new(ScalarUDF::from(Between::new(self.which)));
        Ok(ExprSimplifyResult::Simplified(Expr::ScalarFunction(ScalarFunction::new_udf(
            function, args,
        ))))
    }

    fn invoke_with_args(&self, args: ScalarFunctionArgs) -> Result<ColumnarValue> {
        let degrees = degrees_of(&system_at(&args, 0, 2)?)?;
        let places = |at: usize| -> Result<Points> {
            let mut points = Points::of(&column(&args.args[at], args.number_rows)?)?;
            let way = plan(&system_at(&args, at, at + 2)?, &degrees)?;
            way.convert_columns(&mut points.x, &mut points.y, None);
            Ok(points)
        };
        let (from, to) = (places(0)?, places(1)?);
        let crs = system::named(&degrees)?;
        let ellipsoid = crs.ellipsoid().ok_or_else(|| wrong("the system has no ellipsoid"))?;
        let found = Geodesic::new(ellipsoid).inverse_columns([&from.x, &from.y], [&to.x, &to.y]);
        let figures = match self.which {
            Which::Distance => found.distance_m,
            Which::Azimuth => {
                let full = velvet_peg_core::geodesic::full_circle;
                found.azimuth_from_deg.into_iter().map(full).collect()
            }
        };
        let there = |(row, figure): (usize, f64)| {
            (from.is_there(row) && to.is_there(row)).then_some(figure)
        };
        let column: Float64Array = figures.into_iter().enumerate().map(there).collect();
        Ok(ColumnarValue::Array(Arc::new(column)))
    }
}

/// The system of degrees on the datum of a system.
fn degrees_of(text: &str) -> Result<String> {
    let crs = system::named(text)?;
    let degrees = crs
        .in_degrees()
        .ok_or_else(|| refused(format!("{} has no places on an ellipsoid", crs.label())))?;
    system::text_of(&degrees)
}
