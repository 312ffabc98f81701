//! Reading: the geometry column once, to tell kinds and box, then everything in batches.

use super::container::{Container, Facts};
use super::native::{Native, kind_of};
use crate::error::Result;
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::format_support::{Source, wkb};
use crate::layer::attribute_types::{as_text, held_column, held_field};
use crate::layer::{
    AttributeColumn, Batch, BatchBuilder, CrsOrigin, GeometryColumn, GeometryKind, LayerInfo,
    LeftOut, SchemaInference, Taken, Unread, Unreadable, Value,
};
use crate::notice::{Notice, NoticeKind};
use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, BinaryArray};
use arrow_schema::{DataType, Field};
use serde_json::Value as Json;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, definition};

#[derive(Debug)]
struct Columns {
    container: Container,
    path: PathBuf,
    geometry: String,
    encoding: Encoding,
    /// The columns of attributes, by their names in the file.
    columns: Vec<String>,
    /// That of curves, in the units of the coordinates.
    tolerance: f64,
}

#[derive(Clone, Copy, Debug)]
enum Encoding {
    Wkb,
    Native(GeometryKind),
    /// Rows without a geometry.
    None,
}

pub(super) fn open(
    container: Container,
    path: &Path,
    options: &ReadOptions,
) -> Result<OpenedLayer> {
    let facts = container.facts(path)?;
    let mut opened = match &facts.metadata {
        Some(text) => open_stated(container, path, &facts, text, options)?,
        None => open_plain(container, path, &facts, options)?,
    };
    opened.0.description = facts.description.filter(|text| !text.is_empty());
    Ok(opened)
}

/// A file with the metadata of GeoParquet.
fn open_stated(
    container: Container,
    path: &Path,
    facts: &Facts,
    text: &str,
    options: &ReadOptions,
) -> Result<OpenedLayer> {
    let wrong = |what: String| container.wrong(path, what);
    let metadata: Json = serde_json::from_str(text).map_err(|e| wrong(e.to_string()))?;
    let geometry = metadata["primary_column"].as_str().unwrap_or("geometry").to_string();
    let entry = &metadata["columns"][geometry.as_str()];
    let name = entry["encoding"].as_str().unwrap_or("WKB");
    let encoding = match (name, kind_of(name)) {
        ("WKB", _) => Encoding::Wkb,
        (_, Some(kind)) => Encoding::Native(kind),
        _ => return Err(wrong(format!("geometries are encoded as {name}"))),
    };
    let mut notices = Vec::new();
    let (crs, origin) = system(entry.get("crs"), &mut notices)?;
    // A column of boxes only serves to find rows.
    let boxes = entry.pointer("/covering/bbox/xmin/0").and_then(Json::as_str).unwrap_or_default();
    let others: Vec<&Field> = facts
        .schema
        .fields()
        .iter()
        .map(AsRef::as_ref)
        .filter(|field| *field.name() != geometry && field.name() != boxes)
        .collect();
    let fields: Vec<Field> = others.iter().map(|field| field_of(field)).collect();
    let columns_of: Vec<String> = others.iter().map(|field| field.name().clone()).collect();
    let tolerance = options.tolerance_in(crs.as_ref());
    let path = path.to_path_buf();
    let source = Columns { container, path, geometry, encoding, columns: columns_of, tolerance };
    source.opened((crs, origin), fields, options, notices)
}

/// Columns that hold geometries as well-known binary in files that do not say it.
const LIKELY: [&str; 6] = ["geometry", "geom", "the_geom", "shape", "wkb", "wkb_geometry"];

