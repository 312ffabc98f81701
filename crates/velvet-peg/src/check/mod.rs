//! The quality sheet of a layer: what it holds, how its reference system is known, where it
//! lies, what is wrong with its geometries, keys and fields; and whether several layers agree.
//!
//! Two readings a layer; some 50 bytes a feature are held, to find duplicates, and 35 more for a
//! key.

mod agreement;
mod cases;
mod coordinates;
mod doubles;
mod fields;
mod placement;
mod render;
mod seen;
mod sexagesimal;

#[cfg(feature = "drawing")]
pub(crate) use agreement::names_of;
pub use agreement::{Agreement, Elsewhere};
pub use cases::Place;
pub use fields::FieldSheet;
#[cfg(feature = "drawing")]
pub(crate) use placement::{Placement, kilometres};
pub use render::sheets_as_markdown;
#[cfg(feature = "drawing")]
pub(crate) use render::{made_by, verdict};

use crate::error::{Error, Result};
use crate::features::{BuildOptions, BuildPoints};
use crate::format_support::TableOptions;
use crate::format_support::WriteOptions;
use crate::geometry::flaws_in;
use crate::input::format_of;
use crate::layer::column_names::position;
use crate::layer::{AttributeColumn, Batch, Layer, LayerInfo};
use crate::layer_io::LayerReader;
use crate::memory::{Work, afford};
use crate::notice::Severity;
use crate::output::TemporaryFolder;
use crate::progress::{NoProgress, Progress};
#[cfg(feature = "rasters")]
use crate::raster::{RasterFormat, RasterReader};
use crate::table::CoordinateColumns;
use cases::Cases;
use coordinates::Coordinates;
use doubles::digest;
use fields::Fields;
use seen::Seen;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use velvet_peg_core::planar::FlawKind;
use velvet_peg_core::{Converter, Coordinate, Crs, Geographic};

/// What is checked beyond what every sheet tells.
#[derive(Clone, Debug, Default)]
pub struct CheckOptions {
    /// Columns whose values together have to be there and different for every feature. Of several
    /// layers, those are held to it that have the columns; one has to.
    pub key: Vec<String>,
    /// Columns that have to be filled in every feature.
    pub complete: Vec<String>,
    /// The system that the layer has to be in.
    pub expected: Option<Crs>,
    /// The number of features that there have to be.
    pub count: Option<u64>,
    /// For tables: their coordinate columns, guessed where not named.
    pub columns: CoordinateColumns,
    /// For tables, and layers without one: the reference system.
    pub crs: Option<Crs>,
    /// How tables are read.
    pub table: TableOptions,
    /// Layer to take, if the file has several; all of them if none.
    pub layer: Option<String>,
    /// Title of the sheets.
    pub title: Option<String>,
}

/// Something that was found.
#[derive(Clone, Debug, Serialize)]
pub struct Finding {
    /// How much it weighs.
    pub level: Severity,
    /// What it is about: `crs`, `position`, `geometry`, `key`, `fields`, `source`.
    pub about: &'static str,
    /// What was found, with figures.
    pub text: String,
    /// Where the first cases are, of what has a place.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub places: Vec<Place>,
}

impl Finding {
    fn new(level: Severity, about: &'static str, text: impl Into<String>) -> Finding {
        Finding { level, about, text: text.into(), places: Vec::new() }
    }

    fn at(self, places: Vec<Place>) -> Finding {
        Finding { places, ..self }
    }
}

