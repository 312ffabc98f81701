//! Writing a layer to a file.

use super::extend::Extend;
use super::fit::{Fit, Fitted};
use super::verify::Sum;
use super::{
    Capability, Check, Format, Sink, default_decimals, dxf, flatgeobuf, geojson, geopackage,
    geoparquet, gpx, kml, shapefile, table_out, verify,
};
use crate::error::{Error, Result};
use crate::layer::{Batch, Layer, LayerInfo};
use crate::notice::Notice;
use std::path::{Path, PathBuf};

/// How a layer is written.
#[derive(Clone, Debug, Default)]
pub struct WriteOptions {
    /// Replace an existing file.
    pub overwrite: bool,
    /// Digits behind the point of coordinates in text formats; none for 9 in degrees (0.1 mm)
    /// and 4 in metres or feet.
    pub decimals: Option<usize>,
    /// Add to the layer of an existing file, whose reference system and columns are taken over.
    pub append: bool,
    /// Name of the layer in the file; that of the layer written if none.
    pub layer: Option<String>,
    /// Refuse to write what the format cannot hold in full.
    pub strict: bool,
    /// Geometries as well-known text in one column of a text table or workbook, not as
    /// coordinates in several.
    pub wkt: bool,
    /// Column whose values name the layers of a drawing.
    pub layer_by: Option<String>,
    /// Column whose values label the points of a drawing.
    pub label: Option<String>,
    /// Time of the last change (UTC, ISO 8601) in formats that hold one; now if none.
    pub stamp: Option<String>,
    /// Read the file again and compare; none for layers of under a million features.
    pub verify: Option<bool>,
}

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
    layer: String,
    sink: Box<dyn Sink>,
    fit: Fit,
    extend: Option<Extend>,
    options: WriteOptions,
    /// What the file should hold; none where it is not to be verified.
    sum: Option<Sum>,
    written: u64,
    before: u64,
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
        let format = Format::of(path)?;
        if !Capability::of(format).writes {
            return Err(Error::usage(format!(
                "{} is read, not written: write a .gpkg, .shp, .geojson or .csv",
                format.name()
            ))
            .in_file(path));
        }
        for (asked, fits, option, what) in [
            (options.layer_by.is_some(), format == Format::Dxf, "--layer-by", "drawings (.dxf)"),
            (options.label.is_some(), format == Format::Dxf, "--label", "drawings (.dxf)"),
            (options.wkt, format.is_table(), "--wkt", "tables (.csv, .xlsx)"),
        ] {
            if asked && !fits {
                let name = format.name();
                let why = format!("{option} is for {what}, and this is to be {name}");
                return Err(Error::usage(why).in_file(path));
            }
        }
        let mut info = info.clone();
        if let Some(layer) = &options.layer {
            info.name.clone_from(layer);
        }
        let mut notices = Vec::new();
        let mut extend = None;
        if options.append && path.exists() {
            extend = Extend::plan(path, format, &info, options, &mut notices)?;
            if let Some(extend) = &extend {
                info = extend.info.clone();
            }
        }
        if extend.is_none() && format == Format::GeoPackage {
            info.name = geopackage::table_name(&info.name);
        }
        let Fitted { fit, info: fitted, losses, remarks } = Fit::plan(path, format, &info)?;
        refuse_losses(path, options, &losses)?;
        notices.extend(losses.into_iter().chain(remarks));
        let mut options = options.clone();
        // An existing file is replaced by one that holds it all.
        options.overwrite |= options.append;
        let (sink, before): (Box<dyn Sink>, u64) = match (&extend, format) {
            (_, Format::GeoPackage) if options.append && path.exists() => {
                let into = extend.as_ref().map(|_| fitted.name.as_str());
                let writer = geopackage::Writer::extend(path, &fitted, &options, into)?;
                (Box::new(writer), extend.as_ref().map_or(0, |extend| extend.before))
            }
            _ => (sink(path, format, &fitted, &options)?, 0),
        };
        let asked = options.verify;
        let expected = info.count.is_none_or(|count| count < VERIFIED);
        let verifies = asked == Some(true) || (asked.is_none() && expected);
        let decimals = verify::decimals(format, || {
            options.decimals.unwrap_or(default_decimals(fitted.crs.as_ref()))
        });
        let mut writer = LayerWriter {
            path: path.to_path_buf(),
            layer: fitted.name.clone(),
            sink,
            fit,
            extend: None,
            options,
            sum: verifies.then(|| Sum::new(decimals)),
            written: 0,
            before,
            notices,
        };
        if let Some(mut extend) = extend {
            if format != Format::GeoPackage {
                // The features that are there go before the new ones.
                extend.for_each_existing(&mut |batch| writer.write(&batch))?;
            }
            writer.before = extend.before;
            writer.written = 0;
            writer.extend = Some(extend);
        }
        Ok(writer)
    }

    /// Writes a batch of features.
    ///
    /// # Errors
    /// If the file cannot be written, or a coordinate cannot be carried into the system that
    /// the format demands.
    pub fn write(&mut self, batch: &Batch) -> Result<()> {
        let adopted;
        let batch = match &self.extend {
            Some(extend) => {
                adopted = extend.adopt(batch)?;
                &adopted
            }
            None => batch,
        };
        let batch = self.fit.apply(batch).map_err(|error| error.in_file(&self.path))?;
        if let Some(sum) = &mut self.sum {
            sum.add(&batch);
        }
        self.sink.write(&batch).map_err(|error| error.in_file(&self.path))?;
        self.written += batch.geometry.len() as u64;
        // More than was thought: nobody asked for them to be read again.
        if self.written >= VERIFIED && self.options.verify.is_none() {
            self.sum = None;
        }
        Ok(())
    }

    /// Completes the file, which appears under its name now.
    ///
    /// # Errors
    /// If the file cannot be completed, with `strict` if something was lost on the way, or
    /// if, read again, it does not hold what it should.
    pub fn finish(self) -> Result<Written> {
        let path = self.path;
        let losses = self.sink.losses();
        refuse_losses(&path, &self.options, &losses)?;
        let finished = self.sink.finish().map_err(|error| error.in_file(&path))?;
        let mut written = Written {
            count: self.written,
            files: finished.files,
            verified: false,
            notices: losses.into_iter().chain(finished.notices).collect(),
        };
        if written.files.is_empty() {
            written.files.push(path.clone());
        }
        if let Some(sum) = self.sum
            && finished.check != Check::Not
        {
            let skip = match Format::of(&path)? {
                Format::GeoPackage => self.before,
                _ => 0,
            };
            verify::verify(&written.files, &self.layer, &sum, finished.check, skip)?;
            written.verified = true;
        }
        Ok(written)
    }
}

