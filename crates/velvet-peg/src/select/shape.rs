//! The last touches on columns: constants, coordinates, which are kept and in which order, their
//! names, and how numbers are written.

use super::Selection;
use super::coordinates::{PlaceColumns, Places};
use super::rounding::rounded;
use crate::error::{Error, Result};
use crate::format_support::text_type::type_of_text;
use crate::layer::GeometryColumn;
use crate::layer::column_names::distinct;
use crate::layer::column_names::{list, position};
use crate::layer::value_type::ValueType;
use arrow_array::cast::AsArray;
use arrow_array::types::{Float64Type, Int64Type};
use arrow_array::{
    Array, ArrayRef, BooleanArray, Float64Array, Int64Array, RecordBatch, RecordBatchOptions,
    StringArray,
};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use std::sync::Arc;
use velvet_peg_core::Crs;

/// How a number is written out as text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NumberText {
    /// Digits behind the point.
    pub decimals: usize,
    /// What groups thousands, if anything does.
    pub thousands: Option<char>,
}

impl NumberText {
    /// Reads `2` (two decimals) or `,2` (with commas, or whatever stands in front, between
    /// thousands).
    ///
    /// # Errors
    /// If it is neither.
    pub fn parse(text: &str) -> Result<NumberText> {
        let mut rest = text.chars();
        let (thousands, digits) = match text.chars().next() {
            Some(c) if !c.is_ascii_digit() => {
                rest.next();
                (Some(c), rest.as_str())
            }
            _ => (None, text),
        };
        match digits.parse() {
            Ok(decimals) if decimals <= 15 => Ok(NumberText { decimals, thousands }),
            _ => Err(Error::usage(format!(
                "`{text}` is no way to write numbers: give the decimals, such as 2, with the mark \
                 between thousands in front if there is to be one: ,2"
            ))),
        }
    }

    /// The text of a number.
    ///
    /// ```
    /// use velvet_peg::select::NumberText;
    /// let text = NumberText { decimals: 2, thousands: Some(',') };
    /// assert_eq!(text.write(-1234567.25), "-1,234,567.25");
    /// ```
    pub fn write(self, value: f64) -> String {
        let text = format!("{:.*}", self.decimals, value);
        let Some(mark) = self.thousands else { return text };
        let (whole, rest) = match text.find('.') {
            Some(at) => text.split_at(at),
            None => (text.as_str(), ""),
        };
        let (sign, digits) = match whole.strip_prefix('-') {
            Some(digits) => ("-", digits),
            None => ("", whole),
        };
        let mut grouped = sign.to_string();
        for (at, digit) in digits.chars().enumerate() {
            if at > 0 && (digits.len() - at).is_multiple_of(3) {
                grouped.push(mark);
            }
            grouped.push(digit);
        }
        grouped + rest
    }
}

