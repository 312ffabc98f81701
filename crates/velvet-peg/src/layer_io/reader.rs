//! Reading a layer of a file.

use super::transform::{Transform, Transformed};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::guard::guarded;
use crate::format_support::read_ahead::read_ahead;
use crate::format_support::{KEY, OpenedLayer, ReadOptions, Source, key_field};
use crate::input::{Located, Unchanged, locate};
use crate::layer::column_names::meant;
use crate::layer::{Batch, CrsOrigin, Layer, LayerInfo};
use crate::memory::{Held, Reckoning, Share};
use crate::notice::Notice;
use crate::output::TemporaryFolder;
use crate::parallel::in_order;
use crate::plausibility::stated_unit;
use crate::progress::{NoProgress, Progress};
use arrow_schema::{FieldRef, Schema};
use std::fmt::Debug;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::Receiver;
use velvet_peg_core::Crs;
use velvet_peg_core::spelling::nearest;

/// Reads a layer of a file.
#[derive(Debug)]
pub struct LayerReader {
    info: LayerInfo,
    path: PathBuf,
    real: PathBuf,
    format: Format,
    source: Box<dyn Source>,
    /// Its file as it was opened.
    unchanged: Unchanged,
    /// What was noticed on opening.
    pub notices: Vec<Notice>,
    /// Keeps an input that was laid down.
    _keep: Option<Arc<TemporaryFolder>>,
}

impl LayerReader {
    /// Opens a layer; the only one of the file if no name is given. `-` is standard input;
    /// `http(s)` addresses are read where the feature `http` is on.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::LayerReader;
    /// let reader = LayerReader::open(&file("fields.geojson"), None)?;
    /// assert_eq!(reader.info().count, Some(16));
    /// let mut vertices = 0;
    /// reader.for_each_batch(&mut |batch| {
    ///     vertices += batch.geometry().x.len(); // flat columns
    ///     Ok(())
    /// })?;
    /// assert!(vertices > 100);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the file is not one of layers, cannot be read, or has several layers and none was
    /// named.
    pub fn open(path: &Path, layer: Option<&str>) -> Result<LayerReader> {
        LayerReader::open_with(path, layer, &ReadOptions::default())
    }

    /// As [`LayerReader::open`], with what the file leaves to choose.
    ///
    /// # Errors
    /// As [`LayerReader::open`].
    pub fn open_with(
        path: &Path,
        layer: Option<&str>,
        options: &ReadOptions,
    ) -> Result<LayerReader> {
        let mut layers = LayerReader::open_all_with(path, options)?;
        let names: Vec<String> = layers.iter().map(|reader| reader.info.name.clone()).collect();
        match layer {
            Some(name) => {
                let at = names.iter().position(|other| other == name).ok_or_else(|| {
                    Error::usage(format!(
                        "has no layer `{name}`: its layers are {}{}",
                        names.join(", "),
                        meant(nearest(name, names.iter().map(String::as_str)))
                    ))
                    .in_file(path)
                })?;
                Ok(layers.swap_remove(at))
            }
            // Tables of attributes, and what stands aside, are read where they are named.
            None if layers.iter().filter(|reader| reader.info.is_main()).count() == 1 => {
                let at = layers.iter().position(|reader| reader.info.is_main()).unwrap_or(0);
                Ok(layers.swap_remove(at))
            }
            None if layers.len() > 1 => {
                Err(Error::usage(format!("has {} layers: {}", names.len(), names.join(", ")))
                    .advise(Advice::NameLayer)
                    .among(names)
                    .in_file(path))
            }
            None => {
                layers.pop().ok_or_else(|| Error::data("has no layer of features").in_file(path))
            }
        }
    }

    /// Opens every layer of a file.
    ///
    /// # Errors
    /// If the file is not one of layers or cannot be read.
    pub fn open_all(path: &Path) -> Result<Vec<LayerReader>> {
        LayerReader::open_all_with(path, &ReadOptions::default())
    }

