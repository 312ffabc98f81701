//! Where the rows of a table lie that a condition keeps: those that are left out have no say in how
//! the others are carried, and are not warned of.

use super::BuildOptions;
use super::row_geometry::RowGeometry;
use crate::error::Result;
use crate::layer::{BATCH, Batch, Extender, GeometryColumn, LayerInfo, RowBuilder};
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
    let mut rows = RowBuilder::new(source.schema.clone());
    let mut column = GeometryColumn::new();
    let mut judge = |column: &mut GeometryColumn, rows: &mut RowBuilder| -> Result<()> {
        let batch = Batch::try_new(std::mem::take(column), rows.finish()?, 1)?;
        let mask = selection.mask(&batch)?;
        for feature in 0..batch.len() {
            let kept = mask.as_ref().is_none_or(|m| m.is_valid(feature) && m.value(feature));
            for vertex in batch.geometry.vertices(feature).filter(|_| kept) {
                let (x, y) = (batch.geometry.x[vertex], batch.geometry.y[vertex]);
                cloud.gather(x, y);
                extent.point(x, y);
            }
        }
        Ok(())
    };
    let mut seen = 0u64;
    file.rows()?.each_row(&mut |reader, record| {
        if seen.is_multiple_of(4096) {
            watch.at(reader.bytes_read(), Some(file.bytes()));
        }
        seen += 1;
        if let Ok(taken) = geometry.push(reader, record, options, range, &mut column) {
            let value =
                |at: &usize| inference.types[*at].value(record.get(*at).unwrap_or_default());
            for _ in 0..taken.features {
                rows.push(needed.iter().map(value))?;
            }
        }
        if column.len() >= BATCH { judge(&mut column, &mut rows) } else { Ok(()) }
    })?;
    if !column.is_empty() {
        judge(&mut column, &mut rows)?;
    }
    cloud.settle();
    Ok((cloud, extent.bounds()))
}
