//! A GeoPackage that is there: it is changed by a transaction of SQLite's own, so that locks are
//! respected, what other programs write is kept, and a run that is killed leaves the file as it was.

use super::{data_columns, defence, definitions, quoted, schema, write};
use crate::error::{Error, Kind, Result};
use crate::format_support::Placing;
use crate::layer::{LINEAGE, LayerInfo};
use rusqlite::functions::FunctionFlags;
use rusqlite::{Connection, ErrorCode, OpenFlags, OptionalExtension, params};
use std::path::{Path, PathBuf};
use std::time::Duration;
use velvet_peg_core::Crs;

/// How long a lock of another program is waited for.
const PATIENCE: Duration = Duration::from_secs(10);

/// Files that SQLite keeps beside a database.
const LOGS: [&str; 3] = ["-wal", "-journal", "-shm"];

fn failed(path: &Path) -> impl Fn(rusqlite::Error) -> Error + use<> {
    let path = path.to_path_buf();
    move |error| {
        let locked = [ErrorCode::DatabaseBusy, ErrorCode::DatabaseLocked];
        match error.sqlite_error_code() {
            Some(code) if locked.contains(&code) => Error::new(
                Kind::File,
                "is in use: another program is writing to it. Nothing was changed; close it there, \
                 or try again",
            )
            .in_file(&path),
            _ => Error::file(&path, "cannot be written as a GeoPackage", error),
        }
    }
}

fn connect(path: &Path) -> rusqlite::Result<Connection> {
    let connection = Connection::open_with_flags(
        path,
        OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX,
    )?;
    connection.busy_timeout(PATIENCE)?;
    // 64 MB of pages: with fewer, large layers are read and written many times over.
    connection.pragma_update(None, "cache_size", -65_536)?;
    defence::distrust(&connection)?;
    Ok(connection)
}

/// Makes sure that a file can be replaced: nobody is writing to it, and what its log holds is in
/// it, so that no log is left that would be taken for one of the new file.
pub(super) fn release(path: &Path) -> Result<()> {
    let logs = || -> Vec<PathBuf> {
        let log = |end: &&str| {
            let mut name = path.as_os_str().to_os_string();
            name.push(end);
            PathBuf::from(name)
        };
        LOGS.iter().map(log).filter(|log| log.exists()).collect()
    };
    let emptied = || -> rusqlite::Result<()> {
        let connection = connect(path)?;
        connection.pragma_update(None, "locking_mode", "EXCLUSIVE")?;
        connection.query_row("PRAGMA journal_mode = DELETE", [], |_| Ok(()))?;
        connection.execute_batch("BEGIN EXCLUSIVE; ROLLBACK;")
    };
    match emptied() {
        Err(error) if error.sqlite_error_code() == Some(ErrorCode::DatabaseBusy) => {
            return Err(failed(path)(error));
        }
        // What cannot be opened has nothing to lose, but its logs would outlive it.
        _ => {}
    }
    match logs().first() {
        None => Ok(()),
        Some(log) => Err(Error::usage(format!(
            "is not replaced: {} belongs to it and would be taken for a part of the new file. \
             Another program has the file open, or crashed: open and close it there, or write \
             another file",
            log.display()
        ))
        .in_file(path)),
    }
}

/// Tables of a file, but those that every GeoPackage has and those of its indexes.
const TABLES: &str = "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') \
    AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'rtree_%' AND name NOT IN \
    ('gpkg_spatial_ref_sys', 'gpkg_contents', 'gpkg_geometry_columns', 'gpkg_extensions', \
    'gpkg_data_columns')";

/// What a file holds beside layers of these names: other layers, styles, notes; nothing if it is
/// no database.
///
/// # Errors
/// If it cannot be looked into, because another program has locked it or it is damaged.
pub(super) fn others(path: &Path, layers: &[String]) -> Result<Vec<String>> {
    let connection = match read_only(path) {
        Err(error) if error.sqlite_error_code() == Some(ErrorCode::NotADatabase) => {
            return Ok(Vec::new());
        }
        opened => opened.map_err(failed(path))?,
    };
    let names = || -> rusqlite::Result<Vec<String>> {
        let mut statement = connection.prepare(TABLES)?;
        statement.query_map([], |row| row.get(0))?.collect()
    };
    let names = names().map_err(failed(path))?;
    Ok(names.into_iter().filter(|name| !layers.contains(name)).collect())
}