    /// Opens every layer of a file but tables of attributes alone and layers aside of its subject.
    ///
    /// # Errors
    /// As [`LayerReader::open_all`], and if there is no other layer.
    pub fn open_spatial(path: &Path) -> Result<Vec<LayerReader>> {
        let mut layers = LayerReader::open_all(path)?;
        let any = !layers.is_empty();
        layers.retain(|reader| reader.info.is_main());
        match any && layers.is_empty() {
            true => {
                Err(Error::data("has no layer of features, only tables of attributes")
                    .in_file(path))
            }
            false => Ok(layers),
        }
    }

    /// As [`LayerReader::open_all`], with what the file leaves to choose.
    ///
    /// # Errors
    /// As [`LayerReader::open_all`].
    pub fn open_all_with(path: &Path, options: &ReadOptions) -> Result<Vec<LayerReader>> {
        LayerReader::open_located(locate(path)?, options)
    }

    /// A reader of a layer in memory, for whatever takes one; `path` is what it is called in
    /// messages.
    ///
    /// ```
    /// use std::path::Path;
    /// use velvet_peg::{Geometry, Layer, LayerReader, Crs, measure};
    /// use velvet_peg::measure::MeasureOptions;
    /// let mut ditches = Layer::new("ditches", Some(Crs::from_epsg(32610)?));
    /// ditches.push(Geometry::LineString(vec![(6e5, 5.25e6), (6e5, 5.2501e6)]), [("name", "T-1".into())])?;
    /// let reader = LayerReader::of_layer(&ditches, Path::new("ditches"));
    /// let measures = measure(&reader, &MeasureOptions::default())?;
    /// assert_eq!(measures.features[0].grid_length_m, Some(100.0));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    pub fn of_layer(layer: &Layer, path: &Path) -> LayerReader {
        let (extent, count) = (layer.extent(), Some(layer.len() as u64));
        LayerReader {
            info: LayerInfo { extent, count, ..layer.info().clone() },
            path: path.to_path_buf(),
            real: path.to_path_buf(),
            format: Format::of_memory(),
            source: Box::new(Memory(layer.batches().cloned().collect())),
            unchanged: Unchanged::default(),
            notices: Vec::new(),
            _keep: None,
        }
    }

    /// The reader, with the folder that its file lies in.
    pub(crate) fn keeping(self, folder: TemporaryFolder) -> LayerReader {
        LayerReader { _keep: Some(Arc::new(folder)), ..self }
    }

    /// A reader of what is no layer of a file.
    pub(super) fn of_source(
        info: LayerInfo,
        path: PathBuf,
        format: Format,
        source: Box<dyn Source>,
        notices: Vec<Notice>,
    ) -> LayerReader {
        LayerReader {
            info,
            real: path.clone(),
            path,
            format,
            source,
            unchanged: Unchanged::default(),
            notices,
            _keep: None,
        }
    }

    pub(crate) fn open_located(at: Located, options: &ReadOptions) -> Result<Vec<LayerReader>> {
        let real = at.real.as_path();
        let description = at.format.description();
        if options.encoding.is_some() && !description.has_encodings() {
            return Err(Error::usage(format!(
                "is {}, whose texts are of one encoding by its standard: no other can be asked for",
                at.format.name()
            ))
            .in_file(&at.shown));
        }
        let mut unchanged = Unchanged::of(real);
        let opened = guarded(real, "cannot be read", || description.open(real, options));
        let opened = opened.map_err(|error| error.shown_as(real, &at.shown));
        // A database takes back on opening what a crash has left half done in it.
        if description.store().is_some() {
            unchanged = Unchanged::of(real);
        }
        let layers = unchanged.hold(&at.shown, opened)?;
        let reader = |(info, source, notices): OpenedLayer| LayerReader {
            info,
            path: at.shown.clone(),
            real: at.real.clone(),
            format: at.format,
            source,
            unchanged: unchanged.clone(),
            notices,
            _keep: at.keep.clone(),
        };
        Ok(layers.into_iter().map(reader).collect())
    }

    /// Opens what was just written as one layer of this name, to compare it.
    pub(super) fn open_written(
        path: &Path,
        format: Format,
        layer: &str,
    ) -> Result<Vec<LayerReader>> {
        let open = || format.description().open_written(path, layer);
        let layers = guarded(path, "cannot be read", open)?;
        let reader = |(info, source, notices): OpenedLayer| LayerReader {
            info,
            path: path.to_path_buf(),
            real: path.to_path_buf(),
            format,
            source,
            unchanged: Unchanged::default(),
            notices,
            _keep: None,
        };
        Ok(layers.into_iter().map(reader).collect())
    }

    /// Makes the column of numbers that features are known by in a GeoPackage one of the layer's, if
    /// its name is among these: it is left out where it merely counts the features.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{Layer, LayerReader};
    /// Layer::read(file("fields.geojson"))?.write(file("fields.gpkg"))?;
    /// let mut reader = LayerReader::open(&file("fields.gpkg"), None)?;
    /// assert!(reader.info().schema.index_of("fid").is_err());
    /// assert!(reader.reveal_key(&["fid"]));
    /// assert_eq!(reader.info().schema.index_of("fid")?, 0);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn reveal_key<S: AsRef<str>>(&mut self, names: &[S]) -> bool {
        let Some(key) = self.source.key() else { return false };
        let fields = self.info.schema.fields();
        let there = fields.iter().any(|field| field.name().eq_ignore_ascii_case(key));
        let asked = names.iter().any(|name| name.as_ref().eq_ignore_ascii_case(key));
        if there || !asked {
            return false;
        }
        let mut fields: Vec<FieldRef> = vec![Arc::new(key_field(key))];
        fields.extend(self.info.schema.fields().iter().cloned());
        self.info.schema = Arc::new(Schema::new(fields));
        true
    }

    /// Leaves the column of numbers that features are known by out of the layer's columns.
    pub(super) fn hide_key(&mut self) {
        let others = self.info.schema.fields().iter();
        let others: Vec<FieldRef> =
            others.filter(|field| !field.metadata().contains_key(KEY)).cloned().collect();
        self.info.schema = Arc::new(Schema::new(others));
    }

    /// What is known of the layer.
    pub fn info(&self) -> &LayerInfo {
        &self.info
    }

    /// The same layer with every batch passed through a transform; `info` is what comes out of it.
    pub(crate) fn through(self, info: LayerInfo, transform: Arc<dyn Transform>) -> LayerReader {
        let before = self.info.clone();
        let source = Box::new(Transformed::new(self.source, before, transform));
        LayerReader { info, source, ..self }
    }

    /// Format of the file.
    pub fn format(&self) -> Format {
        self.format
    }

    /// Takes the layer as being in this system, whatever the file says.
    pub fn assume(&mut self, crs: Crs) {
        self.notices.extend(stated_unit(self.info.unit, &crs));
        self.info.take_declaration(&crs);
        self.info.crs_origin = CrsOrigin::Given;
    }

    /// Path of the file, as it was given.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Hands every batch of features to `each`, in order.
    ///
    /// # Errors
    /// If the file cannot be read further, or `each` fails.
    pub fn for_each_batch(&self, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        // An error of the caller's own keeps its file.
        let mut theirs = false;
        let done = guarded(&self.real, "cannot be read further", || {
            self.source.read(&self.info, &mut |batch| {
                let done = each(batch);
                theirs = done.is_err();
                done
            })
        });
        if theirs {
            return done;
        }
        let done = done.map_err(|error| error.shown_as(&self.real, &self.path));
        self.unchanged.hold(&self.path, done)
    }

    /// The first batch, where there is one that can be read; the rest is not looked at.
    pub(crate) fn first_batch(&self) -> Option<Batch> {
        let mut first = None;
        // An error ends the reading: there is no other way to stop.
        let _ = self.for_each_batch(&mut |batch| {
            first = Some(batch);
            Err(Error::data("read no further"))
        });
        first
    }

    /// As [`LayerReader::for_each_batch`], telling `watch` how many features have been read.
    pub(crate) fn for_each_watched(
        &self,
        watch: &mut dyn Progress,
        each: &mut dyn FnMut(Batch) -> Result<()>,
    ) -> Result<()> {
        let mut read = 0;
        self.for_each_batch(&mut |batch| {
            watch.at(batch.first, self.info.count);
            read += batch.len() as u64;
            each(batch)
        })?;
        watch.at(read, self.info.count.map(|count| count.max(read)));
        Ok(())
    }

    /// Hands every batch of features to `work`, which runs in several threads, and what it makes of
    /// them to `each`, in order, telling `watch` how many features have been read.
    pub(crate) fn for_each_made<O: Send>(
        &self,
        watch: &mut dyn Progress,
        work: impl Fn(Batch) -> Result<O> + Sync,
        each: &mut dyn FnMut(O) -> Result<()>,
    ) -> Result<()> {
        let mut read = 0;
        in_order(
            |hand_on| self.for_each_batch(hand_on),
            |batch| {
                let (first, count) = (batch.first, batch.len() as u64);
                Ok((first, count, work(batch)?))
            },
            |(first, count, made)| {
                watch.at(first, self.info.count);
                read += count;
                each(made)
            },
        )?;
        watch.at(read, self.info.count.map(|count| count.max(read)));
        Ok(())
    }

    /// Every batch of features, in order, read by a thread of its own while the last one is
    /// worked on.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::LayerReader;
    /// let mut count = 0;
    /// for batch in LayerReader::open(&file("fields.geojson"), None)?.batches() {
    ///     count += batch?.len();
    /// }
    /// assert_eq!(count, 16);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    pub fn batches(self) -> Batches {
        Batches::read(self)
    }

    /// The whole layer in memory.
    ///
    /// # Errors
    /// As [`LayerReader::for_each_batch`], if it needs more memory than there is, and if a record
    /// cannot be read: whoever wants the others goes through them in batches, which tell of those
    /// that are left out.
    pub fn read(&self) -> Result<Layer> {
        let mut batches = Vec::new();
        let mut reckoning = Reckoning::new("features", &self.path);
        let mut held = Held::default();
        let done = self.for_each_batch(&mut |batch| {
            if let Some(bad) = batch.unreadable.first() {
                return Err(Error::data(format!("feature {}: {}", bad.number, bad.reason))
                    .in_file(&self.path)
                    .in_layer(&self.info.name));
            }
            held.count += batch.len() as u64;
            // With the room that columns have kept to grow.
            held.bytes += batch.bytes() as u64 * 5 / 4;
            let done = batch.first + batch.len() as u64 - 1;
            batches.push(batch);
            reckoning.take(held, Share { done, total: self.info.count }, &mut NoProgress)
        });
        // A record that cannot be read may be half of what is being written.
        self.unchanged.hold(&self.path, done)?;
        Ok(Layer::from_batches(self.info.clone(), batches))
    }
}

/// The batches of a layer: an iterator that ends after an error.
#[derive(Debug)]
pub struct Batches(Receiver<Result<Batch>>);

impl Batches {
    fn read(reader: LayerReader) -> Batches {
        Batches(read_ahead(reader.path.clone(), move |each| reader.for_each_batch(each)))
    }
}

impl Iterator for Batches {
    type Item = Result<Batch>;

    fn next(&mut self) -> Option<Result<Batch>> {
        self.0.recv().ok()
    }
}

/// Batches that are held already.
#[derive(Debug)]
struct Memory(Vec<Batch>);

impl Source for Memory {
    fn read(&self, _info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        self.0.iter().try_for_each(|batch| each(batch.clone()))
    }
}

impl Layer {
    /// Reads the only layer of a file.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::Layer;
    /// let fields = Layer::read(file("fields.geojson"))?;
    /// fields.write(file("fields.gpkg"))?;
    /// assert_eq!(Layer::read(file("fields.gpkg"))?.len(), fields.len());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`LayerReader::open`] and [`LayerReader::read`].
    pub fn read(path: impl AsRef<Path>) -> Result<Layer> {
        LayerReader::open(path.as_ref(), None)?.read()
    }
}
