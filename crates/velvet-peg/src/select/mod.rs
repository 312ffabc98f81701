//! Choosing features and shaping their attributes on the way: a condition, computed columns,
//! and the columns to keep, as SQL expressions evaluated batch by batch on Arrow columns.
//!
//! Conditions follow SQL's logic of three values: a comparison with nothing is neither true
//! nor false, and only what is true is kept. Division of whole numbers gives a number; a
//! division by zero gives nothing.

mod context;
mod coordinates;
mod evaluate;
mod functions;
mod geometry;
mod help;
mod rounding;
mod shape;
mod values;

pub use coordinates::PlaceColumns;
pub use help::{FUNCTIONS, FunctionHelp};
pub use shape::NumberText;

use crate::error::{Error, Result};
use crate::layer::column_names::distinct;
use crate::layer::{Batch, GeometryColumn, LayerInfo, RowBuilder};
use crate::notice::Notice;
use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, BooleanArray, RecordBatch, RecordBatchOptions};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use context::Context;
use evaluate::evaluate;
use sqlparser::ast::{AssignmentTarget, Expr, Statement, UnaryOperator};
use sqlparser::dialect::GenericDialect;
use sqlparser::parser::Parser;
use std::sync::Arc;
use velvet_peg_core::Crs;

/// What to keep of a layer or table, and what to compute.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Selection {
    /// Keeps the features for which this SQL condition is true: `cfs > 5 AND name LIKE 'N%'`.
    /// Geometries are reached as `geometry` through `ST_X`, `ST_Length` and the like
    /// (ISO 19125-2).
    pub condition: Option<String>,
    /// Columns computed from the others, as SQL assignments: `acres = ST_Area(geometry) / 4047`.
    pub set: Vec<String>,
    /// Columns with one value throughout, and the value; a number if it reads as one.
    pub constant: Vec<(String, String)>,
    /// Coordinates of the features as columns.
    pub coordinates: Vec<PlaceColumns>,
    /// The columns to keep, in this order; all if there are none.
    pub keep: Vec<String>,
    /// Columns to leave out.
    pub drop: Vec<String>,
    /// Columns that come first, in this order.
    pub first: Vec<String>,
    /// Old and new names of columns; what is kept, left out, put first, rounded or written as
    /// text may go by either.
    pub rename: Vec<(String, String)>,
    /// Numbers rounded to so many digits behind the point.
    pub round: Vec<(String, usize)>,
    /// Numbers written out as text.
    pub format: Vec<(String, NumberText)>,
}

impl Selection {
    /// True if everything stays as it is.
    pub fn is_everything(&self) -> bool {
        self == &Selection::default()
    }

    /// Prepares the selection for a layer.
    ///
    /// # Errors
    /// If an expression cannot be read or does not fit the layer's columns.
    pub(crate) fn plan(&self, info: &LayerInfo) -> Result<Planned> {
        let condition = self.condition.as_deref().map(parse_condition).transpose()?;
        let mut steps = Vec::new();
        let mut schema = info.schema.clone();
        // An empty batch tells the types, and what does not go together.
        let mut empty = RowBuilder::new(schema.clone()).finish()?;
        let nowhere = GeometryColumn::new();
        if let Some(condition) = &condition {
            let context = Context::new(&empty, &nowhere, info.crs.as_ref());
            mask(condition, &context)?;
        }
        for text in &self.set {
            for (name, expression) in parse_assignments(text)? {
                let context = Context::new(&empty, &nowhere, info.crs.as_ref());
                let values = evaluate(&expression, &context)?.into_array(0)?;
                let kind = match values.data_type() {
                    DataType::Null => DataType::Utf8,
                    kind => kind.clone(),
                };
                let at = context.find(&name).unwrap_or(schema.fields().len());
                let step = Step { at, name, expression, kind };
                empty = step.apply(&empty, &nowhere, info.crs.as_ref())?;
                schema = empty.schema();
                steps.push(step);
            }
        }
        let mut finishing = Vec::new();
        for step in self.finishing(info.crs.as_ref())? {
            let step = step.plan(&schema, &self.rename)?;
            empty = step.apply(empty, &nowhere)?;
            schema = empty.schema();
            finishing.push(step);
        }
        Ok(Planned { condition, steps, finishing, schema, crs: info.crs.clone() })
    }

