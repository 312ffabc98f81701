//! Formats of layers: reading and writing in batches.
//!
//! The format follows the extension. Writing happens under a temporary name; the file
//! appears when it is whole.

mod csv_out;
mod geojson;
mod geopackage;
mod shapefile;

pub(crate) use csv_out::{coordinate_names, distinct};

use crate::error::{Error, Kind, Result};
use crate::layer::{Batch, Layer, LayerInfo};
use crate::notice::Notice;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, Height};

/// A format of layers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// OGC GeoPackage (12-128r18): `.gpkg`.
    GeoPackage,
    /// GeoJSON (RFC 7946): `.geojson`, `.json`.
    GeoJson,
    /// Delimited text with coordinates as columns: `.csv`, `.tsv`.
    Csv,
    /// Shapefile: `.shp` with its side files. Read, not written.
    Shapefile,
}

impl Format {
    /// The format of a path by its extension.
    ///
    /// ```
    /// use std::path::Path;
    /// use velvet_peg::Format;
    /// assert_eq!(Format::of(Path::new("fields.gpkg"))?, Format::GeoPackage);
    /// assert!(Format::of(Path::new("fields.xyz")).is_err());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the extension is none that is known.
    pub fn of(path: &Path) -> Result<Format> {
        let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
        match extension.to_ascii_lowercase().as_str() {
            "gpkg" => Ok(Format::GeoPackage),
            "geojson" | "json" => Ok(Format::GeoJson),
            "csv" | "tsv" | "txt" | "tab" => Ok(Format::Csv),
            "shp" => Ok(Format::Shapefile),
            _ => Err(Error::usage(
                "the extension names no format that can be used here: use .gpkg (GeoPackage), \
                 .geojson or .csv; .shp can be read",
            )
            .in_file(path)),
        }
    }

    /// Name of the format.
    pub fn name(self) -> &'static str {
        match self {
            Format::GeoPackage => "GeoPackage",
            Format::GeoJson => "GeoJSON",
            Format::Csv => "delimited text",
            Format::Shapefile => "Shapefile",
        }
    }
}

/// Reads a layer of a file.
#[derive(Debug)]
pub struct LayerReader {
    info: LayerInfo,
    path: PathBuf,
    source: Source,
    /// What was noticed on opening.
    pub notices: Vec<Notice>,
}

#[derive(Debug)]
enum Source {
    GeoJson(geojson::Scan),
    GeoPackage(geopackage::Table),
    Shapefile,
}

impl LayerReader {
    /// Opens a layer; the only one of the file if no name is given.
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
    ///     vertices += batch.geometry.x.len(); // flat columns
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
        let mut layers = LayerReader::open_all(path)?;
        let names: Vec<String> = layers.iter().map(|reader| reader.info.name.clone()).collect();
        match layer {
            Some(name) => {
                let at = names.iter().position(|other| other == name).ok_or_else(|| {
                    Error::usage(format!(
                        "has no layer `{name}`: its layers are {}",
                        names.join(", ")
                    ))
                    .in_file(path)
                })?;
                Ok(layers.swap_remove(at))
            }
            None if layers.len() > 1 => Err(Error::usage(format!(
                "has {} layers: name one with --layer ({})",
                names.len(),
                names.join(", ")
            ))
            .in_file(path)),
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
        if !path.exists() {
            return Err(missing(path));
        }
        match Format::of(path)? {
            Format::GeoPackage => geopackage::open(path),
            Format::GeoJson => Ok(vec![geojson::open(path)?]),
            Format::Shapefile => Ok(vec![shapefile::open(path)?]),
            Format::Csv => Err(Error::usage(
                "is a table, not a layer: make features of it first with `vpeg build points`",
            )
            .in_file(path)),
        }
    }

    /// What is known of the layer.
    pub fn info(&self) -> &LayerInfo {
        &self.info
    }

    /// Takes the layer as being in this system, whatever the file says.
    pub fn assume(&mut self, crs: Crs) {
        self.info.crs = Some(crs);
    }

    /// Path of the file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Hands every batch of features to `each`, in order.
    ///
    /// # Errors
    /// If the file cannot be read further, or `each` fails.
    pub fn for_each_batch(&self, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        match &self.source {
            Source::GeoJson(scan) => geojson::read(&self.path, scan, &self.info, each),
            Source::GeoPackage(table) => geopackage::read(&self.path, table, &self.info, each),
            Source::Shapefile => shapefile::read(&self.path, &self.info, each),
        }
    }

