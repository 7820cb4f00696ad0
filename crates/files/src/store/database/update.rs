//! Rows of a database that become others.

use super::dump::each_row;
use super::rows::{Table, TableRow, quoted};
use super::{failed, told};
use crate::store::whole::NewLines;
use rusqlite::types::Value;
use rusqlite::{Connection, ErrorCode, params_from_iter};
use serde_json::value::RawValue;
use std::collections::BTreeMap;
use std::io;

/// The members of a line, each as it is written.
type Members<'l> = BTreeMap<String, &'l RawValue>;

/// The treatment of rows that no change is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Others {
    /// Each is as it was.
    Stay,
    /// Triggers and cascades may change them.
    MayChange,
}

/// The way to let them.
const PERMITTED: &str = "; `bquill apply --triggers` lets triggers and cascades change more";

/// An update of one row.
struct Update {
    statement: String,
    /// Counts the rows that are as the update left them, with the same values.
    check: String,
    values: Vec<Value>,
    /// The row, for a person.
    place: String,
}

/// The bytes of the database with the rows of `text` in the place of its own.
///
/// # Errors
///
/// When a value cannot be written, or would be read back as another; nothing has been written then.
pub fn updated(mut database: Connection, text: &[u8], others: Others) -> io::Result<Vec<u8>> {
    let updates = updates(&database, text)?;
    database.execute_batch("BEGIN").map_err(failed)?;
    // A key may lead to a row that is changed later.
    database
        .pragma_update(None, "defer_foreign_keys", true)
        .map_err(failed)?;
    for update in &updates {
        make(&database, update)?;
    }
    match others {
        Others::Stay => check_written(&database, text)?,
        Others::MayChange => check_updated(&database, &updates)?,
    }
    database
        .execute_batch("COMMIT")
        .map_err(|error| told(format!("SQLite refuses the changes: {error}")))?;
    check_sound(&database)?;
    let bytes = database.serialize("main").map_err(failed)?;
    Ok(bytes.to_vec())
}

/// A damaged database is not written again; what was damaged before still is after the updates.
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
    let (mut lines, mut updates) = (NewLines::new(text), Vec::new());
    each_row(database, |table, row| {
        let line = lines.next()?;
        if line != row.line {
            updates.push(update(table, row, line)?);
        }
        Ok(())
    })?;
    lines.end()?;
    Ok(updates)
}

fn update(table: &Table, row: &TableRow<'_>, line: &[u8]) -> io::Result<Update> {
    let place = format!("row {} of {}", row.number, table.name);
    let no_row = |_| told(format!("{place} would no longer be a row"));
    let was: Members<'_> = serde_json::from_slice(row.line).map_err(no_row)?;
    let now: Members<'_> = serde_json::from_slice(line).map_err(no_row)?;
    let differ = |key: &str| was[key].get() != now[key].get();
    if !was.keys().eq(now.keys()) || differ("@") {
        return Err(told(format!("{place} has no such cell to be written")));
    }
    let (mut sets, mut values, mut checks) = (Vec::new(), Vec::new(), Vec::new());
    for column in table.columns.iter().filter(|column| differ(column)) {
        let (old, new) = (was[column].get(), now[column].get());
        let fault = || told(format!("{new} cannot be written into {column}, {place}"));
        values.push(value(old, new).ok_or_else(fault)?);
        let (name, number) = (quoted(column), values.len());
        sets.push(format!("{name} = ?{number}"));
        checks.push(format!(
            "{name} COLLATE BINARY IS ?{number} AND typeof({name}) = typeof(?{number})"
        ));
    }
    let mut keys = Vec::new();
    for (name, value) in table.keys.iter().zip(row.key()?) {
        values.push(value);
        let key = format!("{} IS ?{}", quoted(name), values.len());
        if !table.columns.contains(name) || !differ(name) {
            checks.push(key.clone());
        }
        keys.push(key);
    }
    let check = format!(
        "SELECT count(*) FROM {} WHERE {}",
        quoted(&table.name),
        checks.join(" AND "),
    );
    let statement = format!(
        "UPDATE {} SET {} WHERE {}",
        quoted(&table.name),
        sets.join(", "),
        keys.join(" AND "),
    );
    Ok(Update {
        statement,
        check,
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

/// Every row that was updated must be as it was shown, whatever triggers make of others.
fn check_updated(database: &Connection, updates: &[Update]) -> io::Result<()> {
    for update in updates {
        let mut statement = database.prepare_cached(&update.check).map_err(failed)?;
        // A key that is written itself is not asked for: its old value stands for nothing there.
        let wanted = statement.parameter_count();
        let values = params_from_iter(update.values.iter().take(wanted));
        let rows: i64 = statement
            .query_row(values, |row| row.get(0))
            .map_err(failed)?;
        if rows == 0 {
            let place = &update.place;
            return Err(told(format!(
                "{place} would not be as it was shown: the type of a column, a trigger or a cascade makes another row of it"
            )));
        }
    }
    Ok(())
}

/// All rows are read back, those of other tables too: each must be as it was shown.
fn check_written(database: &Connection, text: &[u8]) -> io::Result<()> {
    let mut lines = text.split(|byte| *byte == b'\n');
    each_row(database, |table, row| {
        let line = lines.next().unwrap_or_default();
        let fault = (line != row.line).then(|| other(table, row, line));
        fault.flatten().map_or(Ok(()), |fault| Err(told(fault)))
    })?;
    match lines.any(|line| !line.is_empty()) {
        true => Err(told(format!(
            "a trigger or a cascade would drop rows{PERMITTED}"
        ))),
        false => Ok(()),
    }
}

/// The sentence for a row that became another one than was shown; `None` where only what the database computes did.
fn other(table: &Table, row: &TableRow<'_>, wanted: &[u8]) -> Option<String> {
    let place = format!("row {} of {}", row.number, table.name);
    let members = serde_json::from_slice::<Members<'_>>(wanted).ok();
    let found = serde_json::from_slice::<Members<'_>>(row.line).ok();
    let of_row = members.zip(found).filter(|(wanted, found)| {
        let at = |members: &Members<'_>| members.get("@").map(|at| at.get().to_owned());
        at(wanted) == at(found)
    });
    let Some((wanted, found)) = of_row else {
        return Some(format!(
            "{place} would come to stand elsewhere, or be new: a key, a trigger or a cascade makes more of the \
             changes than was shown{PERMITTED}"
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
         value{PERMITTED}",
        text(&found, column),
        text(&wanted, column)
    ))
}