/// The quality sheet of one layer.
#[derive(Clone, Debug, Serialize)]
pub struct QualitySheet {
    /// File.
    pub source: PathBuf,
    /// Format of the file.
    pub format: &'static str,
    /// Layer.
    pub layer: String,
    /// Features that could be read.
    pub features: u64,
    /// Records that could not.
    pub unreadable: u64,
    /// Features by kind of geometry.
    pub kinds: BTreeMap<&'static str, u64>,
    /// Features without a geometry.
    pub without_geometry: u64,
    /// Features whose geometry another has as well.
    pub duplicate_geometries: u64,
    /// Features with a geometry that is not valid.
    pub invalid: u64,
    /// Vertices.
    pub vertices: u64,
    /// True if vertices have heights.
    pub has_z: bool,
    /// Reference system.
    pub crs: Option<String>,
    /// How the reference system is known.
    pub crs_known: &'static str,
    /// Unit of the coordinates.
    pub unit: Option<String>,
    /// Of coordinates in feet: where the other foot would put them.
    pub other_foot: Option<String>,
    /// Extent in the layer's own units: smallest x and y, largest x and y.
    pub extent: Option<[f64; 4]>,
    /// Extent in degrees on the system's own datum: west, south, east, north.
    pub extent_degrees: Option<[f64; 4]>,
    /// Area of use of the reference system.
    pub area_of_use: Option<String>,
    /// Vertices outside the area of use.
    pub outside_area_of_use: u64,
    /// Decimals of the coordinates, and how many vertices have so many.
    pub decimals: BTreeMap<usize, u64>,
    /// Columns.
    pub fields: Vec<FieldSheet>,
    /// Columns of the key, and how many different values they have.
    pub key: Option<(String, u64)>,
    /// What was found.
    pub findings: Vec<Finding>,
    /// Sample of positions, for comparing layers.
    #[serde(skip)]
    pub(crate) sample: Vec<(f64, f64)>,
    #[serde(skip)]
    pub(crate) system: Option<Crs>,
}

/// The sheets of the layers checked, and whether they agree.
#[derive(Clone, Debug, Serialize)]
pub struct CheckReport {
    /// What stands above the sheets that are handed in.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// One sheet a layer.
    pub sheets: Vec<QualitySheet>,
    /// How the layers go together; none for a single one.
    pub agreement: Option<Agreement>,
}

impl CheckReport {
    /// The weightiest finding of all.
    pub fn worst(&self) -> Option<Severity> {
        let between = self.agreement.iter().flat_map(|agreement| &agreement.findings);
        let own = self.sheets.iter().flat_map(|sheet| &sheet.findings);
        own.chain(between).map(|finding| finding.level).max()
    }

    /// True if nothing wrong was found (warnings may have been).
    pub fn passes(&self) -> bool {
        self.worst() != Some(Severity::Fault)
    }
}

/// Checks every layer of some files, and how they go together.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::check;
/// use velvet_peg::check::CheckOptions;
/// let options = CheckOptions { key: vec!["field".into()], ..CheckOptions::default() };
/// let report = check(&[file("fields.geojson")], &options)?;
/// assert!(report.passes());
/// assert_eq!(report.sheets[0].kinds["polygon"], 16);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If a file cannot be read, or a column that was named is missing.
pub fn check(files: &[PathBuf], options: &CheckOptions) -> Result<CheckReport> {
    check_watched(files, options, &mut NoProgress)
}

/// As [`check()`], telling `watch` how far it has come.
///
/// # Errors
/// As [`check()`].
pub fn check_watched(
    files: &[PathBuf],
    options: &CheckOptions,
    watch: &mut dyn Progress,
) -> Result<CheckReport> {
    Ok(CheckedLayers::of(files, options, watch)?.report)
}

/// Layers that were checked, with what was found: what a report is made of.
#[derive(Debug)]
pub struct CheckedLayers {
    /// What was found.
    pub report: CheckReport,
    /// The layers, in the order of the sheets.
    pub(crate) layers: Vec<LayerReader>,
}

/// Whether all pixels of a raster can be read.
#[cfg(feature = "rasters")]
fn pixels(raster: &RasterReader) -> Finding {
    let info = raster.info();
    match raster.each_block(drop, drop) {
        Ok(()) => Finding::new(
            Severity::Note,
            "source",
            format!(
                "a raster, whose outline is what is checked: all of its {} × {} pixels can be read",
                info.columns, info.rows
            ),
        ),
        Err(error) => Finding::new(
            Severity::Fault,
            "source",
            format!("not all of its {} × {} pixels can be read: {error}", info.columns, info.rows),
        ),
    }
}

