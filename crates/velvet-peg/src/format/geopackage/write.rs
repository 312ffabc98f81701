//! Writing a GeoPackage: a new file, a new feature table in a copy of one that is there, or
//! more features in one of its tables; with R-tree index and extent.

use super::definitions::{self, UNDEFINED};
use super::packed_rtree::PackedRtree;
use super::{blob, data_columns, quoted, schema};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::{DECLARED, FOREIGN, KEY};
use crate::format_support::{Finished, Sink, WriteOptions, wkt};
use crate::layer::column_names::distinct;
use crate::layer::{Batch, Extender, GeometryKind, LayerInfo, ValueRef};
use arrow_schema::{DataType, Field, FieldRef};
use rusqlite::types::ToSqlOutput;
use rusqlite::{Connection, OptionalExtension, ToSql, params};
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

pub(super) struct Writer {
    path: PathBuf,
    connection: Connection,
    table: String,
    /// None for a table of attributes alone.
    geometry: Option<String>,
    key: String,
    /// Inserts one row, and several.
    insert: [String; 2],
    boxes: PackedRtree,
    srs_id: i32,
    declared: Option<GeometryKind>,
    has_z: bool,
    has_m: bool,
    /// The key of the feature written last.
    last: i64,
    /// The column whose values are the keys, if the features bring them along.
    keys: Option<usize>,
    /// Time of the change; now if none.
    stamp: Option<String>,
}

/// Columns that a table of SQLite holds (SQLITE_MAX_COLUMN).
const MOST_COLUMNS: usize = 2000;

impl Writer {
    /// A new file with one table. `number` is that of the reference system, where the table is
    /// to go to a file that has given it one already.
    pub(super) fn create(
        path: &Path,
        info: &LayerInfo,
        options: &WriteOptions,
        number: Option<i32>,
    ) -> Result<Writer> {
        let failed = failed(path);
        let connection = connect(path).map_err(&failed)?;
        connection
            .execute_batch(&format!("{}{}", schema::IDENTITY, schema::TABLES))
            .map_err(&failed)?;
        add_system(&connection, &Crs::from_epsg(4326)?, None).map_err(&failed)?;
        let stamp = options.stamp.as_deref();
        let srs_id = match &info.crs {
            None => -1,
            Some(crs) if crs.code() == Some(4326) && number.is_none() => 4326,
            Some(crs) => add_system(&connection, crs, number).map_err(&failed)?,
        };
        let names: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        let geometry = (!info.bare).then(|| distinct(&names, "geom"));
        let is_key = |field: &FieldRef| field.metadata().contains_key(KEY);
        let keys = info.schema.fields().iter().position(is_key);
        let key = keys.map_or_else(|| distinct(&names, "fid"), |at| names[at].clone());
        let table = info.name.clone();
        let kind = info.kind.map_or("GEOMETRY", wkt::name);
        let mut columns = vec![format!(
            "{} INTEGER PRIMARY KEY{} NOT NULL",
            quoted(&key),
            if keys.is_none() { " AUTOINCREMENT" } else { "" }
        )];
        columns.extend(geometry.iter().map(|geometry| format!("{} {kind}", quoted(geometry))));
        columns.extend(
            info.schema
                .fields()
                .iter()
                .filter(|field| !is_key(field))
                .map(|f| format!("{} {}", quoted(f.name()), declared_type(f))),
        );
        if columns.len() > MOST_COLUMNS {
            // Its key and its geometry are columns too.
            let own = columns.len() - names.len();
            return Err(Error::usage(format!(
                "has {} columns, more than the {} that a layer of a GeoPackage holds (a .parquet or .fgb has \
                 room for them)",
                names.len(),
                MOST_COLUMNS - own
            ))
            .advise(Advice::KeepColumns)
            .in_file(path));
        }
        connection
            .execute_batch(&format!(
                "CREATE TABLE {} ({}); BEGIN;",
                quoted(&table),
                columns.join(", ")
            ))
            .map_err(&failed)?;
        connection
            .execute(
                "INSERT INTO gpkg_contents (table_name, data_type, identifier, description, srs_id, last_change) \
                 VALUES (?1, ?4, ?1, ?5, ?2, coalesce(?3, strftime('%Y-%m-%dT%H:%M:%fZ','now')))",
                params![
                    table,
                    geometry.as_ref().map(|_| srs_id),
                    stamp,
                    if info.bare { "attributes" } else { "features" },
                    info.description.as_deref().unwrap_or_default()
                ],
            )
            .map_err(&failed)?;
        data_columns::write(&connection, &table, &info.schema).map_err(&failed)?;
        // The R-tree is filled as features are written; its triggers, which call functions
        // that only readers of GeoPackages bring along, come last.
        if let Some(geometry) = &geometry {
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
        }
        let others = names.len() - usize::from(keys.is_some());
        let first = if info.bare { 1 } else { 2 };
        let width = others + first;
        let marks = format!("({})", vec!["?"; width].join(", "));
        let insert = [1, several(width)].map(|rows| {
            let rows = vec![marks.as_str(); rows].join(", ");
            format!("INSERT INTO {} VALUES {rows}", quoted(&table))
        });
        Ok(Writer {
            path: path.to_path_buf(),
            connection,
            table,
            geometry,
            key,
            insert,
            boxes: PackedRtree::default(),
            srs_id,
            declared: info.kind,
            has_z: false,
            has_m: false,
            last: 0,
            keys,
            stamp: stamp.map(String::from),
        })
    }

