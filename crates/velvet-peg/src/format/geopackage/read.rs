//! Reading the feature tables of a GeoPackage.

use super::existing::read_only;
use super::{blob, quoted};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::OpenedLayer;
use crate::format_support::Source;
use crate::format_support::{DECLARED, key_field};
use crate::layer::{Batch, BatchBuilder, CrsOrigin, GeometryKind, LayerInfo, Value};
use crate::notice::{Notice, NoticeKind};
use arrow_schema::{DataType, Field, Schema};
use rusqlite::types::ValueRef;
use rusqlite::{Connection, OptionalExtension, params};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg_core::{Bounds, Crs, definition};

/// How a feature table is read.
#[derive(Debug)]
struct Table {
    path: PathBuf,
    name: String,
    geometry: String,
    /// The integer primary key.
    key: Option<String>,
}

fn failed(path: &Path) -> impl Fn(rusqlite::Error) -> Error + '_ {
    move |error| Error::file(path, "cannot be read as a GeoPackage", error)
}

fn connect(path: &Path) -> Result<Connection> {
    read_only(path).map_err(failed(path))
}

pub(super) fn open(path: &Path) -> Result<Vec<OpenedLayer>> {
    let connection = connect(path)?;
    let mut statement = connection
        .prepare(
            "SELECT c.table_name, g.column_name, g.geometry_type_name, g.srs_id, g.z, g.m,
                    c.min_x, c.min_y, c.max_x, c.max_y
             FROM gpkg_contents c JOIN gpkg_geometry_columns g ON g.table_name = c.table_name
             WHERE c.data_type = 'features' ORDER BY c.rowid",
        )
        .map_err(failed(path))?;
    let rows = statement
        .query_map([], |row| {
            let limits: [Option<f64>; 4] = [row.get(6)?, row.get(7)?, row.get(8)?, row.get(9)?];
            Ok((
                Table {
                    path: path.to_path_buf(),
                    name: row.get(0)?,
                    geometry: row.get(1)?,
                    key: None,
                },
                row.get::<_, String>(2)?,
                row.get::<_, i64>(3)?,
                row.get::<_, i64>(4)? != 0,
                row.get::<_, i64>(5)? != 0,
                limits,
            ))
        })
        .map_err(failed(path))?;
    let mut readers = Vec::new();
    for row in rows {
        let (mut table, kind, srs_id, has_z, has_m, limits) = row.map_err(failed(path))?;
        let mut notices = Vec::new();
        let crs = system(&connection, path, &table.name, srs_id, &mut notices)?;
        let count: i64 = connection
            .query_row(&format!("SELECT count(*) FROM {}", quoted(&table.name)), [], |row| {
                row.get(0)
            })
            .map_err(failed(path))?;
        let extent = match limits {
            [Some(west), Some(south), Some(east), Some(north)] => {
                Some(Bounds { south, west, north, east })
            }
            _ => None,
        };
        let schema = fields(&connection, path, &mut table, &mut notices)?;
        let info = LayerInfo {
            name: table.name.clone(),
            crs,
            crs_origin: CrsOrigin::File,
            schema: Arc::new(Schema::new(schema)),
            kind: kind_of(&kind),
            has_z,
            has_m,
            count: u64::try_from(count).ok(),
            extent,
        };
        readers.push((info, Box::new(table) as Box<dyn Source>, notices));
    }
    Ok(readers)
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
    let row: Option<(String, i64, String, String)> = connection
        .query_row(
            "SELECT organization, organization_coordsys_id, srs_name, definition \
             FROM gpkg_spatial_ref_sys WHERE srs_id = ?1",
            params![srs_id],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)),
        )
        .optional()
        .map_err(failed(path))?;
    let Some((organization, code, name, text)) = row else {
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
    match definition::resolve(&text) {
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
        if name == table.geometry {
            continue;
        }
        if key && declared.eq_ignore_ascii_case("INTEGER") {
            table.key = Some(name.clone());
            if !counts_rows(connection, path, table, &name)? {
                fields.push(key_field(&name));
            }
            continue;
        }
        let upper = declared.to_ascii_uppercase();
        let kind = match upper.split('(').next().unwrap_or_default().trim() {
            "BOOLEAN" => DataType::Boolean,
            "TINYINT" | "SMALLINT" | "MEDIUMINT" | "INT" | "INTEGER" | "BIGINT" => DataType::Int64,
            "FLOAT" | "DOUBLE" | "REAL" | "NUMERIC" => DataType::Float64,
            "BLOB" => DataType::Binary,
            _ => DataType::Utf8,
        };
        let metadata = HashMap::from([(DECLARED.to_string(), upper)]);
        fields.push(Field::new(name, kind, true).with_metadata(metadata));
    }
    widen(connection, table, &mut fields, notices).map_err(failed(path))?;
    Ok(fields)
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
        let mut columns = vec![quoted(&self.geometry)];
        columns.extend(info.schema.fields().iter().map(|field| quoted(field.name())));
        let query =
            format!("SELECT {} FROM {} ORDER BY rowid", columns.join(", "), quoted(&self.name));
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
            if let Some(name) = garbled {
                let texts: Vec<String> = values.iter().map(Value::to_text).collect();
                let why = format!("column `{name}` holds bytes that are not UTF-8 text");
                gather.unreadable(why, texts.join(", "))?;
                continue;
            }
            let pushed = match row.get_ref(0).map_err(failed(path))? {
                ValueRef::Null => {
                    gather.geometry().end_feature(None);
                    Ok(())
                }
                ValueRef::Blob(bytes) => blob::read(bytes, gather.geometry()),
                _ => Err("the geometry is not a blob".to_string()),
            };
            match pushed {
                Ok(()) => gather.feature(values)?,
                Err(why) => {
                    let texts: Vec<String> = values.iter().map(Value::to_text).collect();
                    gather.unreadable(why, texts.join(", "))?;
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
