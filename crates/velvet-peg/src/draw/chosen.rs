//! The area of chosen features, on the grid of a system and on the ellipsoid.

use super::figures::{grouped, readable};
use crate::error::{Error, Result};
use crate::layer::{GeometryColumn, Layer};
use crate::layer_io::LayerReader;
use crate::measure::{MeasureOptions, measure};
use std::path::Path;
use velvet_peg_core::Crs;

/// The features of layers whose column has a value, as a layer in the system of the first that
/// has them.
pub(super) fn chosen(readers: &[LayerReader], column: &str, value: &str) -> Result<Layer> {
    for reader in readers {
        let Ok(at) = reader.info().schema.index_of(column) else { continue };
        let mut batches = Vec::new();
        reader.for_each_batch(&mut |batch| {
            let Some(values) = batch.column(at) else { return Ok(()) };
            let rows: Vec<usize> =
                (0..batch.len()).filter(|row| values.value(*row).to_string() == value).collect();
            if !rows.is_empty() {
                let mut geometry = GeometryColumn::new();
                rows.iter().for_each(|row| geometry.push_from(&batch.geometry, *row));
                let parts: Vec<_> =
                    rows.iter().map(|row| batch.attributes().slice(*row, 1)).collect();
                let attributes =
                    arrow_select::concat::concat_batches(&batch.attributes().schema(), &parts)?;
                batches.push(crate::layer::Batch::try_new(geometry, attributes, 1)?);
            }
            Ok(())
        })?;
        if !batches.is_empty() {
            return Ok(Layer::from_batches(reader.info().clone(), batches));
        }
    }
    Err(Error::usage(format!(
        "no feature has `{value}` in a column `{column}` to tell the area of"
    )))
}

/// The area of the features in a system, in words.
pub(super) fn area_text(layer: &Layer, crs: &Crs) -> Result<String> {
    let in_system = match layer.crs() == Some(crs) {
        true => layer.clone(),
        false => layer.convert(crs)?.into_layer(),
    };
    let reader = LayerReader::of_layer(&in_system, Path::new(&layer.info().name));
    let measures = measure(&reader, &MeasureOptions::default())?;
    let ellipsoid = measures.total(|of| Some(of.area_m2)).unwrap_or(0.0);
    if ellipsoid == 0.0 {
        return Ok("no area: not a polygon".to_string());
    }
    Ok(match measures.total(|of| of.grid_area_m2) {
        Some(grid) => {
            let percent = (grid / ellipsoid - 1.0) * 100.0;
            let sign = if percent < 0.0 { "−" } else { "+" };
            let (shown, decimals) = readable(percent.abs(), percent.abs().max(1e-4));
            format!(
                "{} on the grid, {} on the ellipsoid ({sign}{} %)",
                area(grid),
                area(ellipsoid),
                grouped(shown, decimals)
            )
        }
        None => format!("{} on the ellipsoid", area(ellipsoid)),
    })
}

fn area(square_metres: f64) -> String {
    match square_metres {
        area if area >= 1e7 => format!("{} km²", grouped(area / 1e6, 2)),
        area if area >= 1e4 => format!("{} ha", grouped(area / 1e4, 3)),
        area => format!("{} m²", grouped(area, 1)),
    }
}