    /// Reads conditions and computed columns, and finds their columns if those are known.
    ///
    /// # Errors
    /// If an expression cannot be read, or a column is not there.
    pub(crate) fn readable(&self, headers: Option<&[String]>) -> Result<()> {
        let mut columns = headers.map(<[String]>::to_vec);
        let mut seen = |expression: &Expr, adds: Option<String>| -> Result<()> {
            let Some(columns) = &mut columns else { return Ok(()) };
            let mut names = Vec::new();
            context::names(expression, &mut names);
            for name in names.iter().filter(|name| !["geometry", "geom"].contains(&name.as_str())) {
                crate::layer::column_names::position(columns, name, None)?;
            }
            columns.extend(adds);
            Ok(())
        };
        if let Some(condition) = &self.condition {
            seen(&parse_condition(condition)?, None)?;
        }
        for text in &self.set {
            for (name, expression) in parse_assignments(text)? {
                seen(&expression, Some(name))?;
            }
        }
        if let Some(headers) = headers {
            self.needs(headers)?;
        }
        Ok(())
    }

    /// The columns of a table that the selection looks at or keeps; none for all of them.
    pub(crate) fn needs(&self, headers: &[String]) -> Result<Option<Vec<usize>>> {
        if self.keep.is_empty() {
            return Ok(None);
        }
        let mut texts: Vec<String> = Vec::new();
        let mut computed: Vec<String> = Vec::new();
        let mut expressions: Vec<Expr> = Vec::new();
        if let Some(condition) = &self.condition {
            expressions.push(parse_condition(condition)?);
        }
        for text in &self.set {
            for (name, expression) in parse_assignments(text)? {
                computed.push(name);
                expressions.push(expression);
            }
        }
        for expression in &expressions {
            context::names(expression, &mut texts);
        }
        computed.extend(self.constant.iter().map(|(name, _)| name.clone()));
        for columns in &self.coordinates {
            computed.extend([columns.x.clone(), columns.y.clone()]);
            computed.extend(columns.z.clone());
        }
        let find = |name: &String| crate::layer::column_names::position(headers, name, None).ok();
        let mut places: Vec<usize> = texts.iter().chain(&computed).filter_map(find).collect();
        for name in &self.keep {
            match (find(name), computed.contains(name)) {
                (Some(at), _) => places.push(at),
                (None, true) => {}
                (None, false) => {
                    crate::layer::column_names::position(headers, name, None)?;
                }
            }
        }
        places.sort_unstable();
        places.dedup();
        Ok(Some(places))
    }
}

/// A selection prepared for a layer.
#[derive(Debug)]
pub(crate) struct Planned {
    condition: Option<Expr>,
    steps: Vec<Step>,
    finishing: Vec<shape::Finish>,
    /// The columns that come out.
    pub(crate) schema: SchemaRef,
    crs: Option<Crs>,
}

impl Selection {
    /// Every word of the conditions, computed columns and columns to keep that may be the name of a
    /// column.
    pub fn words(&self) -> Vec<String> {
        let texts = self.condition.iter().chain(&self.set).chain(&self.keep);
        texts
            .flat_map(|text| text.split(|c: char| !c.is_alphanumeric() && c != '_'))
            .filter(|word| !word.is_empty())
            .map(String::from)
            .collect()
    }
}

impl Planned {
    /// What is worth knowing of the columns before they are computed.
    pub(crate) fn notices(&self) -> Vec<Notice> {
        let raises = |finish: &shape::Finish| match finish {
            shape::Finish::Places(_, places) => places.raises(),
            _ => false,
        };
        let said = "geocentric coordinates need a height: places without one, and those that stand \
                    for lines and polygons, count as at height 0 on the ellipsoid";
        let mut notices: Vec<Notice> =
            self.finishing.iter().any(raises).then(|| Notice::note(said)).into_iter().collect();
        if self.calls(&["ST_AREA", "ST_LENGTH", "ST_PERIMETER"]) {
            notices.push(Notice::note(
                "lengths and areas in expressions are on the ellipsoid, in metres and square metres",
            ));
        }
        notices
    }

