//! Reading FlatGeobuf feature by feature.

use crate::error::{Error, Result};
use crate::format_support::{DECLARED, OpenedLayer, ReadOptions, Source, field_declared};
use crate::layer::{
    Batch, BatchBuilder, Collection, CrsOrigin, GeometryColumn, GeometryKind, LayerInfo, LeftOut,
    SchemaInference, Taken, Unread, Unreadable, Value,
};
use crate::notice::{Notice, NoticeKind};
use arrow_schema::{DataType, Field};
use flatgeobuf::{ColumnType, FallibleStreamingIterator, FgbFeature, FgbReader, GeometryType};
use serde_json::Value as Json;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, definition};

#[derive(Debug)]
struct FeaturesOfFile {
    path: PathBuf,
    columns: Vec<ColumnType>,
}

fn damaged(path: &Path, what: impl std::fmt::Display) -> Error {
    Error::data(format!("cannot be read as FlatGeobuf: {what}")).in_file(path)
}

fn header(path: &Path) -> Result<FgbReader<BufReader<File>>> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    let input = BufReader::with_capacity(1 << 16, file);
    FgbReader::open(input).map_err(|e| damaged(path, e))
}

/// Bytes of a node of the index.
const NODE: u64 = 40;

/// Compares the sizes that a file states with its own, before anything of a stated size is held.
fn check_sizes(path: &Path) -> Result<()> {
    let unread = |e| Error::file(path, "cannot be read", e);
    let mut input = BufReader::new(File::open(path).map_err(unread)?);
    let length = input.get_ref().metadata().map_err(unread)?.len();
    let beyond = |what: &str, size: u64, left: u64| {
        damaged(path, format!("{what} is stated as {size} bytes, and {left} are left in the file"))
    };
    let mut size = [0; 4];
    // The first eight bytes say what the file is; the reader looks at them.
    input.seek_relative(8).and_then(|()| input.read_exact(&mut size)).map_err(unread)?;
    let stated = u64::from(u32::from_le_bytes(size));
    let mut left = length.saturating_sub(12);
    if stated > left {
        return Err(beyond("its header", stated, left));
    }
    left -= stated;
    let reader = header(path)?;
    let (count, branching) = (reader.header().features_count(), reader.header().index_node_size());
    drop(reader);
    // A feature takes more than its size.
    if count > left / 4 {
        return Err(damaged(path, format!("it says {count} features, for which it is too short")));
    }
    let mut index = 0;
    if branching > 0 && count > 0 {
        let mut level = count;
        index = level;
        loop {
            level = level.div_ceil(u64::from(branching).max(2));
            index += level;
            if level == 1 {
                break;
            }
        }
        index *= NODE;
    }
    if index > left {
        return Err(beyond("its index", index, left));
    }
    left -= index;
    input.seek(SeekFrom::Start(length - left)).map_err(unread)?;
    for number in 1_u64.. {
        if left < 4 || (count > 0 && number > count) {
            break;
        }
        input.read_exact(&mut size).map_err(unread)?;
        let stated = u32::from_le_bytes(size);
        left -= 4;
        if u64::from(stated) > left {
            return Err(beyond(&format!("feature {number}"), stated.into(), left));
        }
        left -= u64::from(stated);
        input.seek_relative(stated.into()).map_err(unread)?;
    }
    Ok(())
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<OpenedLayer> {
    check_sizes(path)?;
    let reader = header(path)?;
    let head = reader.header();
    let mut notices = Vec::new();
    let crs = head.crs().and_then(|crs| system(&crs, &mut notices));
    let mut columns = Vec::new();
    let mut fields = Vec::new();
    for column in head.columns().iter().flatten() {
        let kind = match column.type_() {
            ColumnType::Bool => DataType::Boolean,
            ColumnType::Float | ColumnType::Double => DataType::Float64,
            // 64 bits without a sign may not fit a whole number.
            ColumnType::ULong => DataType::Utf8,
            ColumnType::Byte
            | ColumnType::UByte
            | ColumnType::Short
            | ColumnType::UShort
            | ColumnType::Int
            | ColumnType::UInt
            | ColumnType::Long => DataType::Int64,
            ColumnType::Binary => DataType::Binary,
            _ => DataType::Utf8,
        };
        let mut field = Field::new(column.name(), kind, true);
        let note = column.metadata().and_then(|note| serde_json::from_str::<Json>(note).ok());
        let note = note.as_ref().and_then(|note| note[DECLARED].as_str());
        let declared = match (column.type_(), note) {
            (ColumnType::DateTime, Some("DATE")) => "DATE",
            (ColumnType::DateTime, _) => "DATETIME",
            (ColumnType::String, Some("TIME")) => "TIME",
            _ => "",
        };
        if !declared.is_empty() {
            field = field_declared(field, declared);
        }
        columns.push(column.type_());
        fields.push(field);
    }
    let stem = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer").to_string();
    let name = head.name().filter(|name| !name.is_empty()).map_or(stem, str::to_string);
    let description = head.description().filter(|text| !text.is_empty()).map(str::to_string);
    let stated = head.features_count();
    drop(reader);
    let mut learn = SchemaInference::default();
    let mut left_out = LeftOut::default();
    each_feature(path, &mut |feature, kind| {
        let mut column = GeometryColumn::new();
        match geometry(feature, kind, &mut column) {
            Ok(taken) => {
                learn.geometry(&column);
                learn.taken.add(taken);
            }
            Err(unread) => left_out.add("", &unread.why),
        }
        Ok(())
    })?;
    notices.extend(left_out.notice());
    notices.extend(learn.taken.notices(&options.tolerance_text(crs.as_ref())));
    let found = learn.count - learn.taken.more() + left_out.count;
    if stated > found {
        return Err(damaged(path, format!("it says {stated} features and holds {found}")));
    }
    let origin = if crs.is_some() { CrsOrigin::File } else { CrsOrigin::Given };
    let info = LayerInfo { description, ..learn.info(&name, crs, origin, fields) };
    Ok((info, Box::new(FeaturesOfFile { path: path.to_path_buf(), columns }), notices))
}

fn system(crs: &flatgeobuf::Crs<'_>, notices: &mut Vec<Notice>) -> Option<Crs> {
    let epsg = crs.org().is_none_or(|org| org.eq_ignore_ascii_case("epsg"));
    let code = u32::try_from(crs.code()).ok().filter(|code| *code > 0 && epsg);
    if let Some(found) = code.and_then(|code| Crs::from_epsg(code).ok()) {
        return Some(found);
    }
    let text = crs.wkt().filter(|text| !text.is_empty())?;
    match definition::resolve(text) {
        Ok(found) => Some(found),
        Err(error) => {
            notices.push(Notice::warning(
                NoticeKind::System,
                format!(
                    "the reference system that the file states cannot be read ({error}): the layer \
                     counts as having none"
                ),
            ));
            None
        }
    }
}

/// Hands on every feature and the kind that the header states.
fn each_feature(
    path: &Path,
    each: &mut dyn FnMut(&FgbFeature, GeometryType) -> Result<()>,
) -> Result<()> {
    let reader = header(path)?;
    let kind = reader.header().geometry_type();
    let mut features = reader.select_all_seq().map_err(|e| damaged(path, e))?;
    while let Some(feature) = features.next().map_err(|e| damaged(path, e))? {
        each(feature, kind)?;
    }
    Ok(())
}

/// Pushes the geometry of a feature.
fn geometry(
    feature: &FgbFeature,
    stated: GeometryType,
    column: &mut GeometryColumn,
) -> std::result::Result<Taken, Unread> {
    let Some(geometry) = feature.geometry() else {
        column.end_feature(None);
        return Ok(Taken::default());
    };
    // A feature without a geometry of a file without kinds.
    let bare = geometry.xy().is_none_or(|xy| xy.is_empty()) && geometry.parts().is_none();
    if bare && geometry.type_() == GeometryType::Unknown {
        column.end_feature(None);
        return Ok(Taken::default());
    }
    let of = if stated == GeometryType::Unknown { geometry.type_() } else { stated };
    if of == GeometryType::GeometryCollection {
        let mut parts = Collection::default();
        members(&geometry, &mut parts, 0)?;
        return Ok(Taken::collection(parts.finish(column), 0));
    }
    column.attempt(|column| simple(&geometry, of, column))?;
    Ok(Taken::default())
}

/// Collections in collections that are followed.
const DEEPEST: usize = 32;

fn members(
    collection: &flatgeobuf::Geometry<'_>,
    parts: &mut Collection,
    depth: usize,
) -> std::result::Result<(), String> {
    if depth > DEEPEST {
        return Err(format!("collections in collections are read {DEEPEST} deep"));
    }
    for geometry in collection.parts().iter().flatten() {
        match geometry.type_() {
            GeometryType::GeometryCollection => members(&geometry, parts, depth + 1)?,
            kind => parts.add(|column| simple(&geometry, kind, column))?,
        }
    }
    Ok(())
}

/// Pushes the parts of a geometry of one kind.
fn simple(
    geometry: &flatgeobuf::Geometry<'_>,
    of: GeometryType,
    column: &mut GeometryColumn,
) -> std::result::Result<Option<GeometryKind>, String> {
    let kind = match of {
        GeometryType::Point => GeometryKind::Point,
        GeometryType::LineString => GeometryKind::LineString,
        GeometryType::Polygon => GeometryKind::Polygon,
        GeometryType::MultiPoint => GeometryKind::MultiPoint,
        GeometryType::MultiLineString => GeometryKind::MultiLineString,
        GeometryType::MultiPolygon => GeometryKind::MultiPolygon,
        other => {
            return Err(format!(
                "a geometry of type {} (curve or surface) cannot be read",
                other.variant_name().unwrap_or("unknown")
            ));
        }
    };
    match (kind, geometry.parts()) {
        (GeometryKind::MultiPolygon, Some(parts)) => {
            for part in parts {
                flat(&part, GeometryKind::Polygon, column)?;
            }
        }
        _ => flat(geometry, kind, column)?,
    }
    Ok((column.open_parts() > 0).then_some(kind))
}

/// Pushes one geometry without parts of its own.
fn flat(
    geometry: &flatgeobuf::Geometry<'_>,
    kind: GeometryKind,
    column: &mut GeometryColumn,
) -> std::result::Result<(), String> {
    let xy: Vec<f64> = geometry.xy().map_or(Vec::new(), |values| values.iter().collect());
    let z: Vec<f64> = geometry.z().map_or(Vec::new(), |values| values.iter().collect());
    let m: Vec<f64> = geometry.m().map_or(Vec::new(), |values| values.iter().collect());
    let count = xy.len() / 2;
    let mut ends: Vec<usize> =
        geometry.ends().map_or(Vec::new(), |ends| ends.iter().map(|end| end as usize).collect());
    if ends.is_empty() && count > 0 {
        ends.push(count);
    }
    if !ends.is_sorted() || ends.last().is_some_and(|last| *last > count) {
        return Err("the ends of its rings do not fit its vertices".to_string());
    }
    let mut start = 0;
    for end in ends {
        for at in start..end {
            column.push_vertex(xy[2 * at], xy[2 * at + 1], z.get(at).copied());
            if let Some(m) = m.get(at) {
                column.set_measure(*m);
            }
            if kind.single() == GeometryKind::Point {
                column.end_ring();
                column.end_part();
            }
        }
        if kind.single() != GeometryKind::Point {
            column.end_ring();
        }
        if kind.single() == GeometryKind::LineString {
            column.end_part();
        }
        start = end;
    }
    if kind.single() == GeometryKind::Polygon && count > 0 {
        column.end_part();
    }
    Ok(())
}

impl Source for FeaturesOfFile {
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let mut gather = BatchBuilder::new(info.schema.clone(), each);
        each_feature(&self.path, &mut |feature, kind| {
            let bytes = feature.fbs_feature();
            let bytes = bytes.properties().map_or(&[][..], |values| values.bytes());
            let values = properties(bytes, &self.columns);
            match (geometry(feature, kind, gather.geometry()), values) {
                (Ok(taken), Ok(values)) => gather.features(taken.features, values),
                (Ok(taken), Err(why)) => {
                    let geometry = gather.geometry().take_back(taken.features);
                    gather.unreadable(Unreadable::new(Unread { why, geometry }))
                }
                (Err(unread), values) => {
                    let values = values.unwrap_or_default();
                    gather.unreadable(Unreadable::new(unread).with_values(&info.schema, &values))
                }
            }
        })?;
        gather.finish()
    }
}