impl CheckedLayers {
    /// Checks every layer of some files as [`check()`] does, and keeps them open. `watch` is told how
    /// far it has come.
    ///
    /// # Errors
    /// As [`check()`].
    pub fn of(
        files: &[PathBuf],
        options: &CheckOptions,
        watch: &mut dyn Progress,
    ) -> Result<CheckedLayers> {
        let mut sheets: Vec<QualitySheet> = Vec::new();
        let mut layers: Vec<LayerReader> = Vec::new();
        let several = files.len() > 1;
        for file in files {
            #[cfg(feature = "rasters")]
            if RasterFormat::of_file(file).is_some() {
                let raster = RasterReader::open(file)?;
                let mut reader = LayerReader::of_layer(&raster.outline()?, file);
                if let (None, Some(crs)) = (&reader.info().crs, &options.crs) {
                    reader.assume(crs.clone());
                }
                let format = raster.info().format.name();
                // What columns are asked for is of layers.
                let placed =
                    CheckOptions { title: options.title.clone(), ..CheckOptions::default() };
                let placed = CheckOptions { expected: options.expected.clone(), ..placed };
                let mut sheet = sheet(&reader, &placed, several, watch)?;
                sheet.findings.insert(0, pixels(&raster));
                sheet.findings.sort_by_key(|finding| std::cmp::Reverse(finding.level));
                sheets.push(QualitySheet { format, ..sheet });
                layers.push(reader);
                continue;
            }
            let format = format_of(file)?;
            if format.is_table() {
                let (sheet, reader) = table_sheet(file, options, several, watch)?;
                sheets.push(QualitySheet { format: format.name(), ..sheet });
                layers.push(reader);
                continue;
            }
            let readers = match &options.layer {
                Some(layer) => vec![LayerReader::open(file, Some(layer))?],
                None => LayerReader::open_spatial(file)?,
            };
            let several = several || readers.len() > 1;
            for mut reader in readers {
                reader.reveal_key(&[&options.key[..], &options.complete[..]].concat());
                if let (None, Some(crs)) = (&reader.info().crs, &options.crs) {
                    reader.assume(crs.clone());
                }
                sheets.push(sheet(&reader, options, several, watch)?);
                layers.push(reader);
            }
        }
        Ok(CheckedLayers { report: together(sheets, options, several)?, layers })
    }
}

impl Layer {
    /// Its quality sheet: what it holds, where it lies, what is wrong with it.
    ///
    /// ```
    /// use velvet_peg::{Crs, Layer};
    /// use velvet_peg::check::CheckOptions;
    /// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4269)?));
    /// gates.push((120.0, 47.4), [("name", "Gate 7".into())])?; // a lost minus
    /// let sheet = gates.check(&CheckOptions::default())?;
    /// assert!(sheet.findings[0].text.contains("is a minus or W missing?"));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If a column that was named is missing.
    pub fn check(&self, options: &CheckOptions) -> Result<QualitySheet> {
        let reader = LayerReader::of_layer(self, Path::new(&self.info().name));
        sheet(&reader, options, false, &mut NoProgress).map_err(|error| error.without_file())
    }
}

/// Checks layers that are open already.
pub(crate) fn check_layers(
    readers: &[LayerReader],
    options: &CheckOptions,
    watch: &mut dyn Progress,
) -> Result<CheckReport> {
    let several = readers.len() > 1;
    let sheets = readers.iter().map(|reader| sheet(reader, options, several, watch));
    together(sheets.collect::<Result<_>>()?, options, several)
}

