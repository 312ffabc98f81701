//! Carrying a layer into another format, another reference system, or both.

use super::carried::{Carried, sift};
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::WriteOptions;
use crate::layer::{Batch, CrsOrigin, Extender, Unreadable, no_system};
use crate::layer_io::{LayerReader, LayerWriter};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::{Rejects, RejectsTo, layer_columns};
use crate::outcome::{Summary, nothing_left};
use crate::output::refuse_existing;
use crate::plausibility::{Evidence, MIDDLE, no_way, wrong_zone};
use crate::progress::{NoProgress, Progress};
use crate::reproject::{Way, area_of, heights_in_space, no_heights, raises};
use crate::select::{Planned, Selection};
use std::path::{Path, PathBuf};
use velvet_peg_core::{Bounds, Converter, Crs};

/// Carries a layer into another format, another reference system, or both.
#[derive(Clone, Debug, Default)]
pub struct ConvertLayer {
    /// Reference system to carry it to; none to leave it in its own.
    pub target: Option<Crs>,
    /// Which way it is carried there.
    pub way: Way,
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
        let names = layer_columns(&reader.info().schema);
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
        let mut outcome = Summary { notices: reader.notices.clone(), ..Summary::default() };
        if let (Some(crs), CrsOrigin::SideFile) = (&info.crs, info.crs_origin) {
            outcome.notices.push(Notice::note(
                NoticeKind::System,
                format!("the reference system is from a side file: {}", crs.label()),
            ));
        }
        // What is computed is computed from the features as they come out.
        let mut carried = info.clone();
        if self.target.is_some() {
            carried.crs.clone_from(&self.target);
        }
        let selection = self.select.plan(&carried).map_err(|error| error.in_file(reader.path()))?;
        // Features that are left out have no say in the choice of the way.
        let chosen = self.target.is_some() && self.select.condition.is_some();
        let extent = match chosen && !selection.condition_takes_geometry() {
            true => kept_extent(reader, &selection, watch)?.or(info.extent),
            false => info.extent,
        };
        let converter = self.converter(reader, extent)?;
        outcome.notices.extend(selection.notices());
        outcome.notices.extend(coordinates_in_expressions(&selection, converter.as_ref()));
        let mut described = info.clone();
        described.schema = selection.schema.clone();
        let to_space = converter.as_ref().is_some_and(raises);
        let (mut flat, mut vertices) = (0, 0);
        if let Some(converter) = &converter {
            described.take_conversion(converter);
            described.has_z |= to_space;
        }
        let mut writer = LayerWriter::create(out, &described, options)?;
        outcome.notices.append(&mut writer.notices);
        let before_these = rejects.count();
        let mut evidence = Evidence::new(info, info.crs.as_ref());
        // Some formats have no place for features without a geometry.
        let format = Format::of_output(out)?;
        let lacks = (!format.capability().no_geometry).then(|| format.name());
        let bare =
            |batch: &Batch| lacks.is_some() && batch.geometry.kinds().iter().any(Option::is_none);
        let bring = |mut batch: Batch| -> Result<Brought> {
            let unreadable = std::mem::take(&mut batch.unreadable);
            let features = batch.len() as u64;
            let numbers: Vec<u64> = (0..features).map(|n| batch.first + n).collect();
            let mut kept = Carried::of(batch, numbers, converter.as_ref());
            let mut left_out = 0;
            if let Some(mask) = selection.mask(&kept.batch)? {
                left_out = (mask.len() - mask.true_count()) as u64;
                kept = kept.filter(&mask)?;
            }
            let sifted = kept.failed || bare(&kept.batch);
            let shaped = if sifted { None } else { Some(selection.shape(kept.batch.clone())?) };
            Ok(Brought { unreadable, features, left_out, kept, shaped })
        };
        reader.for_each_made(watch, bring, &mut |brought| {
            let Brought { unreadable, features, left_out, mut kept, shaped } = brought;
            outcome.rows_in += features + unreadable.len() as u64;
            outcome.left_out += left_out;
            for record in unreadable {
                rejects.add_unreadable(&record, &info.name, &info.schema)?;
            }
            let source = kept.before.as_ref().unwrap_or(&kept.batch.geometry);
            evidence.add_as(&kept.batch, source);
            if converter.is_some() {
                flat += source.flat_vertices();
                vertices += source.x.len() as u64;
            }
            let shaped = match shaped {
                Some(shaped) => shaped,
                None => {
                    kept = sift(kept, rejects, info, lacks, converter.as_ref())?;
                    selection.shape(kept.batch)?
                }
            };
            writer.write(&shaped).map_err(|error| error.of_input(reader.path()))
        })?;
        if outcome.rows_in > 0 && rejects.count() - before_these == outcome.rows_in {
            let first = rejects.first().first().map_or("", |(_, reason)| reason.text.as_str());
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
            outcome.notices.extend(no_heights(converter, vertices, flat));
            if info.has_z && !converter.changes_height() {
                outcome.notices.push(Notice::note(
                    NoticeKind::Height,
                    "heights were carried as they are: neither their datum nor their unit was \
                     changed"
                        .to_string(),
                ));
            }
        }
        let middle = evidence.settle();
        // Where the source is wrong already, the target has nothing to tell.
        let wrong = || {
            let converter = converter.as_ref()?;
            wrong_zone(converter.source(), converter.target(), MIDDLE, middle?)
        };
        outcome.notices.extend(evidence.notice().or_else(wrong));
        let written = writer.finish()?;
        outcome.out = written.count;
        outcome.verified = written.verified;
        outcome.files = written.files;
        outcome.notices.extend(written.notices);
        outcome.notices.extend(nothing_left(outcome.left_out, outcome.out));
        outcome.converter = converter;
        Ok(outcome)
    }

    fn converter(&self, reader: &LayerReader, extent: Option<Bounds>) -> Result<Option<Converter>> {
        let Some(target) = &self.target else { return Ok(None) };
        let info = reader.info();
        let source = info.crs.as_ref().ok_or_else(|| no_system(info).in_file(reader.path()))?;
        let area = extent.as_ref().and_then(|extent| area_of(source, extent));
        let converter = Converter::plan(source, target, &self.way.plan(area));
        let no_way = |error| no_way(error, source, extent.or(info.extent).as_ref());
        Ok(Some(converter.map_err(|error| no_way(error).in_file(reader.path()))?))
    }
}

