//! Fitting a layer to what a format can hold: its reference system, the names and types of its
//! columns; and saying what is lost by it before anything is written.

use super::clean_names::cleaned;
use super::held_values::{HeldValues, as_text};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{Attributes, Capability, FOREIGN, Systems, WriteOptions, declared};
use crate::geometry::antimeridian::{self, Cut};
use crate::layer::{Batch, LayerInfo};
use crate::notice::{Notice, NoticeKind};
use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use std::borrow::Cow;
use std::path::Path;
use std::sync::Arc;
use velvet_peg_core::crs::Height;
use velvet_peg_core::definition::{Unsaid, unsaid_in_wkt1};
use velvet_peg_core::{Converter, Crs};

/// How the batches of a layer become ones that a format can hold.
#[derive(Debug)]
pub(super) struct SchemaAdapter {
    schema: SchemaRef,
    /// Columns that become text.
    texts: Vec<bool>,
    changed: bool,
    converter: Option<Converter>,
    drops_m: bool,
    /// Features have heights at every vertex or at none.
    whole_z: bool,
    /// Features have measures at every vertex or at none; some formats have a number that stands
    /// for none.
    whole_m: bool,
    format: Format,
    /// Values as the format holds them.
    held: HeldValues,
    /// Features that were cut at the antimeridian.
    cut: Cut,
    /// Vertices of longitude 180° that are of -180° now.
    turned: u64,
    /// Features that lost heights that they had at some vertices, and measures.
    without: (u64, u64),
}

/// What fitting a layer comes to.
pub(super) struct Adapted {
    pub(super) adapter: SchemaAdapter,
    /// The layer as the format will hold it.
    pub(super) info: LayerInfo,
    /// What is lost, each with what is done about it.
    pub(super) losses: Vec<Notice>,
    /// What else is worth knowing.
    pub(super) remarks: Vec<Notice>,
}

impl SchemaAdapter {
    pub(super) fn plan(
        path: &Path,
        format: Format,
        info: &LayerInfo,
        options: &WriteOptions,
    ) -> Result<Adapted> {
        let capability = format.capability();
        let name = format.name();
        let (mut losses, mut remarks) = (Vec::new(), Vec::new());
        let mut adapted = info.clone();
        let converter = match capability.systems {
            _ if info.bare => None,
            Systems::Wgs84 => wgs84(path, format, info, &mut losses, &mut remarks)?,
            // A file beside it may tell the system.
            Systems::None => {
                if let Some(crs) = info.crs.as_ref().filter(|_| !options.text.metadata) {
                    losses.push(Notice::note(
                        NoticeKind::FormatLimit,
                        format!(
                            "{name} has no place for a reference system: note that {} is in {}",
                            path.display(),
                            crs.label()
                        ),
                    ));
                }
                None
            }
            Systems::SideFile => {
                losses
                    .extend(info.crs.as_ref().and_then(|crs| unsaid(name, path, crs, info.has_z)));
                None
            }
            Systems::Any => None,
        };
        if converter.is_some() {
            adapted.crs = Some(Crs::from_epsg(4326)?);
            adapted.extent = None;
        }
        if info.has_m && !capability.m {
            losses.push(Notice::warning(
                NoticeKind::FormatLimit,
                format!("{name} cannot hold the measures (M) of vertices: they are left out"),
            ));
            adapted.has_m = false;
        }
        if capability.attributes == Attributes::Extensions && !info.schema.fields().is_empty() {
            losses.push(Notice::note(
                NoticeKind::FormatLimit,
                format!(
                    "{name} has no columns of its own for attributes: they are written as \
                     extensions, which Velvet Peg reads back and other programs may pass over"
                ),
            ));
        }
        let (schema, texts) = columns(capability, info, &mut losses);
        let changed = schema != info.schema;
        adapted.schema = schema.clone();
        let drops_m = info.has_m && !capability.m;
        // Well-known text has no word for a missing number (ISO 19125-1 clause 7).
        let (whole_z, whole_m) =
            (!capability.partial_z || options.wkt, !capability.partial_m || options.wkt);
        let without = (0, 0);
        let held = HeldValues::new(format);
        let adapter = SchemaAdapter {
            schema,
            texts,
            changed,
            converter,
            drops_m,
            whole_z,
            whole_m,
            format,
            held,
            cut: Cut::default(),
            turned: 0,
            without,
        };
        Ok(Adapted { adapter, info: adapted, losses, remarks })
    }

