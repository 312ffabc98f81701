//! The ways from a raster's reference system to another and back.

use super::info::no_system;
use super::reader::RasterReader;
use crate::error::{Error, Result};
use crate::plausibility::no_way;
use crate::reproject::{Way, area_of};
use velvet_peg_core::raster::{PixelGrid, Turn};
use velvet_peg_core::{Converter, Crs};

/// Positions between exact ones are no further off, in pixels of the source.
pub(super) const TOLERANCE: f64 = 0.05;

/// The converters there and back; without a target those from its own system to itself.
pub(super) fn ways(
    reader: &RasterReader,
    grid: &PixelGrid,
    target: Option<&Crs>,
    way: &Way,
) -> Result<(Converter, Converter)> {
    let info = reader.info();
    let in_file = |error: Error| error.in_file(reader.path());
    let source = info.crs.as_ref().ok_or_else(|| in_file(no_system(info)))?;
    // Pixels lie in a plane; what their values are of is another matter.
    let flat = |crs: &Crs| crs.horizontal().unwrap_or_else(|| crs.clone());
    let (source, target) = (flat(source), flat(target.unwrap_or(source)));
    let extent = grid.bounds();
    let area = area_of(&source, &extent);
    let there = Converter::plan(&source, &target, &way.plan(area))
        .map_err(|error| in_file(no_way(error, &source, Some(&extent))))?;
    let mut way = way.clone();
    way.operations.reverse();
    let back = Converter::plan(&target, &source, &way.plan(area))
        .map_err(|error| in_file(no_way(error, &source, Some(&extent))))?;
    check_ways(grid, &there, &back).map_err(in_file)?;
    Ok((there, back))
}

/// Looks whether the way back undoes the way there, at places all over the raster.
fn check_ways(grid: &PixelGrid, there: &Converter, back: &Converter) -> Result<()> {
    let part = |at: usize| at as f64 / 8.0;
    let asked: Vec<(f64, f64)> = (0..81)
        .map(|at| (part(at % 9) * grid.columns() as f64, part(at / 9) * grid.rows() as f64))
        .collect();
    let (mut x, mut y): (Vec<f64>, Vec<f64>) =
        asked.iter().map(|(column, row)| grid.place(*column, *row)).unzip();
    there.convert_columns(&mut x, &mut y, None);
    back.convert_columns(&mut x, &mut y, None);
    let turn = Turn::of(back.target());
    for ((x, y), (column, row)) in x.into_iter().zip(y).zip(asked) {
        let own = grid.place(column, row);
        let x = turn.map_or(x, |turn| turn.near(x, own.0));
        let (back_column, back_row) = grid.pixel((x, y));
        let off = (back_column - column).hypot(back_row - row);
        // What has no coordinates there is no matter here, and at a pole every longitude is right.
        let pole = turn.is_some_and(|turn| own.1.abs() / turn.full > 0.249_999_999);
        if off > TOLERANCE && !pole {
            return Err(Error::data(format!(
                "the way from {} back to {} does not undo the way there: a pixel comes back {off:.2} pixels \
                 away",
                there.target().label(),
                there.source().label()
            )));
        }
    }
    Ok(())
}
