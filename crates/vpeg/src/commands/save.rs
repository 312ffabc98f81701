//! `--save-job`: writing down as a job file what a command does.

use crate::arguments::{TableArguments, WriteArguments, heading, path_in_shell};
use crate::show;
use clap::Args;
use std::path::{Path, PathBuf};
use velvet_peg::job::{JobOutput, JobSource, RunOptions, Step};
use velvet_peg::raster::RasterFormat;
use velvet_peg::{Error, Job, LayerReader, format_of};

#[derive(Debug, Clone, Default, Args)]
pub(crate) struct SaveArguments {
    /// Write the job that does the same (`vpeg run FILE` does it again).
    #[arg(long, value_name = "FILE", help_heading = heading::OUTPUT, hide_short_help = true)]
    save_job: Option<PathBuf>,
}

impl SaveArguments {
    /// Refuses to save a job of what jobs cannot do.
    pub(crate) fn only(&self, what: &str) -> Result<(), Error> {
        match self.save_job {
            Some(_) => Err(Error::usage(format!("--save-job is for {what}"))),
            None => Ok(()),
        }
    }

    /// True if the job is to be saved.
    pub(crate) fn is_asked(&self) -> bool {
        self.save_job.is_some()
    }

    /// Saves the job, if that was asked for.
    pub(crate) fn save(
        &self,
        source: JobSource,
        with: Option<JobSource>,
        step: impl Into<Step>,
        mut output: JobOutput,
        write: &WriteArguments,
    ) -> Result<(), Error> {
        let Some(file) = &self.save_job else { return Ok(()) };
        let standard = |text: &str| text == "-" || text.contains("://");
        if write.append || standard(&source.file) || standard(&output.file) {
            return Err(Error::usage(
                "a job goes from files to files: --save-job does not go with --append, standard \
                 input or output, or addresses",
            ));
        }
        let raster = RasterFormat::of_file(Path::new(&source.file)).is_some();
        if output.layer.is_none() && !raster {
            output.layer = Some(layer_name(&source)?);
        }
        let job = Job::of_step(source, with, step.into(), output);
        job.save(file, write.overwrite)?;
        let outside = !Job::read(file)?.writes_outside(file, &RunOptions::default())?.is_empty();
        let allowed = if outside { " --outside" } else { "" };
        show::remark(&format!(
            "the job is written down: vpeg run {}{allowed}",
            path_in_shell(file)
        ));
        Ok(())
    }
}

/// The name that the layer has without being given one.
fn layer_name(source: &JobSource) -> Result<String, Error> {
    let path = Path::new(&source.file);
    if !format_of(path)?.is_table() {
        return Ok(LayerReader::open(path, source.layer.as_deref())?.info().name.clone());
    }
    Ok(match source.sheets.as_slice() {
        [sheet] => sheet.clone(),
        _ => path.file_stem().unwrap_or_default().to_string_lossy().into_owned(),
    })
}

/// A path as a job has it.
fn text(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

/// A file of layers as the source of a job.
pub(crate) fn layer_source(path: &Path, layer: Option<&String>, crs: Option<&String>) -> JobSource {
    JobSource { file: text(path), layer: layer.cloned(), crs: crs.cloned(), ..JobSource::default() }
}

impl TableArguments {
    /// A table as the source of a job.
    pub(crate) fn source(&self, path: &Path) -> JobSource {
        let mut options = self.options();
        // What is a sheet of a workbook is a layer of a file of layers.
        let of_layers = format_of(path).is_ok_and(|format| !format.is_table());
        let layer = of_layers.then(|| options.sheets.pop()).flatten();
        JobSource {
            file: text(path),
            layer,
            sheets: options.sheets,
            all_sheets: options.all_sheets,
            header_row: options.header_row,
            delimiter: options.delimiter,
            encoding: options.encoding,
            quote: options.quoting,
            no_header: options.no_header,
            header: options.header,
            widths: options.widths,
            names: options.names,
            same: options.same.into_iter().collect(),
            skip_lines: options.skip_lines,
            comment: options.comment,
            ..JobSource::default()
        }
    }
}

impl WriteArguments {
    /// The output of a job.
    pub(crate) fn output(&self, path: &Path) -> JobOutput {
        let options = self.options();
        JobOutput {
            file: text(path),
            layer: options.layer,
            decimals: options.decimals,
            wkt: options.wkt,
            no_geometry: options.no_geometry,
            delimiter: options.text.delimiter,
            decimal_comma: options.text.decimal_comma,
            byte_order_mark: options.text.byte_order_mark,
            formulas_as_text: options.text.formulas_as_text,
            crlf: options.text.crlf,
            metadata: options.text.metadata,
            layer_by: options.layer_by,
            label: options.label,
            description: options.description,
            link: options.link,
            ..JobOutput::default()
        }
    }
}

/// Puts the selection of a command into a step.
macro_rules! select_of {
    ($step:expr, $arguments:expr) => {{
        let selection = $arguments.selection();
        $step.condition = selection.condition;
        $step.set = selection.set;
        $step.keep = selection.keep;
    }};
}

/// Puts the coordinate columns of a command into a step.
macro_rules! columns_of {
    ($step:expr, $arguments:expr) => {{
        let columns = $arguments.columns();
        $step.x = columns.x.map(Into::into);
        $step.y = columns.y.map(Into::into);
        $step.z = columns.z.map(Into::into);
        $step.packed = $arguments.packed;
        $step.decimal_comma = columns.numbers.decimal_comma;
        $step.thousands = columns.numbers.thousands;
    }};
}

pub(crate) use {columns_of, select_of};
