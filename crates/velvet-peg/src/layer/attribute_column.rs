//! An attribute column as the one of five types that it is held in.

use super::ValueRef;
use arrow_array::cast::AsArray;
use arrow_array::types::{Float64Type, Int64Type};
use arrow_array::{
    Array, ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, StringArray,
};

/// An attribute column of a batch, with its type.
#[derive(Clone, Copy, Debug)]
pub enum AttributeColumn<'a> {
    /// Yes or no.
    Boolean(&'a BooleanArray),
    /// Whole numbers.
    Integer(&'a Int64Array),
    /// Numbers.
    Real(&'a Float64Array),
    /// Texts; dates and times too.
    Text(&'a StringArray),
    /// Bytes.
    Binary(&'a BinaryArray),
}

impl<'a> AttributeColumn<'a> {
    /// None for a column of a type that attributes are not held in.
    pub(crate) fn of(column: &'a ArrayRef) -> Option<AttributeColumn<'a>> {
        let column = column.as_ref();
        None.or_else(|| column.as_string_opt::<i32>().map(AttributeColumn::Text))
            .or_else(|| column.as_primitive_opt::<Int64Type>().map(AttributeColumn::Integer))
            .or_else(|| column.as_primitive_opt::<Float64Type>().map(AttributeColumn::Real))
            .or_else(|| column.as_boolean_opt().map(AttributeColumn::Boolean))
            .or_else(|| column.as_binary_opt::<i32>().map(AttributeColumn::Binary))
    }

    /// The value of a row.
    ///
    /// # Panics
    /// If there is no such row.
    pub fn value(&self, row: usize) -> ValueRef<'a> {
        match *self {
            AttributeColumn::Boolean(column) if column.is_valid(row) => {
                ValueRef::Boolean(column.value(row))
            }
            AttributeColumn::Integer(column) if column.is_valid(row) => {
                ValueRef::Integer(column.value(row))
            }
            AttributeColumn::Real(column) if column.is_valid(row) => {
                ValueRef::Real(column.value(row))
            }
            AttributeColumn::Text(column) if column.is_valid(row) => {
                ValueRef::Text(column.value(row))
            }
            AttributeColumn::Binary(column) if column.is_valid(row) => {
                ValueRef::Binary(column.value(row))
            }
            _ => ValueRef::Null,
        }
    }
}
