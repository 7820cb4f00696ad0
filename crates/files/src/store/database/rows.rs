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
    /// The beginning of each line, up to the number of the row, and of the value of each column.
    lead: Vec<u8>,
    heads: Vec<Vec<u8>>,
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
        let lead = format!("{{\"@\":{{\"table\":{},\"row\":", text_of(&name));
        let head = |(name, ..): &(String, i64, i64)| format!(",{}:", text_of(name)).into_bytes();
        Ok(Self {
            lead: lead.into_bytes(),
            heads: columns.iter().map(head).collect(),
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
        let mut line = self.lead.clone();
        push_number(number, &mut line);
        line.push(b'}');
        for (index, head) in self.heads.iter().enumerate() {
            let value = row.get_ref(self.keys.len() + index).map_err(failed)?;
            line.extend_from_slice(head);
            push_value(value, &mut line);
        }
        line.push(b'}');
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
    pub line: Vec<u8>,
}

fn text_of(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn push_number(number: i64, line: &mut Vec<u8>) {
    line.extend_from_slice(itoa::Buffer::new().format(number).as_bytes());
}

/// Adds a value as it is written in a line.
fn push_value(value: ValueRef<'_>, line: &mut Vec<u8>) {
    let object = |kind: &str, length: usize| format!("{{\"{kind}\":{length}}}").into_bytes();
    match value {
        ValueRef::Null => line.extend_from_slice(b"null"),
        ValueRef::Integer(number) => push_number(number, line),
        ValueRef::Real(number) => match serde_json::Number::from_f64(number) {
            Some(number) => line.extend_from_slice(number.to_string().as_bytes()),
            None => {
                let shown = format!("{{\"real\":{}}}", text_of(&number.to_string()));
                line.extend_from_slice(shown.as_bytes());
            }
        },
        ValueRef::Text(text) => match std::str::from_utf8(text) {
            // Memory takes all that is written.
            Ok(text) => serde_json::to_writer(line, text).unwrap_or_default(),
            Err(_) => line.extend(object("text", text.len())),
        },
        ValueRef::Blob(bytes) => line.extend(object("blob", bytes.len())),
    }
}