    /// Writes the table's entry.
    fn describe(&mut self) -> rusqlite::Result<()> {
        let Some(geometry) = &self.geometry else {
            return self.connection.execute_batch("COMMIT;");
        };
        let flags = (if self.has_z { 2 } else { 0 }, if self.has_m { 2 } else { 0 });
        self.connection.execute(
            "INSERT INTO gpkg_geometry_columns VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            params![
                self.table,
                geometry,
                self.declared.map_or("GEOMETRY", wkt::name),
                self.srs_id,
                flags.0,
                flags.1
            ],
        )?;
        if let Some(bounds) = self.boxes.extent() {
            self.connection.execute(
                "UPDATE gpkg_contents SET min_x = min(coalesce(min_x, ?1), ?1), \
                 min_y = min(coalesce(min_y, ?2), ?2), max_x = max(coalesce(max_x, ?3), ?3), \
                 max_y = max(coalesce(max_y, ?4), ?4), \
                 last_change = coalesce(?6, strftime('%Y-%m-%dT%H:%M:%fZ','now')) \
                 WHERE table_name = ?5",
                params![
                    bounds.west,
                    bounds.south,
                    bounds.east,
                    bounds.north,
                    self.table,
                    self.stamp
                ],
            )?;
        }
        let index = format!("rtree_{}_{geometry}", self.table);
        std::mem::take(&mut self.boxes).write(&self.connection, &index)?;
        self.connection.execute_batch(&schema::triggers(&self.table, geometry, &self.key))?;
        self.connection.execute_batch("COMMIT;")
    }
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let failed = failed(&self.path);
        if self.geometry.is_none() && !batch.geometry.kinds().iter().all(Option::is_none) {
            return Err(Error::usage("a table of attributes takes no geometries"));
        }
        self.has_z |= batch.geometry.has_z();
        self.has_m |= batch.geometry.has_m();
        let mut columns = batch.columns();
        let keys = self.keys.map(|at| columns.remove(at));
        let geometries = usize::from(self.geometry.is_some());
        let width = 1 + geometries + columns.len();
        let many = several(width);
        let prepare = |text| self.connection.prepare_cached(text).map_err(&failed);
        let (mut one, mut several) = (prepare(&self.insert[0])?, prepare(&self.insert[1])?);
        let whole = batch.len() - batch.len() % many;
        let mut bytes = Vec::new();
        for feature in 0..batch.len() {
            self.last = match keys.map(|column| column.value(feature)) {
                None => self.last + 1,
                Some(ValueRef::Integer(key)) => key,
                Some(other) => {
                    return Err(Error::data(format!(
                        "feature {}: `{}`, the number that features are known by, is `{}`: leave the \
                         column out, or give it another name",
                        batch.first + feature as u64,
                        self.key,
                        other
                    )));
                }
            };
            let (statement, row) = match feature < whole {
                true => (&mut several, feature % many),
                false => (&mut one, 0),
            };
            let mut mark = row * width + 1;
            statement.raw_bind_parameter(mark, self.last).map_err(&failed)?;
            if geometries > 0 {
                mark += 1;
                let blob = blob::write(&batch.geometry, feature, self.srs_id, &mut bytes);
                statement.raw_bind_parameter(mark, blob).map_err(&failed)?;
            }
            for column in &columns {
                mark += 1;
                statement.raw_bind_parameter(mark, column.value(feature)).map_err(&failed)?;
            }
            if feature >= whole || row + 1 == many {
                statement.raw_execute().map_err(&failed)?;
            }
            let mut extent = Extender::default();
            for at in batch.geometry.vertices(feature) {
                extent.point(batch.geometry.x[at], batch.geometry.y[at]);
            }
            if let Some(bounds) = extent.bounds() {
                let laid = self.boxes.add(self.last, &bounds);
                laid.map_err(|e| Error::file(&self.path, "cannot be written", e))?;
            }
        }
        Ok(())
    }

    fn finish(mut self: Box<Self>) -> Result<Finished> {
        let failed = failed(&self.path);
        self.describe().map_err(&failed)?;
        self.connection.close().map_err(|(_, error)| failed(error))?;
        Ok(Finished::default())
    }
}

