//! Reading the feature tables of a GeoPackage.

use super::defence;
use super::definitions::{self, UNDEFINED};
use super::existing::read_only;
use super::{blob, data_columns, quoted};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::{DECLARED, FOREIGN, OpenedLayer, ReadOptions, Source, key_field};
use crate::layer::{
    Batch, BatchBuilder, CrsOrigin, GeometryColumn, GeometryKind, LayerInfo, Taken, TakenApart,
    Unread, Unreadable, Value,
};
use crate::notice::{Notice, NoticeKind};
use arrow_schema::{DataType, Field, Schema};
use rusqlite::types::ValueRef;
use rusqlite::{Connection, ErrorCode, OptionalExtension, params};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg_core::{Bounds, Crs, definition};

/// How a table is read.
#[derive(Debug)]
struct Table {
    path: PathBuf,
    name: String,
    /// None for a table of attributes alone.
    geometry: Option<String>,
    /// The integer primary key.
    key: Option<String>,
    /// Rows have numbers of their own: not in views, nor in tables made without.
    numbered: bool,
    /// That of curves, in the units of the coordinates.
    tolerance: f64,
}

fn failed(path: &Path) -> impl Fn(rusqlite::Error) -> Error + '_ {
    move |error| match error.sqlite_error_code() {
        Some(ErrorCode::OperationInterrupted) => Error::data(
            "cannot be read as a GeoPackage: a view in it asks for more than a file of its size \
             can hold, and does not end",
        )
        .in_file(path),
        _ => Error::file(path, "cannot be read as a GeoPackage", error),
    }
}

fn connect(path: &Path) -> Result<Connection> {
    let bounded = |mut connection: Connection| {
        defence::bound(&mut connection)?;
        Ok(connection)
    };
    read_only(path).and_then(bounded).map_err(failed(path))
}

/// What the contents of a file say of a table.
struct Entry {
    name: String,
    geometry: Option<String>,
    kind: String,
    srs_id: i64,
    has_z: bool,
    has_m: bool,
    extent: Option<Bounds>,
    description: Option<String>,
}

/// The tables of features and of attributes that the contents list, in their order.
fn entries(connection: &Connection) -> rusqlite::Result<Vec<Entry>> {
    // A file of attributes alone may lack the table of geometry columns.
    let spatial = "SELECT count(*) FROM sqlite_master WHERE name = 'gpkg_geometry_columns'";
    let spatial = connection.query_row(spatial, [], |row| row.get::<_, i64>(0))? > 0;
    let columns = match spatial {
        true => "gpkg_geometry_columns",
        false => {
            "(SELECT NULL AS table_name, NULL AS column_name, NULL AS geometry_type_name, \
             NULL AS srs_id, NULL AS z, NULL AS m)"
        }
    };
    let mut statement = connection.prepare(&format!(
        "SELECT c.table_name, g.column_name, coalesce(g.geometry_type_name, ''),
                coalesce(g.srs_id, -1), coalesce(g.z, 0), coalesce(g.m, 0),
                c.min_x, c.min_y, c.max_x, c.max_y, nullif(c.description, '')
         FROM gpkg_contents c LEFT JOIN {columns} g ON g.table_name = c.table_name
         WHERE (c.data_type = 'features' AND g.column_name IS NOT NULL)
            OR c.data_type IN ('attributes', 'aspatial') ORDER BY c.rowid",
    ))?;
    let rows = statement.query_map([], |row| {
        let limits: [Option<f64>; 4] = [row.get(6)?, row.get(7)?, row.get(8)?, row.get(9)?];
        Ok(Entry {
            name: row.get(0)?,
            geometry: row.get(1)?,
            kind: row.get(2)?,
            srs_id: row.get(3)?,
            has_z: row.get::<_, i64>(4)? != 0,
            has_m: row.get::<_, i64>(5)? != 0,
            extent: match limits {
                [Some(west), Some(south), Some(east), Some(north)] => {
                    Some(Bounds { south, west, north, east })
                }
                _ => None,
            },
            description: row.get(10)?,
        })
    })?;
    rows.collect()
}