    /// The whole layer in memory.
    ///
    /// # Errors
    /// As [`LayerReader::for_each_batch`].
    pub fn read(&self) -> Result<Layer> {
        let mut batches = Vec::new();
        self.for_each_batch(&mut |batch| {
            batches.push(batch);
            Ok(())
        })?;
        Ok(Layer::from_batches(self.info.clone(), batches))
    }
}

/// A file that is not there.
pub(crate) fn missing(path: &Path) -> Error {
    Error::new(Kind::File, "there is no such file").in_file(path)
}

/// How a layer is written.
#[derive(Clone, Debug, Default)]
pub struct WriteOptions {
    /// Replace an existing file.
    pub overwrite: bool,
    /// Digits behind the point of coordinates in text formats; none for 9 in degrees (0.1 mm)
    /// and 4 in metres or feet.
    pub decimals: Option<usize>,
}

/// Writes a layer, batch by batch.
pub struct LayerWriter {
    path: PathBuf,
    sink: Sink,
    written: u64,
    /// What was noticed on creating the file.
    pub notices: Vec<Notice>,
}

enum Sink {
    GeoJson(Box<geojson::Writer>),
    GeoPackage(Box<geopackage::Writer>),
    Csv(Box<csv_out::Writer>),
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
    /// assert_eq!(writer.finish()?, 9);
    /// assert!(file("laterals.gpkg").exists());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the file exists and is not to be overwritten, its extension is unknown, or the
    /// format cannot hold the layer (GeoJSON needs a reference system).
    pub fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<LayerWriter> {
        let mut notices = Vec::new();
        let sink = match Format::of(path)? {
            Format::GeoPackage => {
                Sink::GeoPackage(Box::new(geopackage::Writer::create(path, info, options)?))
            }
            Format::GeoJson => {
                let (writer, notice) = geojson::Writer::create(path, info, options)?;
                notices.extend(notice);
                let metres = |crs: &Crs| matches!(crs.height(), Height::Ellipsoidal(unit) if unit.metres() == 1.0);
                if info.has_z && !info.crs.as_ref().is_some_and(metres) {
                    notices.push(Notice::warning(
                        "readers of GeoJSON take heights as metres above the WGS 84 ellipsoid; these \
                         are written as they are, whatever their unit and surface",
                    ));
                }
                Sink::GeoJson(Box::new(writer))
            }
            Format::Shapefile => {
                return Err(Error::usage(
                    "Shapefiles are read, not written: write a .gpkg, .geojson or .csv",
                )
                .in_file(path));
            }
            Format::Csv => {
                if let Some(crs) = &info.crs {
                    notices.push(Notice::remark(format!(
                        "a text table cannot hold its reference system: note that {} is in {}",
                        path.display(),
                        crs.label()
                    )));
                }
                Sink::Csv(Box::new(csv_out::Writer::create(path, info, options)?))
            }
        };
        Ok(LayerWriter { path: path.to_path_buf(), sink, written: 0, notices })
    }

    /// Writes a batch of features.
    ///
    /// # Errors
    /// If the file cannot be written, or a coordinate cannot be carried into the system that
    /// the format demands.
    pub fn write(&mut self, batch: &Batch) -> Result<()> {
        match &mut self.sink {
            Sink::GeoJson(writer) => writer.write(batch),
            Sink::GeoPackage(writer) => writer.write(batch),
            Sink::Csv(writer) => writer.write(batch),
        }
        .map_err(|error| error.in_file(&self.path))?;
        self.written += batch.geometry.len() as u64;
        Ok(())
    }

    /// Completes the file, which appears under its name now. Gives the number of features.
    ///
    /// # Errors
    /// If the file cannot be completed.
    pub fn finish(self) -> Result<u64> {
        match self.sink {
            Sink::GeoJson(writer) => writer.finish(),
            Sink::GeoPackage(writer) => writer.finish(),
            Sink::Csv(writer) => writer.finish(),
        }
        .map_err(|error| error.in_file(&self.path))?;
        Ok(self.written)
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
        info.has_z = self.batches().iter().any(|batch| batch.geometry.has_z());
        let mut writer = LayerWriter::create(path.as_ref(), &info, options)?;
        self.batches().iter().try_for_each(|batch| writer.write(batch))?;
        let notices = std::mem::take(&mut writer.notices);
        writer.finish()?;
        Ok(notices)
    }
}

/// Digits for coordinates of a system when none are asked for.
pub(crate) fn default_decimals(crs: Option<&Crs>) -> usize {
    if crs.is_some_and(Crs::is_geographic) { 9 } else { 4 }
}