    /// True if an expression calls one of these functions.
    fn calls(&self, names: &[&str]) -> bool {
        let expressions = self.condition.iter().chain(self.steps.iter().map(|s| &s.expression));
        expressions.into_iter().any(|expression| context::calls(expression, names))
    }

    /// True if an expression looks at coordinates, which depend on the system that they are in.
    pub(crate) fn takes_coordinates(&self) -> bool {
        let names =
            ["ST_X", "ST_Y", "ST_XMIN", "ST_YMIN", "ST_XMAX", "ST_YMAX", "ST_ASTEXT", "ST_Z"];
        self.calls(&names) || self.calls(&["PLANE_AREA", "PLANE_LENGTH", "PLANE_PERIMETER"])
    }

    /// True if the condition looks at geometries.
    pub(crate) fn condition_takes_geometry(&self) -> bool {
        let spatial = |condition: &Expr| context::calls(condition, &["ST_", "PLANE_"]);
        self.condition.as_ref().is_some_and(spatial)
    }
}

/// One column to compute.
#[derive(Debug)]
struct Step {
    /// Its place; behind the last for a new one.
    at: usize,
    name: String,
    expression: Expr,
    kind: DataType,
}

impl Step {
    fn apply(
        &self,
        attributes: &RecordBatch,
        geometry: &GeometryColumn,
        crs: Option<&Crs>,
    ) -> Result<RecordBatch> {
        let rows = attributes.num_rows();
        let context = Context::new(attributes, geometry, crs);
        let values = evaluate(&self.expression, &context)?.into_array(rows)?;
        let values = arrow_cast::cast(&values, &self.kind)?;
        let mut fields: Vec<Field> =
            attributes.schema().fields().iter().map(|f| f.as_ref().clone()).collect();
        let mut columns: Vec<ArrayRef> = attributes.columns().to_vec();
        if self.at < columns.len() {
            fields[self.at] = Field::new(fields[self.at].name(), self.kind.clone(), true);
            columns[self.at] = values;
        } else {
            let taken: Vec<String> = fields.iter().map(|f| f.name().clone()).collect();
            fields.push(Field::new(distinct(&taken, &self.name), self.kind.clone(), true));
            columns.push(values);
        }
        let options = RecordBatchOptions::new().with_row_count(Some(rows));
        Ok(RecordBatch::try_new_with_options(Arc::new(Schema::new(fields)), columns, &options)?)
    }
}

impl Planned {
    /// Which features of a batch are kept.
    pub(crate) fn mask(&self, batch: &Batch) -> Result<Option<BooleanArray>> {
        let context = Context::new(batch.attributes(), &batch.geometry, self.crs.as_ref());
        self.condition.as_ref().map(|condition| mask(condition, &context)).transpose()
    }

    /// The features for which the mask is true.
    pub(crate) fn filter(batch: &Batch, mask: &BooleanArray) -> Result<Batch> {
        if mask.true_count() == mask.len() {
            return Ok(batch.clone());
        }
        let attributes = arrow_select::filter::filter_record_batch(batch.attributes(), mask)?;
        let mut geometry = GeometryColumn::new();
        for feature in (0..mask.len()).filter(|at| mask.is_valid(*at) && mask.value(*at)) {
            geometry.push_from(&batch.geometry, feature);
        }
        Batch::try_new(geometry, attributes, batch.first)
    }

    /// Computes and projects the attributes.
    pub(crate) fn shape(&self, mut batch: Batch) -> Result<Batch> {
        for step in &self.steps {
            let attributes = step.apply(batch.attributes(), &batch.geometry, self.crs.as_ref())?;
            batch = batch.with_attributes(attributes)?;
        }
        for step in &self.finishing {
            let attributes = step.apply(batch.attributes().clone(), &batch.geometry)?;
            batch = batch.with_attributes(attributes)?;
        }
        Ok(batch)
    }
}

