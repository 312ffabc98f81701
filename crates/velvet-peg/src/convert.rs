//! Carrying layers and tables into another reference system.

use crate::added_columns::{AppendOptions, Session};
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{WriteOptions, coordinate_names, default_decimals};
use crate::home_system::{from_greenwich, home_system};
use crate::layer::{Batch, CrsOrigin, GeometryColumn, no_system};
use crate::layer_io::{LayerReader, LayerWriter};
use crate::notice::Notice;
use crate::output::{refuse_existing, rejects_path};
use crate::plausibility::PositionSample;
use crate::plausibility::wrong_zone;
use crate::plausibility::{CoordinateRange, FirstReasons};
use crate::progress::{NoProgress, Progress};
use crate::rejects::{Rejects, RejectsTo};
use crate::select::{Planned, Selection};
use crate::summary::{Summary, nothing_left};
use crate::table::{CoordinateColumns, Notation, read_pair};
use arrow_array::{Array, BooleanArray};
use csv::StringRecord;
use std::fmt::Write;
use std::path::{Path, PathBuf};
use velvet_peg_core::crs::Height;
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, PlanOptions};

/// Carries a layer into another format, another reference system, or both.
#[derive(Clone, Debug, Default)]
pub struct ConvertLayer {
    /// Reference system to carry it to; none to leave it in its own.
    pub target: Option<Crs>,
    /// Epoch of the coordinates, decimal years, for operations between moving frames.
    pub epoch: Option<f64>,
    /// Which features and columns are kept, and what is computed, from the features as they
    /// come out: coordinates in expressions are those of the target.
    pub select: Selection,
    /// How the features are written.
    pub write: WriteOptions,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

impl ConvertLayer {
    /// Converts feature by feature. Features with a vertex that cannot be converted, and
    /// records that cannot be read, go to the rejects with their number, the reason and their
    /// geometry as text.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{ConvertLayer, Crs, LayerReader};
    /// let reader = LayerReader::open(&file("fields.geojson"), None)?;
    /// let convert = ConvertLayer { target: Some(Crs::from_epsg(2285)?), ..ConvertLayer::default() };
    /// let outcome = convert.run(&reader, &file("fields.shp"))?;
    /// assert_eq!(outcome.out, 16);
    /// let converter = outcome.converter.expect("there was something to convert");
    /// assert_eq!(converter.route().accuracy_m(), Some(4.0)); // WGS 84 to NAD83
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the layer has no reference system and one is asked for, no operation joins the two,
    /// an output exists, or no feature can be converted.
    pub fn run(&self, reader: &LayerReader, out: &Path) -> Result<Summary> {
        self.run_watched(reader, out, &mut NoProgress)
    }

    /// As [`ConvertLayer::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`ConvertLayer::run`].
    pub fn run_watched(
        &self,
        reader: &LayerReader,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let replaces = self.write.replaces();
        refuse_existing(out, replaces)?;
        let names: Vec<String> = std::iter::once("geometry".to_string())
            .chain(reader.info().schema.fields().iter().map(|field| field.name().clone()))
            .collect();
        let to = RejectsTo {
            named: self.rejects.as_deref(),
            overwrite: self.write.overwrite || self.write.replace_file,
            append: self.write.append,
        };
        let mut rejects = Rejects::new(to, &[reader.path()], out, &names)?;
        let mut outcome = self.run_into(reader, out, &mut rejects, watch)?;
        outcome.rejected = rejects.finish()?;
        Ok(outcome)
    }

