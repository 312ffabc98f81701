//! Reading the feature tables of a GeoPackage.

use super::existing::read_only;
use super::{blob, quoted};
use crate::error::{Error, Result};
use crate::format::Source;
use crate::format::fit::DECLARED;
use crate::format::reader::Opened;
use crate::layer::{Batch, CrsOrigin, Gather, GeometryKind, LayerInfo, Value};
use crate::notice::Notice;
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
}

fn failed(path: &Path) -> impl Fn(rusqlite::Error) -> Error + '_ {
    move |error| Error::file(path, "cannot be read as a GeoPackage", error)
}

fn connect(path: &Path) -> Result<Connection> {
    read_only(path).map_err(failed(path))
}

pub(in crate::format) fn open(path: &Path) -> Result<Vec<Opened>> {
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
                Table { path: path.to_path_buf(), name: row.get(0)?, geometry: row.get(1)? },
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
        let (table, kind, srs_id, has_z, has_m, limits) = row.map_err(failed(path))?;
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
        let info = LayerInfo {
            name: table.name.clone(),
            crs,
            crs_origin: CrsOrigin::File,
            schema: Arc::new(Schema::new(fields(&connection, path, &table)?)),
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
        "LINESTRING" => GeometryKind::Line,
        "POLYGON" => GeometryKind::Polygon,
        "MULTIPOINT" => GeometryKind::MultiPoint,
        "MULTILINESTRING" => GeometryKind::MultiLine,
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
        notices.push(Notice::warning(format!(
            "layer {table} names a reference system, number {srs_id}, that the file does not \
             describe: it is taken as having none; declare the right one with `vpeg declare`"
        )));
        return Ok(None);
    };
    let code = u32::try_from(code).ok().filter(|_| organization.eq_ignore_ascii_case("epsg"));
    if let Some(crs) = code.and_then(|code| Crs::from_epsg(code).ok()) {
        return Ok(Some(crs));
    }
    // A system without a code of the registry is what its definition says.
    match definition::resolve(&text) {
        Ok(crs) => {
            notices.push(Notice::remark(format!(
                "layer {table} is in `{name}`, read from the definition in the file as {}",
                crs.label()
            )));
            Ok(Some(crs))
        }
        Err(error) => {
            notices.push(Notice::warning(format!(
                "layer {table} is in the reference system `{name}`, which has no code of the EPSG \
                 registry, and whose definition cannot be read ({error}): it is taken as having \
                 none; declare the right one with `vpeg declare`"
            )));
            Ok(None)
        }
    }
}

/// Attribute columns: all but the geometry and the integer key. A key that does not simply
/// count the rows from 1 may be what other tables refer to: it is kept as an attribute.
fn fields(connection: &Connection, path: &Path, table: &Table) -> Result<Vec<Field>> {
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
        if name == table.geometry || (key && counts_rows(connection, path, table, &name)?) {
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
    Ok(fields)
}

/// True if a key column runs 1, 2, 3 … without a gap.
fn counts_rows(connection: &Connection, path: &Path, table: &Table, key: &str) -> Result<bool> {
    let key = quoted(key);
    connection
        .query_row(
            &format!(
                "SELECT coalesce(min({key}) = 1 AND max({key}) = count(*), 1) FROM {}",
                quoted(&table.name)
            ),
            [],
            |row| row.get(0),
        )
        .map_err(failed(path))
}

impl Source for Table {
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let path = self.path.as_path();
        let connection = connect(path)?;
        let mut columns = vec![quoted(&self.geometry)];
        columns.extend(info.schema.fields().iter().map(|field| quoted(field.name())));
        let query =
            format!("SELECT {} FROM {} ORDER BY rowid", columns.join(", "), quoted(&self.name));
        let mut statement = connection.prepare(&query).map_err(failed(path))?;
        let mut cursor = statement.query([]).map_err(failed(path))?;
        let mut gather = Gather::new(info.schema.clone(), each);
        while let Some(row) = cursor.next().map_err(failed(path))? {
            let values: Vec<Value> = (0..info.schema.fields().len())
                .map(|at| row.get_ref(at + 1).map(value))
                .collect::<std::result::Result<_, _>>()
                .map_err(failed(path))?;
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