/// What a file has under a name: nothing, or a table or view, and whether its rows have numbers.
fn numbered(connection: &Connection, name: &str) -> rusqlite::Result<Option<bool>> {
    let found: Option<(String, String)> = connection
        .query_row(
            "SELECT type, coalesce(sql, '') FROM sqlite_master \
             WHERE lower(name) = lower(?1) AND type IN ('table', 'view')",
            params![name],
            |row| Ok((row.get(0)?, row.get(1)?)),
        )
        .optional()?;
    Ok(found.map(|(kind, sql)| {
        let words: Vec<String> =
            sql.to_ascii_uppercase().split_whitespace().map(str::to_string).collect();
        let without = words
            .windows(2)
            .any(|pair| pair[0].ends_with("WITHOUT") && pair[1].starts_with("ROWID"));
        kind == "table" && !without
    }))
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
    let connection = connect(path)?;
    let mut readers = Vec::new();
    let mut gone: Vec<String> = Vec::new();
    for entry in entries(&connection).map_err(failed(path))? {
        let Some(numbered) = numbered(&connection, &entry.name).map_err(failed(path))? else {
            gone.push(format!("`{}`", entry.name));
            continue;
        };
        let mut notices = Vec::new();
        let name = entry.name;
        let crs = match &entry.geometry {
            None => None,
            Some(_) => system(&connection, path, &name, entry.srs_id, &mut notices)?,
        };
        let bare = entry.geometry.is_none();
        let mut table = Table {
            path: path.to_path_buf(),
            name: name.clone(),
            geometry: entry.geometry,
            key: None,
            numbered,
            tolerance: options.tolerance_in(crs.as_ref()),
        };
        let count: i64 = connection
            .query_row(&format!("SELECT count(*) FROM {}", quoted(&name)), [], |row| row.get(0))
            .map_err(failed(path))?;
        let kind = kind_of(&entry.kind);
        // Only where several kinds are told, collections and curves can be among them.
        let taken = match kind {
            None if !bare => taken_apart(&connection, &table).map_err(failed(path))?,
            _ => TakenApart::default(),
        };
        notices.extend(taken.notices(&options.tolerance_text(crs.as_ref())));
        let mut schema = fields(&connection, path, &mut table, taken.any(), &mut notices)?;
        data_columns::read(&connection, &name, &mut schema, &mut notices).map_err(failed(path))?;
        let info = LayerInfo {
            name,
            description: entry.description,
            crs,
            crs_origin: CrsOrigin::File,
            schema: Arc::new(Schema::new(schema)),
            kind,
            bare,
            unit: None,
            aside: false,
            has_z: entry.has_z,
            has_m: entry.has_m,
            count: u64::try_from(count).ok().map(|count| count + taken.more()),
            extent: entry.extent,
        };
        readers.push((info, Box::new(table) as Box<dyn Source>, notices));
    }
    if !gone.is_empty() {
        let notice = Notice::warning(
            NoticeKind::Unreadable,
            format!(
                "the contents of {} name {}, which {} not in the file",
                path.display(),
                gone.join(", "),
                if gone.len() == 1 { "is" } else { "are" }
            ),
        )
        .count(gone.len() as u64)
        .in_file(path);
        match readers.first_mut() {
            Some((_, _, notices)) => notices.push(notice),
            None => return Err(Error::data(notice.text).in_file(path)),
        }
    }
    Ok(readers)
}

/// What becomes of collections and curves of a table.
fn taken_apart(connection: &Connection, table: &Table) -> rusqlite::Result<TakenApart> {
    let mut taken = TakenApart::default();
    let Some(geometry) = &table.geometry else { return Ok(taken) };
    let query = format!("SELECT {} FROM {}", quoted(geometry), quoted(&table.name));
    let mut statement = connection.prepare(&query)?;
    let mut rows = statement.query([])?;
    let mut column = GeometryColumn::new();
    while let Some(row) = rows.next()? {
        if let ValueRef::Blob(bytes) = row.get_ref(0)?
            && blob::may_be_taken_apart(bytes)
        {
            column = GeometryColumn::new();
            if let Ok(of_row) = blob::read(bytes, &mut column, table.tolerance) {
                taken.add(of_row);
            }
        }
    }
    drop(column);
    Ok(taken)
}

fn kind_of(name: &str) -> Option<GeometryKind> {
    Some(match name.to_ascii_uppercase().as_str() {
        "POINT" => GeometryKind::Point,
        "LINESTRING" => GeometryKind::LineString,
        "POLYGON" => GeometryKind::Polygon,
        "MULTIPOINT" => GeometryKind::MultiPoint,
        "MULTILINESTRING" => GeometryKind::MultiLineString,
        "MULTIPOLYGON" => GeometryKind::MultiPolygon,
        _ => return None,
    })
}

