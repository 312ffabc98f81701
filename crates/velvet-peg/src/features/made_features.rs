//! Features made of a block of rows: their values, what a condition keeps, carried into the system of
//! the output, with the columns that come out.

use super::BuildOptions;
use super::judged_rows::JudgedRows;
use super::row_geometry::RowGeometry;
use crate::error::Result;
use crate::layer::Batch;
use crate::outcome::Reason;
use crate::plausibility::CoordinateRange;
use crate::reproject::not_carried;
use crate::select::Planned;
use crate::table::{Inference, RowBlock, RowShape};
use arrow_array::{Array, BooleanArray};
use arrow_schema::SchemaRef;
use velvet_peg_core::Converter;

/// How rows become features.
pub(super) struct Making<'a> {
    pub(super) options: &'a BuildOptions,
    pub(super) geometry: &'a RowGeometry,
    pub(super) selection: Planned,
    pub(super) converter: Option<Converter>,
    /// Places of the columns that are kept or looked at.
    pub(super) needed: &'a [usize],
    /// The columns of these places.
    pub(super) schema: SchemaRef,
    pub(super) inference: &'a Inference,
    pub(super) range: &'a CoordinateRange,
}

/// What became of a block of rows.
pub(super) struct MadeFeatures {
    /// The features as they come out.
    pub(super) batch: Batch,
    /// The features that are kept as they are in the table, those with them that were not carried.
    pub(super) source: Batch,
    /// The row of the block that each feature of the source is of.
    pub(super) rows: Vec<usize>,
    /// The rows of the block that could not be used, in order, and why.
    pub(super) rejected: Vec<(usize, Reason)>,
    pub(super) left_out: u64,
    /// Vertices outside the area where their system is used.
    pub(super) outside: u64,
    /// Vertices without a height that were carried.
    pub(super) flat: u64,
}

impl Making<'_> {
    pub(super) fn features(&self, shape: &RowShape, block: &RowBlock) -> Result<MadeFeatures> {
        let judged = JudgedRows::of(shape, block, self.geometry, self.options, self.range);
        let (mut rows, mut outside, mut refused) = (Vec::new(), Vec::new(), Vec::new());
        let mut next = 0;
        for (at, became) in judged.rows.iter().enumerate() {
            match became {
                Ok(taken) => {
                    rows.extend(std::iter::repeat_n(at, taken.features));
                    outside.extend(&judged.outside[next..next + taken.features]);
                    next += taken.features;
                }
                Err(reason) => {
                    refused.push((rows.len(), reason.clone()));
                    rows.push(at);
                    outside.push(0);
                }
            }
        }
        let geometry = if refused.is_empty() { judged.geometry } else { judged.with_gaps() };
        let texts = rows.iter().map(|at| &block.rows()[*at].texts);
        let attributes = self.inference.columns(&self.schema, self.needed, texts)?;
        let batch = Batch::try_new(geometry, attributes, 1)?;
        let mask = self.mask(&batch)?;
        let mut good: Vec<bool> = (0..batch.len()).map(|at| is_kept(mask.as_ref(), at)).collect();
        let mut left_out = good.iter().filter(|kept| !**kept).count() as u64;
        let mut rejected = Vec::new();
        for (at, reason) in refused {
            // A condition on a geometry that is not there is neither true nor false.
            let unknown = mask.as_ref().is_some_and(|mask| mask.is_null(at));
            left_out -= u64::from(unknown);
            if good[at] || unknown {
                let texts = &block.rows()[rows[at]].texts;
                rejected.push((rows[at], shape.on_sheet(texts, reason)));
            }
            good[at] = false;
        }
        let (batch, rows) = kept(batch, rows, &good)?;
        let outside = outside.iter().zip(&good).map(|(n, good)| u64::from(*n) * u64::from(*good));
        let made = MadeFeatures {
            outside: outside.sum(),
            batch: batch.clone(),
            source: batch,
            rows,
            rejected,
            left_out,
            flat: 0,
        };
        self.carried(made, shape, block)
    }

    /// Coordinates in conditions are those of the output.
    fn mask(&self, batch: &Batch) -> Result<Option<BooleanArray>> {
        match &self.converter {
            Some(converter) if self.selection.condition_takes_geometry() => {
                let mut carried = batch.clone();
                carried.geometry.convert(converter);
                self.selection.mask(&carried)
            }
            _ => self.selection.mask(batch),
        }
    }

    /// The features in the system and with the columns that come out.
    fn carried(
        &self,
        mut made: MadeFeatures,
        shape: &RowShape,
        block: &RowBlock,
    ) -> Result<MadeFeatures> {
        let mut batch = made.batch;
        if let Some(converter) = &self.converter {
            made.flat = made.source.geometry.flat_vertices();
            if batch.geometry.convert(converter) > 0 {
                let column = &batch.geometry;
                let bad = |at: usize| column.vertices(at).find(|v| column.x[*v].is_nan());
                let first: Vec<Option<usize>> = (0..column.len()).map(bad).collect();
                for (feature, vertex) in first.iter().enumerate() {
                    let Some(vertex) = vertex else { continue };
                    let row = made.rows[feature];
                    let at = made.source.geometry.vertex(*vertex);
                    let reason = not_carried(converter, at).into();
                    let texts = &block.rows()[row].texts;
                    made.rejected.push((row, shape.on_sheet(texts, reason)));
                }
                made.rejected.sort_by_key(|(row, _)| *row);
                let good: Vec<bool> = first.iter().map(Option::is_none).collect();
                batch = Planned::filter(&batch, &BooleanArray::from(good))?;
            }
        }
        made.batch = self.selection.shape(batch)?;
        Ok(made)
    }
}

fn is_kept(mask: Option<&BooleanArray>, at: usize) -> bool {
    mask.is_none_or(|mask| mask.is_valid(at) && mask.value(at))
}

/// The features that are good, with their rows.
fn kept(batch: Batch, rows: Vec<usize>, good: &[bool]) -> Result<(Batch, Vec<usize>)> {
    if !good.contains(&false) {
        return Ok((batch, rows));
    }
    let batch = Planned::filter(&batch, &BooleanArray::from(good.to_vec()))?;
    let rows = rows.into_iter().zip(good).filter(|(_, good)| **good).map(|(row, _)| row);
    Ok((batch, rows.collect()))
}
