//! The rows of a database, one after the other.

use super::rows::{Table, TableRow};
use super::told;
use rusqlite::Connection;
use std::io;

/// Shows the rows of all tables, table by table, by the order of their keys.
///
/// # Errors
///
/// When the database is damaged, or `take` fails.
pub fn each_row(
    database: &Connection,
    mut take: impl FnMut(&Table, &TableRow<'_>) -> io::Result<()>,
) -> io::Result<()> {
    for table in Table::all(database)? {
        // Where pages of a damaged one lead back to each other, rows have no end.
        let mut left = table.count(database)?;
        table.each_row(database, |row| {
            let damaged = || told("the database is damaged: a table has more rows than it says");
            left = left.checked_sub(1).ok_or_else(damaged)?;
            take(&table, row)
        })?;
    }
    Ok(())
}