    /// As [`ConvertLayer::run`], with the rejects going to a file that is open already.
    pub(crate) fn run_into(
        &self,
        reader: &LayerReader,
        out: &Path,
        rejects: &mut Rejects,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let options = &self.write;
        let info = reader.info();
        let converter = self.converter(reader)?;
        let mut outcome = Summary { notices: reader.notices.clone(), ..Summary::default() };
        if let (Some(crs), CrsOrigin::SideFile) = (&info.crs, info.crs_origin) {
            outcome.notices.push(Notice::note(format!(
                "the reference system is from a side file: {}",
                crs.label()
            )));
        }
        // What is computed is computed from the features as they come out.
        let mut carried = info.clone();
        if let Some(converter) = &converter {
            carried.crs = Some(converter.target().clone());
        }
        let selection = self.select.plan(&carried).map_err(|error| error.in_file(reader.path()))?;
        outcome.notices.extend(selection.notices());
        outcome.notices.extend(coordinates_in_expressions(&selection, converter.as_ref()));
        let mut described = info.clone();
        described.schema = selection.schema.clone();
        let to_space = converter.as_ref().is_some_and(raises);
        let (mut flat, mut vertices) = (0, 0);
        if let Some(converter) = &converter {
            described.crs = Some(converter.target().clone());
            described.extent = None;
            described.has_z |= to_space;
        }
        let mut writer = LayerWriter::create(out, &described, options)?;
        outcome.notices.append(&mut writer.notices);
        let before_these = rejects.count();
        let mut cloud = PositionSample::default();
        // Some formats have no place for features without a geometry.
        let format = Format::of(out)?;
        let lacks = (!format.capability().no_geometry).then(|| format.name());
        let bare =
            |batch: &Batch| lacks.is_some() && batch.geometry.kinds().iter().any(Option::is_none);
        reader.for_each_batch(&mut |mut batch| {
            watch.at(batch.first, info.count);
            outcome.rows_in += (batch.geometry.len() + batch.unreadable.len()) as u64;
            for record in std::mem::take(&mut batch.unreadable) {
                rejects.add(record.number, &record.reason, [record.original.as_str()])?;
            }
            let numbers: Vec<u64> =
                (0..batch.geometry.len() as u64).map(|n| batch.first + n).collect();
            let mut kept = Carried::of(batch, numbers, converter.as_ref());
            if let Some(mask) = selection.mask(&kept.batch)? {
                outcome.left_out += (mask.len() - mask.true_count()) as u64;
                kept = kept.filter(&mask)?;
            }
            let source = kept.before.as_ref().unwrap_or(&kept.batch.geometry);
            for (x, y) in source.x.iter().zip(&source.y) {
                cloud.gather(*x, *y);
            }
            if converter.is_some() {
                flat += source.flat_vertices();
                vertices += source.x.len() as u64;
            }
            if kept.failed || bare(&kept.batch) {
                kept = sift(kept, rejects, info.crs.as_ref(), lacks)?;
            }
            writer.write(&selection.shape(kept.batch)?)
        })?;
        if outcome.rows_in > 0 && rejects.count() - before_these == outcome.rows_in {
            let first = rejects.first().first().map_or("", |(_, reason)| reason.as_str());
            return Err(Error::data(match &converter {
                Some(converter) => format!(
                    "none of the {} features can be carried from {} to {}: is the declared system \
                     right? The first: {first}",
                    outcome.rows_in,
                    converter.source().label(),
                    converter.target().label()
                ),
                None => {
                    format!("none of the {} features can be used: {first}", outcome.rows_in)
                }
            })
            .in_file(reader.path()));
        }
        if let Some(converter) = &converter {
            outcome.notices.extend(heights_in_space(converter, flat, vertices));
            if info.has_z && !converter.changes_height() {
                outcome.notices.push(Notice::note(
                    "heights were carried as they are: neither their datum nor their unit was \
                     changed"
                        .to_string(),
                ));
            }
            cloud.settle();
            let wrong = cloud
                .centre()
                .and_then(|middle| wrong_zone(converter.source(), converter.target(), middle));
            outcome.notices.extend(wrong);
        }
        let written = writer.finish()?;
        outcome.out = written.count;
        outcome.verified = written.verified;
        outcome.files = written.files;
        outcome.notices.extend(written.notices);
        outcome.notices.extend(nothing_left(outcome.left_out, outcome.out));
        outcome.converter = converter;
        Ok(outcome)
    }

