//! Writing a layer to a file.

use super::adapt_schema::{Adapted, SchemaAdapter};
use super::append::Append;
use super::packed::Packed;
use super::verify::{self, Sum};
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::guard::guarded;
use crate::format_support::{
    LayerStore, NewFile, Placing, ReadBack, Sink, TextDialect, WriteOptions, default_decimals,
    not_written,
};
use crate::layer::attribute_types::held_schema;
use crate::layer::{Batch, Layer, LayerInfo, column_names, same_columns};
use crate::memory::{Work, afford};
use crate::notice::{Notice, NoticeKind};
use crate::output::{Hold, Pending, TemporaryFolder, hand_over, is_standard, named};
use crate::packing::Packing;
use crate::parallel::OwnThread;
use arrow_schema::SchemaRef;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Features up to this number are read again and compared where nothing else is asked for.
const VERIFIED: u64 = 1_000_000;

/// What was written.
#[derive(Clone, Debug, Default)]
pub struct Written {
    /// Number of features.
    pub count: u64,
    /// Every file written, side files included.
    pub files: Vec<PathBuf>,
    /// True if the file was read again and agreed.
    pub verified: bool,
    /// What was noticed while writing.
    pub notices: Vec<Notice>,
}

/// Writes a layer, batch by batch.
pub struct LayerWriter {
    path: PathBuf,
    /// Closes its files before the folder that they are in goes away.
    sink: OwnThread<Box<dyn Sink>, Batch>,
    /// Where a file is written that goes to standard output, and what it is called to people.
    standard: Option<(TemporaryFolder, PathBuf)>,
    pending: Pending,
    /// Where the file is written that is to be packed.
    packed: Option<Packed>,
    /// How the layer is put into a file that is there and keeps its other layers.
    placing: Option<(&'static dyn LayerStore, Placing)>,
    /// The file that is added to by writing it again.
    hold: Option<Hold>,
    layer: String,
    /// The columns that batches have to have.
    columns: SchemaRef,
    adapter: SchemaAdapter,
    append: Option<Append>,
    options: WriteOptions,
    /// What the file should hold; none where it is not to be verified.
    sum: Option<OwnThread<Sum, Batch>>,
    written: u64,
    /// What was noticed on creating the file.
    pub notices: Vec<Notice>,
}

impl LayerWriter {
    /// Starts a file for a layer of this description.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{LayerReader, LayerWriter, WriteOptions};
    /// let reader = LayerReader::open(&file("laterals.geojson"), None)?;
    /// let mut writer = LayerWriter::create(&file("laterals.gpkg"), reader.info(), &WriteOptions::default())?;
    /// reader.for_each_batch(&mut |batch| writer.write(&batch))?;
    /// assert!(!file("laterals.gpkg").exists()); // not before it is whole
    /// assert_eq!(writer.finish()?.count, 9);
    /// assert!(file("laterals.gpkg").exists());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the file exists and is not to be overwritten or appended to, its extension is
    /// unknown, the format cannot hold the layer (GeoJSON needs a reference system), or, with
    /// `strict`, not in full.
    pub fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<LayerWriter> {
        if !is_standard(path) {
            return LayerWriter::create_as(path, path, info, options);
        }
        let folder = TemporaryFolder::new()?;
        let shown = named(path);
        let file = folder.path().join(&shown);
        let mut writer = LayerWriter::create_as(&file, &shown, info, options)
            .map_err(|error| error.shown_as(&file, &shown))?;
        writer.standard = Some((folder, shown));
        Ok(writer)
    }

