//! The tables of a database, and their rows as lines.

use super::{failed, told};
use rusqlite::types::{Value, ValueRef};
use rusqlite::{Connection, Row};
use std::io;

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

    /// Shows its rows in the order of their keys.
    ///
    /// # Errors
    ///
    /// When the database is damaged, or `take` fails.
    pub fn each_row(
        &self,
        database: &Connection,
        mut take: impl FnMut(&TableRow<'_>) -> io::Result<()>,
    ) -> io::Result<()> {
        let list = |names: &[String]| {
            let names: Vec<_> = names.iter().map(|name| quoted(name)).collect();
            names.join(", ")
        };
        let (keys, columns) = (list(&self.keys), list(&self.columns));
        let name = quoted(&self.name);
        let all = format!("SELECT {keys}, {columns} FROM {name} ORDER BY {keys}");
        let mut statement = database.prepare(&all).map_err(failed)?;
        let mut rows = statement.query([]).map_err(failed)?;
        let (mut place, mut line) = (0, Vec::new());
        while let Some(row) = rows.next().map_err(failed)? {
            place += 1;
            let number = match row.get_ref(0).map_err(failed)? {
                ValueRef::Integer(number) if self.is_numbered => number,
                _ => place,
            };
            line.clear();
            line.extend_from_slice(&self.lead);
            push_number(number, &mut line);
            line.push(b'}');
            for (index, head) in self.heads.iter().enumerate() {
                line.extend_from_slice(head);
                let value = row.get_ref(self.keys.len() + index).map_err(failed)?;
                push_value(value, &mut line);
            }
            line.push(b'}');
            take(&TableRow {
                row,
                keys: self.keys.len(),
                number,
                line: &line,
            })?;
        }
        Ok(())
    }
}

/// A row of a table.
pub struct TableRow<'r> {
    row: &'r Row<'r>,
    /// The number of its first values that are its key.
    keys: usize,
    /// The number that it is shown with; of a table whose rows have none, its place.
    pub number: i64,
    /// The line, without its end.
    pub line: &'r [u8],
}

impl TableRow<'_> {
    /// The key of the row.
    ///
    /// # Errors
    ///
    /// When the database is damaged.
    pub fn key(&self) -> io::Result<Vec<Value>> {
        let values = (0..self.keys).map(|index| self.row.get(index).map_err(failed));
        values.collect()
    }
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
        // Memory takes all that is written.
        ValueRef::Real(number) if number.is_finite() => {
            serde_json::to_writer(line, &number).unwrap_or_default();
        }
        ValueRef::Real(number) => {
            let shown = format!("{{\"real\":{}}}", text_of(&number.to_string()));
            line.extend_from_slice(shown.as_bytes());
        }
        ValueRef::Text(text) => match std::str::from_utf8(text) {
            Ok(text) => serde_json::to_writer(line, text).unwrap_or_default(),
            Err(_) => line.extend(object("text", text.len())),
        },
        ValueRef::Blob(bytes) => line.extend(object("blob", bytes.len())),
    }
}