fn connect(path: &Path) -> rusqlite::Result<Connection> {
    let connection = Connection::open(path)?;
    // The file is thrown away if it is not finished: no journal is needed.
    connection.execute_batch(
        "PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA locking_mode = EXCLUSIVE; PRAGMA cache_size = -8192;",
    )?;
    Ok(connection)
}

/// Rows of so many columns that are inserted by one statement.
fn several(width: usize) -> usize {
    // SQLite takes 32,766 values in a statement.
    (32_000 / width).clamp(1, 16)
}

fn failed(path: &Path) -> impl Fn(rusqlite::Error) -> Error + use<> {
    let path = path.to_path_buf();
    move |error| Error::file(&path, "cannot be written as a GeoPackage", error)
}

/// Number of a system that the registry does not have, beyond all codes of the registry.
const OWN_SYSTEM: u32 = 100_000_001;

/// Writes a system's row and gives its number.
pub(super) fn add_system(
    connection: &Connection,
    crs: &Crs,
    number: Option<i32>,
) -> rusqlite::Result<i32> {
    let (organization, code) = match crs.code() {
        Some(code) => ("EPSG", code),
        None => ("NONE", OWN_SYSTEM),
    };
    let number = number.unwrap_or(code as i32);
    let (old, new) = definitions::texts(crs);
    if new.is_some() {
        definitions::add_wkt2(connection)?;
    }
    // A second form of the definition that newer files have must not be missing.
    let (more, value) = match definitions::has_wkt2(connection, "main")? {
        true => (", definition_12_063", ", ?7"),
        false => ("", " WHERE ?7 IS ?7"),
    };
    connection.execute(
        &format!(
            "INSERT OR IGNORE INTO gpkg_spatial_ref_sys (srs_name, srs_id, organization, \
             organization_coordsys_id, definition, description{more}) \
             SELECT ?1, ?2, ?3, ?4, ?5, ?6{value}"
        ),
        params![
            crs.name(),
            number,
            organization,
            code,
            old,
            crs.extent().description(),
            new.as_deref().unwrap_or(UNDEFINED)
        ],
    )?;
    Ok(number)
}

/// The number that a file has given to a system, or can give to it.
pub(super) fn number_of(connection: &Connection, crs: &Crs) -> rusqlite::Result<i32> {
    let (old, new) = definitions::texts(crs);
    let query = match (crs.code(), &new) {
        (Some(_), _) => "upper(organization) = 'EPSG' AND organization_coordsys_id = ?1",
        (None, None) => "definition = ?2",
        (None, Some(_)) if definitions::has_wkt2(connection, "main")? => "definition_12_063 = ?2",
        (None, Some(_)) => "0",
    };
    let known: Option<i32> = connection
        .query_row(
            &format!(
                "SELECT srs_id FROM gpkg_spatial_ref_sys WHERE ({query}) AND ?1 IS ?1 AND ?2 IS ?2"
            ),
            params![crs.code(), new.unwrap_or(old)],
            |row| row.get(0),
        )
        .optional()?;
    if let Some(known) = known {
        return Ok(known);
    }
    let wanted = crs.code().unwrap_or(OWN_SYSTEM);
    connection.query_row(
        "SELECT CASE WHEN EXISTS (SELECT 1 FROM gpkg_spatial_ref_sys WHERE srs_id = ?1) \
         THEN max(?2, (SELECT max(srs_id) + 1 FROM gpkg_spatial_ref_sys)) ELSE ?1 END",
        params![wanted, OWN_SYSTEM],
        |row| row.get(0),
    )
}

/// A table name that no GeoPackage or SQLite table has.
pub(super) fn table_name(name: &str) -> String {
    let clean: String =
        name.chars().map(|c| if c.is_alphanumeric() || c == '_' { c } else { '_' }).collect();
    let lower = clean.to_ascii_lowercase();
    let reserved = ["gpkg_", "rtree_", "sqlite_"].iter().any(|start| lower.starts_with(start));
    if clean.is_empty() || reserved { format!("layer_{clean}") } else { clean }
}

fn declared_type(field: &Field) -> String {
    if let Some(declared) = field.metadata().get(FOREIGN) {
        return declared.clone();
    }
    // Times of the day have no type of their own in the standard.
    if let Some(declared) = field.metadata().get(DECLARED).filter(|declared| *declared != "TIME") {
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

impl ToSql for ValueRef<'_> {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        use rusqlite::types::ValueRef as Sql;
        Ok(ToSqlOutput::Borrowed(match *self {
            ValueRef::Null => Sql::Null,
            ValueRef::Boolean(value) => Sql::Integer(value.into()),
            ValueRef::Integer(value) => Sql::Integer(value),
            ValueRef::Real(value) => Sql::Real(value),
            ValueRef::Text(value) => Sql::Text(value.as_bytes()),
            ValueRef::Binary(value) => Sql::Blob(value),
        }))
    }
}