    /// As [`LayerWriter::create`], with the name that the file is shown by.
    fn create_as(
        path: &Path,
        shown: &Path,
        info: &LayerInfo,
        options: &WriteOptions,
    ) -> Result<LayerWriter> {
        let format = Format::of(path)?;
        let capability = format.capability();
        if !capability.writes {
            return Err(not_written(capability, path));
        }
        refuse_misplaced(path, format, options)?;
        format.description().refuse_target(path)?;
        let mut options = options.clone();
        let asked_to_replace = options.overwrite || options.replace_file;
        options.overwrite = options.replaces();
        let mut pending = Pending::create(path, options.overwrite)?;
        let mut info = info.clone();
        info.schema = held_schema(&info.schema).map_err(|error| error.in_file(path))?;
        // Rows without coordinates are in no system.
        if options.no_geometry {
            info.crs = None;
        }
        let columns = info.schema.clone();
        if let Some(layer) = &options.layer {
            info.name.clone_from(layer);
        }
        let mut notices = Vec::new();
        let store = format.description().store().filter(|_| Packing::of_path(path).is_none());
        let mut append = None;
        let (mut placing, mut hold) = (None, None);
        if options.append && store.is_none() {
            hold = Hold::take(path)?;
        }
        // One that comes into being behind this is another program's, and is not held: it is refused at
        // the end, as if it had come later.
        let there = hold.is_some() || (store.is_some() && path.exists());
        if options.append && there {
            append = Append::plan(path, format, &info, &options, &mut notices)?;
            if let Some(append) = &append {
                info = append.info.clone();
            }
            placing = store.map(|store| (store, Placing::Add));
        } else if options.append && !asked_to_replace {
            // What another program puts there meanwhile would be lost.
            pending.refuse_existing();
        }
        if let Some(store) = store {
            if append.is_none() {
                info.name = store.layer_name(&info.name);
            }
            if placing.is_none() && !options.replace_file && path.exists() {
                let kept = store.others(path, std::slice::from_ref(&info.name))?;
                if !kept.is_empty() {
                    placing = Some((store, Placing::Replace));
                    let stays = Notice::note(
                        NoticeKind::OtherLayersStay,
                        format!(
                            "layer {} of {} is replaced; what else the file holds stays: {}",
                            info.name,
                            path.display(),
                            column_names::list(&kept)
                        ),
                    );
                    notices.push(stays);
                }
            }
        }
        let system_number = match placing {
            Some((store, _)) => store.system_number(path, &info)?,
            None => None,
        };
        let Adapted { adapter, info: adapted, losses, remarks } =
            SchemaAdapter::plan(shown, format, &info, &options)?;
        refuse_losses(shown, &options, &losses)?;
        notices.extend(losses.into_iter().chain(remarks));
        let packed = Packed::of(path, &options)?;
        let staged = packed.as_ref().map_or_else(|| pending.path(), Packed::path);
        let made = guarded(&staged, "cannot be written", || {
            let info = &adapted;
            let new = NewFile { path: &staged, info, options: &options, system_number };
            format.description().create(&new)
        });
        let sink = made.map_err(|error| error.shown_as(&staged, path))?;
        let asked = options.verify;
        let expected = info.count.is_none_or(|count| count < VERIFIED);
        let verifies = asked == Some(true) || (asked.is_none() && expected);
        let digits = || options.decimals.unwrap_or(default_decimals(adapted.crs.as_ref()));
        let decimals = capability.coordinate_text.then(digits);
        let shown = path.to_path_buf();
        let mut writer = LayerWriter {
            path: path.to_path_buf(),
            standard: None,
            pending,
            packed,
            placing,
            hold,
            layer: adapted.name.clone(),
            columns,
            sink: OwnThread::new(sink, move |sink: &mut Box<dyn Sink>, batch| {
                guarded(&staged, "cannot be written", || sink.write(batch))
                    .map_err(|error| error.shown_as(&staged, &shown))
            }),
            adapter,
            append: None,
            options,
            sum: verifies.then(|| OwnThread::new(Sum::new(decimals), Sum::take)),
            written: 0,
            notices,
        };
        if let Some(mut append) = append {
            if store.is_none() {
                // The features that are there go before the new ones.
                append.for_each_existing(&mut |batch| writer.put(&batch))?;
            }
            writer.written = 0;
            writer.append = Some(append);
        }
        Ok(writer)
    }