    fn converter(&self, reader: &LayerReader) -> Result<Option<Converter>> {
        let Some(target) = &self.target else { return Ok(None) };
        let info = reader.info();
        let source =
            info.crs.as_ref().ok_or_else(|| no_system(&info.name).in_file(reader.path()))?;
        let area = info.extent.and_then(|extent| area_of(source, &extent));
        let plan = PlanOptions { area, epoch: self.epoch, ..PlanOptions::default() };
        let converter = Converter::plan(source, target, &plan);
        Ok(Some(converter.map_err(|error| Error::from(error).in_file(reader.path()))?))
    }
}

/// True if a converter leads from a plane or surface into space, where every place has a height.
pub(crate) fn raises(converter: &Converter) -> bool {
    converter.target().is_geocentric() && !converter.source().is_geocentric()
}

/// What is said where places without a height are carried into space.
pub(crate) fn heights_in_space(converter: &Converter, flat: u64, all: u64) -> Vec<Notice> {
    let mut notices = Vec::new();
    if !raises(converter) {
        return notices;
    }
    if all > flat && matches!(converter.source().height(), Height::None) {
        notices.push(Notice::warning(format!(
            "{} says nothing of heights: those of the data are taken as metres above the ellipsoid",
            converter.source().label()
        )));
    }
    if flat > 0 {
        notices.push(Notice::note(format!(
            "geocentric coordinates need a height: height 0, on the ellipsoid, is assumed at {flat} \
             {} without one",
            if flat == 1 { "place" } else { "places" }
        )));
    }
    notices
}

/// A word on the system of coordinates in expressions, where there are two that could be meant.
pub(crate) fn coordinates_in_expressions(
    selection: &Planned,
    converter: Option<&Converter>,
) -> Option<Notice> {
    let converter = converter.filter(|_| selection.takes_coordinates())?;
    Some(Notice::note(format!(
        "coordinates in expressions are those of the output, in {} ({})",
        converter.target().label(),
        converter.target().unit_plural()
    )))
}

/// Features on their way: converted, with what they were before.
struct Carried {
    batch: Batch,
    /// Their geometries before they were converted, if they were.
    before: Option<GeometryColumn>,
    /// Their numbers in the source.
    numbers: Vec<u64>,
    /// A vertex could not be converted.
    failed: bool,
}

impl Carried {
    fn of(mut batch: Batch, numbers: Vec<u64>, converter: Option<&Converter>) -> Carried {
        let before = converter.map(|_| batch.geometry.clone());
        let failed = converter.is_some_and(|converter| batch.geometry.convert(converter) > 0);
        Carried { batch, before, numbers, failed }
    }