/// The reference system of a table; none for the two undefined ones.
fn system(
    connection: &Connection,
    path: &Path,
    table: &str,
    srs_id: i64,
    notices: &mut Vec<Notice>,
) -> Result<Option<Crs>> {
    if srs_id <= 0 {
        return Ok(None);
    }
    // Files with the extension for WKT 2 may have nothing else.
    let newer = match definitions::has_wkt2(connection, "main").map_err(failed(path))? {
        true => "definition_12_063",
        false => "NULL",
    };
    let row: Option<(String, i64, String, [Option<String>; 2])> = connection
        .query_row(
            &format!(
                "SELECT organization, organization_coordsys_id, srs_name, {newer}, definition \
                 FROM gpkg_spatial_ref_sys WHERE srs_id = ?1"
            ),
            params![srs_id],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, [row.get(3)?, row.get(4)?])),
        )
        .optional()
        .map_err(failed(path))?;
    let Some((organization, code, name, texts)) = row else {
        notices.push(
            Notice::warning(
                NoticeKind::System,
                format!(
                    "layer {table} names a reference system, number {srs_id}, that the file does \
                     not describe: it is taken as having none"
                ),
            )
            .in_file(path)
            .in_layer(table)
            .advise(Advice::Declare(Some(path.to_path_buf()))),
        );
        return Ok(None);
    };
    let code = u32::try_from(code).ok().filter(|_| organization.eq_ignore_ascii_case("epsg"));
    if let Some(crs) = code.and_then(|code| Crs::from_epsg(code).ok()) {
        return Ok(Some(crs));
    }
    // A system without a code of the registry is what its definition says.
    let stated = texts.into_iter().flatten().filter(|text| !text.is_empty() && text != UNDEFINED);
    let read = stated.map(|text| definition::resolve(&text));
    // The first that can be read; of none, why the last cannot.
    let first =
        read.reduce(|first, next| first.or(next)).unwrap_or_else(|| definition::resolve(UNDEFINED));
    match first {
        // Two systems of the registry taken together, or what the file calls it, is no surprise.
        Ok(crs) if crs.part_codes().is_some() || crs.name() == name => Ok(Some(crs)),
        Ok(crs) => {
            notices.push(
                Notice::note(
                    NoticeKind::System,
                    format!(
                        "layer {table} is in `{name}`, read from the definition in the file as {}",
                        crs.label()
                    ),
                )
                .in_file(path)
                .in_layer(table),
            );
            Ok(Some(crs))
        }
        Err(error) => {
            notices.push(
                Notice::warning(
                    NoticeKind::System,
                    format!(
                        "layer {table} is in the reference system `{name}`, which has no code of \
                         the EPSG registry, and whose definition cannot be read ({error}): it is \
                         taken as having none"
                    ),
                )
                .in_file(path)
                .in_layer(table)
                .advise(Advice::Declare(Some(path.to_path_buf()))),
            );
            Ok(None)
        }
    }
}

/// Attribute columns: all but the geometry. The integer key is one of them, unless it merely counts
/// the rows from 1 and was given by the database itself.
fn fields(
    connection: &Connection,
    path: &Path,
    table: &mut Table,
    taken_apart: bool,
    notices: &mut Vec<Notice>,
) -> Result<Vec<Field>> {
    let mut statement = connection
        .prepare(&format!("PRAGMA table_info({})", quoted(&table.name)))
        .map_err(failed(path))?;
    let columns = statement
        .query_map([], |row| {
            Ok((row.get::<_, String>(1)?, row.get::<_, String>(2)?, row.get::<_, i64>(5)? > 0))
        })
        .map_err(failed(path))?;
    let mut fields = Vec::new();
    for column in columns {
        let (name, declared, key) = column.map_err(failed(path))?;
        if Some(&name) == table.geometry.as_ref() {
            continue;
        }
        // Features of one collection have the same number: it is no key then.
        if key && declared.eq_ignore_ascii_case("INTEGER") && !taken_apart {
            table.key = Some(name.clone());
            if !counts_rows(connection, path, table, &name)? {
                fields.push(key_field(&name));
            }
            continue;
        }
        let upper = declared.to_ascii_uppercase();
        let kind = match held_as(&upper) {
            Some(kind) => kind,
            None => shown_type(connection, &table.name, &name).map_err(failed(path))?,
        };
        if upper.is_empty() {
            fields.push(Field::new(name, kind, true));
            continue;
        }
        let mut metadata = HashMap::from([(DECLARED.to_string(), upper.clone())]);
        if upper == "TIME" {
            metadata.insert(FOREIGN.to_string(), upper);
        }
        fields.push(Field::new(name, kind, true).with_metadata(metadata));
    }
    widen(connection, table, &mut fields, notices).map_err(failed(path))?;
    Ok(fields)
}