/// Opens a file for reading. A change that a killed program has left half done is taken back by
/// SQLite, for which it has to write.
pub(super) fn read_only(path: &Path) -> rusqlite::Result<Connection> {
    let open = |mode| -> rusqlite::Result<Connection> {
        let connection = Connection::open_with_flags(path, mode | OpenFlags::SQLITE_OPEN_NO_MUTEX)?;
        connection.busy_timeout(PATIENCE)?;
        connection.query_row("SELECT count(*) FROM sqlite_master", [], |_| Ok(()))?;
        defence::distrust(&connection)?;
        Ok(connection)
    };
    match open(OpenFlags::SQLITE_OPEN_READ_ONLY) {
        Err(error) if error.sqlite_error_code() == Some(ErrorCode::ReadOnly) => {
            open(OpenFlags::SQLITE_OPEN_READ_WRITE)
        }
        opened => opened,
    }
}

/// A copy of a file as it stands, with what its log holds.
pub(super) fn copy(path: &Path, to: &Path) -> Result<()> {
    let copied = read_only(path)
        .and_then(|connection| connection.execute("VACUUM INTO ?1", params![to.to_string_lossy()]));
    copied.map(drop).map_err(failed(path))
}

/// The number that a file uses, or can use, for the system of a layer.
pub(super) fn system_number(path: &Path, info: &LayerInfo) -> Result<Option<i32>> {
    let Some(crs) = &info.crs else { return Ok(None) };
    let failed = failed(path);
    let connection = connect(path).map_err(&failed)?;
    let own: Option<i32> = connection
        .query_row(
            "SELECT srs_id FROM gpkg_geometry_columns WHERE table_name = ?1",
            params![info.name],
            |row| row.get(0),
        )
        .optional()
        .map_err(&failed)?;
    // A table that is added to keeps its own number, if that means the system.
    let known = write::number_of(&connection, crs).map_err(&failed)?;
    Ok(Some(own.filter(|own| *own == known).unwrap_or(known)))
}

/// A table of features, as far as it matters here.
struct Table {
    name: String,
    /// None for a table of attributes alone.
    geometry: Option<String>,
    key: String,
    /// It has an R-tree.
    indexed: bool,
    /// Triggers of the R-tree: they call functions that SQLite alone does not have, so they are
    /// taken away while features are written.
    triggers: Vec<(String, String)>,
}

impl Table {
    fn open(connection: &Connection, name: &str) -> rusqlite::Result<Option<Table>> {
        let found: Option<String> = connection
            .query_row(
                "SELECT column_name FROM main.gpkg_geometry_columns WHERE table_name = ?1",
                params![name],
                |row| row.get(0),
            )
            .optional()?;
        let attributes: i64 = connection.query_row(
            "SELECT count(*) FROM main.gpkg_contents WHERE table_name = ?1 \
             AND data_type IN ('attributes', 'aspatial')",
            params![name],
            |row| row.get(0),
        )?;
        if found.is_none() && attributes == 0 {
            return Ok(None);
        }
        let geometry = found;
        let key: Option<String> = connection
            .query_row(
                "SELECT name FROM pragma_table_info(?1, 'main') WHERE pk = 1",
                params![name],
                |row| row.get(0),
            )
            .optional()?;
        let index = format!("rtree_{name}_{}", geometry.as_deref().unwrap_or_default());
        let indexed = connection.query_row(
            "SELECT count(*) FROM main.sqlite_master WHERE type = 'table' AND name = ?1",
            params![index],
            |row| row.get::<_, i64>(0),
        )? > 0;
        let mut statement = connection.prepare(
            "SELECT name, sql FROM main.sqlite_master WHERE type = 'trigger' AND tbl_name = ?1 \
             AND substr(name, 1, length(?2)) = ?2",
        )?;
        let triggers = statement
            .query_map(params![name, index], |row| Ok((row.get(0)?, row.get(1)?)))?
            .collect::<rusqlite::Result<_>>()?;
        let key = key.unwrap_or_else(|| "rowid".to_string());
        Ok(Some(Table { name: name.to_string(), geometry, key, indexed, triggers }))
    }

    fn index(&self) -> String {
        format!("rtree_{}_{}", self.name, self.geometry.as_deref().unwrap_or_default())
    }