    fn filter(self, mask: &BooleanArray) -> Result<Carried> {
        if mask.true_count() == mask.len() {
            return Ok(self);
        }
        let kept = |at: usize| mask.is_valid(at) && mask.value(at);
        let before = self.before.map(|before| {
            let mut column = GeometryColumn::new();
            (0..before.len()).filter(|at| kept(*at)).for_each(|at| column.push_from(&before, at));
            column
        });
        let numbers = self.numbers.iter().enumerate().filter(|(at, _)| kept(*at));
        Ok(Carried {
            numbers: numbers.map(|(_, number)| *number).collect(),
            batch: Planned::filter(&self.batch, mask)?,
            before,
            failed: self.failed,
        })
    }
}

/// Keeps the features whose vertices were all converted; rejects the others.
fn sift(
    carried: Carried,
    rejects: &mut Rejects,
    source: Option<&Crs>,
    lacks: Option<&str>,
) -> Result<Carried> {
    let Carried { batch, before, numbers, .. } = &carried;
    let before = before.as_ref().unwrap_or(&batch.geometry);
    let mut good = vec![true; batch.geometry.len()];
    for feature in 0..batch.geometry.len() {
        let bad =
            batch.geometry.vertices(feature).filter(|at| batch.geometry.x[*at].is_nan()).count();
        let bare = lacks.filter(|_| batch.geometry.kinds()[feature].is_none());
        let reason = match bare {
            Some(format) => format!("it has no geometry, and {format} has no place for it"),
            None if bad > 0 => format!(
                "{bad} vertices are out of range for {}",
                source.map_or("its system".to_string(), Crs::label)
            ),
            None => continue,
        };
        good[feature] = false;
        let mut original = vec![before.text_of(feature)];
        original.extend(batch.texts(feature));
        rejects.add(numbers[feature], &reason, original.iter().map(String::as_str))?;
    }
    Ok(Carried { failed: false, ..carried.filter(&BooleanArray::from(good))? })
}

/// A box of a system in degrees from Greenwich, from a few points of its outline and inside.
pub(crate) fn area_of(crs: &Crs, extent: &Bounds) -> Option<Bounds> {
    let home = home_system(crs)?;
    let converter = Converter::new(crs, &home).ok()?;
    let mut found = crate::layer::Extender::default();
    for i in 0..5 {
        for j in 0..5 {
            let x = extent.west + (extent.east - extent.west) * f64::from(i) / 4.0;
            let y = extent.south + (extent.north - extent.south) * f64::from(j) / 4.0;
            if let Ok(at) = converter.convert(Coordinate::xy(x, y)) {
                let at = from_greenwich(&home, at);
                found.point(at.lon, at.lat);
            }
        }
    }
    found.bounds()
}

/// Converts the coordinate columns of a text table.
#[derive(Clone, Debug)]
pub struct ConvertTable {
    /// Coordinate columns; guessed from the headers where not named.
    pub columns: CoordinateColumns,
    /// Reference system of the table's coordinates.
    pub source: Crs,
    /// Reference system to carry them to.
    pub target: Crs,
    /// Epoch of the coordinates, decimal years, for operations between moving frames.
    pub epoch: Option<f64>,
    /// Digits behind the point; none for 9 in degrees and 4 in lengths.
    pub decimals: Option<usize>,
    /// True if angles are packed as DDDMMSS.s.
    pub packed: bool,
    /// Where the table goes and how.
    pub append: AppendOptions,
}

impl ConvertTable {
    /// Keeps every column and appends the converted coordinates: `lon, lat` or `easting,
    /// northing` (and `height` where heights took part).
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{ConvertTable, Crs};
    /// use velvet_peg::added_columns::AppendOptions;
    /// use velvet_peg::table::CoordinateColumns;
    /// let convert = ConvertTable {
    ///     columns: CoordinateColumns {
    ///         x: Some("east".into()),
    ///         y: Some("north".into()),
    ///         ..CoordinateColumns::default()
    ///     },
    ///     source: Crs::from_epsg(2285)?,
    ///     target: Crs::from_epsg(4269)?,
    ///     epoch: None,
    ///     decimals: Some(7),
    ///     packed: false,
    ///     append: AppendOptions::default(),
    /// };
    /// let (outcome, _) = convert.run(&file("old-weirs.csv"), &file("weirs.csv"))?;
    /// assert_eq!(outcome.out, 16);
    /// assert!(std::fs::read_to_string(file("weirs.csv"))?.starts_with("weir,east,north,crest_ft,type,lon,lat"));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, no operation joins the systems, an
    /// output exists, or no row can be converted.
    pub fn run(&self, input: &Path, out: &Path) -> Result<(Summary, Converter)> {
        self.run_watched(input, out, &mut NoProgress)
    }

