//! `vpeg convert`: carry data into another reference system.

use super::raster;
use super::route::route;
use super::save::{SaveArguments, layer_source, select_of};
use crate::arguments::{
    ColumnArguments, RasterArguments, ReadArguments, SelectArguments, TableArguments, WayArguments,
    WriteArguments, heading,
};
use crate::progress::TerminalProgress;
use crate::{Ending, reference, show};
use clap::Args;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use velvet_peg::job::{ConvertStep, FieldsStep, JobOutput, Step};
use velvet_peg::output::is_same_file;
use velvet_peg::raster::{RasterFormat, RasterReader, raster_files};
use velvet_peg::table::{AppendOptions, TableFile};
use velvet_peg::{
    ConvertLayer, ConvertLayers, ConvertTable, Crs, Error, Format, LayerReader, TextDialect,
    format_of, layer_files,
};

#[derive(Debug, Args)]
pub(crate) struct Convert {
    /// Layer files, folders of them, rasters, or one table; `-` for standard input.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Reference system to carry the data to; layers stay in their own if not given.
    #[arg(long, value_name = "REF")]
    to: Option<String>,
    /// Reference system of the data: needed for tables, and for layers that have none.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    #[command(flatten)]
    way: WayArguments,
    /// File to write; a GeoPackage, or a folder that is there, for several layers; `-` for standard
    /// output.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: PathBuf,
    #[command(flatten)]
    columns: ColumnArguments,
    /// Layer to take, if the file has several.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// Take every layer of each file.
    #[arg(long, conflicts_with = "layer", help_heading = heading::READING, hide_short_help = true)]
    all_layers: bool,
    /// Extension of the files in a folder, such as gpkg or shp; as they were if not given.
    #[arg(long, value_name = "EXTENSION", hide_short_help = true)]
    format: Option<String>,
    #[command(flatten)]
    select: SelectArguments,
    #[command(flatten)]
    read: ReadArguments,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    raster: RasterArguments,
    #[command(flatten)]
    save: SaveArguments,
    /// File for rejected rows; OUTPUT.rejects.csv if not given.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    rejects: Option<PathBuf>,
    #[command(flatten)]
    reading: TableArguments,
}

/// A file, and the layer to take of it.
type Planned = (PathBuf, Option<String>);

