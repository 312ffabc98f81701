//! Steps of a job on rasters: they are given a reference system, carried into another, and points take
//! their values.

use super::run_step::{At, PlannedStep, tell, way_of};
use super::step_schema::{ConvertStep, Step, TagStep};
use crate::error::{Error, Result};
use crate::progress::Progress;
use crate::raster::{ConvertRaster, RasterReader, RasterSummary, declare_raster};
use crate::reproject::Way;
use crate::tag::TagFromRaster;

impl PlannedStep {
    /// Runs a step that starts from a raster, and makes one.
    pub(super) fn run_on_raster(
        &self,
        at: &At<'_>,
        watch: &mut dyn Progress,
    ) -> Result<RasterSummary> {
        let mut told = self.notices.clone();
        let reader = at.from.raster(at.folder)?;
        let mut summary = match &self.step {
            Step::Declare(_) => {
                let crs = self.crs.as_ref().ok_or_else(|| Error::usage("the step needs `crs`"))?;
                let crs = crs.of(at, &mut told)?;
                declare_raster(reader, &crs, at.out, false, watch)?
            }
            Step::Convert(step) => {
                let target = self.to.as_ref().map(|to| to.of(at, &mut told)).transpose()?;
                let align = match at.align {
                    Some(named) => Some(named.raster(at.folder)?),
                    None => None,
                };
                ConvertRaster { target, ..step.of_raster(align.as_ref())? }
                    .run_watched(&reader, at.out, watch)?
            }
            _ => return Err(Error::usage("the step works on layers, not on rasters")),
        };
        tell(&mut summary.notices, told, summary.converter.as_ref());
        Ok(summary)
    }
}

impl ConvertStep {
    /// How the step carries a raster: the target is to be added.
    ///
    /// # Errors
    /// If nothing says where the pixels of `align` lie.
    pub fn of_raster(&self, align: Option<&RasterReader>) -> Result<ConvertRaster> {
        let align = match align {
            Some(raster) => Some(raster.info().grid.ok_or_else(|| {
                let what = "nothing says where its pixels lie: it cannot be aligned with";
                Error::usage(what).in_file(raster.path())
            })?),
            None => None,
        };
        Ok(ConvertRaster {
            way: way_of!(self),
            pixel: self.pixel.map(|size| size.sides()),
            extent: self.extent.map(|edges| edges.bounds()),
            align,
            resampling: self.resample.map(|way| way.0),
            ..ConvertRaster::default()
        })
    }
}

impl TagStep {
    /// How the step takes values of a raster: how the output is written is to be added.
    ///
    /// # Errors
    /// If a column names no band.
    pub fn values_of(&self, raster: &RasterReader) -> Result<TagFromRaster> {
        let columns: Vec<&str> = self.columns.iter().map(|column| &**column).collect();
        let bands = raster.info().value_bands();
        Ok(TagFromRaster {
            bands: TagFromRaster::bands_named(&columns, self.prefix.as_deref(), bands)?,
            resampling: self.resample.map(|way| way.0),
            ..TagFromRaster::default()
        })
    }
}