    /// Whether the R-tree keeps nothing but boxes, as the standard has it.
    fn has_plain_index(&self, connection: &Connection) -> rusqlite::Result<bool> {
        connection.query_row(
            "SELECT count(*) FROM pragma_table_info(?1, 'main')",
            params![format!("{}_rowid", self.index())],
            |row| Ok(row.get::<_, i64>(0)? == 2),
        )
    }

    fn drop_triggers(&self, connection: &Connection) -> rusqlite::Result<()> {
        self.triggers.iter().try_for_each(|(name, _)| {
            connection.execute_batch(&format!("DROP TRIGGER main.{};", quoted(name)))
        })
    }

    fn restore_triggers(&self, connection: &Connection) -> rusqlite::Result<()> {
        self.triggers.iter().try_for_each(|(_, sql)| connection.execute_batch(&format!("{sql};")))
    }

    /// Names and declared types of the columns, but the key and the geometry.
    fn columns(
        &self,
        connection: &Connection,
        database: &str,
    ) -> rusqlite::Result<Vec<(String, String)>> {
        let mut statement = connection.prepare(
            "SELECT name, upper(type) FROM pragma_table_info(?1, ?2) WHERE name NOT IN (?3, ?4)",
        )?;
        let rows = statement.query_map(
            params![self.name, database, self.key, self.geometry.as_deref().unwrap_or_default()],
            |row| Ok((row.get(0)?, row.get(1)?)),
        )?;
        rows.collect()
    }
}

/// Puts the only table of a file that was just written into one that is there.
///
/// # Errors
/// If the file is locked, or does not hold afterwards what it should: then it is as it was.
pub(super) fn place(path: &Path, staged: &Path, name: &str, placing: Placing) -> Result<()> {
    let failed = failed(path);
    let connection = connect(path).map_err(&failed)?;
    connection
        .execute("ATTACH ?1 AS staged", params![staged.to_string_lossy()])
        .map_err(&failed)?;
    // The transaction locks both files. If both had a journal on the disk, SQLite would name them in a third
    // file, which stays when it is killed.
    connection.query_row("PRAGMA staged.journal_mode = MEMORY", [], |_| Ok(())).map_err(&failed)?;
    // Dropped before it is committed, the transaction is rolled back.
    let transaction =
        rusqlite::Transaction::new_unchecked(&connection, rusqlite::TransactionBehavior::Immediate)
            .map_err(&failed)?;
    let expected = place_in(&transaction, name, placing).map_err(&failed)?;
    if let Some(what) = expected {
        return Err(Error::data(format!(
            "was not changed: after writing to it, {what}; this is a fault of the program"
        ))
        .in_file(path));
    }
    transaction.commit().map_err(&failed)
}