    /// A batch as the format will hold it.
    pub(super) fn apply<'a>(&mut self, batch: &'a Batch) -> Result<Cow<'a, Batch>> {
        let bare = batch.geometry.kinds().iter().position(Option::is_none);
        if let Some(at) = bare.filter(|_| !self.format.capability().no_geometry) {
            return Err(Error::data(format!(
                "feature {} has no geometry, and {} has no place for it",
                batch.first + at as u64,
                self.format.name()
            )));
        }
        let mut batch = Cow::Borrowed(batch);
        if self.changed {
            let attributes = self.attributes(batch.attributes())?;
            batch = Cow::Owned(batch.into_owned().with_attributes(attributes)?);
        }
        let columns = batch.attributes().columns().iter().zip(self.schema.fields());
        let held: Vec<Option<ArrayRef>> =
            columns.map(|(column, field)| self.held.column(column, field)).collect();
        if held.iter().any(Option::is_some) {
            let attributes = batch.attributes();
            let columns = attributes.columns().iter().zip(held);
            let columns = columns.map(|(column, held)| held.unwrap_or_else(|| column.clone()));
            let (schema, columns) = (attributes.schema(), columns.collect());
            let attributes = RecordBatch::try_new(schema, columns)?;
            batch = Cow::Owned(batch.into_owned().with_attributes(attributes)?);
        }
        if self.drops_m && batch.geometry.has_m() {
            batch.to_mut().geometry.m.clear();
        }
        if let Some(converter) = &self.converter {
            let failed = batch.to_mut().geometry.convert(converter);
            if failed > 0 {
                return Err(Error::data(format!(
                    "{failed} vertices cannot be carried to WGS 84, which {} demands: is the \
                     declared reference system right?",
                    self.format.name()
                )));
            }
        }
        if self.format.capability().cut_at_180
            && let Some((geometry, told)) = antimeridian::cut(&batch.geometry)
        {
            batch.to_mut().geometry = geometry;
            self.cut.cut += told.cut;
            self.cut.around_pole += told.around_pole;
            self.cut.flat += told.flat;
        }
        if self.format.capability().below_180 && batch.geometry.x.contains(&180.0) {
            for x in batch.to_mut().geometry.x.iter_mut().filter(|x| **x == 180.0) {
                *x = -180.0;
                self.turned += 1;
            }
        }
        if self.whole_z && batch.geometry.has_z() {
            self.without.0 += batch.to_mut().geometry.drop_partial(false);
        }
        if self.whole_m && batch.geometry.has_m() {
            self.without.1 += batch.to_mut().geometry.drop_partial(true);
        }
        Ok(batch)
    }

    /// What was done on the way by which nothing is lost.
    pub(super) fn remarks(&self) -> Vec<Notice> {
        let Cut { cut, around_pole, flat } = self.cut;
        let name = self.format.name();
        let are = |count: u64| if count == 1 { "feature crosses" } else { "features cross" };
        let parts = Notice::note(
            NoticeKind::Shape,
            format!(
                "{cut} {} the antimeridian: cut there into parts, as {name} has it (edges of more \
                 than 180° go the shorter way)",
                are(cut)
            ),
        )
        .count(cut);
        let whole = Notice::warning(
            NoticeKind::Shape,
            format!(
                "features around a pole: {around_pole}; they cannot be cut at the antimeridian and \
                 stay as they are, which readers of {name} show as bands around the Earth"
            ),
        )
        .count(around_pole);
        let flat_whole = Notice::warning(
            NoticeKind::Shape,
            format!("features without an area that cross the antimeridian: {flat}; they are not cut, and stay as they are"),
        )
        .count(flat);
        let turned = Notice::note(
            NoticeKind::Shape,
            format!(
                "places of longitude 180°: {}; {name} has longitudes below 180°, they are written as \
                 -180°, which is the same meridian",
                self.turned
            ),
        )
        .count(self.turned);
        let worth = [
            (cut > 0).then_some(parts),
            (around_pole > 0).then_some(whole),
            (flat > 0).then_some(flat_whole),
            (self.turned > 0).then_some(turned),
        ];
        worth.into_iter().flatten().collect()
    }

    /// What was lost on the way.
    pub(super) fn losses(&self) -> Vec<Notice> {
        let lost = |count: u64, what: &str| {
            let have = if count == 1 { "feature has" } else { "features have" };
            let text = format!(
                "{count} {have} {what} at some vertices only, and {} has no word for a missing \
                 one: written without any",
                self.format.name()
            );
            (count > 0).then(|| Notice::warning(NoticeKind::FormatLimit, text))
        };
        [lost(self.without.0, "heights"), lost(self.without.1, "measures")]
            .into_iter()
            .flatten()
            .chain(self.held.losses())
            .collect()
    }

    fn attributes(&self, attributes: &RecordBatch) -> Result<RecordBatch> {
        let columns: Vec<ArrayRef> = attributes
            .columns()
            .iter()
            .zip(self.schema.fields())
            .zip(&self.texts)
            .map(|((column, field), text)| match text {
                true => as_text(column, field.name()),
                false => Ok(column.clone()),
            })
            .collect::<Result<_>>()?;
        let options = RecordBatchOptions::new().with_row_count(Some(attributes.num_rows()));
        Ok(RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)?)
    }
}

