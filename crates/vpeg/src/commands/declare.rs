//! `vpeg declare`: give data its reference system.

use super::raster;
use super::save::{SaveArguments, layer_source};
use crate::arguments::{CommonArguments, heading};
use crate::progress::TerminalProgress;
use crate::{Ending, reference, show};
use clap::Args;
use std::path::{Path, PathBuf};
use velvet_peg::job::DeclareStep;
use velvet_peg::raster::RasterFormat;
use velvet_peg::{Error, LayerReader, declare_watched, format_of};

#[derive(Debug, Args)]
pub(crate) struct Declare {
    /// Layer file or raster.
    file: PathBuf,
    /// Reference system that the coordinates are in.
    #[arg(long, value_name = "REF")]
    crs: String,
    /// File to write; the same file if not given, which needs --overwrite.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: Option<PathBuf>,
    /// Layer to take, if the file has several.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// Encoding of the texts of a Shapefile or drawing, such as windows-1252.
    #[arg(long, help_heading = heading::READING)]
    encoding: Option<String>,
    /// Rasters: table of control points that place it, with columns of pixels (column and row, counted
    /// from the outer corner of the first) and of known coordinates.
    #[arg(long, value_name = "FILE")]
    points: Option<PathBuf>,
    #[command(flatten)]
    common: CommonArguments,
    #[command(flatten)]
    read: crate::arguments::ReadArguments,
    #[command(flatten)]
    write: crate::arguments::WriteArguments,
    #[command(flatten)]
    save: SaveArguments,
}

impl Declare {
    /// The same as a step of a job, of a raster.
    fn save_raster(&self, output: &Path) -> Result<(), Error> {
        if self.points.is_some() {
            return self.save.only("declaring, not for placing by control points");
        }
        if velvet_peg::output::is_same_file(output, &self.file)
            || RasterFormat::of_output(output)? == RasterFormat::Png
        {
            return self
                .save
                .only("rasters that are written anew, as GeoTIFF or ASCII grid: name one");
        }
        let step = DeclareStep { crs: Some(self.crs.as_str().into()), ..DeclareStep::default() };
        let source = layer_source(&self.file, None, None);
        self.save.save(source, None, step, self.write.output(output), &self.write)
    }

    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let crs = reference::system(&self.crs)?;
        if RasterFormat::of_file(&self.file).is_some() {
            let output = self.output.as_ref().unwrap_or(&self.file);
            let others =
                [("--layer", self.layer.is_some()), ("--encoding", self.encoding.is_some())];
            raster::refuse(&self.file, &self.write, &others)?;
            let control = self.points.as_deref().map(|points| (points, &self.common));
            if control.is_none() {
                self.common.only_with_points()?;
            }
            if self.save.is_asked() {
                self.save_raster(output)?;
            }
            return raster::declare(&self.file, &crs, output, self.write.overwrite, control);
        }
        if self.points.is_some() {
            return Err(Error::usage(format!(
                "--points places rasters, and {} is none: `vpeg crs fit` makes a system of common points",
                self.file.display()
            )));
        }
        self.common.only_with_points()?;
        let layers = LayerReader::open_all(&self.file)?.len();
        let output = self.output.as_ref().unwrap_or(&self.file);
        let in_place = velvet_peg::output::is_same_file(output, &self.file);
        if in_place && layers > 1 && !format_of(&self.file)?.keeps_other_layers() {
            return Err(Error::usage(format!(
                "{} has {layers} layers, and writing one over the file would lose the others: name \
                 another file with -o",
                self.file.display()
            )));
        }
        let reader = LayerReader::open_with(
            &self.file,
            self.layer.as_deref(),
            &self.read.with_encoding(self.encoding.as_ref()),
        )?;
        let options = self.write.options();
        let crs_text = Some(self.crs.as_str().into());
        let step = DeclareStep { crs: crs_text, ..DeclareStep::default() };
        let source = layer_source(&self.file, self.layer.as_ref(), None);
        let source = self.read.source(source, self.encoding.clone());
        self.save.save(source, None, step, self.write.output(output), &self.write)?;
        let mut progress = TerminalProgress::new("declaring");
        let outcome = declare_watched(&reader, &crs, output, &options, &mut progress)?;
        drop(progress);
        show::remark(&format!(
            "declared as {} ({}); no coordinate was moved",
            crs.label(),
            crs.unit_plural()
        ));
        show::outcome(&outcome, "features", "features", output)
    }
}
