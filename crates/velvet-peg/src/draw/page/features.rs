//! The features of a layer as a page holds them: vertices in whole steps, attributes in columns.

use super::super::flags::Flag;
use super::super::layer_ink::Inked;
use super::super::options::DrawOptions;
use super::super::plates::{Carried, Plate, Role};
use super::super::survey::{Surveyed, is_lost};
use super::super::view::View;
use super::data_text::{LayerData, List, Room};
use crate::error::Result;
use crate::layer::{GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::layer_io::LayerReader;
use crate::measure::{MeasureOptions, measure};
use crate::progress::Progress;
use serde_json::{Value, json};
use std::fmt::{Display, Write};

/// Vertices of a page beyond which lines and rings are simplified to the pixel of the whole map.
pub(super) const VERTICES: u64 = 400_000;
/// Features beyond which their lengths and areas are left out.
const MEASURED: u64 = 50_000;

/// Whole numbers that vertices are written as: steps from an origin.
#[derive(Clone, Copy, Debug)]
pub(super) struct Steps {
    pub(super) origin: (f64, f64),
    pub(super) step: f64,
}

impl Steps {
    fn of(self, x: f64, y: f64) -> (i64, i64) {
        (
            ((x - self.origin.0) / self.step).round() as i64,
            ((y - self.origin.1) / self.step).round() as i64,
        )
    }

    /// Differences from vertex to vertex, x and y in turn.
    pub(super) fn ring(self, vertices: impl IntoIterator<Item = (f64, f64)>) -> Vec<i64> {
        let mut numbers = Vec::new();
        let mut last = (0, 0);
        for (x, y) in vertices {
            let at = self.of(x, y);
            numbers.push(at.0 - last.0);
            numbers.push(at.1 - last.1);
            last = at;
        }
        numbers
    }
}

/// How a layer is written.
pub(super) struct Manner<'a> {
    pub(super) view: &'a View,
    pub(super) steps: Steps,
    /// Leave out vertices that the whole map does not show.
    pub(super) coarse: bool,
    pub(super) room: &'a Room,
}

/// A layer for the page.
///
/// # Errors
/// If it cannot be read, or has no room in the page.
pub(super) fn layer(
    plate: &Plate<'_>,
    reader: Option<&LayerReader>,
    inked: &Inked,
    surveyed: &Surveyed,
    manner: &Manner<'_>,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<LayerData> {
    let info = plate.info();
    let columns = info.schema.fields().len();
    let mut drawn = 0;
    let mut shapes = List::default();
    let mut values: Vec<List> = vec![List::default(); columns];
    let mut classes = List::default();
    let mut numbers: Vec<u64> = Vec::new();
    let color = inked.look.classing.as_ref();
    let color_at = color.and_then(|by| info.schema.index_of(&by.column).ok());
    let context = plate.role == Role::Context;
    plate.each(watch, |Carried { batch, geometry }| {
        let attributes = batch.columns();
        for feature in 0..geometry.len() {
            if geometry.kinds()[feature].is_none() || is_lost(geometry, feature) {
                continue;
            }
            shape(geometry, feature, manner, shapes.next());
            drawn += 1;
            if !context {
                for (column, values) in attributes.iter().zip(&mut values) {
                    values.push(value(column.value(feature)));
                }
                numbers.push(batch.first + feature as u64);
            }
            if let (Some(by), Some(at)) = (color, color_at)
                && let Some(column) = batch.column(at)
            {
                classes.push(by.class_of(column.value(feature)));
            }
        }
        let lists = values.iter().map(List::len).sum::<usize>();
        manner.room.check(shapes.len() + lists + classes.len() + 8 * numbers.len())
    })?;
    let measures = match reader {
        Some(reader) if !context && surveyed.features <= MEASURED => measures(reader, &numbers),
        _ => Value::Null,
    };
    let paper = super::super::palette::Paper::of(options.theme);
    let hex = super::super::palette::hex;
    let class = |at: usize| {
        let (line, fill) = inked.look.pair_of(at, paper);
        let text = color.map(|by| by.classes[at].text.clone());
        json!({ "line": hex(line), "fill": hex(fill), "text": text, "count": inked.classes[at] })
    };
    let few = json!({
        "name": info.name,
        "title": options.title_of(&info.name),
        "before": plate.role == Role::Before,
        "context": context,
        "kind": surveyed.kind.map_or("feature", GeometryKind::name),
        "radius": inked.look.radius(drawn),
        "width": inked.look.line_width(drawn),
        "by": color.map(|by| by.column.clone()),
        "classes": (0..inked.look.classes()).map(class).collect::<Vec<_>>(),
        "flags": flags(&inked.flags, manner.view),
        "missing": surveyed.bare + surveyed.failed,
    });
    let many = vec![
        ("class", classes.finish()),
        ("columns", json!(column_names(info)).to_string()),
        ("values", if context { "[]".to_string() } else { of_columns(values) }),
        ("numbers", of_numbers(&numbers)),
        ("shapes", shapes.finish()),
        ("measures", measures.to_string()),
    ];
    Ok(LayerData { few, many })
}

