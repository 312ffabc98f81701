//! What expressions are evaluated on: the columns and geometries of a batch.

use crate::error::{Error, Result};
use crate::layer::GeometryColumn;
use crate::layer::column_names::{list, meant, place_in};
use arrow_array::{ArrayRef, RecordBatch};
use arrow_schema::DataType;
use sqlparser::ast::{Expr, visit_expressions};
use std::ops::ControlFlow;
use velvet_peg_core::Crs;
use velvet_peg_core::spelling::nearest;

pub(super) struct Context<'a> {
    attributes: &'a RecordBatch,
    pub(super) geometry: &'a GeometryColumn,
    pub(super) crs: Option<&'a Crs>,
}

impl<'a> Context<'a> {
    pub(super) fn new(
        attributes: &'a RecordBatch,
        geometry: &'a GeometryColumn,
        crs: Option<&'a Crs>,
    ) -> Context<'a> {
        Context { attributes, geometry, crs }
    }

    pub(super) fn rows(&self) -> usize {
        self.attributes.num_rows()
    }

    pub(super) fn column(&self, name: &str) -> Result<ArrayRef> {
        match place_in(&self.attributes.schema(), name) {
            Some(at) => Ok(self.attributes.column(at).clone()),
            None => {
                let schema = self.attributes.schema();
                let names: Vec<String> =
                    schema.fields().iter().map(|field| field.name().clone()).collect();
                let alike = nearest(name, names.iter().map(String::as_str));
                let advice = match name {
                    "geometry" | "geom" => {
                        "; a geometry is reached through a function, such as ST_X(geometry)".into()
                    }
                    _ if alike.is_some() => meant(alike),
                    _ => "; a text stands in 'single' quotation marks".to_string(),
                };
                Err(Error::usage(format!(
                    "there is no column `{name}`: the columns are {}{advice}",
                    list(&names)
                )))
            }
        }
    }
}

/// Every name of a column in an expression.
pub(super) fn names(expression: &Expr, names: &mut Vec<String>) {
    let _ = visit_expressions(expression, |inner| {
        match inner {
            Expr::Identifier(name) => names.push(name.value.clone()),
            Expr::CompoundIdentifier(parts) => names.extend(parts.last().map(|p| p.value.clone())),
            _ => {}
        }
        ControlFlow::<()>::Continue(())
    });
}

/// True if an expression calls a function of one of these names; a name that ends in `_` stands for
/// all that begin with it.
pub(super) fn calls(expression: &Expr, names: &[&str]) -> bool {
    let mut found = false;
    let _ = visit_expressions(expression, |inner| {
        if let Expr::Function(function) = inner {
            let called = function.name.to_string().to_ascii_uppercase();
            found |= names.iter().any(|name| match name.ends_with('_') {
                true => called.starts_with(name),
                false => called == *name,
            });
        }
        ControlFlow::<()>::Continue(())
    });
    found
}

/// A type in the words of people.
pub(super) fn type_text(kind: &DataType) -> &'static str {
    match kind {
        DataType::Boolean => "true or false",
        DataType::Int64 => "a whole number",
        DataType::Float64 => "a number",
        DataType::Binary => "bytes",
        DataType::Null => "nothing",
        _ => "text",
    }
}
