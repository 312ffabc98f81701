//! What a GeoPackage says of its columns beside their types: names for people, titles, descriptions
//! (12-128r18 annex F.9, schema extension).

use crate::layer::{COLUMN_DESCRIPTION, COLUMN_MIME, COLUMN_NAME, COLUMN_TITLE};
use crate::notice::{Notice, NoticeKind};
use arrow_schema::{Field, Schema};
use rusqlite::{Connection, OptionalExtension, params};

const TABLE: &str = "CREATE TABLE IF NOT EXISTS main.gpkg_data_columns (
  table_name TEXT NOT NULL,
  column_name TEXT NOT NULL,
  name TEXT,
  title TEXT,
  description TEXT,
  mime_type TEXT,
  constraint_name TEXT,
  CONSTRAINT pk_gdc PRIMARY KEY (table_name, column_name),
  CONSTRAINT gdc_tn UNIQUE (table_name, name)
);";

const EXTENSION: &str = "INSERT OR IGNORE INTO main.gpkg_extensions \
    SELECT 'gpkg_data_columns', NULL, 'gpkg_schema', \
    'http://www.geopackage.org/spec121/#extension_schema', 'read-write' \
    WHERE NOT EXISTS (SELECT 1 FROM main.gpkg_extensions \
    WHERE table_name = 'gpkg_data_columns' AND extension_name = 'gpkg_schema')";

const KEYS: [(&str, &str); 4] = [
    ("name", COLUMN_NAME),
    ("title", COLUMN_TITLE),
    ("description", COLUMN_DESCRIPTION),
    ("mime_type", COLUMN_MIME),
];

fn has_table(connection: &Connection, database: &str) -> rusqlite::Result<bool> {
    let query =
        format!("SELECT 1 FROM {database}.sqlite_master WHERE lower(name) = 'gpkg_data_columns'");
    Ok(connection.query_row(&query, [], |_| Ok(())).optional()?.is_some())
}

/// Puts into the metadata of fields what the file says of their columns.
pub(super) fn read(
    connection: &Connection,
    table: &str,
    fields: &mut [Field],
    notices: &mut Vec<Notice>,
) -> rusqlite::Result<()> {
    if !has_table(connection, "main")? {
        return Ok(());
    }
    let mut constrained: Vec<&str> = Vec::new();
    for field in fields.iter_mut() {
        let row: Option<([Option<String>; 4], Option<String>)> = connection
            .query_row(
                "SELECT name, title, description, mime_type, constraint_name \
                 FROM gpkg_data_columns WHERE lower(table_name) = lower(?1) \
                 AND lower(column_name) = lower(?2)",
                params![table, field.name()],
                |row| Ok(([row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?], row.get(4)?)),
            )
            .optional()?;
        let Some((texts, constraint)) = row else { continue };
        let mut metadata = field.metadata().clone();
        for ((_, key), text) in KEYS.iter().zip(texts) {
            metadata.extend(text.map(|text| ((*key).to_string(), text)));
        }
        field.set_metadata(metadata);
        if constraint.is_some() {
            constrained.push(field.name());
        }
    }
    if !constrained.is_empty() {
        notices.push(
            Notice::note(
                NoticeKind::ColumnChange,
                format!(
                    "rules for the values of columns are not carried along: {}",
                    constrained.join(", ")
                ),
            )
            .in_layer(table),
        );
    }
    Ok(())
}

/// Writes what fields say of their columns.
pub(super) fn write(connection: &Connection, table: &str, schema: &Schema) -> rusqlite::Result<()> {
    let said = |field: &Field| KEYS.iter().any(|(_, key)| field.metadata().contains_key(key));
    if !schema.fields().iter().any(|field| said(field)) {
        return Ok(());
    }
    connection.execute_batch(&format!("{TABLE} {EXTENSION};"))?;
    for field in schema.fields().iter().filter(|field| said(field)) {
        let of = |at: usize| field.metadata().get(KEYS[at].1);
        // A name that another column has is left out: they have to be different.
        connection.execute(
            "INSERT INTO gpkg_data_columns (table_name, column_name, name, title, description, \
             mime_type) SELECT ?1, ?2, CASE WHEN EXISTS (SELECT 1 FROM gpkg_data_columns \
             WHERE table_name = ?1 AND name = ?3) THEN NULL ELSE ?3 END, ?4, ?5, ?6",
            params![table, field.name(), of(0), of(1), of(2), of(3)],
        )?;
    }
    Ok(())
}

/// Carries what was staged for a table into the file; what the file says of it goes first where it is
/// replaced.
pub(super) fn place(connection: &Connection, table: &str, replaced: bool) -> rusqlite::Result<()> {
    if replaced && has_table(connection, "main")? {
        connection.execute(
            "DELETE FROM main.gpkg_data_columns WHERE table_name = ?1 AND column_name NOT IN \
             (SELECT name FROM pragma_table_info(?1, 'main'))",
            params![table],
        )?;
    }
    if !has_table(connection, "staged")? {
        return Ok(());
    }
    connection.execute_batch(&format!("{TABLE} {EXTENSION};"))?;
    let how = if replaced { "REPLACE" } else { "IGNORE" };
    connection
        .execute(
            &format!(
                "INSERT OR {how} INTO main.gpkg_data_columns \
                 SELECT s.table_name, s.column_name, s.name, s.title, s.description, s.mime_type, \
                 m.constraint_name FROM staged.gpkg_data_columns s \
                 LEFT JOIN main.gpkg_data_columns m \
                 ON m.table_name = s.table_name AND m.column_name = s.column_name \
                 WHERE s.table_name = ?1"
            ),
            params![table],
        )
        .map(drop)
}
