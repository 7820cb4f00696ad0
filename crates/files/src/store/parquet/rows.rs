//! The rows of a file as lines.

use super::columns::{Column, Spot, column};
use super::schema::{Node, fields};
use super::{damaged, failed};
use bytes::Bytes;
use parquet::file::reader::FileReader;
use parquet::file::serialized_reader::SerializedFileReader;
use std::io;

/// Rows that are read at a time.
const AT_ONCE: u64 = 1024;

/// The rows of all row groups, in order.
pub struct Rows {
    file: SerializedFileReader<Bytes>,
    fields: Vec<(Vec<u8>, Node)>,
    /// The row group that is next.
    group: usize,
    columns: Vec<Box<dyn Column>>,
    /// Rows of the group that have not been read.
    unread: u64,
    /// Rows that have been read and not given.
    read: u64,
    /// The number of the last row given, from 1.
    number: u64,
}

/// A row as a line.
#[derive(Default)]
pub struct RowLine {
    /// The line, without its end.
    pub text: Vec<u8>,
    /// The values that can be written anew, in order.
    pub spots: Vec<Spot>,
    /// The number of the row, from 1.
    pub number: u64,
    /// The row group, from 0.
    pub group: usize,
}

impl Rows {
    pub fn new(file: SerializedFileReader<Bytes>) -> io::Result<Self> {
        let fields = fields(file.metadata().file_metadata().schema())?;
        Ok(Self {
            file,
            fields,
            group: 0,
            columns: Vec::new(),
            unread: 0,
            read: 0,
            number: 0,
        })
    }

    /// The file.
    pub fn file(&self) -> &SerializedFileReader<Bytes> {
        &self.file
    }

    /// Puts the next row into `row`; false after the last one.
    ///
    /// # Errors
    ///
    /// When the file is damaged.
    pub fn next(&mut self, row: &mut RowLine) -> io::Result<bool> {
        while self.read == 0 {
            if self.unread == 0 && !self.open_group()? {
                return Ok(false);
            }
            self.read = self.unread.min(AT_ONCE);
            self.unread -= self.read;
            for column in &mut self.columns {
                column.read(self.read as usize)?;
            }
        }
        self.read -= 1;
        self.number += 1;
        row.text.clear();
        row.spots.clear();
        (row.number, row.group) = (self.number, self.group - 1);
        row.text.extend_from_slice(b"{\"@\":{\"row\":");
        row.text
            .extend_from_slice(itoa::Buffer::new().format(self.number).as_bytes());
        row.text.push(b'}');
        for (head, node) in &self.fields {
            row.text.push(b',');
            row.text.extend_from_slice(head);
            write(node, &mut self.columns, row)?;
        }
        row.text.push(b'}');
        // Every column must be at the beginning of a row, or at the end of what was read.
        match self
            .columns
            .iter()
            .all(|column| column.rep().unwrap_or(0) == 0)
        {
            true => Ok(true),
            false => Err(damaged(format!(
                "the Parquet file is damaged: columns of row {} do not fit each other",
                self.number
            ))),
        }
    }

    /// Begins with the next row group; false after the last one.
    fn open_group(&mut self) -> io::Result<bool> {
        if self.group == self.file.metadata().num_row_groups() {
            return Ok(false);
        }
        let group = self.file.get_row_group(self.group).map_err(failed)?;
        let facts = group.metadata();
        let negative =
            |_| damaged("the Parquet file is damaged: a row group has fewer than no rows");
        self.unread = u64::try_from(facts.num_rows()).map_err(negative)?;
        self.columns.clear();
        for number in 0..facts.num_columns() {
            let reader = group.get_column_reader(number).map_err(failed)?;
            let of = facts.column(number).column_descr();
            self.columns.push(column(reader, number, of));
        }
        self.group += 1;
        Ok(true)
    }
}

/// Adds a part of a row to its line.
fn write(node: &Node, columns: &mut [Box<dyn Column>], row: &mut RowLine) -> io::Result<()> {
    match node {
        Node::Leaf(number) => columns[*number].put(&mut row.text, &mut row.spots),
        Node::Optional { def, leaves, inner } => {
            if level(&*columns[leaves.start])? >= *def {
                return write(inner, columns, row);
            }
            row.text.extend_from_slice(b"null");
            skip(&mut columns[leaves.clone()]);
            Ok(())
        }
        Node::Struct(fields) => {
            for (at, (head, field)) in fields.iter().enumerate() {
                row.text.push(if at == 0 { b'{' } else { b',' });
                row.text.extend_from_slice(head);
                write(field, columns, row)?;
            }
            row.text.push(b'}');
            Ok(())
        }
        Node::List {
            def,
            rep,
            leaves,
            element,
        } => {
            row.text.push(b'[');
            if level(&*columns[leaves.start])? < *def {
                skip(&mut columns[leaves.clone()]);
            } else {
                write(element, columns, row)?;
                while columns[leaves.start].rep() == Some(*rep) {
                    row.text.push(b',');
                    write(element, columns, row)?;
                }
            }
            row.text.push(b']');
            Ok(())
        }
    }
}

/// Leaves out a part that is not there: each of its columns has a value that is null.
fn skip(columns: &mut [Box<dyn Column>]) {
    columns.iter_mut().for_each(|column| column.skip());
}

fn level(column: &dyn Column) -> io::Result<i16> {
    let missing = || damaged("the Parquet file is damaged: a value is missing");
    column.def().ok_or_else(missing)
}