/// Says what is wrong afterwards, if anything.
fn place_in(
    connection: &Connection,
    name: &str,
    placing: Placing,
) -> rusqlite::Result<Option<String>> {
    connection.execute_batch(&schema::EXTENSIONS.replace("EXISTS gpkg", "EXISTS main.gpkg"))?;
    let geometry: Option<String> = connection
        .query_row(
            "SELECT column_name FROM staged.gpkg_geometry_columns WHERE table_name = ?1",
            params![name],
            |row| row.get(0),
        )
        .optional()?;
    let key: String = connection.query_row(
        "SELECT name FROM pragma_table_info(?1, 'staged') WHERE pk = 1",
        params![name],
        |row| row.get(0),
    )?;
    let staged = Table {
        name: name.to_string(),
        indexed: geometry.is_some(),
        geometry,
        key,
        triggers: Vec::new(),
    };
    add_systems(connection)?;
    let there = Table::open(connection, name)?;
    let table = match (there, placing) {
        (Some(table), Placing::Add) => {
            table.drop_triggers(connection)?;
            table
        }
        (Some(table), Placing::Replace) => {
            table.drop_triggers(connection)?;
            let alike = table.columns(connection, "main")?
                == staged.columns(connection, "staged")?
                && (&table.key, &table.geometry) == (&staged.key, &staged.geometry);
            if alike {
                connection.execute_batch(&format!("DELETE FROM main.{};", quoted(name)))?;
                // An index that is taken over node by node goes with its nodes.
                if table.indexed && !table.has_plain_index(connection)? {
                    let index = quoted(&table.index());
                    connection.execute_batch(&format!("DELETE FROM main.{index};"))?;
                }
                table
            } else {
                make(connection, &staged, Some(&table))?
            }
        }
        (None, _) => make(connection, &staged, None)?,
    };
    let (last, empty): (i64, bool) = connection.query_row(
        &format!(
            "SELECT coalesce(max({}), 0), count(*) = 0 FROM main.{}",
            quoted(&table.key),
            quoted(name)
        ),
        [],
        |row| Ok((row.get(0)?, row.get(1)?)),
    )?;
    let columns: Vec<String> =
        staged.columns(connection, "staged")?.iter().map(|(name, _)| quoted(name)).collect();
    // Behind the key: the geometry, if there is one, and the other columns.
    let list = |geometry: &Option<String>| -> String {
        let names = geometry.iter().map(|geometry| quoted(geometry)).chain(columns.iter().cloned());
        names.map(|name| format!(", {name}")).collect()
    };
    connection.execute(
        &format!(
            "INSERT INTO main.{} ({}{}) SELECT ?1 + {}{} FROM staged.{} ORDER BY 1",
            quoted(name),
            quoted(&table.key),
            list(&table.geometry),
            quoted(&staged.key),
            list(&staged.geometry),
            quoted(name)
        ),
        params![last],
    )?;
    if table.indexed && empty && table.has_plain_index(connection)? {
        copy_index(connection, &table.index(), &staged.index())?;
    } else if table.indexed {
        connection.execute(
            &format!(
                "INSERT INTO main.{} SELECT ?1 + id, minx, maxx, miny, maxy FROM staged.{}",
                quoted(&table.index()),
                quoted(&staged.index())
            ),
            params![last],
        )?;
    }
    describe(connection, &table, placing)?;
    data_columns::place(connection, name, placing == Placing::Replace)?;
    table.restore_triggers(connection)?;
    // What was written is read again before it counts.
    let differing: i64 = connection.query_row(
        &format!(
            "SELECT count(*) FROM (SELECT {}{} FROM staged.{} EXCEPT \
             SELECT {} - ?1{} FROM main.{} WHERE {} > ?1)",
            quoted(&staged.key),
            list(&staged.geometry),
            quoted(name),
            quoted(&table.key),
            list(&table.geometry),
            quoted(name),
            quoted(&table.key)
        ),
        params![last],
        |row| row.get(0),
    )?;
    Ok((differing > 0)
        .then(|| format!("{differing} features of layer {name} are not what they were")))
}

/// Takes over the R-tree of a table whose rows keep their keys, node by node: a tree that is made box by box
/// takes ten times as long as all the rest.
fn copy_index(connection: &Connection, index: &str, staged: &str) -> rusqlite::Result<()> {
    defence::allow_shadow_tables(connection, true)?;
    let copied = ["_node", "_rowid", "_parent"].iter().try_for_each(|part| {
        let (to, from) = (quoted(&format!("{index}{part}")), quoted(&format!("{staged}{part}")));
        connection.execute_batch(&format!(
            "DELETE FROM main.{to}; INSERT INTO main.{to} SELECT * FROM staged.{from};"
        ))
    });
    defence::allow_shadow_tables(connection, false)?;
    copied
}

/// The systems of the new table that the file does not have yet.
fn add_systems(connection: &Connection) -> rusqlite::Result<()> {
    let columns =
        "srs_name, srs_id, organization, organization_coordsys_id, definition, description";
    let staged = definitions::has_wkt2(connection, "staged")?;
    if staged {
        definitions::add_wkt2(connection)?;
    }
    // A second form of the definition that newer files have must not be missing.
    let (more, value) = match (definitions::has_wkt2(connection, "main")?, staged) {
        (true, true) => (", definition_12_063", ", definition_12_063"),
        (true, false) => (", definition_12_063", ", 'undefined'"),
        (false, _) => ("", ""),
    };
    connection
        .execute_batch(&format!(
            "INSERT OR IGNORE INTO main.gpkg_spatial_ref_sys ({columns}{more}) \
             SELECT {columns}{value} FROM staged.gpkg_spatial_ref_sys \
             WHERE srs_id IN (SELECT srs_id FROM staged.gpkg_geometry_columns);"
        ))
        .map(drop)
}