/// A touch, as asked for.
pub(super) enum Wanted<'a> {
    Constant(&'a str, &'a str),
    Places(&'a PlaceColumns, Option<&'a Crs>),
    Keep(&'a [String]),
    Drop(&'a [String]),
    First(&'a [String]),
    Rename(&'a [(String, String)]),
    Round(&'a str, usize),
    Text(&'a str, NumberText),
}

/// A touch, prepared for a schema.
#[derive(Debug)]
pub(super) enum Finish {
    Constant(String, String, DataType),
    Places(Vec<String>, Box<Places>),
    Project(Vec<usize>),
    Rename(SchemaRef),
    Round(usize, usize),
    Text(usize, NumberText),
}

impl Selection {
    /// The touches in the order in which they are done.
    pub(super) fn finishing<'a>(&'a self, crs: Option<&'a Crs>) -> Result<Vec<Wanted<'a>>> {
        if !self.keep.is_empty() && !self.drop.is_empty() {
            return Err(Error::usage(
                "columns are either kept or dropped: name those of one kind only",
            ));
        }
        let mut wanted = Vec::new();
        wanted.extend(self.constant.iter().map(|(name, value)| Wanted::Constant(name, value)));
        wanted.extend(self.coordinates.iter().map(|columns| Wanted::Places(columns, crs)));
        if !self.keep.is_empty() {
            wanted.push(Wanted::Keep(&self.keep));
        }
        if !self.drop.is_empty() {
            wanted.push(Wanted::Drop(&self.drop));
        }
        if !self.first.is_empty() {
            wanted.push(Wanted::First(&self.first));
        }
        if !self.rename.is_empty() {
            wanted.push(Wanted::Rename(&self.rename));
        }
        wanted.extend(self.round.iter().map(|(name, decimals)| Wanted::Round(name, *decimals)));
        wanted.extend(self.format.iter().map(|(name, text)| Wanted::Text(name, *text)));
        Ok(wanted)
    }
}

impl Wanted<'_> {
    /// Prepares the touch; columns go by their names before or after renaming.
    pub(super) fn plan(&self, schema: &SchemaRef, rename: &[(String, String)]) -> Result<Finish> {
        let names: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
        let place = |name: &String| {
            position(&names, name, None).or_else(|error| {
                let other = rename.iter().find_map(|(old, new)| match name {
                    name if name == old => Some(new),
                    name if name == new => Some(old),
                    _ => None,
                });
                other.and_then(|other| position(&names, other, None).ok()).ok_or(error)
            })
        };
        let places = |wanted: &[String]| wanted.iter().map(place).collect::<Result<Vec<_>>>();
        let number = |name: &str| {
            let at = place(&name.to_string())?;
            match schema.field(at).data_type() {
                DataType::Float64 | DataType::Int64 => Ok(at),
                _ => Err(Error::usage(format!("column `{name}` holds no numbers to write"))),
            }
        };
        Ok(match self {
            Wanted::Constant(name, value) => {
                let kind = type_of_text(value).map_or(DataType::Utf8, ValueType::data_type);
                Finish::Constant(name.to_string(), value.to_string(), kind)
            }
            Wanted::Places(columns, crs) => {
                let planned = Places::plan(columns, *crs)?;
                let mut taken = names.clone();
                let mut fresh = Vec::new();
                for name in &planned.names {
                    let name = distinct(&taken, name);
                    taken.push(name.clone());
                    fresh.push(name);
                }
                Finish::Places(fresh, Box::new(planned))
            }
            Wanted::Keep(keep) => Finish::Project(places(keep)?),
            Wanted::Drop(drop) => {
                let gone = places(drop)?;
                Finish::Project((0..names.len()).filter(|at| !gone.contains(at)).collect())
            }
            Wanted::First(first) => {
                let mut order = places(first)?;
                let rest: Vec<usize> = (0..names.len()).filter(|at| !order.contains(at)).collect();
                order.extend(rest);
                Finish::Project(order)
            }
            Wanted::Rename(pairs) => {
                let mut fresh = names.clone();
                for (old, new) in *pairs {
                    fresh[place(old)?].clone_from(new);
                }
                for (at, name) in fresh.iter().enumerate() {
                    if fresh[..at].iter().any(|other| other.eq_ignore_ascii_case(name)) {
                        return Err(Error::usage(format!(
                            "two columns would be called `{name}`: the columns would be {}",
                            list(&fresh)
                        )));
                    }
                }
                let fields: Vec<Field> = schema
                    .fields()
                    .iter()
                    .zip(&fresh)
                    .map(|(field, name)| field.as_ref().clone().with_name(name))
                    .collect();
                Finish::Rename(Arc::new(Schema::new(fields)))
            }
            Wanted::Round(name, decimals) => Finish::Round(number(name)?, *decimals),
            Wanted::Text(name, text) => Finish::Text(number(name)?, *text),
        })
    }
}

impl Finish {
    pub(super) fn apply(
        &self,
        attributes: RecordBatch,
        geometry: &GeometryColumn,
    ) -> Result<RecordBatch> {
        let rows = attributes.num_rows();
        let mut fields: Vec<Field> =
            attributes.schema().fields().iter().map(|f| f.as_ref().clone()).collect();
        let mut columns: Vec<ArrayRef> = attributes.columns().to_vec();
        match self {
            Finish::Project(places) => {
                let options = RecordBatchOptions::new().with_row_count(Some(rows));
                let schema = Arc::new(attributes.schema().project(places)?);
                let columns = places.iter().map(|at| columns[*at].clone()).collect();
                return Ok(RecordBatch::try_new_with_options(schema, columns, &options)?);
            }
            Finish::Constant(name, value, kind) => {
                let field = Field::new(name, kind.clone(), true);
                let column: ArrayRef = match kind {
                    DataType::Int64 => {
                        Arc::new(Int64Array::from(vec![value.parse::<i64>().ok(); rows]))
                    }
                    DataType::Float64 => {
                        Arc::new(Float64Array::from(vec![value.parse::<f64>().ok(); rows]))
                    }
                    DataType::Boolean => Arc::new(BooleanArray::from(vec![value == "true"; rows])),
                    _ => Arc::new(StringArray::from(vec![value.as_str(); rows])),
                };
                match fields.iter().position(|f| f.name() == name) {
                    Some(at) => (fields[at], columns[at]) = (field, column),
                    None => {
                        fields.push(field);
                        columns.push(column);
                    }
                }
            }
            Finish::Places(names, places) => {
                fields.extend(names.iter().map(|name| Field::new(name, DataType::Float64, true)));
                // Planning has no geometry to look at.
                let found = match geometry.len() == rows {
                    true => places.columns(geometry),
                    false => vec![Arc::new(Float64Array::new_null(rows)) as ArrayRef; names.len()],
                };
                columns.extend(found);
            }
            Finish::Rename(schema) => {
                fields = schema.fields().iter().map(|f| f.as_ref().clone()).collect();
            }
            Finish::Round(at, decimals) => {
                if let Some(numbers) = columns[*at].as_primitive_opt::<Float64Type>() {
                    let values: Float64Array =
                        numbers.iter().map(|v| v.map(|v| rounded(v, Some(*decimals)))).collect();
                    if *decimals == 0 {
                        let whole: Int64Array =
                            values.iter().map(|v| v.map(|v| v as i64)).collect();
                        fields[*at] = fields[*at].clone().with_data_type(DataType::Int64);
                        columns[*at] = Arc::new(whole);
                    } else {
                        columns[*at] = Arc::new(values);
                    }
                }
            }
            Finish::Text(at, text) => {
                let column = &columns[*at];
                let texts: StringArray = match column.as_primitive_opt::<Float64Type>() {
                    Some(numbers) => numbers.iter().map(|v| v.map(|v| text.write(v))).collect(),
                    None => match column.as_primitive_opt::<Int64Type>() {
                        Some(numbers) => {
                            numbers.iter().map(|v| v.map(|v| text.write(v as f64))).collect()
                        }
                        None => StringArray::new_null(column.len()),
                    },
                };
                fields[*at] = fields[*at].clone().with_data_type(DataType::Utf8);
                columns[*at] = Arc::new(texts);
            }
        }
        let options = RecordBatchOptions::new().with_row_count(Some(rows));
        Ok(RecordBatch::try_new_with_options(Arc::new(Schema::new(fields)), columns, &options)?)
    }
}
