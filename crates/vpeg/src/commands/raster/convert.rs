//! `vpeg convert` of a raster.

use super::{outcome, rounded_up, size_of};
use crate::arguments::RasterArguments;
use crate::commands::route::route;
use crate::progress::TerminalProgress;
use crate::{Ending, reference, show};
use std::path::Path;
use velvet_peg::Error;
use velvet_peg::convert::Way;
use velvet_peg::raster::{Colours, ConvertRaster, RasterReader};

/// What is asked for.
pub(crate) struct Conversion<'a> {
    pub(crate) to: Option<&'a str>,
    pub(crate) crs: Option<&'a str>,
    pub(crate) way: Way,
    pub(crate) raster: &'a RasterArguments,
    pub(crate) overwrite: bool,
}

pub(crate) fn convert(file: &Path, out: &Path, asked: &Conversion<'_>) -> Result<Ending, Error> {
    let mut reader = RasterReader::open(file)?;
    if let Some(crs) = asked.crs {
        let crs = reference::system(crs)?;
        reference::say_taken_as(reader.info().crs.as_ref(), &crs);
        reader.assume(crs);
    }
    let target = match asked.to {
        Some(to) => Some(reference::system_for_raster(to, &reader)?),
        None => None,
    };
    let convert = ConvertRaster {
        target,
        way: asked.way.clone(),
        overwrite: asked.overwrite,
        ..asked.raster.convert()?
    };
    let mut progress = TerminalProgress::new("converting");
    let summary = convert.run_watched(&reader, out, &mut progress)?;
    drop(progress);
    if let Some(converter) = &summary.converter {
        route(converter);
    }
    let crs = match &summary.converter {
        Some(converter) => Some(converter.target()),
        None => reader.info().crs.as_ref(),
    };
    let mut text = format!(
        "{} × {} pixels of {}",
        summary.grid.columns(),
        summary.grid.rows(),
        size_of(&summary.grid, crs)
    );
    if let Some(way) = summary.resampling {
        let why = match (asked.raster.is_chosen(), &reader.info().colours) {
            (true, _) => String::new(),
            (false, Colours::Palette(_)) => {
                ", because its numbers are places in a list of colours".to_string()
            }
            (false, colours) => format!(", because its numbers are {}", colours.name()),
        };
        text += &format!("; values by {way}{why}");
        text += &match summary.position_error {
            0.0 => "; every position exact".to_string(),
            error => format!("; positions within {:.3} pixel of the source", rounded_up(error)),
        };
    }
    show::remark(&text);
    outcome(&summary, out)?;
    Ok(Ending::Done)
}
