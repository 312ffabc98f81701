//! `declare_system(geometry, 'REF')`: says which system coordinates are in; they stay as they are.

use super::arguments::{column, named_system, reference_type};
use super::function::{Function, What, as_it_is};
use crate::system::with_system;
use datafusion::arrow::datatypes::{DataType, Field};
use datafusion::logical_expr::ScalarUDF;

pub(super) fn declare() -> ScalarUDF {
    Function::of(
        "declare_system",
        What {
            takes: "a geometry and a reference system",
            arguments: |types| match types {
                [geometry, system] => Some(vec![geometry.clone(), reference_type(system)]),
                _ => None,
            },
            field: |args| {
                let gives = args.arg_fields[0].data_type().clone();
                let kind = if matches!(gives, DataType::Struct(_)) { "point" } else { "wkb" };
                Ok(with_system(Field::new("", gives, true), kind, Some(&named_system(args, 1)?)))
            },
            resolved: as_it_is,
            compute: |args| column(args, 0),
        },
    )
}