/// A batch on its way.
struct Brought {
    /// Records that could not be read.
    unreadable: Vec<Unreadable>,
    features: u64,
    left_out: u64,
    /// The features that are kept, as they are carried.
    kept: Carried,
    /// The same with the columns that come out; none where some have to be rejected first.
    shaped: Option<Batch>,
}

/// The box around the features that a condition keeps.
fn kept_extent(
    reader: &LayerReader,
    selection: &Planned,
    watch: &mut dyn Progress,
) -> Result<Option<Bounds>> {
    let mut extent = Extender::default();
    reader.for_each_watched(watch, &mut |batch| {
        match selection.mask(&batch)? {
            Some(mask) => extent.add(&Planned::filter(&batch, &mask)?.geometry),
            None => extent.add(&batch.geometry),
        }
        Ok(())
    })?;
    Ok(extent.bounds())
}

/// A word on the system of coordinates in expressions, where there are two that could be meant.
pub(crate) fn coordinates_in_expressions(
    selection: &Planned,
    converter: Option<&Converter>,
) -> Option<Notice> {
    let converter = converter.filter(|_| selection.takes_coordinates())?;
    Some(Notice::note(
        NoticeKind::Expression,
        format!(
            "coordinates in expressions are those of the output, in {} ({})",
            converter.target().label(),
            converter.target().unit_plural()
        ),
    ))
}
