//! What is kept of a layer or table, and what is computed.

use super::computed_column::ComputedColumn;
use super::coordinates::PlaceColumns;
use super::expression::Expression;
use super::planned::Planned;
use super::shape::NumberText;
use crate::error::Result;
use crate::layer::{GeometryColumn, LayerInfo, RowBuilder};

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
        let condition = self.condition.as_deref().map(Expression::condition).transpose()?;
        let mut computed = Vec::new();
        let mut schema = info.schema.clone();
        // An empty batch tells the types, and what does not go together.
        let mut empty = RowBuilder::new(schema.clone()).finish()?;
        let nowhere = GeometryColumn::new();
        if let Some(condition) = &condition {
            condition.mask(&empty, &nowhere, info.crs.as_ref())?;
        }
        for text in &self.set {
            for (name, expression) in Expression::assignments(text)? {
                let step = ComputedColumn::plan(name, expression, &empty, info.crs.as_ref())?;
                empty = step.apply(&empty, &nowhere, info.crs.as_ref())?;
                schema = empty.schema();
                computed.push(step);
            }
        }
        let mut finishing = Vec::new();
        for step in self.finishing(info.crs.as_ref())? {
            let step = step.plan(&schema, &self.rename)?;
            empty = step.apply(empty, &nowhere)?;
            schema = empty.schema();
            finishing.push(step);
        }
        Ok(Planned { condition, computed, finishing, schema, crs: info.crs.clone() })
    }

    /// Reads conditions and computed columns, and finds their columns if those are known.
    ///
    /// # Errors
    /// If an expression cannot be read, or a column is not there.
    pub(crate) fn readable(&self, headers: Option<&[String]>) -> Result<()> {
        let mut columns = headers.map(<[String]>::to_vec);
        let mut seen = |expression: &Expression, adds: Option<String>| -> Result<()> {
            let Some(columns) = &mut columns else { return Ok(()) };
            for name in expression
                .names()
                .iter()
                .filter(|name| !["geometry", "geom"].contains(&name.as_str()))
            {
                crate::layer::column_names::position(columns, name, None)?;
            }
            columns.extend(adds);
            Ok(())
        };
        if let Some(condition) = &self.condition {
            seen(&Expression::condition(condition)?, None)?;
        }
        for text in &self.set {
            for (name, expression) in Expression::assignments(text)? {
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
        let mut expressions: Vec<Expression> = Vec::new();
        if let Some(condition) = &self.condition {
            expressions.push(Expression::condition(condition)?);
        }
        for text in &self.set {
            for (name, expression) in Expression::assignments(text)? {
                computed.push(name);
                expressions.push(expression);
            }
        }
        for expression in &expressions {
            texts.extend(expression.names());
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
