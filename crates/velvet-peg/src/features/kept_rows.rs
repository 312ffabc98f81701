//! Where the rows of a table lie that a condition keeps: those that are left out have no say in how
//! the others are carried, and are not warned of.

use super::BuildOptions;
use super::judged_rows::JudgedRows;
use super::row_geometry::RowGeometry;
use crate::error::Result;
use crate::layer::{Batch, Extender, LayerInfo};
use crate::plausibility::{CoordinateRange, PositionSample};
use crate::progress::Progress;
use crate::select::Planned;
use crate::table::{Inference, TableFile};
use arrow_array::Array;
use velvet_peg_core::Bounds;

/// The positions of the rows that are kept, and the box around them.
pub(super) fn kept_rows(
    options: &BuildOptions,
    (file, geometry, range): (&TableFile, &RowGeometry, &CoordinateRange),
    (selection, source): (&Planned, &LayerInfo),
    (inference, needed): (&Inference, &[usize]),
    watch: &mut dyn Progress,
) -> Result<(PositionSample, Option<Bounds>)> {
    let mut cloud = PositionSample::default();
    cloud.set_system(options.crs.as_ref());
    let mut extent = Extender::default();
    file.rows()?.in_blocks(
        |shape, block| {
            let judged = JudgedRows::of(shape, block, geometry, options, range);
            let rows = block.rows().iter().zip(&judged.rows).flat_map(|(row, became)| {
                let features = became.as_ref().map_or(0, |taken| taken.features);
                std::iter::repeat_n(&row.texts, features)
            });
            let attributes = inference.columns(&source.schema, needed, rows)?;
            let batch = Batch::try_new(judged.geometry, attributes, 1)?;
            let mask = selection.mask(&batch)?;
            Ok((batch.geometry, mask))
        },
        |(column, mask), _, block| {
            watch.at(block.bytes_read, Some(file.bytes()));
            for feature in 0..column.len() {
                let kept = mask.as_ref().is_none_or(|m| m.is_valid(feature) && m.value(feature));
                for vertex in column.vertices(feature).filter(|_| kept) {
                    cloud.gather(column.x[vertex], column.y[vertex]);
                    extent.point(column.x[vertex], column.y[vertex]);
                }
            }
            Ok(())
        },
    )?;
    cloud.settle();
    Ok((cloud, extent.bounds()))
}