/// Makes the table as it was staged; one of other columns that was there goes, with its index.
/// Indexes and triggers that somebody made for it are made again where the new columns allow it.
fn make(connection: &Connection, staged: &Table, old: Option<&Table>) -> rusqlite::Result<Table> {
    let name = &staged.name;
    let mut again: Vec<String> = Vec::new();
    if let Some(old) = old {
        let mut statement = connection.prepare(
            "SELECT sql FROM main.sqlite_master WHERE tbl_name = ?1 \
             AND type IN ('index', 'trigger') AND sql IS NOT NULL",
        )?;
        again = statement
            .query_map(params![name], |row| row.get(0))?
            .collect::<rusqlite::Result<_>>()?;
        if old.indexed {
            connection.execute_batch(&format!("DROP TABLE main.{};", quoted(&old.index())))?;
        }
        connection.execute_batch(&format!("DROP TABLE main.{};", quoted(name)))?;
        for table in ["gpkg_extensions", "gpkg_geometry_columns"] {
            connection.execute(
                &format!("DELETE FROM main.{table} WHERE table_name = ?1"),
                params![name],
            )?;
        }
    }
    let sql: String = connection.query_row(
        "SELECT sql FROM staged.sqlite_master WHERE type = 'table' AND name = ?1",
        params![name],
        |row| row.get(0),
    )?;
    connection.execute_batch(&sql)?;
    if staged.indexed {
        let index = quoted(&staged.index());
        connection.execute_batch(&format!(
            "CREATE VIRTUAL TABLE main.{index} USING rtree(id, minx, maxx, miny, maxy);"
        ))?;
    }
    connection.execute(
        "INSERT INTO main.gpkg_extensions SELECT * FROM staged.gpkg_extensions WHERE table_name = ?1",
        params![name],
    )?;
    connection.execute(
        "INSERT OR IGNORE INTO main.gpkg_contents (table_name, data_type, identifier, description, last_change, srs_id) \
         SELECT table_name, data_type, CASE WHEN identifier IN (SELECT identifier FROM main.gpkg_contents) \
         THEN NULL ELSE identifier END, description, last_change, srs_id \
         FROM staged.gpkg_contents WHERE table_name = ?1",
        params![name],
    )?;
    connection.execute(
        "INSERT INTO main.gpkg_geometry_columns SELECT * FROM staged.gpkg_geometry_columns WHERE table_name = ?1",
        params![name],
    )?;
    for sql in again {
        // One that names a column that is gone cannot be made.
        let _ = connection.execute_batch(&sql);
    }
    let mut statement = connection.prepare(
        "SELECT name, sql FROM staged.sqlite_master WHERE type = 'trigger' AND tbl_name = ?1",
    )?;
    let triggers = statement
        .query_map(params![name], |row| Ok((row.get(0)?, row.get(1)?)))?
        .collect::<rusqlite::Result<_>>()?;
    let made = Table::open(connection, name)?;
    Ok(Table { triggers, ..made.ok_or(rusqlite::Error::QueryReturnedNoRows)? })
}

/// Brings the entries of a table up to date.
fn describe(connection: &Connection, table: &Table, placing: Placing) -> rusqlite::Result<()> {
    let name = &table.name;
    if placing == Placing::Replace {
        connection.execute(
            "UPDATE main.gpkg_geometry_columns SET (geometry_type_name, srs_id, z, m) = \
             (SELECT geometry_type_name, srs_id, z, m FROM staged.gpkg_geometry_columns \
              WHERE table_name = ?1) WHERE table_name = ?1",
            params![name],
        )?;
        connection.execute(
            "UPDATE main.gpkg_contents SET (srs_id, min_x, min_y, max_x, max_y, last_change) = \
             (SELECT srs_id, min_x, min_y, max_x, max_y, last_change FROM staged.gpkg_contents \
              WHERE table_name = ?1) WHERE table_name = ?1",
            params![name],
        )?;
        return describe_in_words(connection, name);
    }
    // A table without heights that gets some has them where they are.
    connection.execute(
        "UPDATE main.gpkg_geometry_columns SET \
         z = max(z, (SELECT z FROM staged.gpkg_geometry_columns WHERE table_name = ?1)), \
         m = max(m, (SELECT m FROM staged.gpkg_geometry_columns WHERE table_name = ?1)) \
         WHERE table_name = ?1 AND (z = 0 OR m = 0)",
        params![name],
    )?;
    connection.execute(
        "UPDATE main.gpkg_contents SET (description, min_x, min_y, max_x, max_y, last_change) = \
         (SELECT s.description, min(coalesce(gpkg_contents.min_x, s.min_x), coalesce(s.min_x, gpkg_contents.min_x)), \
                 min(coalesce(gpkg_contents.min_y, s.min_y), coalesce(s.min_y, gpkg_contents.min_y)), \
                 max(coalesce(gpkg_contents.max_x, s.max_x), coalesce(s.max_x, gpkg_contents.max_x)), \
                 max(coalesce(gpkg_contents.max_y, s.max_y), coalesce(s.max_y, gpkg_contents.max_y)), \
                 s.last_change FROM staged.gpkg_contents s WHERE s.table_name = ?1) \
         WHERE table_name = ?1",
        params![name],
    )?;
    Ok(())
}