/// The sheets, and how their layers go together.
fn together(
    sheets: Vec<QualitySheet>,
    options: &CheckOptions,
    several: bool,
) -> Result<CheckReport> {
    for name in options.key.iter().chain(&options.complete) {
        let has = |sheet: &QualitySheet| {
            sheet.fields.iter().any(|field| field.name.eq_ignore_ascii_case(name))
        };
        if several && !sheets.iter().any(has) {
            return Err(Error::usage(format!("none of the layers has a column `{name}`")));
        }
    }
    let agreement = (sheets.len() > 1).then(|| Agreement::of(&sheets));
    Ok(CheckReport { title: options.title.clone(), sheets, agreement })
}

/// A table is checked as the points that it makes.
fn table_sheet(
    file: &Path,
    options: &CheckOptions,
    several: bool,
    watch: &mut dyn Progress,
) -> Result<(QualitySheet, LayerReader)> {
    let folder = TemporaryFolder::new()?;
    let points = folder.path().join("points.gpkg");
    let build = BuildPoints {
        columns: options.columns.clone(),
        packed: false,
        build: BuildOptions {
            crs: options.crs.clone(),
            table: options.table.clone(),
            write: WriteOptions { verify: Some(false), ..WriteOptions::default() },
            ..BuildOptions::default()
        },
    };
    let outcome = build.run(file, &points)?;
    let reader = LayerReader::open(&points, None)?;
    let mut sheet =
        sheet(&reader, options, several, watch).map_err(|e| e.shown_as(&points, file))?;
    sheet.source = file.to_path_buf();
    sheet.unreadable = outcome.rejected.count;
    sheet.crs_known = if options.crs.is_some() { "given" } else { "missing" };
    if let Some((row, reason)) = outcome.rejected.first.first() {
        let text = format!(
            "{} rows have no coordinates that can be used; the first, row {row}: {reason}",
            outcome.rejected.count
        );
        sheet.findings.insert(0, Finding::new(Severity::Fault, "source", text));
    }
    Ok((sheet, reader.keeping(folder)))
}

/// What takes time to tell of a geometry.
struct Shape {
    digest: u64,
    flaws: Vec<(FlawKind, (f64, f64))>,
}