/// A file without the metadata of GeoParquet: a column of geometries that says so itself, or is called
/// so; else rows without a geometry.
fn open_plain(
    container: Container,
    path: &Path,
    facts: &Facts,
    options: &ReadOptions,
) -> Result<OpenedLayer> {
    let fields = facts.schema.fields().clone();
    let mut notices = Vec::new();
    let mut system = (None, CrsOrigin::Given);
    let (mut geometry, mut encoding) = (String::new(), Encoding::None);
    if let Some((name, found, crs)) = fields.iter().find_map(|field| extension(field)) {
        (geometry, encoding) = (name, found);
        system = match crs {
            Some(json) => self::system(Some(&json), &mut notices)?,
            None => system,
        };
    } else if let Some(field) = fields.iter().find(|field| is_likely(field)) {
        (geometry, encoding) = (field.name().clone(), Encoding::Wkb);
        notices.push(Notice::note(
            NoticeKind::Assumed,
            format!(
                "the file does not say where geometries are: column `{geometry}` is taken for them, \
                 and their reference system is unknown"
            ),
        ));
    }
    let others: Vec<&Field> =
        fields.iter().map(AsRef::as_ref).filter(|field| *field.name() != geometry).collect();
    let attributes: Vec<Field> = others.iter().map(|field| field_of(field)).collect();
    let columns = others.iter().map(|field| field.name().clone()).collect();
    let tolerance = options.tolerance_in(system.0.as_ref());
    let shown = path.to_path_buf();
    let source = Columns {
        container,
        path: shown,
        geometry: geometry.clone(),
        encoding,
        columns,
        tolerance,
    };
    if !geometry.is_empty() {
        return source.opened(system, attributes, options, notices);
    }
    let learn = SchemaInference::default();
    let info = LayerInfo {
        bare: true,
        unit: None,
        aside: false,
        count: Some(container.rows(path, facts)?),
        ..learn.info(stem(path), None, CrsOrigin::Given, attributes)
    };
    Ok((info, Box::new(source), Vec::new()))
}

/// True for bytes in a column of a usual name.
fn is_likely(field: &Field) -> bool {
    let bytes = matches!(
        field.data_type(),
        DataType::Binary | DataType::LargeBinary | DataType::BinaryView
    );
    bytes && LIKELY.contains(&field.name().to_ascii_lowercase().as_str())
}

/// What the metadata of a column says of geometries in it (GeoArrow 0.2, extension types), and the
/// system that it states.
fn extension(field: &Field) -> Option<(String, Encoding, Option<Json>)> {
    let metadata = field.metadata();
    let name = metadata.get("ARROW:extension:name")?;
    let encoding = match name.as_str() {
        "geoarrow.wkb" | "ogc.wkb" => Encoding::Wkb,
        name => Encoding::Native(kind_of(name.strip_prefix("geoarrow.")?)?),
    };
    let said = metadata.get("ARROW:extension:metadata");
    let said: Option<Json> = said.and_then(|text| serde_json::from_str(text).ok());
    let crs = said.and_then(|mut said| said.get_mut("crs").map(Json::take));
    Some((field.name().clone(), encoding, crs.filter(|crs| !crs.is_null())))
}

fn stem(path: &Path) -> &str {
    path.file_stem().and_then(|stem| stem.to_str()).unwrap_or("layer")
}

impl Columns {
    /// Runs through the geometries for what the metadata do not say.
    fn opened(
        self,
        (crs, origin): (Option<Crs>, CrsOrigin),
        fields: Vec<Field>,
        options: &ReadOptions,
        mut notices: Vec<Notice>,
    ) -> Result<OpenedLayer> {
        let path = self.path.clone();
        let source = self;
        let path = path.as_path();
        let mut learn = SchemaInference::default();
        let mut left_out = LeftOut::default();
        for batch in source.container.batches(path, &[&source.geometry])? {
            let batch = batch?;
            let column = batch.columns().first().ok_or_else(|| {
                source
                    .container
                    .wrong(path, format!("it has no column `{}` of geometries", source.geometry))
            })?;
            let mut geometry = GeometryColumn::new();
            source.each_row(column, &mut |_, push| {
                match push(&mut geometry) {
                    Ok(taken) => learn.taken.add(taken),
                    Err(unread) => left_out.add("", &unread.why),
                }
                if geometry.len() >= crate::layer::BATCH {
                    learn.geometry(&geometry);
                    geometry = GeometryColumn::new();
                }
                Ok(())
            })?;
            learn.geometry(&geometry);
        }
        notices.extend(left_out.notice());
        notices.extend(learn.taken.notices(&options.tolerance_text(crs.as_ref())));
        let info = learn.info(stem(path), crs, origin, fields);
        Ok((info, Box::new(source), notices))
    }
}