    /// As [`ConvertTable::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`ConvertTable::run`].
    pub fn run_watched(
        &self,
        input: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, Converter)> {
        let session = Session::open(input, &self.append)?;
        let head: Vec<StringRecord> = session.head().take(200).cloned().collect();
        let (found, why) = self
            .columns
            .find(&session.headers, &head, Some(&self.source))
            .map_err(|error| error.in_file(input))?;
        drop(head);
        let notation = if self.packed { Notation::Packed } else { Notation::Detected };
        let judge = CoordinateRange::new(Some(&self.source))?;
        let mut head = crate::layer::Extender::default();
        let mut cloud = PositionSample::default();
        let mut reasons = FirstReasons::default();
        let mut usable = 0;
        for (at, record) in session.head().enumerate() {
            match read_pair(record, &found, Some(&self.source), notation)
                .and_then(|(x, y, z)| judge.check(x, y).map(|()| (x, y, z)))
            {
                Ok((x, y, _)) => {
                    usable += 1;
                    head.point(x, y);
                    cloud.gather(x, y);
                }
                Err(reason) => reasons.add(at as u64 + 2, &reason, record, Some(&found)),
            }
        }
        if usable == 0 && session.is_short() && session.head().next().is_some() {
            return Err(Error::data(format!(
                "none of the rows has coordinates that can be used. {}",
                reasons.advice(Some(&self.source))
            ))
            .in_file(input));
        }
        cloud.settle();
        let area = head.bounds().and_then(|extent| area_of(&self.source, &extent));
        let options = PlanOptions { area, epoch: self.epoch, ..PlanOptions::default() };
        let converter = Converter::plan(&self.source, &self.target, &options)?;
        let heights = found.z.is_some() && converter.changes_height();
        let geocentric = self.target.is_geocentric();
        let mut columns: Vec<&str> = match geocentric {
            true => vec!["x", "y", "z"],
            false => coordinate_names(Some(&self.target)).to_vec(),
        };
        if heights && !geocentric {
            columns.push("height");
        }
        let decimals = self.decimals.unwrap_or(default_decimals(Some(&self.target)));
        let mut text = String::new();
        let mut flat = 0;
        let count = columns.len();
        let mut outcome = session.run(
            out,
            &columns,
            &mut |_, record| {
                let (x, y, z) = read_pair(record, &found, Some(&self.source), notation)?;
                flat += u64::from(z.is_none());
                let at = Coordinate { x, y, z: z.unwrap_or(0.0) };
                let to = converter.convert(at).map_err(|_| match judge.check(x, y) {
                    Err(reason) => reason,
                    Ok(()) => format!("{x}, {y} cannot be carried to {}", self.target.label()),
                })?;
                for (at, value) in [to.x, to.y, to.z].into_iter().take(count).enumerate() {
                    text.clear();
                    // A height that is not there stays blank.
                    if at < 2 || z.is_some() || geocentric {
                        write!(text, "{value:.decimals$}").map_err(|error| error.to_string())?;
                    }
                    record.push_field(&text);
                }
                Ok(())
            },
            watch,
        )?;
        outcome.notices.splice(..0, why);
        outcome.notices.extend(heights_in_space(&converter, flat, outcome.rows_in));
        let astray = cloud.against(&self.source);
        // Where the source is wrong already, the target has nothing to tell.
        let wrong = || wrong_zone(&self.source, &self.target, cloud.centre()?);
        outcome.notices.extend(astray.or_else(wrong));
        Ok((outcome, converter))
    }
}

/// The warnings that a route deserves: shifts known only to metres, operations that do not
/// cover the data, better ones that need a file.
///
/// ```
/// use velvet_peg::{Converter, Crs};
/// use velvet_peg::convert::route_notices;
/// let converter = Converter::new(&Crs::from_epsg(4269)?, &Crs::from_epsg(4326)?)?;
/// assert!(route_notices(&converter)[0].text.contains("changes no number"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
pub fn route_notices(converter: &Converter) -> Vec<Notice> {
    let route = converter.route();
    let mut notices = Vec::new();
    if let Some((code, name, accuracy)) = converter.height_change() {
        let known =
            accuracy.map_or("accuracy not stated".to_string(), |m| format!("known to {m} m"));
        notices.push(Notice::note(format!("heights changed by {name} [EPSG:{code}] ({known})")));
    }
    if route.operations().next().is_none() {
        return notices;
    }
    let known = route
        .accuracy_m()
        .map_or("an accuracy that is not stated".to_string(), |m| format!("{m} m"));
    if route.is_unknown_shift() {
        notices.push(Notice::warning(format!(
            "{} and {} are different datums, but the operation between them changes no number: \
             true positions may differ from the result by up to about {known}",
            converter.source().datum().map_or("", |datum| datum.name()),
            converter.target().datum().map_or("", |datum| datum.name())
        )));
    } else if route.accuracy_m().is_none_or(|metres| metres >= 0.5) {
        notices.push(Notice::warning(format!("the change of datum is known to {known} only")));
    }
    if !route.covers_area {
        let areas: Vec<&str> =
            route.operations().map(|operation| operation.extent().name()).collect();
        notices.push(Notice::warning(format!(
            "some of the data lies outside the area that the operation is meant for ({})",
            areas.join("; ")
        )));
    }
    if let Some(better) = route.unavailable.first() {
        let metres = better.accuracy_m.map_or(String::new(), |m| format!(" ({m} m)"));
        let more = match route.unavailable.len() - 1 {
            0 => String::new(),
            more => format!(", and {more} more"),
        };
        notices.push(Notice::note(format!(
            "a more accurate operation exists: {} [EPSG:{}]{metres} needs {}{more}",
            better.name, better.code, better.needs
        )));
    }
    notices
}

/// Path beside an output for its rejects, for callers that announce it.
///
/// ```
/// use std::path::Path;
/// assert_eq!(velvet_peg::convert::rejects_beside(Path::new("a/gates.gpkg")), Path::new("a/gates.gpkg.rejects.csv"));
/// ```
pub fn rejects_beside(out: &Path) -> PathBuf {
    rejects_path(out)
}