/// The attributes of a feature: the number of a column and its value, one after the other.
fn properties(bytes: &[u8], columns: &[ColumnType]) -> std::result::Result<Vec<Value>, String> {
    let mut values = vec![Value::Null; columns.len()];
    let mut at = 0;
    let wrong = || "its attributes are cut short or damaged".to_string();
    // Some writers leave a byte behind the last value.
    while at + 1 < bytes.len() {
        let mut take = |count: usize| {
            let taken = bytes.get(at..at.saturating_add(count)).ok_or_else(wrong);
            at = at.saturating_add(count);
            taken
        };
        let number = fixed(take(2)?).map(u16::from_le_bytes).map_or(usize::MAX, usize::from);
        let kind = columns.get(number).ok_or_else(wrong)?;
        let whole = |value: i64| Value::Integer(value);
        values[number] = match *kind {
            ColumnType::Byte => whole(i8::from_le_bytes([take(1)?[0]]).into()),
            ColumnType::UByte => whole(take(1)?[0].into()),
            ColumnType::Bool => Value::Boolean(take(1)?[0] != 0),
            ColumnType::Short => fixed(take(2)?).map(i16::from_le_bytes).map(i64::from).into(),
            ColumnType::UShort => fixed(take(2)?).map(u16::from_le_bytes).map(i64::from).into(),
            ColumnType::Int => fixed(take(4)?).map(i32::from_le_bytes).map(i64::from).into(),
            ColumnType::UInt => fixed(take(4)?).map(u32::from_le_bytes).map(i64::from).into(),
            ColumnType::Long => fixed(take(8)?).map(i64::from_le_bytes).into(),
            ColumnType::ULong => {
                fixed(take(8)?).map(u64::from_le_bytes).map(|value| value.to_string()).into()
            }
            ColumnType::Float => fixed(take(4)?).map(f32::from_le_bytes).map(f64::from).into(),
            ColumnType::Double => fixed(take(8)?).map(f64::from_le_bytes).into(),
            ColumnType::Binary => {
                let length = fixed(take(4)?).map_or(usize::MAX, |b| u32::from_le_bytes(b) as usize);
                Value::Binary(take(length)?.to_vec())
            }
            _ => {
                let length = fixed(take(4)?).map_or(usize::MAX, |b| u32::from_le_bytes(b) as usize);
                let text = std::str::from_utf8(take(length)?);
                Value::Text(text.map_err(|_| "a text of it is not UTF-8".to_string())?.to_string())
            }
        };
    }
    Ok(values)
}

fn fixed<const N: usize>(bytes: &[u8]) -> Option<[u8; N]> {
    bytes.try_into().ok()
}
