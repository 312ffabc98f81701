//! What commands do with rasters.

mod convert;
mod declare;
mod look;

pub(super) use convert::{Conversion, convert};
pub(super) use declare::declare;
pub(super) use look::{as_json, look};

use crate::arguments::WriteArguments;
use crate::{record, show};
use serde_json::{Value as Json, json};
use std::path::Path;
use velvet_peg::raster::{PixelGrid, RasterSummary};
use velvet_peg::{Bounds, Crs, Error};

/// Refuses options that rasters have no use for, instead of passing over them.
///
/// # Errors
/// If one was given.
pub(super) fn refuse(
    file: &Path,
    write: &WriteArguments,
    others: &[(&str, bool)],
) -> Result<(), Error> {
    let mut given = [("--append", write.append)].into_iter().chain(others.iter().copied());
    match given.find(|(_, given)| *given) {
        Some((option, _)) => {
            Err(Error::usage(format!("{option} is for layers, and {} is a raster", file.display())))
        }
        None => Ok(()),
    }
}

/// The size of a pixel with its unit.
fn size_of(grid: &PixelGrid, crs: Option<&Crs>) -> String {
    let (width, height) = grid.pixel_size();
    let unit = crs.map_or("units of an unknown system".to_string(), Crs::unit_plural);
    // Figures of pixels are read, not computed with.
    let text = |value: f64| {
        let digits = (6.0 - value.abs().log10().floor()).clamp(0.0, 12.0) as usize;
        let text = format!("{value:.digits$}");
        match text.contains('.') {
            true => text.trim_end_matches('0').trim_end_matches('.').to_string(),
            false => text,
        }
    };
    format!("{} × {} {unit}", text(width), text(height))
}

fn edges(extent: &Bounds, crs: Option<&Crs>) -> String {
    let Bounds { south, west, north, east } = extent;
    match crs.is_some_and(Crs::is_geographic) {
        true => format!("longitude {west:.6}° to {east:.6}°, latitude {south:.6}° to {north:.6}°"),
        false => format!("x {west:.2} to {east:.2}, y {south:.2} to {north:.2}"),
    }
}

fn grid_json(grid: &PixelGrid) -> Json {
    let bounds = grid.bounds();
    json!({
        "columns": grid.columns(),
        "rows": grid.rows(),
        "pixel_width": grid.pixel_size().0,
        "pixel_height": grid.pixel_size().1,
        "origin": [grid.origin().0, grid.origin().1],
        "column_step": [grid.column_step().0, grid.column_step().1],
        "row_step": [grid.row_step().0, grid.row_step().1],
        "extent": {
            "x_min": bounds.west, "y_min": bounds.south, "x_max": bounds.east, "y_max": bounds.north,
        },
    })
}

/// Says that a file beside a raster was written, and the raster was not.
fn aside(summary: &RasterSummary, side: &Path, raster: &Path) -> Result<(), Error> {
    show::notices(&summary.notices);
    record::wrote(raster, &summary.files);
    let files: Vec<String> = summary.files.iter().map(|file| file.display().to_string()).collect();
    show::done(&format!("wrote {}; {} stays as it is", files.join(" and "), raster.display()));
    if show::wants_json() {
        show::json(&json!({
            "output": side,
            "files": summary.files,
            "grid": grid_json(&summary.grid),
            "notices": show::notices_as_json(&summary.notices),
        }))?;
    }
    Ok(())
}

/// Says what was written.
fn outcome(summary: &RasterSummary, out: &Path) -> Result<(), Error> {
    show::notices(&summary.notices);
    record::wrote(out, &summary.files);
    let others: Vec<String> = summary
        .files
        .iter()
        .filter(|file| file.as_path() != out)
        .map(|file| file.display().to_string())
        .collect();
    let beside =
        if others.is_empty() { String::new() } else { format!(" with {}", others.join(", ")) };
    show::done(&format!(
        "{} pixels in, {} out; wrote {}{beside}, read again and compared",
        summary.pixels_in,
        summary.pixels_out,
        out.display()
    ));
    if show::wants_json() {
        show::json(&json!({
            "pixels_in": summary.pixels_in,
            "pixels_out": summary.pixels_out,
            "grid": grid_json(&summary.grid),
            "resampling": summary.resampling.map(|way| way.name()),
            "position_error_pixels": summary.position_error,
            "route": summary.converter.as_ref().map(|converter| converter.route().summary()),
            "accuracy_m": summary.converter.as_ref().and_then(|c| c.route().accuracy_m()),
            "output": out,
            "files": summary.files,
            "notices": show::notices_as_json(&summary.notices),
        }))?;
    }
    Ok(())
}

/// To a thousandth, and no less: smaller parts of a pixel are nobody's matter.
fn rounded_up(value: f64) -> f64 {
    (value * 1e3).ceil() / 1e3
}
