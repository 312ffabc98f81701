//! `vpeg pack`: a deliverable with its manifest.

use crate::arguments::heading;
use crate::{Ending, show};
use clap::Args;
use std::path::PathBuf;
use velvet_peg::Error;
use velvet_peg::pack::{PackOptions, pack, pack_job};

/// Pack files with all that belongs to them into a zip, with a manifest of checksums and
/// reference systems and the quality sheet; or a job file with its data, to be run elsewhere.
#[derive(Debug, Args)]
pub(crate) struct Pack {
    /// Files to deliver; or one job file (.toml).
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Zip to write.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: PathBuf,
    /// Title in the manifest.
    #[arg(long)]
    title: Option<String>,
    /// Date of the files in the zip, as in 2026-09-01; that of a job, and otherwise the first day of 1980:
    /// the same files give the same zip.
    #[arg(long, value_name = "DATE")]
    date: Option<String>,
    /// Leave out the quality sheet.
    #[arg(long)]
    no_sheet: bool,
    /// Replace an existing file.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
}

impl Pack {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let options = PackOptions {
            title: self.title.clone(),
            no_sheet: self.no_sheet,
            overwrite: self.overwrite,
            date: self.date.clone(),
        };
        let packed = match self.files.as_slice() {
            [job] if job.extension().is_some_and(|e| e == "toml") => {
                pack_job(job, &self.output, &options)?
            }
            files => pack(files, &self.output, &options)?,
        };
        for part in &packed.missing {
            show::warning(&format!(
                "{part} is missing: others will not read the Shapefile as meant"
            ));
        }
        if show::wants_json() {
            show::json(&packed.manifest)?;
        } else {
            let lines: Vec<String> = packed
                .files
                .iter()
                .map(|(name, bytes)| format!("  {bytes:>9} bytes  {name}"))
                .collect();
            show::answer(&lines.join("\n"))?;
        }
        show::remark(&format!(
            "packed {} files into {}",
            packed.files.len(),
            self.output.display()
        ));
        Ok(Ending::Done)
    }
}
