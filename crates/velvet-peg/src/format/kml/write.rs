//! Writing KML.

use crate::error::{Error, Result};
use crate::format_support::markup::{escaped, short};
use crate::format_support::{Finished, ReadBack, Sink, WriteOptions, default_decimals, wkt};
use crate::layer::column_names;
use crate::layer::{Batch, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::output::new_file;
use arrow_schema::{DataType, FieldRef, SchemaRef};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::ops::Range;
use std::path::{Path, PathBuf};
use velvet_peg_core::planar;

/// Writes one document with one placemark a feature.
pub(super) struct Writer {
    path: PathBuf,
    file: BufWriter<File>,
    schema: SchemaRef,
    /// The columns of the elements of a placemark.
    elements: [Option<usize>; 3],
    /// True if columns were named for them: their values stand twice in the file.
    chosen: bool,
    decimals: usize,
}

/// The elements, in the order of the standard.
const ELEMENTS: [&str; 3] = ["name", "link", "description"];

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let names: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        let find = |chosen: &Option<String>| match chosen {
            Some(name) => {
                column_names::position(&names, name, None).map(Some).map_err(|e| e.in_file(path))
            }
            None => Ok(None),
        };
        let chosen = [find(&options.label)?, find(&options.link)?, find(&options.description)?];
        let own = |element: usize| {
            let column = |f: &FieldRef| own(ELEMENTS[element], f) && chosen[element].is_none();
            info.schema.fields().iter().position(column)
        };
        let elements = [0, 1, 2].map(|element| chosen[element].or_else(|| own(element)));
        let mut file = BufWriter::with_capacity(1 << 16, new_file(path)?);
        let mut head = format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<kml \
             xmlns=\"http://www.opengis.net/kml/2.2\" \
             xmlns:atom=\"http://www.w3.org/2005/Atom\"><Document><name>{}</name>\n",
            escaped(&info.name)
        );
        head += "<Schema name=\"fields\" id=\"fields\">";
        for (at, field) in info.schema.fields().iter().enumerate() {
            if !chosen.iter().any(Option::is_some) && elements.contains(&Some(at)) {
                continue;
            }
            let kind = match field.data_type() {
                DataType::Int64 => "int",
                DataType::Float64 => "double",
                DataType::Boolean => "bool",
                _ => "string",
            };
            head += &format!(
                "<SimpleField type=\"{kind}\" name=\"{}\"></SimpleField>",
                escaped(field.name())
            );
        }
        head += "</Schema>\n";
        file.write_all(head.as_bytes()).map_err(|e| Error::file(path, "cannot be written", e))?;
        Ok(Writer {
            path: path.to_path_buf(),
            file,
            schema: info.schema.clone(),
            elements,
            chosen: chosen.iter().any(Option::is_some),
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
        })
    }

    fn placemark(&self, values: &[ValueRef<'_>]) -> String {
        let mut text = String::from("<Placemark>");
        let fields = self.schema.fields();
        for (element, at) in ELEMENTS.iter().zip(&self.elements) {
            let Some(value) = at.map(|at| values[at]).filter(|value| !value.is_null()) else {
                continue;
            };
            let value = escaped(&value.to_string());
            text += &match *element {
                "link" => format!("<atom:link href=\"{value}\"/>"),
                _ => format!("<{element}>{value}</{element}>"),
            };
        }
        let mut data = String::new();
        for (at, (field, value)) in fields.iter().zip(values).enumerate() {
            let alone = !self.chosen && self.elements.contains(&Some(at));
            if alone || value.is_null() {
                continue;
            }
            data += &format!(
                "<SimpleData name=\"{}\">{}</SimpleData>",
                escaped(field.name()),
                escaped(&value.to_string())
            );
        }
        if !data.is_empty() {
            text += "<ExtendedData><SchemaData schemaUrl=\"#fields\">";
            text += &data;
            text += "</SchemaData></ExtendedData>";
        }
        text
    }

    fn part(
        &self,
        column: &GeometryColumn,
        part: usize,
        kind: GeometryKind,
        has_z: bool,
        text: &mut String,
    ) {
        let mode = match has_z {
            true => "<altitudeMode>absolute</altitudeMode>",
            false => "",
        };
        match kind {
            GeometryKind::Point | GeometryKind::LineString => {
                let name = if kind == GeometryKind::Point { "Point" } else { "LineString" };
                let places = self.places(column, column.ring(column.rings(part).start));
                *text += &format!("<{name}>{mode}{places}</{name}>");
            }
            _ => {
                *text += &format!("<Polygon>{mode}");
                for (number, ring) in column.rings(part).enumerate() {
                    let ring: Range<usize> = column.ring(ring);
                    let side = if number == 0 { "outer" } else { "inner" };
                    let area = planar::ring_area(&column.x[ring.clone()], &column.y[ring.clone()]);
                    // Outer rings run counter-clockwise.
                    let reversed = (area > 0.0) != (number == 0);
                    let mut order: Vec<usize> = ring.clone().collect();
                    if wkt::closes(column, &ring) {
                        order.push(ring.start);
                    }
                    if reversed {
                        order.reverse();
                    }
                    let places = self.places(column, order.into_iter());
                    *text += &format!(
                        "<{side}BoundaryIs><LinearRing>{places}</LinearRing></{side}BoundaryIs>"
                    );
                }
                *text += "</Polygon>";
            }
        }
    }

    fn places(&self, column: &GeometryColumn, order: impl Iterator<Item = usize>) -> String {
        let places: Vec<String> = order
            .map(|at| {
                let (x, y) =
                    (short(column.x[at], self.decimals), short(column.y[at], self.decimals));
                match column.z.get(at).filter(|z| z.is_finite()) {
                    Some(z) => format!("{x},{y},{z}"),
                    None => format!("{x},{y}"),
                }
            })
            .collect();
        format!("<coordinates>{}</coordinates>", places.join(" "))
    }
}

/// True for a column that is an element by its name.
fn own(element: &str, field: &FieldRef) -> bool {
    field.data_type() == &DataType::Utf8 && element != "link" && field.name() == element
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let geometry = &batch.geometry;
        let columns = batch.columns();
        for feature in 0..geometry.len() {
            let values: Vec<ValueRef<'_>> = columns.iter().map(|c| c.value(feature)).collect();
            let mut text = self.placemark(&values);
            if let Some(kind) = geometry.kinds()[feature] {
                let multi = kind.is_multi();
                text += if multi { "<MultiGeometry>" } else { "" };
                let has_z = geometry.has_heights(feature);
                for part in geometry.parts(feature) {
                    self.part(geometry, part, kind.single(), has_z, &mut text);
                }
                text += if multi { "</MultiGeometry>" } else { "" };
            }
            text += "</Placemark>\n";
            self.file
                .write_all(text.as_bytes())
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        self.file
            .write_all(b"</Document></kml>\n")
            .and_then(|()| self.file.flush())
            .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        drop(self.file);
        let read_back = if self.chosen { ReadBack::Coordinates } else { ReadBack::Everything };
        Ok(Finished { read_back, ..Finished::default() })
    }
}
