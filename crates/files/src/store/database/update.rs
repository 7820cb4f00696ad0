//! Rows of a database that become others.

use super::dump::Rows;
use super::rows::{Table, TableRow, quoted};
use super::{failed, told};
use rusqlite::types::Value;
use rusqlite::{Connection, ErrorCode, params_from_iter};
use serde_json::value::RawValue;
use std::collections::BTreeMap;
use std::io;

/// The members of a line, each as it is written.
type Members<'l> = BTreeMap<String, &'l RawValue>;

/// An update of one row.
struct Update {
    statement: String,
    values: Vec<Value>,
    /// The row, for a person.
    place: String,
}

/// The bytes of the database with the rows of `text` in the place of its own.
///
/// # Errors
///
/// When a value cannot be written, or would be read back as another; nothing has been written then.
pub fn updated(mut database: Connection, text: &[u8]) -> io::Result<Vec<u8>> {
    check_sound(&database)?;
    let updates = updates(&database, text)?;
    database.execute_batch("BEGIN").map_err(failed)?;
    // A key may lead to a row that is changed later.
    database
        .pragma_update(None, "defer_foreign_keys", true)
        .map_err(failed)?;
    for update in &updates {
        make(&database, update)?;
    }
    check_written(&database, text)?;
    database
        .execute_batch("COMMIT")
        .map_err(|error| told(format!("SQLite refuses the changes: {error}")))?;
    check_sound(&database)?;
    let bytes = database.serialize("main").map_err(failed)?;
    Ok(bytes.to_vec())
}

/// A damaged database is not written again.
fn check_sound(database: &Connection) -> io::Result<()> {
    let found: String = database
        .query_row("PRAGMA quick_check(1)", [], |row| row.get(0))
        .map_err(failed)?;
    match &found[..] {
        "ok" => Ok(()),
        fault => Err(told(format!("the database is damaged: {fault}"))),
    }
}

/// The updates that lead from the rows that there are to those of `text`.
fn updates(database: &Connection, text: &[u8]) -> io::Result<Vec<Update>> {
    let mut lines = text.split(|byte| *byte == b'\n');
    let (mut rows, mut updates) = (Rows::new(database)?, Vec::new());
    while let Some((table, row)) = rows.next(database)? {
        let missing = || told("a row of its text is missing");
        let line = lines.next().ok_or_else(missing)?;
        if line != row.line {
            updates.push(update(table, row, line)?);
        }
    }
    match lines.any(|line| !line.is_empty()) {
        true => Err(told("its text has more rows than it has")),
        false => Ok(updates),
    }
}

fn update(table: &Table, row: &TableRow, line: &[u8]) -> io::Result<Update> {
    let place = format!("row {} of {}", row.number, table.name);
    let no_row = |_| told(format!("{place} would no longer be a row"));
    let was: Members<'_> = serde_json::from_slice(&row.line).map_err(no_row)?;
    let now: Members<'_> = serde_json::from_slice(line).map_err(no_row)?;
    let differ = |key: &str| was[key].get() != now[key].get();
    if !was.keys().eq(now.keys()) || differ("@") {
        return Err(told(format!("{place} has no such cell to be written")));
    }
    let (mut sets, mut values) = (Vec::new(), Vec::new());
    for column in table.columns.iter().filter(|column| differ(column)) {
        let (old, new) = (was[column].get(), now[column].get());
        let fault = || told(format!("{new} cannot be written into {column}, {place}"));
        values.push(value(old, new).ok_or_else(fault)?);
        sets.push(format!("{} = ?{}", quoted(column), values.len()));
    }
    let mut keys = Vec::new();
    for (name, value) in table.keys.iter().zip(&row.key) {
        values.push(value.clone());
        keys.push(format!("{} IS ?{}", quoted(name), values.len()));
    }
    let statement = format!(
        "UPDATE {} SET {} WHERE {}",
        quoted(&table.name),
        sets.join(", "),
        keys.join(" AND "),
    );
    Ok(Update {
        statement,
        values,
        place,
    })
}

/// The value of a cell written as `new`, of the type that it had.
fn value(old: &str, new: &str) -> Option<Value> {
    match old.as_bytes().first()? {
        b'"' => Some(Value::Text(serde_json::from_str(new).ok()?)),
        b'0'..=b'9' | b'-' => {
            let whole = new.parse().ok().map(Value::Integer);
            whole.or_else(|| Some(Value::Real(serde_json::from_str(new).ok()?)))
        }
        _ => None,
    }
}

fn make(database: &Connection, update: &Update) -> io::Result<()> {
    let place = &update.place;
    let done = database
        .prepare_cached(&update.statement)
        .and_then(|mut statement| statement.execute(params_from_iter(&update.values)));
    let rows = done.map_err(|error| match error.sqlite_error_code() {
        Some(ErrorCode::ConstraintViolation) => told(format!(
            "SQLite refuses the new value in {place}: {error}; where values only change places, do \
             it in two runs"
        )),
        _ => told(format!("{place} cannot be written: {error}")),
    })?;
    match rows {
        1 => Ok(()),
        _ => Err(told(format!("{place} is not the only row with its key"))),
    }
}

/// All rows are read back, those of other tables too: each must be as it was shown.
fn check_written(database: &Connection, text: &[u8]) -> io::Result<()> {
    let mut lines = text.split(|byte| *byte == b'\n');
    let mut rows = Rows::new(database)?;
    while let Some((table, row)) = rows.next(database)? {
        let line = lines.next().unwrap_or_default();
        if line != row.line
            && let Some(fault) = other(table, row, line)
        {
            return Err(told(fault));
        }
    }
    match lines.any(|line| !line.is_empty()) {
        true => Err(told("a trigger or a cascade would drop rows")),
        false => Ok(()),
    }
}

/// The sentence for a row that became another one than was shown; `None` where only what the database computes did.
fn other(table: &Table, row: &TableRow, wanted: &[u8]) -> Option<String> {
    let place = format!("row {} of {}", row.number, table.name);
    let members = serde_json::from_slice::<Members<'_>>(wanted).ok();
    let found = serde_json::from_slice::<Members<'_>>(&row.line).ok();
    let of_row = members.zip(found).filter(|(wanted, found)| {
        let at = |members: &Members<'_>| members.get("@").map(|at| at.get().to_owned());
        at(wanted) == at(found)
    });
    let Some((wanted, found)) = of_row else {
        return Some(format!(
            "{place} would come to stand elsewhere, or be new: a key, a trigger or a cascade makes more of the \
             changes than was shown"
        ));
    };
    let text = |members: &Members<'_>, column: &str| {
        let raw = members.get(column);
        raw.map_or("", |raw| raw.get()).to_owned()
    };
    let mut stored = (table.columns.iter()).filter(|column| !table.generated.contains(column));
    let column = stored.find(|column| text(&wanted, column) != text(&found, column))?;
    Some(format!(
        "{column} of {place} would be {} and not {}: the type of the column, a trigger or a cascade makes it another \
         value",
        text(&found, column),
        text(&wanted, column)
    ))
}
