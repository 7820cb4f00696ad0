//! The text of a database, read as it is wanted.

use super::rows::{Table, TableRow};
use super::told;
use rusqlite::Connection;
use std::io::{self, Read};
use std::vec::IntoIter;

/// The rows of all tables, table by table.
pub struct Rows {
    tables: IntoIter<Table>,
    table: Option<Table>,
    /// Rows that the table has beyond those that have been read.
    left: u64,
    /// Rows that have been read, from the last one on.
    read: Vec<TableRow>,
    last: Option<TableRow>,
}

impl Rows {
    pub fn new(database: &Connection) -> io::Result<Self> {
        Ok(Self {
            tables: Table::all(database)?.into_iter(),
            table: None,
            left: 0,
            read: Vec::new(),
            last: None,
        })
    }

    /// The next row, and its table.
    ///
    /// # Errors
    ///
    /// When the database is damaged.
    pub fn next(&mut self, database: &Connection) -> io::Result<Option<(&Table, &TableRow)>> {
        loop {
            if let Some(row) = self.read.pop() {
                let row = &*self.last.insert(row);
                return Ok(self.table.as_ref().map(|table| (table, row)));
            }
            if let Some(table) = &self.table {
                self.read = table.rows_after(database, self.last.as_ref())?;
                self.read.reverse();
                // Where keys are out of order, some come again and again.
                let left = self.left.checked_sub(self.read.len() as u64);
                self.left =
                    left.ok_or_else(|| told("the database is damaged: keys are out of order"))?;
            }
            if self.read.is_empty() {
                self.last = None;
                self.table = self.tables.next();
                let Some(table) = &self.table else {
                    return Ok(None);
                };
                self.left = table.count(database)?;
            }
        }
    }
}

/// The rows as bytes.
pub struct Dump {
    database: Connection,
    rows: Rows,
    line: Vec<u8>,
    given: usize,
}

impl Dump {
    pub fn new(database: Connection) -> io::Result<Self> {
        Ok(Self {
            rows: Rows::new(&database)?,
            database,
            line: Vec::new(),
            given: 0,
        })
    }
}

impl Read for Dump {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.given == self.line.len() {
            self.line.clear();
            self.given = 0;
            while self.line.len() < buffer.len() {
                let Some((_, row)) = self.rows.next(&self.database)? else {
                    break;
                };
                self.line.extend_from_slice(&row.line);
                self.line.push(b'\n');
            }
        }
        let part = &self.line[self.given..];
        let count = part.len().min(buffer.len());
        buffer[..count].copy_from_slice(&part[..count]);
        self.given += count;
        Ok(count)
    }
}
