//! Writing a GeoPackage with one feature table, its R-tree index and its extent.

use super::read::DECLARED;
use super::{blob, quoted, schema};
use crate::error::{Error, Result};
use crate::format::WriteOptions;
use crate::format::csv_out::distinct;
use crate::layer::{Batch, Extender, GeometryKind, LayerInfo, Value};
use crate::output::Output;
use arrow_schema::{DataType, Field};
use rusqlite::types::ToSqlOutput;
use rusqlite::{Connection, ToSql, params};
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, definition};

pub(in crate::format) struct Writer {
    path: PathBuf,
    output: Output,
    connection: Connection,
    table: String,
    geometry: String,
    key: String,
    insert: String,
    insert_box: String,
    srs_id: i32,
    extent: Extender,
    declared: Option<GeometryKind>,
    has_z: bool,
    written: i64,
}

impl Writer {
    pub(in crate::format) fn create(
        path: &Path,
        info: &LayerInfo,
        options: &WriteOptions,
    ) -> Result<Writer> {
        let output = Output::create(path, options.overwrite)?;
        let failed = failed(path);
        let connection = Connection::open(output.temporary_path()).map_err(&failed)?;
        // The file is thrown away if it is not finished: no journal is needed.
        connection
            .execute_batch("PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA locking_mode = EXCLUSIVE; PRAGMA cache_size = -65536;")
            .map_err(&failed)?;
        connection
            .execute_batch(&format!("{}{}", schema::IDENTITY, schema::TABLES))
            .map_err(&failed)?;
        add_system(&connection, &Crs::from_epsg(4326)?).map_err(&failed)?;
        let srs_id = match &info.crs {
            None => -1,
            Some(crs) if crs.code() == Some(4326) => 4326,
            Some(crs) => add_system(&connection, crs).map_err(&failed)?,
        };
        let names: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        let geometry = distinct(&names, "geom");
        let key = distinct(&names, "fid");
        let table = table_name(&info.name);
        let kind = info.kind.map_or("GEOMETRY", kind_name);
        let mut columns = vec![
            format!("{} INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL", quoted(&key)),
            format!("{} {kind}", quoted(&geometry)),
        ];
        columns.extend(
            info.schema
                .fields()
                .iter()
                .map(|f| format!("{} {}", quoted(f.name()), declared_type(f))),
        );
        connection
            .execute_batch(&format!(
                "CREATE TABLE {} ({}); BEGIN;",
                quoted(&table),
                columns.join(", ")
            ))
            .map_err(&failed)?;
        connection
            .execute(
                "INSERT INTO gpkg_contents (table_name, data_type, identifier, srs_id) VALUES (?1, 'features', ?1, ?2)",
                params![table, srs_id],
            )
            .map_err(&failed)?;
        // The R-tree is filled as features are written; its triggers, which call functions
        // that only readers of GeoPackages bring along, come last.
        let index = quoted(&format!("rtree_{table}_{geometry}"));
        connection
            .execute_batch(&format!(
                "CREATE VIRTUAL TABLE {index} USING rtree(id, minx, maxx, miny, maxy);"
            ))
            .map_err(&failed)?;
        connection
            .execute(
                "INSERT INTO gpkg_extensions VALUES (?1, ?2, 'gpkg_rtree_index', 'http://www.geopackage.org/spec131/#extension_rtree', 'write-only')",
                params![table, geometry],
            )
            .map_err(&failed)?;
        let marks: Vec<String> = (1..=names.len() + 2).map(|n| format!("?{n}")).collect();
        let insert = format!("INSERT INTO {} VALUES ({})", quoted(&table), marks.join(", "));
        let insert_box = format!("INSERT INTO {index} VALUES (?1, ?2, ?3, ?4, ?5)");
        Ok(Writer {
            path: path.to_path_buf(),
            output,
            connection,
            table,
            geometry,
            key,
            insert,
            insert_box,
            srs_id,
            extent: Extender::default(),
            declared: info.kind,
            has_z: false,
            written: 0,
        })
    }