fn column_names(info: &LayerInfo) -> Vec<&str> {
    info.schema.fields().iter().map(|field| field.name().as_str()).collect()
}

/// The lists of columns as one.
fn of_columns(columns: Vec<List>) -> String {
    let mut all = List::default();
    columns.into_iter().for_each(|column| all.push(column.finish()));
    all.finish()
}

fn of_numbers<T: Display>(numbers: &[T]) -> String {
    let mut list = List::default();
    numbers.iter().for_each(|number| list.push(number));
    list.finish()
}

/// Positions to look at.
pub(super) fn flags(flags: &[Flag], view: &View) -> Vec<Value> {
    flags
        .iter()
        .map(|flag| json!({ "x": view.unrolled(flag.at.0), "y": flag.at.1, "text": flag.text }))
        .collect()
}

/// The rows of a table, or of a layer that is not drawn.
///
/// # Errors
/// As of [`layer`].
pub(super) fn rows(
    reader: &LayerReader,
    room: &Room,
    watch: &mut dyn Progress,
) -> Result<LayerData> {
    let info = reader.info();
    let mut values: Vec<List> = vec![List::default(); info.schema.fields().len()];
    let mut numbers: Vec<u64> = Vec::new();
    reader.for_each_watched(watch, &mut |batch| {
        for (column, values) in batch.columns().iter().zip(&mut values) {
            (0..batch.len()).for_each(|row| values.push(value(column.value(row))));
        }
        numbers.extend((0..batch.len()).map(|row| batch.first + row as u64));
        room.check(values.iter().map(List::len).sum::<usize>() + 8 * numbers.len())
    })?;
    let few = json!({
        "title": info.name,
        "kind": "row",
        "classes": [],
        "class": [],
        "flags": [],
    });
    let many = vec![
        ("columns", json!(column_names(info)).to_string()),
        ("values", of_columns(values)),
        ("numbers", of_numbers(&numbers)),
    ];
    Ok(LayerData { few, many })
}

/// Writes the kind (0 point, 1 line, 2 polygon) and parts of rings.
fn shape(geometry: &GeometryColumn, feature: usize, manner: &Manner<'_>, out: &mut String) {
    let Manner { view, steps, coarse, .. } = *manner;
    let kind = match geometry.kinds()[feature].map(GeometryKind::single) {
        Some(GeometryKind::Point) => 0,
        Some(GeometryKind::LineString) => 1,
        _ => 2,
    };
    let ring = |ring: usize| {
        let range = geometry.ring(ring);
        if coarse && kind > 0 {
            let near = super::super::simplify::simplified(view, &geometry.x, &geometry.y, range);
            let back = |(x, y): (f32, f32)| view.coordinate((f64::from(x), f64::from(y)));
            return steps.ring(near.into_iter().map(back));
        }
        steps.ring(range.map(|at| (view.unrolled(geometry.x[at]), geometry.y[at])))
    };
    let mut parts = List::default();
    for part in geometry.parts(feature) {
        let mut rings = List::default();
        geometry.rings(part).for_each(|at| rings.push(of_numbers(&ring(at))));
        parts.push(rings.finish());
    }
    // A text takes whatever is written to it.
    let _ = write!(out, "[{kind},{}]", parts.finish());
}

fn value(value: ValueRef<'_>) -> Value {
    match value {
        ValueRef::Null => Value::Null,
        ValueRef::Boolean(is) => json!(is),
        // Whole numbers beyond 2⁵³ keep their digits as text.
        ValueRef::Integer(number) if number.unsigned_abs() < 1 << 53 => json!(number),
        ValueRef::Real(number) if number.is_finite() => json!(number),
        other => json!(other.to_string()),
    }
}

/// Length and area of each feature on the ellipsoid; none where they cannot be measured.
fn measures(reader: &LayerReader, numbers: &[u64]) -> Value {
    let Ok(measured) = measure(reader, &MeasureOptions::default()) else { return Value::Null };
    let of = |number: &u64| {
        let found = measured.features.binary_search_by_key(number, |feature| feature.number);
        found.map(|at| &measured.features[at]).ok()
    };
    let rounded = |value: f64| (value * 1000.0).round() / 1000.0;
    let of: Vec<_> = numbers.iter().map(of).collect();
    json!({
        "ellipsoid": measured.ellipsoid,
        "length": of.iter().map(|m| m.map(|m| rounded(m.length_m))).collect::<Vec<_>>(),
        "area": of.iter().map(|m| m.map(|m| rounded(m.area_m2))).collect::<Vec<_>>(),
    })
}
