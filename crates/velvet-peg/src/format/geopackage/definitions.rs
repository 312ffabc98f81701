//! The two forms of a system's definition in a GeoPackage: WKT 1 in every file, and WKT 2 in files with the
//! extension for it (12-128r18 annex F.10, `gpkg_crs_wkt`), which is added where WKT 1 cannot say a system.

use rusqlite::Connection;
use velvet_peg_core::{Crs, definition};

/// The word for a definition that is not there.
pub(super) const UNDEFINED: &str = "undefined";

/// The definitions of a system as WKT 1 and, where it needs that, WKT 2.
pub(super) fn texts(crs: &Crs) -> (String, Option<String>) {
    let needed = crs.code().is_none() && definition::unsaid_in_wkt1(crs).is_some();
    let old = definition::wkt1(crs).unwrap_or_else(|| UNDEFINED.to_string());
    (old, needed.then(|| definition::wkt2(crs)).flatten())
}

/// True if a database (`main` or an attached one) has the column for WKT 2.
pub(super) fn has_wkt2(connection: &Connection, database: &str) -> rusqlite::Result<bool> {
    let count: i64 = connection.query_row(
        "SELECT count(*) FROM pragma_table_info('gpkg_spatial_ref_sys', ?1) \
         WHERE name = 'definition_12_063'",
        [database],
        |row| row.get(0),
    )?;
    Ok(count > 0)
}

/// Adds the column for WKT 2 with its extension to the main database, if it lacks it.
pub(super) fn add_wkt2(connection: &Connection) -> rusqlite::Result<()> {
    if has_wkt2(connection, "main")? {
        return Ok(());
    }
    connection.execute_batch(super::schema::EXTENSIONS)?;
    connection.execute_batch(
        "ALTER TABLE main.gpkg_spatial_ref_sys \
         ADD COLUMN definition_12_063 TEXT NOT NULL DEFAULT 'undefined'; \
         INSERT OR IGNORE INTO main.gpkg_extensions VALUES ('gpkg_spatial_ref_sys', \
         'definition_12_063', 'gpkg_crs_wkt', \
         'http://www.geopackage.org/spec121/#extension_crs_wkt', 'read-write');",
    )
}