fn sheet(
    reader: &LayerReader,
    options: &CheckOptions,
    several: bool,
    watch: &mut dyn Progress,
) -> Result<QualitySheet> {
    let info = reader.info();
    let mut sheet = empty_sheet(reader, info);
    let mut findings = Vec::new();
    let mut add = |finding: Finding| findings.push(finding);
    for notice in &reader.notices {
        add(Finding::new(notice.severity, "source", notice.text.clone()));
    }
    let names: Vec<String> = info.schema.fields().iter().map(|f| f.name().clone()).collect();
    let places = |wanted: &[String]| -> Result<Vec<usize>> {
        let place = |name: &String| position(&names, name, None);
        wanted.iter().map(place).collect::<Result<_>>().map_err(|e| e.in_file(reader.path()))
    };
    // Of several layers those are held to a key, or to columns filled, that have them.
    let asked = |wanted: &[String]| match places(wanted) {
        Err(error) if !several => Err(error),
        found => Ok(found.unwrap_or_default()),
    };
    let (key, complete) = (asked(&options.key)?, asked(&options.complete)?);
    let mut blank: Vec<Cases> = complete.iter().map(|_| Cases::default()).collect();
    let mut fields = Fields::new(&info.schema);
    let mut coordinates = Coordinates::new(info.crs.as_ref());
    let mut seen = Seen::default();
    let path = reader.path();
    let look = |batch: Batch| {
        afford(Work::Flaws, &batch.geometry, batch.first, path)?;
        let made = (0..batch.geometry.len()).map(|feature| {
            batch.geometry.kinds()[feature].map(|_| Shape {
                digest: digest(&batch.geometry, feature),
                flaws: flaws_in(info.crs.as_ref(), &batch.geometry, feature),
            })
        });
        let shapes: Vec<Option<Shape>> = made.collect();
        Ok((batch, shapes))
    };
    reader.for_each_made(watch, look, &mut |(batch, shapes)| {
        for record in &batch.unreadable {
            sheet.unreadable += 1;
            seen.unreadable.add(|| format!("record {}: {}", record.number, record.reason));
        }
        let columns = batch.columns();
        let key_columns: Vec<AttributeColumn<'_>> =
            key.iter().filter_map(|at| columns.get(*at).copied()).collect();
        for (feature, shape) in shapes.into_iter().enumerate() {
            let number = batch.first + feature as u64;
            sheet.features += 1;
            fields.add(&columns, feature);
            let value = |column: &AttributeColumn<'_>| column.value(feature).to_string();
            let at = || {
                let first = batch.geometry.vertices(feature).next()?;
                Some((batch.geometry.x[first], batch.geometry.y[first]))
            };
            if !key.is_empty() {
                let values: Vec<String> = key_columns.iter().map(value).collect();
                seen.key(&values, number, at());
            }
            for (column, blank) in complete.iter().zip(&mut blank) {
                let filled = columns.get(*column).is_some_and(|c| !value(c).trim().is_empty());
                if !filled {
                    blank.add(number, at(), || number.to_string());
                }
            }
            let (Some(kind), Some(shape)) = (batch.geometry.kinds()[feature], shape) else {
                sheet.without_geometry += 1;
                continue;
            };
            *sheet.kinds.entry(kind.name()).or_default() += 1;
            sheet.vertices += batch.geometry.vertices(feature).len() as u64;
            seen.geometries.push(shape.digest, number, at().unwrap_or_default())?;
            coordinates.add(&batch.geometry, feature, number);
            sheet.invalid += u64::from(seen.flaws(shape.flaws, number));
        }
        Ok(())
    })?;
    seen.tell(&mut sheet, options, info.crs.as_ref(), !key.is_empty(), &mut add)?;
    sheet.fields = fields.finish();
    for (at, blank) in complete.into_iter().zip(blank) {
        let field = &sheet.fields[at];
        if blank.count() > 0 {
            let text = format!(
                "{} is blank in {} of {} features: {}",
                field.name,
                blank.count(),
                sheet.features,
                blank.listed()
            );
            add(Finding::new(Severity::Fault, "fields", text).at(blank.places()));
        }
    }
    for field in &sheet.fields {
        if let Some(note) = &field.note {
            let text = format!("{}: {note}", field.name);
            add(Finding::new(Severity::Warning, "fields", text));
        }
    }
    coordinates.finish(reader, &mut sheet, &mut add)?;
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.level));
    sheet.findings = findings;
    Ok(sheet)
}

fn empty_sheet(reader: &LayerReader, info: &LayerInfo) -> QualitySheet {
    QualitySheet {
        source: reader.path().to_path_buf(),
        format: reader.format().name(),
        layer: info.name.clone(),
        features: 0,
        unreadable: 0,
        kinds: BTreeMap::new(),
        without_geometry: 0,
        duplicate_geometries: 0,
        invalid: 0,
        vertices: 0,
        has_z: info.has_z,
        crs: info.crs.as_ref().map(Crs::label),
        crs_known: if info.crs.is_some() { info.crs_origin.name() } else { "missing" },
        unit: info.crs.as_ref().map(Crs::unit_plural),
        other_foot: None,
        extent: None,
        extent_degrees: None,
        area_of_use: info.crs.as_ref().map(|crs| crs.extent().name().to_string()),
        outside_area_of_use: 0,
        decimals: BTreeMap::new(),
        fields: Vec::new(),
        key: None,
        findings: Vec::new(),
        sample: Vec::new(),
        system: info.crs.clone(),
    }
}

/// Positions in degrees from Greenwich of coordinates of a system; those that cannot be carried
/// are left out.
fn in_degrees(crs: &Crs, points: &[(f64, f64)]) -> Vec<Geographic> {
    let Some(home) = crs.in_degrees() else { return Vec::new() };
    let Ok(converter) = Converter::new(crs, &home) else { return Vec::new() };
    points
        .iter()
        .filter_map(|(x, y)| converter.convert(Coordinate::xy(*x, *y)).ok())
        .map(|at| home.from_greenwich(at))
        .collect()
}