    /// Writes a batch of features.
    ///
    /// # Errors
    /// If the columns of the batch are not those of the layer, the file cannot be written, or a
    /// coordinate cannot be carried into the system that the format demands.
    pub fn write(&mut self, batch: &Batch) -> Result<()> {
        let done = same_columns(&self.columns, &batch.attributes().schema())
            .map_err(|error| error.in_file(&self.path))
            .and_then(|()| self.put(batch));
        done.map_err(|error| match &self.standard {
            Some((_, shown)) => error.shown_as(&self.path, shown),
            None => error,
        })
    }

    /// Writes a batch whose columns are known to fit.
    fn put(&mut self, batch: &Batch) -> Result<()> {
        let adopted;
        let batch = match &self.append {
            Some(append) => {
                adopted = append.adopt(batch)?;
                &adopted
            }
            None => batch,
        };
        afford(Work::Write, &batch.geometry, batch.first, &self.path)?;
        let batch = self.adapter.apply(batch).map_err(|error| error.in_file(&self.path))?;
        let batch = Arc::new(batch.into_owned());
        self.written += batch.geometry.len() as u64;
        let bytes = batch.bytes();
        if let Some(sum) = &mut self.sum {
            sum.give(batch.clone(), bytes)?;
        }
        self.sink.give(batch, bytes)?;
        // More than was thought: nobody asked for them to be read again.
        if self.written >= VERIFIED && self.options.verify.is_none() {
            self.sum = None;
        }
        Ok(())
    }

    /// Features written so far.
    pub(crate) fn count(&self) -> u64 {
        self.written
    }

    /// Completes the file, reads it again, and gives it its name.
    ///
    /// # Errors
    /// If the file cannot be completed, with `strict` if something was lost on the way, or
    /// if, read again, it does not hold what it should: what was there before is still there then,
    /// and nothing of the new file is left.
    pub fn finish(mut self) -> Result<Written> {
        let Some((_folder, shown)) = self.standard.take() else { return self.complete() };
        let (path, is_packed) = (self.path.clone(), self.packed.is_some());
        let mut written = self.complete().map_err(|error| error.shown_as(&path, &shown))?;
        let format = Format::of(&shown)?;
        let text = format.capability().coordinate_text || format.is_text_table();
        hand_over(&std::mem::take(&mut written.files), text && !is_packed)?;
        Ok(written)
    }

