//! `vpeg build`: features from coordinate rows.

use super::{ColumnArguments, TableArguments};
use crate::progress::Progress;
use crate::{Ending, reference, show};
use clap::{Args, Subcommand};
use std::path::PathBuf;
use velvet_peg::{BuildPoints, Error, WriteOptions};

#[derive(Debug, Subcommand)]
pub(crate) enum Build {
    /// One point of every row.
    Points(Points),
}

#[derive(Debug, Args)]
pub(crate) struct Points {
    /// Table with a header; `-` for standard input.
    table: PathBuf,
    #[command(flatten)]
    columns: ColumnArguments,
    /// Reference system of the coordinates.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    /// File to write: .gpkg, .geojson or .csv.
    #[arg(long, short)]
    output: PathBuf,
    /// Name of the layer; the table's name if not given.
    #[arg(long)]
    layer: Option<String>,
    /// Replace existing files.
    #[arg(long)]
    overwrite: bool,
    /// Digits behind the point of coordinates in text formats.
    #[arg(long)]
    decimals: Option<usize>,
    /// File for rejected rows; OUTPUT.rejects.csv if not given.
    #[arg(long)]
    rejects: Option<PathBuf>,
    #[command(flatten)]
    reading: TableArguments,
}

impl Build {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let Build::Points(points) = self;
        let crs = points.crs.as_deref().map(reference::system).transpose()?;
        let job = BuildPoints {
            columns: points.columns.columns(),
            crs,
            packed: points.columns.packed,
            table: points.reading.options(),
            write: WriteOptions { overwrite: points.overwrite, decimals: points.decimals },
            layer: points.layer.clone(),
            rejects: points.rejects.clone(),
        };
        let mut progress = Progress::new("building");
        let outcome = job.run(&points.table, &points.output, &mut progress)?;
        drop(progress);
        if let Some(crs) = &job.crs {
            show::remark(&format!("coordinates are in {} ({})", crs.label(), crs.unit_plural()));
        }
        show::outcome(&outcome, "rows", "features", &points.output)
    }
}