fn mask(condition: &Expr, context: &Context<'_>) -> Result<BooleanArray> {
    let values = evaluate(condition, context)?.into_array(context.rows())?;
    match values.data_type() {
        DataType::Boolean => Ok(values.as_boolean().clone()),
        DataType::Null => Ok(BooleanArray::new_null(values.len())),
        other => Err(Error::usage(format!(
            "the condition `{condition}` gives {}, not true or false",
            context::type_text(other)
        ))),
    }
}

fn unread(text: &str, error: &sqlparser::parser::ParserError) -> Error {
    let error = error.to_string();
    let error = error.trim_start_matches("sql parser error: ");
    Error::usage(format!(
        "`{text}` cannot be read as an SQL expression: {error}. Texts stand in 'single' quotation \
         marks, names of columns with blanks in \"double\" ones"
    ))
}

fn parse_condition(text: &str) -> Result<Expr> {
    let mut parser =
        Parser::new(&GenericDialect {}).try_with_sql(text).map_err(|e| unread(text, &e))?;
    let expression = parser.parse_expr().map_err(|e| unread(text, &e))?;
    refuse_depth(&expression)?;
    let rest = parser.peek_token().token;
    match rest {
        sqlparser::tokenizer::Token::EOF => Ok(expression),
        rest => Err(Error::usage(format!(
            "`{text}` cannot be read as an SQL expression: it goes on with `{rest}` behind \
             `{expression}`"
        ))),
    }
}

/// Most operators in a row: each is evaluated inside the one before.
const MOST_OPERATORS: usize = 500;

/// # Errors
/// If so many operators follow each other that evaluating them would need too much memory.
fn refuse_depth(expression: &Expr) -> Result<()> {
    let mut at = expression;
    for _ in 0..MOST_OPERATORS {
        at = match at {
            Expr::BinaryOp { left, .. } => left,
            Expr::IsNull(inner)
            | Expr::IsNotNull(inner)
            | Expr::IsTrue(inner)
            | Expr::IsFalse(inner)
            | Expr::IsNotTrue(inner)
            | Expr::IsNotFalse(inner)
            | Expr::Nested(inner) => inner,
            Expr::UnaryOp { expr, .. } | Expr::Cast { expr, .. } => expr,
            _ => return Ok(()),
        };
    }
    Err(Error::usage(format!(
        "an expression takes up to {MOST_OPERATORS} operators in a row, and this one has more: write \
         alternatives of one column as `name IN ('a', 'b', …)`, or join a table of the wanted keys"
    )))
}

/// Assignments, one or several with commas between them.
fn parse_assignments(text: &str) -> Result<Vec<(String, Expr)>> {
    let statement = format!("UPDATE layer SET {text}");
    let parsed = Parser::parse_sql(&GenericDialect {}, &statement).map_err(|e| unread(text, &e))?;
    let [Statement::Update(update)] = parsed.as_slice() else {
        return Err(Error::usage(format!("`{text}` is no assignment: write NAME = EXPRESSION")));
    };
    if update.selection.is_some() || update.from.is_some() {
        return Err(Error::usage(format!(
            "`{text}` holds more than assignments: conditions go to --where"
        )));
    }
    update
        .assignments
        .iter()
        .map(|assignment| match &assignment.target {
            AssignmentTarget::ColumnName(name) => {
                let name = name.0.last().and_then(|part| part.as_ident());
                let name = name.map_or(String::new(), |name| name.value.clone());
                refuse_depth(&assignment.value)?;
                Ok((name, assignment.value.clone()))
            }
            AssignmentTarget::Tuple(_) => {
                Err(Error::usage(format!("`{text}`: assign one column at a time")))
            }
        })
        .collect()
}

/// True for a number with a sign, which is a literal to people.
fn is_negative(operator: &UnaryOperator) -> bool {
    matches!(operator, UnaryOperator::Minus)
}