/// The way to WGS 84 for formats that hold nothing else.
fn wgs84(
    path: &Path,
    format: Format,
    info: &LayerInfo,
    losses: &mut Vec<Notice>,
    remarks: &mut Vec<Notice>,
) -> Result<Option<Converter>> {
    let name = format.name();
    let crs = info.crs.as_ref().ok_or_else(|| {
        Error::usage(format!(
            "{name} is always WGS 84 longitude and latitude, and this layer has no reference \
             system to convert from; a .gpkg takes it as it is"
        ))
        .advise(Advice::Declare(None))
        .in_file(path)
    })?;
    let metres =
        |crs: &Crs| matches!(crs.height(), Height::Ellipsoidal(unit) if unit.metres() == 1.0);
    if info.has_z && !metres(crs) {
        let surface = format.capability().height_surface.unwrap_or("sea level");
        remarks.push(Notice::warning(
            NoticeKind::Height,
            format!(
                "readers of {name} take heights as metres above {surface}; these are written as \
                 they are, whatever their unit and surface"
            ),
        ));
    }
    if matches!(crs.code(), Some(4326 | 4979)) {
        return Ok(None);
    }
    let converter = Converter::new(crs, &Crs::from_epsg(4326)?)?;
    losses.push(Notice::note(
        NoticeKind::Carried,
        format!(
            "{name} is WGS 84 longitude and latitude by its standard and cannot keep {}: converted \
             back by {}. Write a .gpkg to keep it",
            crs.label(),
            converter.route().summary()
        ),
    ));
    Ok(Some(converter))
}

/// The columns as the format can hold them, and which of them become text.
fn columns(
    capability: &Capability,
    info: &LayerInfo,
    losses: &mut Vec<Notice>,
) -> (SchemaRef, Vec<bool>) {
    let name = capability.name;
    let fields = info.schema.fields();
    let names: Vec<&str> = fields.iter().map(|field| field.name().as_str()).collect();
    let clean = cleaned(&names, capability.name_bytes);
    let mapping: Vec<String> = names
        .iter()
        .zip(&clean)
        .filter(|(old, new)| old != new)
        .map(|(old, new)| format!("`{old}` as `{new}`"))
        .collect();
    if !mapping.is_empty() {
        let why = match capability.name_bytes {
            Some(bytes) => format!("{name} holds names of up to {bytes} plain letters"),
            None => "readers stumble over some names".to_string(),
        };
        losses.push(Notice::warning(
            NoticeKind::ColumnChange,
            format!("{why}: written are {}", mapping.join(", ")),
        ));
    }
    let mut texts = Vec::new();
    let (mut bytes, mut times, mut dates, mut clocks) =
        (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    let adapted: Vec<Field> = fields
        .iter()
        .zip(clean)
        .map(|(field, clean)| {
            let text = field.data_type() == &DataType::Binary && !capability.bytes;
            if text {
                bytes.push(format!("`{}`", field.name()));
            }
            let foreign = capability.foreign_types && field.metadata().contains_key(FOREIGN);
            match declared(field) {
                "DATETIME" if !capability.times => times.push(format!("`{}`", field.name())),
                "DATE" if !capability.dates => dates.push(format!("`{}`", field.name())),
                "TIME" if !capability.times_of_day && !foreign => {
                    clocks.push(format!("`{}`", field.name()));
                }
                _ => {}
            }
            texts.push(text);
            let kind = if text { DataType::Utf8 } else { field.data_type().clone() };
            Field::new(clean, kind, true).with_metadata(field.metadata().clone())
        })
        .collect();
    for (columns, what, done) in [
        (bytes, "bytes", "written as hexadecimal text"),
        (times, "dates with a time", "written as text"),
        (dates, "dates", "written as text"),
        (clocks, "times of the day", "written as text"),
    ] {
        if !columns.is_empty() {
            losses.push(Notice::warning(
                NoticeKind::FormatLimit,
                format!(
                    "{name} cannot hold {what}: {} {} {done}",
                    columns.join(", "),
                    if columns.len() == 1 { "is" } else { "are" }
                ),
            ));
        }
    }
    if info.kind.is_none() && !info.bare && !capability.mixed_kinds && info.count != Some(0) {
        losses.push(Notice::warning(
            NoticeKind::FormatLimit,
            format!(
                "{name} holds one kind of geometry a file: points, lines and polygons go to files \
                 of their own if there are several kinds"
            ),
        ));
    }
    (Arc::new(Schema::new(adapted)), texts)
}

/// What a side file cannot say of a system.
fn unsaid(format: &str, path: &Path, crs: &Crs, has_heights: bool) -> Option<Notice> {
    let path = path.display();
    let text = match unsaid_in_wkt1(crs)? {
        Unsaid::System => format!(
            "the file beside a {format} cannot say {}: {path} has none, so note its system. Write a .gpkg to \
             keep it",
            crs.label()
        ),
        Unsaid::EllipsoidalHeight if !has_heights => return None,
        Unsaid::EllipsoidalHeight => format!(
            "the file beside a {format} has no word for heights above the ellipsoid: note that those of \
             {path} are, in {}. Write a .gpkg to keep that",
            crs.label()
        ),
    };
    Some(Notice::warning(NoticeKind::FormatLimit, text))
}
