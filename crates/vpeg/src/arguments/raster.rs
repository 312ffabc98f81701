//! How a raster is carried into another system.

use super::heading;
use clap::Args;
use std::path::{Path, PathBuf};
use velvet_peg::job::{ConvertStep, Edges, PixelSize, WayOfResampling};
use velvet_peg::raster::{ConvertRaster, RasterReader, Resampling};
use velvet_peg::{Bounds, Error};

#[derive(Debug, Args)]
pub(crate) struct RasterArguments {
    /// Width and height of a pixel in the unit of the output, as one number or two; so that nothing is
    /// lost if not given.
    #[arg(long, value_name = "SIZE[,SIZE]", value_parser = sizes, help_heading = heading::RASTERS, hide_short_help = true)]
    pixel: Option<(f64, f64)>,
    /// Edges of the output in its unit: west, south, east, north; the whole raster if not given.
    #[arg(long, value_name = "W,S,E,N", value_parser = edges, allow_hyphen_values = true, help_heading = heading::RASTERS, hide_short_help = true)]
    extent: Option<Bounds>,
    /// Raster whose pixels those of the output lie on.
    #[arg(long, value_name = "FILE", conflicts_with = "pixel", help_heading = heading::RASTERS, hide_short_help = true)]
    align: Option<PathBuf>,
    /// How values between pixels come about: nearest, bilinear, cubic or average; by what the numbers are
    /// if not given.
    #[arg(long, value_name = "HOW", value_parser = resampling, help_heading = heading::RASTERS, hide_short_help = true)]
    resample: Option<Resampling>,
    /// Write smaller copies into a GeoTIFF, for programs that show it from afar.
    #[arg(long, help_heading = heading::RASTERS, hide_short_help = true)]
    overviews: bool,
}

fn numbers<const N: usize>(text: &str, what: &str) -> Result<[f64; N], String> {
    let found: Result<Vec<f64>, _> = text.split(',').map(|part| part.trim().parse()).collect();
    found
        .ok()
        .and_then(|found| found.try_into().ok())
        .ok_or_else(|| format!("write {what}, with commas between"))
}

fn sizes(text: &str) -> Result<(f64, f64), String> {
    let sizes = match text.contains(',') {
        true => numbers::<2>(text, "one size or two, such as 2 or 2,3")?,
        false => {
            let [size] = numbers::<1>(text, "one size or two, such as 2 or 2,3")?;
            [size, size]
        }
    };
    match sizes.iter().all(|size| *size > 0.0 && size.is_finite()) {
        true => Ok((sizes[0], sizes[1])),
        false => Err("the size of a pixel is a number above 0".to_string()),
    }
}

fn edges(text: &str) -> Result<Bounds, String> {
    let [west, south, east, north] = numbers::<4>(text, "four numbers: west, south, east, north")?;
    match west < east && south < north {
        true => Ok(Bounds { south, west, north, east }),
        false => Err("west is less than east, and south less than north".to_string()),
    }
}

pub(crate) fn resampling(text: &str) -> Result<Resampling, String> {
    Resampling::named(text).ok_or_else(|| {
        let names: Vec<&str> = Resampling::ALL.iter().map(|way| way.name()).collect();
        format!("it is one of {}", names.join(", "))
    })
}

impl RasterArguments {
    /// True if an option was given that layers have no use for.
    pub(crate) fn given(&self) -> Option<&'static str> {
        [
            ("--pixel", self.pixel.is_some()),
            ("--extent", self.extent.is_some()),
            ("--align", self.align.is_some()),
            ("--resample", self.resample.is_some()),
            ("--overviews", self.overviews),
        ]
        .into_iter()
        .find_map(|(name, given)| given.then_some(name))
    }

    /// True if how values come about was said.
    pub(crate) fn is_chosen(&self) -> bool {
        self.resample.is_some()
    }

    /// The raster that the output is aligned with.
    pub(crate) fn align(&self) -> Option<&Path> {
        self.align.as_deref()
    }

    pub(crate) fn has_overviews(&self) -> bool {
        self.overviews
    }

    /// The same as a step of a job: what it is aligned with is to be added.
    pub(crate) fn step(&self) -> Result<ConvertStep, Error> {
        Ok(ConvertStep {
            pixel: self.pixel.map(|(w, h)| PixelSize::new(w, h)).transpose()?,
            extent: self.extent.map(Edges::new).transpose()?,
            resample: self.resample.map(WayOfResampling),
            ..ConvertStep::default()
        })
    }

    pub(crate) fn convert(&self) -> Result<ConvertRaster, Error> {
        let align = self.align.as_deref().map(RasterReader::open).transpose()?;
        let convert = self.step()?.of_raster(align.as_ref())?;
        Ok(ConvertRaster { overviews: self.overviews, ..convert })
    }
}
