//! The tables of a database, and their rows as lines.

use super::{failed, told};
use rusqlite::types::{Value, ValueRef};
use rusqlite::{Connection, Row, params_from_iter};
use std::io;

/// Rows that are read at a time.
const AT_ONCE: usize = 1000;

/// A table whose rows can be read, and found again.
pub struct Table {
    pub name: String,
    /// The columns that say a row from all others: the number of the row, or the primary key.
    pub keys: Vec<String>,
    /// True if the key is the number of the row.
    pub is_numbered: bool,
    pub columns: Vec<String>,
    /// The columns that the database computes.
    pub generated: Vec<String>,
}

/// A name as it is in a statement.
pub fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

impl Table {
    /// The tables of a database in the order in which they were made; views and virtual tables are none.
    ///
    /// # Errors
    ///
    /// When the database is damaged, or a table of it has no key that leads to a row.
    pub fn all(database: &Connection) -> io::Result<Vec<Self>> {
        let mut found = Vec::new();
        let mut statement = database
            .prepare(
                "SELECT l.name, l.wr FROM pragma_table_list AS l \
                 JOIN sqlite_schema AS s ON s.name = l.name AND s.type = 'table' \
                 WHERE l.schema = 'main' AND l.type = 'table' AND l.name NOT LIKE 'sqlite\\_%' ESCAPE '\\' \
                 ORDER BY s.rowid",
            )
            .map_err(failed)?;
        let rows = statement
            .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))
            .map_err(failed)?;
        for row in rows {
            let (name, without_number): (String, bool) = row.map_err(failed)?;
            found.push(Self::of(database, name, without_number)?);
        }
        Ok(found)
    }

    fn of(database: &Connection, name: String, without_number: bool) -> io::Result<Self> {
        let mut statement = database
            .prepare("SELECT name, pk, hidden FROM pragma_table_xinfo(?1) WHERE hidden <> 1 ORDER BY cid")
            .map_err(failed)?;
        let rows = statement
            .query_map([&name], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))
            .map_err(failed)?;
        let columns: Vec<(String, i64, i64)> = rows.collect::<Result<_, _>>().map_err(failed)?;
        let keys = match without_number {
            true => {
                let mut keys: Vec<&(String, i64, i64)> =
                    columns.iter().filter(|(_, place, _)| *place > 0).collect();
                keys.sort_by_key(|(_, place, _)| *place);
                keys.into_iter().map(|(name, ..)| name.clone()).collect()
            }
            false => {
                let is_taken = |own: &&str| {
                    columns
                        .iter()
                        .any(|(name, ..)| name.eq_ignore_ascii_case(own))
                };
                let own = ["rowid", "_rowid_", "oid"]
                    .into_iter()
                    .find(|own| !is_taken(own));
                let none = || told(format!("no name is left for the number of a row of {name}"));
                vec![own.ok_or_else(none)?.to_owned()]
            }
        };
        Ok(Self {
            keys,
            is_numbered: !without_number,
            generated: (columns.iter())
                .filter(|(_, _, hidden)| *hidden != 0)
                .map(|(name, ..)| name.clone())
                .collect(),
            columns: columns.into_iter().map(|(name, ..)| name).collect(),
            name,
        })
    }

    /// The number of its rows.
    ///
    /// # Errors
    ///
    /// When the database is damaged.
    pub fn count(&self, database: &Connection) -> io::Result<u64> {
        let count = format!("SELECT count(*) FROM {}", quoted(&self.name));
        let count: i64 = database
            .query_row(&count, [], |row| row.get(0))
            .map_err(failed)?;
        Ok(count.unsigned_abs())
    }

    /// The rows after the one with key `after`, at most 1,000, in the order of their keys.
    ///
    /// # Errors
    ///
    /// When the database is damaged.
    pub fn rows_after(
        &self,
        database: &Connection,
        after: Option<&TableRow>,
    ) -> io::Result<Vec<TableRow>> {
        let list = |names: &[String]| {
            names
                .iter()
                .map(|name| quoted(name))
                .collect::<Vec<_>>()
                .join(", ")
        };
        let (keys, columns) = (list(&self.keys), list(&self.columns));
        let places: Vec<_> = (1..=self.keys.len()).map(|n| format!("?{n}")).collect();
        let condition = match after {
            Some(_) => format!("WHERE ({keys}) > ({})", places.join(", ")),
            None => String::new(),
        };
        let mut statement = database
            .prepare(&format!(
                "SELECT {keys}, {columns} FROM {} {condition} ORDER BY {keys} LIMIT {AT_ONCE}",
                quoted(&self.name)
            ))
            .map_err(failed)?;
        let key = after.map(|row| &row.key[..]).unwrap_or_default();
        let before = after.map_or(0, |row| row.number);
        let mut rows = statement.query(params_from_iter(key)).map_err(failed)?;
        let mut found = Vec::new();
        while let Some(row) = rows.next().map_err(failed)? {
            found.push(self.row(row, before + 1 + found.len() as i64)?);
        }
        Ok(found)
    }

    /// The line of a row, and its key. Where rows have no numbers, `place` is the one it is shown with.
    fn row(&self, row: &Row<'_>, place: i64) -> io::Result<TableRow> {
        let mut key = Vec::new();
        for index in 0..self.keys.len() {
            key.push(row.get::<_, Value>(index).map_err(failed)?);
        }
        let number = match key[..] {
            [Value::Integer(number)] if self.is_numbered => number,
            _ => place,
        };
        let mut line = format!(
            "{{\"@\":{{\"table\":{},\"row\":{number}}}",
            text_of(&self.name)
        );
        for (index, column) in self.columns.iter().enumerate() {
            let value = row.get_ref(self.keys.len() + index).map_err(failed)?;
            line.push(',');
            line.push_str(&text_of(column));
            line.push(':');
            line.push_str(&written(value));
        }
        line.push('}');
        Ok(TableRow { key, number, line })
    }
}

/// A row of a table.
#[derive(Debug)]
pub struct TableRow {
    pub key: Vec<Value>,
    /// The number that it is shown with.
    pub number: i64,
    /// The line, without its end.
    pub line: String,
}

fn text_of(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

/// A value as it is in a line.
fn written(value: ValueRef<'_>) -> String {
    match value {
        ValueRef::Null => "null".to_owned(),
        ValueRef::Integer(number) => number.to_string(),
        ValueRef::Real(number) => match serde_json::Number::from_f64(number) {
            Some(number) => number.to_string(),
            None => format!("{{\"real\":{}}}", text_of(&number.to_string())),
        },
        ValueRef::Text(text) => match std::str::from_utf8(text) {
            Ok(text) => text_of(text),
            Err(_) => format!("{{\"text\":{}}}", text.len()),
        },
        ValueRef::Blob(bytes) => format!("{{\"blob\":{}}}", bytes.len()),
    }
}
