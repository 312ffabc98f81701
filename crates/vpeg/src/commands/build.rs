//! `vpeg build`: features from the rows of tables.

use super::{ColumnArguments, SelectArguments, TableArguments, WriteArguments};
use crate::progress::Progress;
use crate::{Ending, reference, show};
use clap::{Args, Subcommand};
use std::path::{Path, PathBuf};
use velvet_peg::{BuildFeatures, BuildOptions, BuildPoints, Error, Outcome};

#[derive(Debug, Subcommand)]
pub(crate) enum Build {
    /// One point of every row.
    Points(Points),
    /// Features of a column that holds geometries as text (WKT, or WKB in hexadecimal).
    Features(Features),
}

/// What is the same for all features.
#[derive(Debug, Args)]
struct Common {
    /// Table: delimited text, a workbook, a .dbf; `-` for standard input.
    table: PathBuf,
    /// Reference system of the coordinates.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    /// Reference system to carry the features to.
    #[arg(long, value_name = "REF", requires = "crs")]
    to: Option<String>,
    /// Epoch of the coordinates in decimal years, for operations between moving frames.
    #[arg(long, value_name = "YEAR", value_parser = reference::year, requires = "to")]
    epoch: Option<f64>,
    /// File to write; its extension says the format.
    #[arg(long, short)]
    output: PathBuf,
    /// Name of the layer; that of the table or sheet if not given.
    #[arg(long)]
    layer: Option<String>,
    /// File for rejected rows; OUTPUT.rejects.csv if not given.
    #[arg(long)]
    rejects: Option<PathBuf>,
    #[command(flatten)]
    select: SelectArguments,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    reading: TableArguments,
}

#[derive(Debug, Args)]
pub(crate) struct Points {
    #[command(flatten)]
    common: Common,
    #[command(flatten)]
    columns: ColumnArguments,
}

#[derive(Debug, Args)]
pub(crate) struct Features {
    #[command(flatten)]
    common: Common,
    /// Column with the geometries; found by its values if not given.
    #[arg(long, value_name = "COLUMN")]
    geometry: Option<String>,
}

impl Build {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let mut progress = Progress::new("building");
        match self {
            Build::Points(points) => {
                let job = BuildPoints {
                    columns: points.columns.columns(),
                    packed: points.columns.packed,
                    build: points.common.options()?,
                };
                points
                    .common
                    .finish(job.build.crs.as_ref(), |table, out| job.run(table, out, &mut progress))
            }
            Build::Features(features) => {
                let job = BuildFeatures {
                    geometry: features.geometry.clone(),
                    build: features.common.options()?,
                };
                features
                    .common
                    .finish(job.build.crs.as_ref(), |table, out| job.run(table, out, &mut progress))
            }
        }
    }
}

impl Common {
    fn options(&self) -> Result<BuildOptions, Error> {
        let mut write = self.write.options();
        // To add to a layer is to name it.
        write.layer = write.layer.or_else(|| self.layer.clone());
        Ok(BuildOptions {
            crs: self.crs.as_deref().map(reference::system).transpose()?,
            to: self.to.as_deref().map(reference::system).transpose()?,
            epoch: self.epoch,
            select: self.select.selection(),
            table: self.reading.options(),
            write,
            layer: self.layer.clone(),
            rejects: self.rejects.clone(),
        })
    }

    fn finish(
        &self,
        crs: Option<&velvet_peg::Crs>,
        run: impl FnOnce(&Path, &Path) -> Result<Outcome, Error>,
    ) -> Result<Ending, Error> {
        let outcome = run(&self.table, &self.output)?;
        match (&outcome.converter, crs) {
            (Some(converter), _) => super::convert::route(converter),
            (None, Some(crs)) => {
                show::remark(&format!("coordinates are in {} ({})", crs.label(), crs.unit_plural()))
            }
            (None, None) => {}
        }
        show::outcome(&outcome, "rows", "features", &self.output)
    }
}