/// A `crs` that is left out stands for longitude and latitude on WGS 84, one that is null for
/// an unknown system.
fn system(json: Option<&Json>, notices: &mut Vec<Notice>) -> Result<(Option<Crs>, CrsOrigin)> {
    match json {
        None => Ok((Some(Crs::from_epsg(4326)?), CrsOrigin::Format)),
        Some(Json::Null) => Ok((None, CrsOrigin::Given)),
        Some(Json::String(text)) if text == "OGC:CRS84" => {
            Ok((Some(Crs::from_epsg(4326)?), CrsOrigin::File))
        }
        Some(json) => {
            let code = json.pointer("/id/code").and_then(|code| {
                let text = code.as_str().and_then(|text| text.parse().ok());
                text.or_else(|| code.as_u64().and_then(|code| u32::try_from(code).ok()))
            });
            let authority = json.pointer("/id/authority").and_then(Json::as_str);
            let known = code.filter(|_| authority == Some("EPSG"));
            if let Some(crs) = known.and_then(|code| Crs::from_epsg(code).ok()) {
                return Ok((Some(crs), CrsOrigin::File));
            }
            // Longitude and latitude on WGS 84, under the name that OGC gave the order.
            if authority == Some("OGC") && json.pointer("/id/code") == Some(&"CRS84".into()) {
                return Ok((Some(Crs::from_epsg(4326)?), CrsOrigin::File));
            }
            let found = match json.as_str() {
                Some(text) => Crs::parse(text).or_else(|_| definition::resolve(text)),
                None => definition::resolve(&json.to_string()),
            };
            match found {
                Ok(crs) => Ok((Some(crs), CrsOrigin::File)),
                Err(error) => {
                    notices.push(Notice::warning(
                        NoticeKind::System,
                        format!(
                            "the reference system that the file states cannot be read ({error}): \
                             the layer counts as having none"
                        ),
                    ));
                    Ok((None, CrsOrigin::Given))
                }
            }
        }
    }
}

type Push<'a> = &'a dyn Fn(&mut GeometryColumn) -> std::result::Result<Taken, Unread>;

impl Columns {
    /// Hands on each row with what pushes its geometry.
    fn each_row(
        &self,
        column: &ArrayRef,
        each: &mut dyn FnMut(usize, Push<'_>) -> Result<()>,
    ) -> Result<()> {
        match self.encoding {
            // Nobody asks for them.
            Encoding::None => {}
            Encoding::Native(kind) => {
                let native = Native::of(column, kind)
                    .map_err(|why| self.container.wrong(&self.path, why))?;
                for row in 0..column.len() {
                    each(row, &|geometry| {
                        native.push(row, geometry);
                        Ok(Taken::default())
                    })?;
                }
            }
            Encoding::Wkb => {
                let bytes = arrow_cast::cast(column, &DataType::Binary)?;
                let bytes: &BinaryArray = bytes.as_binary::<i32>();
                for row in 0..column.len() {
                    each(row, &|geometry| match bytes.is_null(row) {
                        true => {
                            geometry.end_feature(None);
                            Ok(Taken::default())
                        }
                        false => wkb::read(bytes.value(row), geometry, self.tolerance),
                    })?;
                }
            }
        }
        Ok(())
    }
}

impl Source for Columns {
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let mut names: Vec<&str> = self.columns.iter().map(String::as_str).collect();
        names.push(&self.geometry);
        let mut gather = BatchBuilder::new(info.schema.clone(), each);
        for batch in self.container.batches(&self.path, &names)? {
            let batch = batch?;
            let schema = batch.schema();
            let names = schema.fields().iter().map(|field| field.name().as_str());
            let places: HashMap<&str, usize> = names.zip(0..).collect();
            let values: Vec<ArrayRef> = self
                .columns
                .iter()
                .filter_map(|name| Some((name, places.get(name.as_str())?)))
                .map(|(name, at)| values_of(batch.column(*at), name))
                .collect::<Result<_>>()
                .map_err(|error| error.in_file(&self.path))?;
            let values: Vec<AttributeColumn<'_>> =
                values.iter().filter_map(AttributeColumn::of).collect();
            if matches!(self.encoding, Encoding::None) {
                for row in 0..batch.num_rows() {
                    gather.geometry().end_feature(None);
                    gather.feature(values.iter().map(|column| column.value(row).to_value()))?;
                }
                continue;
            }
            let column = batch
                .column_by_name(&self.geometry)
                .ok_or_else(|| self.container.wrong(&self.path, "its geometries are gone"))?;
            self.each_row(column, &mut |row, push| {
                let of_row: Vec<Value> =
                    values.iter().map(|column| column.value(row).to_value()).collect();
                match push(gather.geometry()) {
                    Ok(taken) => gather.features(taken.features, of_row),
                    Err(unread) => gather
                        .unreadable(Unreadable::new(unread).with_values(&info.schema, &of_row)),
                }
            })?;
        }
        gather.finish()
    }
}

/// The attribute that a column becomes: lists and records become text.
fn field_of(column: &Field) -> Field {
    held_field(column).unwrap_or_else(|| Field::new(column.name(), DataType::Utf8, true))
}

fn values_of(column: &ArrayRef, name: &str) -> Result<ArrayRef> {
    match held_column(column, name)? {
        Some(column) => Ok(column),
        None => as_text(column, name),
    }
}