    pub(in crate::format) fn write(&mut self, batch: &Batch) -> Result<()> {
        let failed = failed(&self.path);
        let mut statement = self.connection.prepare_cached(&self.insert).map_err(&failed)?;
        let mut boxes = self.connection.prepare_cached(&self.insert_box).map_err(&failed)?;
        self.has_z |= batch.geometry.has_z();
        for feature in 0..batch.geometry.len() {
            self.written += 1;
            let bytes = blob::write(&batch.geometry, feature, self.srs_id);
            let values = batch.values(feature);
            let mut row: Vec<&dyn ToSql> = vec![&self.written, &bytes];
            row.extend(values.iter().map(|value| value as &dyn ToSql));
            statement.execute(row.as_slice()).map_err(&failed)?;
            let mut extent = Extender::default();
            for at in batch.geometry.vertices(feature) {
                extent.point(batch.geometry.x[at], batch.geometry.y[at]);
            }
            if let Some(b) = extent.bounds() {
                boxes
                    .execute(params![self.written, b.west, b.east, b.south, b.north])
                    .map_err(&failed)?;
                self.extent.point(b.west, b.south);
                self.extent.point(b.east, b.north);
            }
        }
        Ok(())
    }

    pub(in crate::format) fn finish(self) -> Result<()> {
        let failed = failed(&self.path);
        self.connection
            .execute(
                "INSERT INTO gpkg_geometry_columns VALUES (?1, ?2, ?3, ?4, ?5, 0)",
                params![
                    self.table,
                    self.geometry,
                    self.declared.map_or("GEOMETRY", kind_name),
                    self.srs_id,
                    if self.has_z { 2 } else { 0 }
                ],
            )
            .map_err(&failed)?;
        if let Some(bounds) = self.extent.bounds() {
            self.connection
                .execute(
                    "UPDATE gpkg_contents SET min_x = ?1, min_y = ?2, max_x = ?3, max_y = ?4",
                    params![bounds.west, bounds.south, bounds.east, bounds.north],
                )
                .map_err(&failed)?;
        }
        self.connection
            .execute_batch(&schema::triggers(&self.table, &self.geometry, &self.key))
            .map_err(&failed)?;
        self.connection.execute_batch("COMMIT;").map_err(&failed)?;
        self.connection.close().map_err(|(_, error)| failed(error))?;
        self.output.finish()
    }
}

fn failed(path: &Path) -> impl Fn(rusqlite::Error) -> Error {
    let path = path.to_path_buf();
    move |error| Error::file(&path, "cannot be written as a GeoPackage", error)
}

/// Number of a system that the registry does not have, beyond all codes of the registry.
const OWN_SYSTEM: u32 = 100_000_001;

/// Writes a system's row and gives its number.
fn add_system(connection: &Connection, crs: &Crs) -> rusqlite::Result<i32> {
    let text = definition::wkt1(crs).unwrap_or_else(|| "undefined".to_string());
    let (organization, code) = match crs.code() {
        Some(code) => ("EPSG", code),
        None => ("NONE", OWN_SYSTEM),
    };
    connection.execute(
        "INSERT INTO gpkg_spatial_ref_sys VALUES (?1, ?2, ?3, ?2, ?4, ?5)",
        params![crs.name(), code, organization, text, crs.extent().description()],
    )?;
    Ok(code as i32)
}

/// A table name that no GeoPackage or SQLite table has.
fn table_name(name: &str) -> String {
    let clean: String =
        name.chars().map(|c| if c.is_alphanumeric() || c == '_' { c } else { '_' }).collect();
    let lower = clean.to_ascii_lowercase();
    let reserved = ["gpkg_", "rtree_", "sqlite_"].iter().any(|start| lower.starts_with(start));
    if clean.is_empty() || reserved { format!("layer_{clean}") } else { clean }
}

fn kind_name(kind: GeometryKind) -> &'static str {
    match kind {
        GeometryKind::Point => "POINT",
        GeometryKind::Line => "LINESTRING",
        GeometryKind::Polygon => "POLYGON",
        GeometryKind::MultiPoint => "MULTIPOINT",
        GeometryKind::MultiLine => "MULTILINESTRING",
        GeometryKind::MultiPolygon => "MULTIPOLYGON",
    }
}

fn declared_type(field: &Field) -> String {
    if let Some(declared) = field.metadata().get(DECLARED) {
        return declared.clone();
    }
    match field.data_type() {
        DataType::Int64 => "INTEGER",
        DataType::Float64 => "REAL",
        DataType::Boolean => "BOOLEAN",
        DataType::Binary => "BLOB",
        _ => "TEXT",
    }
    .to_string()
}

impl ToSql for Value {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        Ok(match self {
            Value::Null => ToSqlOutput::from(rusqlite::types::Null),
            Value::Boolean(value) => ToSqlOutput::from(*value),
            Value::Integer(value) => ToSqlOutput::from(*value),
            Value::Real(value) => ToSqlOutput::from(*value),
            Value::Text(value) => ToSqlOutput::from(value.as_str()),
            Value::Binary(value) => ToSqlOutput::from(value.as_slice()),
        })
    }
}
