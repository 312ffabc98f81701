//! Writing a layer to a file.

use super::extend::Extend;
use super::fit::{Fit, Fitted};
use super::verify::Sum;
use super::{
    Capability, Check, Format, Sink, default_decimals, dxf, flatgeobuf, geojson, geopackage,
    geoparquet, gpx, kml, shapefile, table_out, verify,
};
use crate::error::{Error, Result};
use crate::guard::guarded;
use crate::layer::{Batch, Layer, LayerInfo};
use crate::notice::Notice;
use crate::output::{Hold, Pending};
use std::path::{Path, PathBuf};

/// How a layer is written.
#[derive(Clone, Debug, Default)]
pub struct WriteOptions {
    /// Replace an existing file; of a GeoPackage the layer of that name, and what else it holds
    /// stays.
    pub overwrite: bool,
    /// Replace a GeoPackage as a whole, with everything that it holds.
    pub replace_file: bool,
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
    pending: Pending,
    /// A layer of a GeoPackage that is there, and how it is put into it.
    placing: Option<geopackage::Placing>,
    /// The file that is added to by writing it again.
    hold: Option<Hold>,
    layer: String,
    sink: Box<dyn Sink>,
    fit: Fit,
    extend: Option<Extend>,
    options: WriteOptions,
    /// What the file should hold; none where it is not to be verified.
    sum: Option<Sum>,
    written: u64,
    /// What was noticed on creating the file.
    pub notices: Vec<Notice>,
}

impl WriteOptions {
    /// True if a file that is there is no obstacle.
    pub(crate) fn replaces(&self) -> bool {
        self.overwrite || self.append || self.replace_file
    }
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
        let mut options = options.clone();
        options.overwrite = options.replaces();
        let pending = Pending::create(path, options.overwrite)?;
        let mut info = info.clone();
        if let Some(layer) = &options.layer {
            info.name.clone_from(layer);
        }
        let mut notices = Vec::new();
        let mut extend = None;
        let (mut placing, mut hold) = (None, None);
        let package = format == Format::GeoPackage;
        if options.append && path.exists() {
            if !package {
                hold = Some(Hold::take(path)?);
            }
            extend = Extend::plan(path, format, &info, &options, &mut notices)?;
            if let Some(extend) = &extend {
                info = extend.info.clone();
            }
            placing = package.then_some(geopackage::Placing::Add);
        }
        if extend.is_none() && package {
            info.name = geopackage::table_name(&info.name);
        }
        if package && placing.is_none() && !options.replace_file && path.exists() {
            let kept = geopackage::others(path, std::slice::from_ref(&info.name))?;
            if !kept.is_empty() {
                placing = Some(geopackage::Placing::Replace);
                notices.push(Notice::remark(format!(
                    "layer {} of {} is replaced; what else the file holds stays: {}",
                    info.name,
                    path.display(),
                    crate::table::list(&kept)
                )));
            }
        }
        let number = match placing {
            Some(_) => geopackage::system_number(path, &info)?,
            None => None,
        };
        let Fitted { fit, info: fitted, losses, remarks } =
            Fit::plan(path, format, &info, options.wkt)?;
        refuse_losses(path, &options, &losses)?;
        notices.extend(losses.into_iter().chain(remarks));
        let staged = pending.path();
        let made = guarded(&staged, "cannot be written", || {
            sink(&staged, format, &fitted, &options, number)
        });
        let sink = made.map_err(|error| error.shown_as(&pending.path(), path))?;
        let asked = options.verify;
        let expected = info.count.is_none_or(|count| count < VERIFIED);
        let verifies = asked == Some(true) || (asked.is_none() && expected);
        let decimals = verify::decimals(format, || {
            options.decimals.unwrap_or(default_decimals(fitted.crs.as_ref()))
        });
        let mut writer = LayerWriter {
            path: path.to_path_buf(),
            pending,
            placing,
            hold,
            layer: fitted.name.clone(),
            sink,
            fit,
            extend: None,
            options,
            sum: verifies.then(|| Sum::new(decimals)),
            written: 0,
            notices,
        };
        if let Some(mut extend) = extend {
            if !package {
                // The features that are there go before the new ones.
                extend.for_each_existing(&mut |batch| writer.write(&batch))?;
            }
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
        let staged = self.pending.path();
        let sink = &mut self.sink;
        guarded(&staged, "cannot be written", || sink.write(&batch))
            .map_err(|error| error.shown_as(&staged, &self.path))?;
        self.written += batch.geometry.len() as u64;
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
    pub fn finish(self) -> Result<Written> {
        let path = self.path;
        let staged = self.pending.path();
        let format = Format::of(&path)?;
        let mut losses = self.fit.losses();
        losses.extend(self.sink.losses());
        refuse_losses(&path, &self.options, &losses)?;
        let sink = self.sink;
        let finished = guarded(&staged, "cannot be written", || sink.finish())
            .map_err(|error| error.shown_as(&staged, &path))?;
        let mut written = Written {
            count: self.written,
            files: Vec::new(),
            verified: false,
            notices: losses.into_iter().chain(finished.notices).collect(),
        };
        let mut made = finished.files;
        if made.is_empty() {
            made.push(staged.clone());
        }
        if let Some(sum) = self.sum
            && finished.check != Check::Not
        {
            let wrong = |error: Error| error.moved(&staged, &path);
            verify::verify(&made, &self.layer, &sum, finished.check).map_err(wrong)?;
            written.verified = true;
        }
        if let Some(placing) = self.placing {
            geopackage::place(&path, &staged, &self.layer, placing)?;
            written.files = vec![path];
            return Ok(written);
        }
        if format == Format::GeoPackage && path.exists() {
            geopackage::release(&path)?;
        }
        if let Some(hold) = &self.hold {
            hold.check()?;
        }
        let mut stale = match format {
            Format::Shapefile => shapefile::stale_parts(&path, &made),
            _ => Vec::new(),
        };
        let names: Vec<String> = stale.iter().map(|p| p.display().to_string()).collect();
        if !stale.is_empty() && !self.options.overwrite {
            stale.clear();
            written.notices.push(Notice::warning(format!(
                "{} belonged to a file that was here before: delete it, or programs that use it \
                 miss features or take them for another system's",
                names.join(", ")
            )));
        }
        if !stale.is_empty() {
            written.notices.push(Notice::remark(format!(
                "side files of the file that was here before are removed, because they would not \
                 fit the new one: {}",
                names.join(", ")
            )));
        }
        if !made.contains(&staged) && path.exists() {
            written.notices.push(Notice::warning(format!(
                "{} is left as it was: the kinds of geometry went to files of their own",
                path.display()
            )));
        }
        written.files = self.pending.finish(&stale)?;
        Ok(written)
    }
}

fn sink(
    path: &Path,
    format: Format,
    info: &LayerInfo,
    options: &WriteOptions,
    number: Option<i32>,
) -> Result<Box<dyn Sink>> {
    Ok(match format {
        Format::GeoPackage => Box::new(geopackage::Writer::create(path, info, options, number)?),
        Format::Shapefile => Box::new(shapefile::Writer::create(path, info)?),
        Format::GeoJson => Box::new(geojson::Writer::create(path, info, options, false)?),
        Format::GeoJsonLines => Box::new(geojson::Writer::create(path, info, options, true)?),
        Format::FlatGeobuf => Box::new(flatgeobuf::Writer::create(path, info)?),
        Format::GeoParquet => Box::new(geoparquet::Writer::create(path, info)?),
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
