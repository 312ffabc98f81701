//! A feature table that is there and gets more features.

use super::quoted;
use rusqlite::{Connection, OptionalExtension, params};

/// What has to be known of a table to add to it.
pub(super) struct Into {
    pub(super) geometry: String,
    pub(super) key: String,
    pub(super) srs_id: i32,
    /// It has an R-tree.
    pub(super) indexed: bool,
    /// The largest key in use.
    pub(super) last: i64,
    /// Names and text of the triggers that keep the R-tree true: they call functions that
    /// SQLite alone does not have, so they are taken away while features are written.
    triggers: Vec<(String, String)>,
}

impl Into {
    pub(super) fn open(connection: &Connection, table: &str) -> rusqlite::Result<Into> {
        let (geometry, srs_id): (String, i32) = connection.query_row(
            "SELECT column_name, srs_id FROM gpkg_geometry_columns WHERE table_name = ?1",
            params![table],
            |row| Ok((row.get(0)?, row.get(1)?)),
        )?;
        let key: Option<String> = connection
            .query_row(
                "SELECT name FROM pragma_table_info(?1) WHERE pk = 1",
                params![table],
                |row| row.get(0),
            )
            .optional()?;
        let key = key.unwrap_or_else(|| "rowid".to_string());
        let index = format!("rtree_{table}_{geometry}");
        let indexed = connection.query_row(
            "SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = ?1",
            params![index],
            |row| row.get::<_, i64>(0),
        )? > 0;
        let last = connection.query_row(
            &format!("SELECT coalesce(max({}), 0) FROM {}", quoted(&key), quoted(table)),
            [],
            |row| row.get(0),
        )?;
        let mut statement = connection.prepare(
            "SELECT name, sql FROM sqlite_master WHERE type = 'trigger' AND tbl_name = ?1 \
             AND substr(name, 1, length(?2)) = ?2",
        )?;
        let triggers = statement
            .query_map(params![table, index], |row| Ok((row.get(0)?, row.get(1)?)))?
            .collect::<rusqlite::Result<_>>()?;
        Ok(Into { geometry, key, srs_id, indexed, last, triggers })
    }

    pub(super) fn drop_triggers(&self, connection: &Connection) -> rusqlite::Result<()> {
        self.triggers.iter().try_for_each(|(name, _)| {
            connection.execute_batch(&format!("DROP TRIGGER {};", quoted(name)))
        })
    }

    pub(super) fn restore_triggers(&self, connection: &Connection) -> rusqlite::Result<()> {
        self.triggers.iter().try_for_each(|(_, sql)| connection.execute_batch(&format!("{sql};")))
    }
}