/// Gives a layer that is replaced its new description. Without one it keeps what was said of it, but not
/// how coordinates came about that are gone.
fn describe_in_words(connection: &Connection, name: &str) -> rusqlite::Result<()> {
    let of = |schema: &str| -> rusqlite::Result<String> {
        let query = format!(
            "SELECT coalesce(description, '') FROM {schema}.gpkg_contents WHERE table_name = ?1"
        );
        connection.query_row(&query, params![name], |row| row.get(0))
    };
    let (earlier, new) = (of("main")?, of("staged")?);
    let kept: Vec<&str> = earlier.lines().filter(|line| !line.starts_with(LINEAGE)).collect();
    let description = if new.is_empty() { kept.join("\n") } else { new };
    connection.execute(
        "UPDATE main.gpkg_contents SET description = ?2 WHERE table_name = ?1",
        params![name, description],
    )?;
    Ok(())
}

/// Gives a layer another reference system where it lies: no coordinate, attribute, style or other
/// table is touched.
///
/// # Errors
/// If the file is locked or has no such layer.
pub(super) fn declare(path: &Path, layer: &LayerInfo, crs: &Crs) -> Result<u64> {
    let failed = failed(path);
    let connection = connect(path).map_err(&failed)?;
    connection
        .create_scalar_function(
            "with_system",
            2,
            FunctionFlags::SQLITE_UTF8 | FunctionFlags::SQLITE_DETERMINISTIC,
            |context| {
                let mut bytes: Vec<u8> = context.get(0)?;
                let number: i32 = context.get(1)?;
                // The header's byte order is in its flags (12-128r18 clause 2.1.3).
                if bytes.len() >= 8 && bytes.starts_with(b"GP") {
                    let number = match bytes[3] & 1 {
                        0 => number.to_be_bytes(),
                        _ => number.to_le_bytes(),
                    };
                    bytes[4..8].copy_from_slice(&number);
                }
                Ok(bytes)
            },
        )
        .map_err(&failed)?;
    let transaction =
        rusqlite::Transaction::new_unchecked(&connection, rusqlite::TransactionBehavior::Immediate)
            .map_err(&failed)?;
    let changed = declare_in(&transaction, layer, crs).map_err(&failed)?;
    transaction.commit().map_err(&failed)?;
    Ok(changed)
}

fn declare_in(connection: &Connection, layer: &LayerInfo, crs: &Crs) -> rusqlite::Result<u64> {
    let table =
        Table::open(connection, &layer.name)?.ok_or(rusqlite::Error::QueryReturnedNoRows)?;
    let number = write::number_of(connection, crs)?;
    write::add_system(connection, crs, Some(number))?;
    let geometry = table.geometry.as_deref().ok_or(rusqlite::Error::QueryReturnedNoRows)?;
    table.drop_triggers(connection)?;
    let changed = connection.execute(
        &format!(
            "UPDATE {0} SET {1} = with_system({1}, ?1) WHERE typeof({1}) = 'blob'",
            quoted(&table.name),
            quoted(geometry)
        ),
        params![number],
    )?;
    for entries in ["gpkg_geometry_columns", "gpkg_contents"] {
        connection.execute(
            &format!("UPDATE {entries} SET srs_id = ?1 WHERE table_name = ?2"),
            params![number, layer.name],
        )?;
    }
    connection.execute(
        "UPDATE gpkg_contents SET description = ?1 WHERE table_name = ?2",
        params![layer.description.as_deref().unwrap_or_default(), layer.name],
    )?;
    table.restore_triggers(connection)?;
    Ok(changed as u64)
}