/// What the values of a declared type are held as; none for a column of no declared type. Types that
/// the standard does not have go by the rules of SQLite (section 3.1 of its datatypes).
fn held_as(declared: &str) -> Option<DataType> {
    let name = declared.split('(').next().unwrap_or_default().trim();
    let has = |words: &[&str]| words.iter().any(|word| name.contains(word));
    Some(match name {
        "" => return None,
        "DATE" | "DATETIME" | "TIME" | "TIMESTAMP" => DataType::Utf8,
        "BOOLEAN" | "BOOL" => DataType::Boolean,
        _ if has(&["INT"]) && !has(&["POINT", "INTERVAL"]) => DataType::Int64,
        _ if has(&["CHAR", "CLOB", "TEXT"]) => DataType::Utf8,
        _ if has(&["BLOB"]) => DataType::Binary,
        _ if has(&["REAL", "FLOA", "DOUB", "NUMERIC", "DECIMAL"]) => DataType::Float64,
        _ => DataType::Utf8,
    })
}

/// The type of a column of no declared type, such as an expression of a view, by its values.
fn shown_type(connection: &Connection, table: &str, column: &str) -> rusqlite::Result<DataType> {
    let name = quoted(column);
    let query =
        format!("SELECT DISTINCT typeof({name}) FROM {} WHERE {name} IS NOT NULL", quoted(table));
    let mut statement = connection.prepare(&query)?;
    let types = statement.query_map([], |row| row.get::<_, String>(0))?;
    let types: Vec<String> = types.collect::<rusqlite::Result<_>>()?;
    let all = |names: &[&str]| types.iter().all(|kind| names.contains(&kind.as_str()));
    Ok(match types.is_empty() {
        true => DataType::Utf8,
        _ if all(&["integer"]) => DataType::Int64,
        _ if all(&["integer", "real"]) => DataType::Float64,
        _ if all(&["blob"]) => DataType::Binary,
        _ => DataType::Utf8,
    })
}

/// SQLite lets any value be in any column: one that holds others than its type says gets a type
/// that holds them all, and it is said.
fn widen(
    connection: &Connection,
    table: &Table,
    fields: &mut [Field],
    notices: &mut Vec<Notice>,
) -> rusqlite::Result<()> {
    let misfit = |field: &Field| {
        let name = quoted(field.name());
        match field.data_type() {
            DataType::Int64 => Some(format!("typeof({name}) NOT IN ('integer', 'null')")),
            DataType::Float64 => Some(format!("typeof({name}) NOT IN ('real', 'integer', 'null')")),
            DataType::Boolean => {
                Some(format!("(typeof({name}) NOT IN ('integer', 'null') OR {name} NOT IN (0, 1))"))
            }
            DataType::Binary => Some(format!("typeof({name}) NOT IN ('blob', 'null')")),
            _ => None,
        }
    };
    let conditions: Vec<String> = fields.iter().filter_map(misfit).collect();
    let from = quoted(&table.name);
    if conditions.is_empty() {
        return Ok(());
    }
    let any = format!("SELECT 1 FROM {from} WHERE {} LIMIT 1", conditions.join(" OR "));
    if connection.query_row(&any, [], |_| Ok(())).optional()?.is_none() {
        return Ok(());
    }
    for field in fields {
        let Some(condition) = misfit(field) else { continue };
        let name = quoted(field.name());
        // 2^53: beyond it a double does not hold every whole number.
        let counts: (i64, i64, i64, i64) = connection.query_row(
            &format!(
                "SELECT coalesce(sum({condition}), 0), \
                 coalesce(sum(typeof({name}) IN ('text', 'blob')), 0), \
                 coalesce(sum(typeof({name}) = 'real'), 0), \
                 coalesce(sum(typeof({name}) = 'integer' AND {name} NOT BETWEEN \
                 -9007199254740992 AND 9007199254740992), 0) FROM {from}"
            ),
            [],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)),
        )?;
        let (misfits, texts, reals, large) = counts;
        if misfits == 0 {
            continue;
        }
        let (kind, what) = match (texts, reals) {
            (0, 0) => (DataType::Int64, "whole numbers"),
            (0, _) if large == 0 => (DataType::Float64, "numbers"),
            _ => (DataType::Utf8, "texts"),
        };
        let declared = field.metadata().get(DECLARED).cloned().unwrap_or_default();
        notices.push(
            Notice::warning(
                NoticeKind::ColumnChange,
                format!(
                    "layer {}: column `{}` is declared {declared}, and {misfits} of its values are \
                     something else: all of them are read as {what}",
                    table.name,
                    field.name()
                ),
            )
            .count(misfits.unsigned_abs())
            .in_layer(&table.name)
            .in_column(field.name()),
        );
        *field = Field::new(field.name().clone(), kind, true);
    }
    Ok(())
}