fn sink(
    path: &Path,
    format: Format,
    info: &LayerInfo,
    options: &WriteOptions,
) -> Result<Box<dyn Sink>> {
    Ok(match format {
        Format::GeoPackage => Box::new(geopackage::Writer::create(path, info, options)?),
        Format::Shapefile => Box::new(shapefile::Writer::create(path, info, options)?),
        Format::GeoJson => Box::new(geojson::Writer::create(path, info, options, false)?),
        Format::GeoJsonLines => Box::new(geojson::Writer::create(path, info, options, true)?),
        Format::FlatGeobuf => Box::new(flatgeobuf::Writer::create(path, info, options)?),
        Format::GeoParquet => Box::new(geoparquet::Writer::create(path, info, options)?),
        Format::Kml => Box::new(kml::Writer::create(path, info, options)?),
        Format::Gpx => Box::new(gpx::Writer::create(path, info, options)?),
        Format::Dxf => Box::new(dxf::Writer::create(path, info, options)?),
        Format::Csv => Box::new(table_out::CsvWriter::create(path, info, options)?),
        Format::Workbook | Format::Dbf => {
            Box::new(table_out::WorkbookWriter::create(path, info, options)?)
        }
    })
}

fn refuse_losses(path: &Path, options: &WriteOptions, losses: &[Notice]) -> Result<()> {
    if !options.strict || losses.is_empty() {
        return Ok(());
    }
    let texts: Vec<&str> = losses.iter().map(|loss| loss.text.as_str()).collect();
    Err(Error::usage(format!(
        "nothing was written, because the format cannot hold the layer in full (--strict): {}",
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
        info.has_z = self.batches().iter().any(|batch| batch.geometry.has_z());
        info.has_m = self.batches().iter().any(|batch| batch.geometry.has_m());
        let mut writer = LayerWriter::create(path.as_ref(), &info, options)?;
        self.batches().iter().try_for_each(|batch| writer.write(batch))?;
        let mut notices = std::mem::take(&mut writer.notices);
        notices.extend(writer.finish()?.notices);
        Ok(notices)
    }
}