    /// As [`LayerWriter::finish`], with the file where it was begun.
    fn complete(mut self) -> Result<Written> {
        let sink = self.sink.end()?;
        let path = self.path;
        let staged = self.packed.as_ref().map_or_else(|| self.pending.path(), Packed::path);
        let format = Format::of(&path)?;
        let mut losses = self.adapter.losses();
        losses.extend(sink.losses());
        refuse_losses(&path, &self.options, &losses)?;
        let remarks = self.adapter.remarks();
        let finished = guarded(&staged, "cannot be written", || sink.finish())
            .map_err(|error| error.shown_as(&staged, &path))?;
        let mut written = Written {
            count: self.written,
            files: Vec::new(),
            verified: false,
            notices: losses.into_iter().chain(remarks).chain(finished.notices).collect(),
        };
        let mut made = finished.files;
        if made.is_empty() {
            made.push(staged.clone());
        }
        if let Some(mut sum) = self.sum
            && !matches!(finished.read_back, ReadBack::Not)
        {
            let sum = sum.end()?;
            let wrong = |error: Error| error.moved(&staged, &path);
            verify::verify(&made, format, &self.layer, &sum, &finished.read_back).map_err(wrong)?;
            written.verified = true;
        }
        if let Some(packed) = self.packed {
            packed
                .pack(&made, &self.pending.path())
                .map_err(|e| e.shown_as(&self.pending.path(), &path))?;
            written.files = self.pending.finish(&[])?;
            return Ok(written);
        }
        if let Some((store, placing)) = self.placing {
            store.place(&path, &staged, &self.layer, placing)?;
            written.files = vec![path];
            return Ok(written);
        }
        let description = format.description();
        if let Some(store) = description.store().filter(|_| path.exists()) {
            store.release(&path)?;
        }
        if let Some(hold) = &self.hold {
            hold.check()?;
        }
        let mut stale = description.stale_parts(&path, &made);
        if !stale.is_empty() && !self.options.overwrite {
            let names: Vec<String> = stale.iter().map(|p| p.display().to_string()).collect();
            stale.clear();
            written.notices.push(Notice::warning(
                NoticeKind::OtherFiles,
                format!(
                    "{} belonged to a file that was here before: delete it, or programs that use \
                     it miss features or take them for another system's",
                    names.join(", ")
                ),
            ));
        }
        written.notices.extend(Notice::of_removed(&stale));
        if !made.contains(&staged) && path.exists() {
            written.notices.push(Notice::warning(
                NoticeKind::OtherFiles,
                format!(
                    "{} is left as it was: the kinds of geometry went to files of their own",
                    path.display()
                ),
            ));
        }
        written.files = self.pending.finish(&stale)?;
        Ok(written)
    }
}

/// Refuses options of drawings and tables for formats that are neither.
fn refuse_misplaced(path: &Path, format: Format, options: &WriteOptions) -> Result<()> {
    let capability = format.capability();
    for (asked, fits, asking, what) in [
        (
            options.layer_by.is_some(),
            capability.drawing,
            "a column of layer names",
            "drawings (.dxf)",
        ),
        (
            options.label.is_some(),
            capability.labels,
            "a column of labels",
            "drawings (.dxf) and KML (.kml)",
        ),
        (options.description.is_some(), capability.links, "a column of descriptions", "KML (.kml)"),
        (options.link.is_some(), capability.links, "a column of links", "KML (.kml)"),
        (options.wkt, capability.table, "geometry as WKT", "tables (.csv, .xlsx)"),
        (
            options.no_geometry,
            capability.table,
            "one row a feature without its geometry",
            "tables (.csv, .xlsx, .dbf)",
        ),
        (
            options.text != TextDialect::default(),
            format.is_text_table(),
            "a way of writing fields and numbers",
            "delimited text (.csv, .txt, .tsv)",
        ),
    ] {
        if asked && !fits {
            let name = format.name();
            let why = format!("{asking} is for {what}, and this is to be {name}");
            return Err(Error::usage(why).in_file(path));
        }
    }
    Ok(())
}

fn refuse_losses(path: &Path, options: &WriteOptions, losses: &[Notice]) -> Result<()> {
    if !options.strict || losses.is_empty() {
        return Ok(());
    }
    let texts: Vec<&str> = losses.iter().map(|loss| loss.text.as_str()).collect();
    Err(Error::usage(format!(
        "nothing was written, because the format cannot hold the layer in full: {}",
        texts.join("; ")
    ))
    .in_file(path))
}

impl Layer {
    /// Writes the layer to a new file, whose format follows its extension.
    ///
    /// # Errors
    /// If the file exists, or cannot be written or hold the layer.
    pub fn write(&self, path: impl AsRef<Path>) -> Result<Vec<Notice>> {
        self.write_with(path, &WriteOptions::default())
    }

    /// As [`Layer::write`], with options.
    ///
    /// # Errors
    /// As [`Layer::write`].
    pub fn write_with(
        &self,
        path: impl AsRef<Path>,
        options: &WriteOptions,
    ) -> Result<Vec<Notice>> {
        let mut info = self.info().clone();
        info.has_z = self.batches().any(|batch| batch.geometry.has_z());
        info.has_m = self.batches().any(|batch| batch.geometry.has_m());
        let mut writer = LayerWriter::create(path.as_ref(), &info, options)?;
        self.batches().try_for_each(|batch| writer.write(batch))?;
        let mut notices = std::mem::take(&mut writer.notices);
        notices.extend(writer.finish()?.notices);
        Ok(notices)
    }
}