/// True if the database gives the keys itself, and they run 1, 2, 3 … without a gap.
fn counts_rows(connection: &Connection, path: &Path, table: &Table, key: &str) -> Result<bool> {
    let key = quoted(key);
    connection
        .query_row(
            &format!(
                "SELECT coalesce(min({key}) = 1 AND max({key}) = count(*), 1) AND \
                 (SELECT sql LIKE '%autoincrement%' FROM sqlite_master WHERE name = ?1) FROM {}",
                quoted(&table.name)
            ),
            params![table.name],
            |row| row.get(0),
        )
        .map_err(failed(path))
}

impl Source for Table {
    fn key(&self) -> Option<&str> {
        self.key.as_deref()
    }

    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let path = self.path.as_path();
        let connection = connect(path)?;
        let mut columns = vec![self.geometry.as_deref().map_or("NULL".to_string(), quoted)];
        columns.extend(info.schema.fields().iter().map(|field| quoted(field.name())));
        let order = if self.numbered { " ORDER BY rowid" } else { "" };
        let query = format!("SELECT {} FROM {}{order}", columns.join(", "), quoted(&self.name));
        let mut statement = connection.prepare(&query).map_err(failed(path))?;
        let mut cursor = statement.query([]).map_err(failed(path))?;
        let mut gather = BatchBuilder::new(info.schema.clone(), each);
        while let Some(row) = cursor.next().map_err(failed(path))? {
            let mut garbled = None;
            let values: Vec<Value> = info
                .schema
                .fields()
                .iter()
                .enumerate()
                .map(|(at, field)| {
                    let raw = row.get_ref(at + 1)?;
                    if let ValueRef::Text(text) = raw
                        && std::str::from_utf8(text).is_err()
                    {
                        garbled = Some(field.name().clone());
                    }
                    Ok(match (value(raw), field.data_type()) {
                        // Among texts a number keeps the look of one: 1.0 is not 1.
                        (Value::Real(number), DataType::Utf8) => Value::Text(format!("{number:?}")),
                        (value, _) => value,
                    })
                })
                .collect::<std::result::Result<_, _>>()
                .map_err(failed(path))?;
            let pushed = match row.get_ref(0).map_err(failed(path))? {
                ValueRef::Null => {
                    gather.geometry().end_feature(None);
                    Ok(Taken::default())
                }
                ValueRef::Blob(bytes) => blob::read(bytes, gather.geometry(), self.tolerance),
                _ => Err("the geometry is not a blob".into()),
            };
            match (pushed, garbled) {
                (Ok(taken), None) => gather.features(taken.features, values)?,
                (Ok(taken), Some(name)) => {
                    let why = format!("column `{name}` holds bytes that are not UTF-8 text");
                    let geometry = gather.geometry().take_back(taken.features);
                    let record = Unreadable::new(Unread { why, geometry });
                    gather.unreadable(record.with_values(&info.schema, &values))?;
                }
                (Err(unread), _) => {
                    let record = Unreadable::new(unread).with_values(&info.schema, &values);
                    gather.unreadable(record)?;
                }
            }
        }
        gather.finish()
    }
}

fn value(value: ValueRef<'_>) -> Value {
    match value {
        ValueRef::Null => Value::Null,
        ValueRef::Integer(value) => Value::Integer(value),
        ValueRef::Real(value) => Value::Real(value),
        ValueRef::Text(text) => Value::Text(String::from_utf8_lossy(text).into_owned()),
        ValueRef::Blob(bytes) => Value::Binary(bytes.to_vec()),
    }
}
