//! `vpeg convert`: carry data into another reference system.

use super::save::{SaveArguments, layer_source, select_of};
use super::{ColumnArguments, ReadArguments, SelectArguments, TableArguments, WriteArguments};
use crate::progress::TerminalProgress;
use crate::{Ending, reference, show};
use clap::Args;
use std::path::{Path, PathBuf};
use velvet_peg::convert::route_notices;
use velvet_peg::job::{ConvertStep, Epoch, FieldsStep, Step};
use velvet_peg::table::AppendOptions;
use velvet_peg::{ConvertLayer, ConvertTable, Converter, Error, Format, LayerReader, format_of};

#[derive(Debug, Args)]
pub(crate) struct Convert {
    /// Layer files, or one table; `-` for standard input.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Reference system to carry the data to; layers stay in their own if not given.
    #[arg(long, value_name = "REF")]
    to: Option<String>,
    /// Reference system of the data: needed for tables, and for layers that have none.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    /// Epoch of the coordinates in decimal years, such as 2026.9: operations between moving
    /// frames need it.
    #[arg(long, value_name = "YEAR", value_parser = reference::year)]
    epoch: Option<f64>,
    /// File to write (a folder for several files); `-` for standard output.
    #[arg(long, short)]
    output: PathBuf,
    #[command(flatten)]
    columns: ColumnArguments,
    /// Layer to take, if the file has several.
    #[arg(long)]
    layer: Option<String>,
    #[command(flatten)]
    select: SelectArguments,
    #[command(flatten)]
    read: ReadArguments,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    save: SaveArguments,
    /// File for rejected rows; OUTPUT.rejects.csv if not given.
    #[arg(long)]
    rejects: Option<PathBuf>,
    #[command(flatten)]
    reading: TableArguments,
}

impl Convert {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        if self.files.len() > 1 && !self.output.is_dir() {
            return Err(Error::usage(format!(
                "several files need a folder to go to, and {} is not one",
                self.output.display()
            )));
        }
        for (at, file) in self.files.iter().enumerate() {
            let same = |other: &&PathBuf| other.file_name() == file.file_name();
            if let Some(other) = self.files[..at].iter().find(same) {
                return Err(Error::usage(format!(
                    "{} and {} have one name, and one would replace the other in {}: convert them \
                     one by one",
                    other.display(),
                    file.display(),
                    self.output.display()
                )));
            }
        }
        if self.files.len() > 1 {
            self.save.only("one file, and there are several")?;
        }
        let mut ending = Ending::Done;
        for file in &self.files {
            let output = match self.output.is_dir() {
                true => self.output.join(file.file_name().unwrap_or_default()),
                false => self.output.clone(),
            };
            let table = format_of(file)?.is_table();
            let ended = if table { self.table(file, &output)? } else { self.layer(file, &output)? };
            if ended == Ending::Rejects {
                ending = ended;
            }
        }
        Ok(ending)
    }

    fn table(&self, file: &Path, output: &Path) -> Result<Ending, Error> {
        if output != Path::new("-") && !Format::of(output)?.is_text_table() {
            return Err(Error::usage(format!(
                "{} is a table: make features of it (`vpeg build points {} --crs REF --to REF -o FILE.gpkg`), \
                 or write the table with converted columns to a .csv",
                file.display(),
                file.display()
            )));
        }
        self.save.only(&format!(
            "layers, and {} is a table (`vpeg build points --save-job` writes that of its points)",
            file.display()
        ))?;
        let source = self.crs.as_deref().ok_or_else(|| {
            Error::usage(format!(
                "{}: a table does not say which reference system its coordinates are in: add --crs REF \
                 (search with `vpeg crs find`)",
                file.display()
            ))
        })?;
        let to = self.to.as_deref().ok_or_else(|| {
            Error::usage("say which reference system to carry the table to: add --to REF")
        })?;
        if !self.select.selection().is_everything() {
            return Err(Error::usage(
                "--where, --set and --keep work on features: use them with `vpeg build points`",
            ));
        }
        let source = reference::system(source)?;
        let target = reference::system_for_table(
            to,
            file,
            &self.columns.columns(),
            self.columns.packed,
            &self.reading.options(),
            Some(&source),
        )?;
        let job = ConvertTable {
            columns: self.columns.columns(),
            source,
            target,
            epoch: self.epoch,
            decimals: self.write.decimals,
            packed: self.columns.packed,
            append: AppendOptions {
                table: self.reading.options(),
                overwrite: self.write.overwrite,
                rejects: self.rejects.clone(),
            },
        };
        let mut progress = TerminalProgress::new("converting");
        let (outcome, converter) = job.run_watched(file, output, &mut progress)?;
        drop(progress);
        route(&converter);
        show::outcome(&outcome, "rows", "rows", output)
    }

    fn layer(&self, file: &Path, output: &Path) -> Result<Ending, Error> {
        let mut reader = LayerReader::open_with(
            file,
            self.layer.as_deref(),
            &self.read.with_encoding(&self.reading),
        )?;
        if let Some(crs) = &self.crs {
            let crs = reference::system(crs)?;
            if let Some(own) = reader.info().crs.as_ref().filter(|own| **own != crs) {
                show::remark(&format!(
                    "the file says {}; taken as {} because of --crs",
                    own.label(),
                    crs.label()
                ));
            }
            reader.assume(crs);
        }
        reader.reveal_key(&self.select.selection().words());
        let target = self.to.as_deref().map(|to| reference::system_for(to, &reader)).transpose()?;
        let step: Step = match &self.to {
            Some(to) => {
                let to = Some(to.as_str().into());
                let epoch = self.epoch.map(Epoch::new).transpose()?;
                let mut step = ConvertStep { to, epoch, ..ConvertStep::default() };
                select_of!(step, self.select);
                step.into()
            }
            None => {
                let mut step = FieldsStep::default();
                select_of!(step, self.select);
                step.into()
            }
        };
        let source = layer_source(file, self.layer.as_ref(), self.crs.as_ref());
        self.save.save(source, None, step, self.write.output(output), &self.write)?;
        let job = ConvertLayer {
            target,
            epoch: self.epoch,
            select: self.select.selection(),
            write: self.write.options(),
            rejects: self.rejects.clone(),
        };
        let mut progress = TerminalProgress::new("converting");
        let outcome = job.run_watched(&reader, output, &mut progress)?;
        drop(progress);
        if let Some(converter) = &outcome.converter {
            route(converter);
        }
        show::outcome(&outcome, "features", "features", output)
    }
}

pub(super) fn route(converter: &Converter) {
    show::remark(&format!(
        "from {} ({})\n      to   {} ({})\n      by   {}",
        converter.source().label(),
        converter.source().unit_plural(),
        converter.target().label(),
        converter.target().unit_plural(),
        converter.route().summary()
    ));
    show::notices(&route_notices(converter));
}
