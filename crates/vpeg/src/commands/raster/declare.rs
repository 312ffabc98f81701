//! `vpeg declare` of a raster.

use super::{aside, outcome, rounded_up, size_of};
use crate::arguments::CommonArguments;
use crate::commands::fit_report;
use crate::progress::TerminalProgress;
use crate::{Ending, show};
use std::path::Path;
use velvet_peg::fit::{FitKind, PIXEL_NAMES, common_points, fit_points};
use velvet_peg::raster::{RasterReader, declare_raster};
use velvet_peg::table::{TableFile, TableOptions};
use velvet_peg::{Crs, Error};

pub(crate) fn declare(
    file: &Path,
    crs: &Crs,
    out: &Path,
    overwrite: bool,
    control: Option<(&Path, &CommonArguments)>,
) -> Result<Ending, Error> {
    let mut reader = RasterReader::open(file)?;
    if let Some((points, common)) = control {
        place(&mut reader, crs, points, common)?;
    }
    let mut progress = TerminalProgress::new("declaring");
    let summary = declare_raster(reader, crs, out, overwrite, &mut progress)?;
    drop(progress);
    let what = match (control, summary.resampling) {
        (None, _) => "no pixel was moved".to_string(),
        (Some(_), None) => "no pixel was changed".to_string(),
        (Some(_), Some(way)) => format!(
            "straightened into {} × {} pixels of {}; values by {way}; positions within {:.3} pixel of the \
             mapping",
            summary.grid.columns(),
            summary.grid.rows(),
            size_of(&summary.grid, Some(crs)),
            rounded_up(summary.position_error)
        ),
    };
    show::remark(&format!("declared as {} ({}); {what}", crs.label(), crs.unit_plural()));
    match summary.files.first().filter(|first| first.as_path() != out) {
        // The raster itself was not written.
        Some(side) if !summary.files.iter().any(|written| written == out) => {
            aside(&summary, side, file)?;
        }
        _ => outcome(&summary, out)?,
    }
    Ok(Ending::Done)
}

/// Places a raster by control points.
fn place(
    reader: &mut RasterReader,
    crs: &Crs,
    points: &Path,
    common: &CommonArguments,
) -> Result<(), Error> {
    let table = TableFile::open(points, &TableOptions::default())?;
    let named = common_points(&table, &common.columns(), PIXEL_NAMES, crs)?;
    // Rows go down where northings go up.
    let fitted = fit_points(&table, &named, common.kind(named.len(), FitKind::Affine), true)?;
    if show::wants_json() {
        fit_report::warn(&fitted, &named, crs);
    } else {
        fit_report::show_fit(&fitted, &named, crs)?;
    }
    if let Some(grid) = reader.info().grid {
        show::warning(&format!(
            "the raster was placed already, with pixels of {}: the control points place it anew",
            size_of(&grid, reader.info().crs.as_ref())
        ));
    }
    reader.place(&fitted)
}
