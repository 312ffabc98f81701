//! What a file of strangers may have SQLite do: nothing but what reading and writing its rows takes.

use rusqlite::config::DbConfig;
use rusqlite::limits::Limit;
use rusqlite::{Connection, Result};

/// Steps of SQLite's machine between two looks at their number.
const STEPS_AT_ONCE: i32 = 10_000;
/// Steps that any file may take, and for each of its bytes. Reading a layer of forty columns without values
/// takes 0.4 a byte, and others take less. What goes beyond does not end.
const STEPS: u64 = 20_000_000;
const STEPS_A_BYTE: u64 = 300;
/// A value may be larger than the file, if a view puts it together, by this much.
const LARGER: u64 = 16 << 20;

/// The schema of a file is not trusted: views, triggers and indexes call no function that could do harm,
/// and nothing writes to tables that are SQLite's own.
pub(super) fn distrust(connection: &Connection) -> Result<()> {
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DEFENSIVE, true)?;
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_TRUSTED_SCHEMA, false)?;
    Ok(())
}

/// Lets statements of our own write to the tables that SQLite keeps an index in, or no longer.
pub(super) fn allow_shadow_tables(connection: &Connection, allow: bool) -> Result<()> {
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DEFENSIVE, !allow).map(drop)
}

/// Reading ends, in memory that has to do with the size of the file: a view may ask for rows without end,
/// or for values that the file does not hold.
pub(super) fn bound(connection: &mut Connection) -> Result<()> {
    connection.pragma_update(None, "query_only", true)?;
    // With the pages that still lie in its log.
    let number = |name: &str| connection.pragma_query_value(None, name, |row| row.get::<_, i64>(0));
    let bytes = number("page_count")?.saturating_mul(number("page_size")?).unsigned_abs();
    let longest = i32::try_from(bytes.saturating_add(LARGER)).unwrap_or(i32::MAX);
    let allowed = connection.limit(Limit::SQLITE_LIMIT_LENGTH)?;
    connection.set_limit(Limit::SQLITE_LIMIT_LENGTH, longest.min(allowed))?;
    let most = STEPS.saturating_add(bytes.saturating_mul(STEPS_A_BYTE)) / STEPS_AT_ONCE as u64;
    let mut looks = 0;
    let too_many = move || {
        looks += 1;
        looks > most
    };
    connection.progress_handler(STEPS_AT_ONCE, Some(too_many))
}