impl Convert {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let files = self.found()?;
        let into_folder = self.output.is_dir();
        let keeps = Format::of(&self.output).is_ok_and(Format::keeps_other_layers);
        let all = self.all_layers || self.files.iter().any(|file| file.is_dir());
        let several = files.len() > 1 || all;
        if several && keeps && !into_folder {
            return self.layers(&files, all);
        }
        if self.format.is_some() && !into_folder {
            return Err(Error::usage(
                "--format is for files in a folder: the extension of the output says it else",
            ));
        }
        if several && !into_folder {
            return Err(Error::usage(format!(
                "several layers need a GeoPackage (.gpkg) or a folder that is there to go to, and {} \
                 is neither",
                self.output.display()
            )));
        }
        if several {
            self.save.only("one file, and there are several")?;
        }
        if !files.iter().any(|file| RasterFormat::of_file(file).is_some())
            && let Some(option) = self.raster.given()
        {
            return Err(Error::usage(format!(
                "{option} is for rasters, and {} is none",
                files.first().map_or(Path::new(""), PathBuf::as_path).display()
            )));
        }
        let planned = self.planned(&files, all)?;
        let mut outputs: Vec<PathBuf> = Vec::new();
        for (file, layer) in &planned {
            let output = match into_folder {
                true => self.output.join(self.name_in_folder(file, layer.as_deref())),
                false => self.output.clone(),
            };
            if let Some(at) = outputs.iter().position(|other| *other == output) {
                return Err(Error::usage(format!(
                    "{} and {} would both become {}: convert them one by one",
                    planned[at].0.display(),
                    file.display(),
                    output.display()
                )));
            }
            outputs.push(output);
        }
        let mut ending = Ending::Done;
        for ((file, layer), output) in planned.iter().zip(&outputs) {
            let ended = match RasterFormat::of_file(file) {
                Some(_) => self.raster(file, output)?,
                None => match format_of(file)?.is_table() {
                    true => self.table(file, output)?,
                    false => self.layer(file, layer.as_deref(), output)?,
                },
            };
            if ended == Ending::Rejects {
                ending = ended;
            }
        }
        Ok(ending)
    }

    fn raster(&self, file: &Path, output: &Path) -> Result<Ending, Error> {
        if !self.select.selection().is_everything() {
            return Err(Error::usage(format!(
                "--where, --set and --keep work on features, and {} is a raster",
                file.display()
            )));
        }
        raster::refuse(
            file,
            &self.write,
            &[("--layer", self.layer.is_some()), ("--rejects", self.rejects.is_some())],
        )?;
        self.save_raster(file, output)?;
        raster::convert(
            file,
            output,
            &raster::Conversion {
                to: self.to.as_deref(),
                crs: self.crs.as_deref(),
                way: self.way.way(),
                raster: &self.raster,
                overwrite: self.write.overwrite,
            },
        )
    }

    /// The same as a step of a job.
    fn save_raster(&self, file: &Path, output: &Path) -> Result<(), Error> {
        if !self.save.is_asked() {
            return Ok(());
        }
        let Some(to) = &self.to else {
            return self.save.only("rasters that are carried to another system: add --to REF");
        };
        if RasterFormat::of_output(output)? == RasterFormat::Png {
            return self.save.only("GeoTIFF and ASCII grids: in a job a .png is a map");
        }
        let step = ConvertStep {
            to: Some(to.as_str().into()),
            epoch: self.way.epoch()?,
            operations: self.way.operations(),
            require_best: self.way.requires_best(),
            ..self.raster.step()?
        };
        let align = self.raster.align().map(|file| layer_source(file, None, None));
        let written = self.write.output(output);
        let written = JobOutput { overviews: self.raster.has_overviews(), ..written };
        self.save.save(
            layer_source(file, None, self.crs.as_ref()),
            align,
            step,
            written,
            &self.write,
        )
    }

    /// The files, with the layer files of folders in their place.
    fn found(&self) -> Result<Vec<PathBuf>, Error> {
        let mut files = Vec::new();
        for file in &self.files {
            if !file.is_dir() {
                files.push(file.clone());
                continue;
            }
            let (mut layers, tables) = layer_files(file)?;
            // What an earlier run has made is not made of itself.
            layers.retain(|layer| !is_same_file(layer, &self.output));
            if !tables.is_empty() {
                let files = match tables.len() {
                    1 => "1 file".to_string(),
                    count => format!("{count} files"),
                };
                show::remark(&format!(
                    "passed over, because tables have no features yet: {files} of {} (`vpeg build` \
                     makes features of them)",
                    file.display()
                ));
            }
            let rasters = self.rasters_of(file)?;
            if layers.is_empty() && rasters.is_empty() {
                // It may be a database that is kept as a folder.
                LayerReader::open(file, None)?;
            }
            files.extend(layers);
            files.extend(rasters);
        }
        Ok(files)
    }

    /// The rasters of a folder that can go where the others go; the others are told.
    fn rasters_of(&self, folder: &Path) -> Result<Vec<PathBuf>, Error> {
        let mut rasters = raster_files(folder)?;
        let count = |files: usize| match files {
            1 => "1 file".to_string(),
            count => format!("{count} files"),
        };
        let passed = |files: usize, why: &str| {
            if files > 0 {
                show::remark(&format!(
                    "passed over, because {why}: {} of {}",
                    count(files),
                    folder.display()
                ));
            }
        };
        if !self.output.is_dir() {
            passed(rasters.len(), "rasters go to a folder or to files of their own");
            return Ok(Vec::new());
        }
        let all = rasters.len();
        let mut placed = Vec::new();
        for raster in rasters.drain(..) {
            if RasterReader::open(&raster)?.info().grid.is_some() {
                placed.push(raster);
            }
        }
        passed(all - placed.len(), "nothing says where their pixels lie");
        Ok(placed)
    }

    /// Each file with the layer to take, or with all of them.
    fn planned(&self, files: &[PathBuf], all: bool) -> Result<Vec<Planned>, Error> {
        let mut planned = Vec::new();
        for file in files {
            if !all || RasterFormat::of_file(file).is_some() || format_of(file)?.is_table() {
                planned.push((file.clone(), self.layer.clone()));
                continue;
            }
            let layers = LayerReader::open_spatial(file)?;
            let one = layers.len() == 1;
            for layer in layers {
                planned.push((file.clone(), Some(layer.info().name.clone()).filter(|_| !one)));
            }
        }
        Ok(planned)
    }

    /// The name of a file in a folder of several: as it was, with the layer and another extension
    /// where these are asked for.
    fn name_in_folder(&self, file: &Path, layer: Option<&str>) -> PathBuf {
        let own = PathBuf::from(file.file_name().unwrap_or_default());
        if let Some(raster) = RasterFormat::of_file(file) {
            // What is only read becomes a GeoTIFF.
            return if raster.writes() { own } else { own.with_extension("tif") };
        }
        let layer = layer.filter(|_| self.layer.is_none());
        if self.format.is_none() && layer.is_none() {
            return own;
        }
        let text = |part: Option<&OsStr>| part.map(|part| part.to_string_lossy().into_owned());
        let (mut stem, mut extension) = (text(own.file_stem()), text(own.extension()));
        // What is packed has two: fields.geojson.gz.
        let inner = PathBuf::from(stem.clone().unwrap_or_default());
        if let (Ok(_), Some(outer)) = (Format::of(&inner), &extension) {
            extension = text(inner.extension()).map(|inner| format!("{inner}.{outer}"));
            stem = text(inner.file_stem());
        }
        let stem = stem.unwrap_or_default();
        let extension = self.format.clone().or(extension).unwrap_or_default();
        let clean = |c: char| if r#"/\:*?"<>|"#.contains(c) || c.is_control() { '_' } else { c };
        let layer: String =
            layer.map_or(String::new(), |layer| format!("-{layer}").chars().map(clean).collect());
        PathBuf::from(format!("{stem}{layer}.{}", extension.trim_start_matches('.')))
    }

    /// Every layer into one file.
    fn layers(&self, files: &[PathBuf], all: bool) -> Result<Ending, Error> {
        self.save.only("one layer, and there are several")?;
        let options = self.read.with_encoding(self.reading.encoding.as_ref());
        let mut readers = Vec::new();
        for file in files {
            if format_of(file)?.is_table() {
                return Err(Error::usage(format!(
                    "{} is a table: make features of it first (`vpeg build`)",
                    file.display()
                )));
            }
            match all {
                true => readers.extend(
                    LayerReader::open_all_with(file, &options)?
                        .into_iter()
                        .filter(|reader| !reader.info().aside),
                ),
                false => {
                    readers.push(LayerReader::open_with(file, self.layer.as_deref(), &options)?);
                }
            }
        }
        for reader in &mut readers {
            self.assume(reader)?;
            reader.reveal_key(&self.select.selection().words());
        }
        let mut planned = Vec::new();
        for reader in &readers {
            let to = self.to.as_deref().filter(|_| !reader.info().bare);
            planned.push((reader, to.map(|to| reference::system_for(to, reader)).transpose()?));
        }
        let job = ConvertLayers { each: self.job(None) };
        let mut progress = TerminalProgress::new("converting");
        let done = job.run_watched(&planned, &self.output, &mut progress)?;
        drop(progress);
        let mut routes: Vec<String> = Vec::new();
        let total = done.total();
        for (name, summary) in &done.layers {
            let features = if summary.rows_in == 1 { "feature" } else { "features" };
            show::remark(&format!(
                "layer {name}: {} {features} in, {} out",
                summary.rows_in, summary.out
            ));
            let Some(converter) = &summary.converter else { continue };
            let summary = converter.route().summary();
            if !routes.contains(&summary) {
                routes.push(summary);
                route(converter);
            }
        }
        show::outcome(&total, "features", "features", &self.output)
    }

    /// Takes a layer as being in the system that was named, if one was.
    fn assume(&self, reader: &mut LayerReader) -> Result<(), Error> {
        let Some(crs) = self.crs.as_deref().filter(|_| !reader.info().bare) else { return Ok(()) };
        let crs = reference::system(crs)?;
        reference::say_taken_as(reader.info().crs.as_ref(), &crs);
        reader.assume(crs);
        Ok(())
    }

    /// What is done with a layer.
    fn job(&self, target: Option<Crs>) -> ConvertLayer {
        ConvertLayer {
            target,
            way: self.way.way(),
            select: self.select.selection(),
            write: self.write.options(),
            rejects: self.rejects.clone(),
        }
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
        let source = match self.crs.as_deref() {
            Some(source) => reference::system(source)?,
            // A file beside it may say it.
            None => {
                let options = self.reading.options();
                let table = (file != Path::new("-")).then(|| TableFile::open(file, &options));
                table.transpose()?.and_then(|table| table.crs().cloned()).ok_or_else(|| {
                    Error::usage(format!(
                        "{}: a table does not say which reference system its coordinates are in: \
                         add --crs REF (search with `vpeg crs find`)",
                        file.display()
                    ))
                })?
            }
        };
        let to = self.to.as_deref().ok_or_else(|| {
            Error::usage("say which reference system to carry the table to: add --to REF")
        })?;
        if !self.select.selection().is_everything() {
            return Err(Error::usage(
                "--where, --set and --keep work on features: use them with `vpeg build points`",
            ));
        }
        let text = self.write.options().text;
        let plain =
            TextDialect { formulas_as_text: text.formulas_as_text, ..TextDialect::default() };
        if text != plain {
            return Err(Error::usage(
                "the table keeps the form that it has: how fields, numbers and lines are written is \
                 chosen for features, with `vpeg build points`",
            ));
        }
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
            way: self.way.way(),
            decimals: self.write.decimals,
            packed: self.columns.packed,
            append: AppendOptions {
                table: self.reading.options(),
                overwrite: self.write.overwrite,
                rejects: self.rejects.clone(),
                formulas_as_text: text.formulas_as_text,
            },
        };
        let mut progress = TerminalProgress::new("converting");
        let (outcome, converter) = job.run_watched(file, output, &mut progress)?;
        drop(progress);
        route(&converter);
        show::outcome(&outcome, "rows", "rows", output)
    }

    fn layer(&self, file: &Path, layer: Option<&str>, output: &Path) -> Result<Ending, Error> {
        let mut reader = LayerReader::open_with(
            file,
            layer,
            &self.read.with_encoding(self.reading.encoding.as_ref()),
        )?;
        self.assume(&mut reader)?;
        reader.reveal_key(&self.select.selection().words());
        let target = self.to.as_deref().map(|to| reference::system_for(to, &reader)).transpose()?;
        let step: Step = match &self.to {
            Some(to) => {
                let to = Some(to.as_str().into());
                let mut step = ConvertStep {
                    to,
                    epoch: self.way.epoch()?,
                    operations: self.way.operations(),
                    require_best: self.way.requires_best(),
                    ..ConvertStep::default()
                };
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
        let source = self.read.source(source, self.reading.encoding.clone());
        self.save.save(source, None, step, self.write.output(output), &self.write)?;
        let job = self.job(target);
        let mut progress = TerminalProgress::new("converting");
        let outcome = job.run_watched(&reader, output, &mut progress)?;
        drop(progress);
        if let Some(converter) = &outcome.converter {
            route(converter);
        }
        show::outcome(&outcome, "features", "features", output)
    }
}
