//! Faults of rows, cells and columns.

use crate::columns::container::Container;
use crate::nearest::Nearest;

/// Faults in the form of a row.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum RowFault {
    /// A quote opens a cell, and no quote closes it.
    #[error("the quote that opens this cell is never closed")]
    UnclosedQuote,
    /// Something stands between the closing quote and the end of the cell.
    #[error(
        "text follows a closing quote: a quote within quotes is written twice; the quote may also belong to a cell before, which has none to close it"
    )]
    TextAfterQuote,
    /// More or fewer cells than the first row has.
    #[error("this row has {found} {}, and the first one {wanted}", if *found == 1 { "cell" } else { "cells" })]
    Width {
        /// Cells in this row.
        found: usize,
        /// Cells in the first row.
        wanted: usize,
    },
    /// A line that does not parse.
    #[error("this line is not JSON: {}", json_fault(*byte))]
    NotJson {
        /// The byte at which that shows, from 1; `None` where the line ends too early.
        byte: Option<usize>,
    },
    /// A line of JSON Lines that is not UTF-8.
    #[error("this line is not JSON: byte {byte} of it is not UTF-8")]
    NotUtf8 {
        /// The first such byte, from 1.
        byte: usize,
    },
    /// A line with something else than an object.
    #[error("this line is not a JSON object, and columns are the keys of one")]
    NotAnObject,
    /// A JSON document that does not parse here.
    #[error("the document is not JSON: byte {byte} of this line is not allowed there")]
    NotJsonHere {
        /// The byte in its line, from 1.
        byte: usize,
    },
    /// A JSON document without its end.
    #[error("the document is cut off: its end is missing")]
    CutOff,
    /// A JSON document with something behind its end.
    #[error(
        "something follows the end of the document; for an object on each line say `--format jsonl`"
    )]
    AfterDocument,
    /// A JSON document that is a text or a number.
    #[error("the document is neither an array nor an object of JSON, and has no records")]
    NotADocument,
    /// A record of a document that is to be dropped.
    #[error("a record cannot be dropped from a JSON document, for the commas around it would stay")]
    InDocument,
    /// A row of a container that is to be dropped.
    #[error("a row of a {0} cannot be dropped: only its cells are written")]
    Contained(Container),
    /// A key that an object has twice, and that is asked for.
    #[error("the key `{0}` is there twice in one object")]
    KeyTwice(String),
    /// A row over its limit.
    #[error("this row is longer than {} MiB, the most that is looked at", limit >> 20)]
    TooLong {
        /// In bytes.
        limit: usize,
    },
}

fn no_table(name: &str, there: &[String]) -> String {
    if there.is_empty() {
        return "it holds no tables: `--table` is for workbooks and databases".to_owned();
    }
    let there: Vec<String> = there.iter().map(|name| format!("`{name}`")).collect();
    format!("there is no table `{name}`; there is {}", there.join(", "))
}

/// The fault without names that are like the one asked for: with another delimiter there are others.
fn without_nearest(fault: &ColumnFault) -> String {
    match fault {
        ColumnFault::Unknown { name, .. } => format!(
            "there is no column `{}`",
            crate::escape::visible(name.as_bytes())
        ),
        other => other.to_string(),
    }
}

fn json_fault(byte: Option<usize>) -> String {
    match byte {
        Some(byte) => format!("byte {byte} of it is not allowed there"),
        None => "it ends too early".to_owned(),
    }
}

/// Why a value cannot be written into its cell, or read from it.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CellFault {
    /// The value holds a delimiter, a line end or a quote, and nothing can quote it.
    #[error(
        "`{}` cannot stand in {column}: it would be read as something else, and there are no quotes",
        crate::escape::visible(value)
    )]
    Unquotable {
        /// The column.
        column: String,
        /// The new value.
        value: Vec<u8>,
    },
    /// A number of JSON would become something else.
    #[error(
        "`{}` is not a number, and {column} holds one without quotes",
        crate::escape::visible(value)
    )]
    NotANumber {
        /// The column.
        column: String,
        /// The new value.
        value: Vec<u8>,
    },
    /// An escape in a string of JSON that stands for no character.
    #[error("{0} holds an escape that stands for no character")]
    NoCharacter(String),
    /// The row has no such cell.
    #[error("there is no {0} to write in this row")]
    Absent(String),
    /// The row is longer than the first one, so that a cell behind it is in no column.
    #[error(
        "the row has {found} cells and the first row {wanted}: the last would stand below the new column"
    )]
    Surplus {
        /// Cells it has.
        found: usize,
        /// Cells of the first row.
        wanted: usize,
    },
    /// Two columns that are to be written are one cell in this row.
    #[error("two columns to be set are the same cell in this row")]
    WrittenTwice,
    /// A cell of a container that holds nothing, or is not there, and is to be written.
    #[error("only cells of a {0} that hold something can be written")]
    Contained(Container),
    /// A cell of a container that is shown in another form than the file has it in.
    #[error("{0} cannot be written: of such a file, only text and numbers are")]
    LeftAlone(String),
    /// The row has a cell of the name that is to be added.
    #[error("there is a `{0}` already in this row")]
    There(String),
}

/// A column that a table does not have, or not just once.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ColumnFault {
    /// No column of the header has the name.
    #[error("there is no column `{}`{nearest}", crate::escape::visible(name.as_bytes()))]
    Unknown {
        /// As it was asked for.
        name: String,
        /// Names like it.
        nearest: Nearest,
    },
    /// Several columns of the header have the name.
    #[error("columns {} share the name `{name}`: pick one by its number", numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(" and "))]
    Twice {
        /// The name.
        name: String,
        /// The columns, from 1.
        numbers: Vec<usize>,
    },
    /// A number beyond the last column.
    #[error("there is no column {number}: the first row has {width}")]
    Beyond {
        /// As it was asked for.
        number: u64,
        /// Columns there are.
        width: usize,
    },
    /// A name where there is no header.
    #[error("there is no header, so `{0}` names no column: use its number")]
    NoHeader(String),
    /// A name where the header has a fault.
    #[error("the header could not be read, so `{0}` names no column: use its number")]
    HeaderLost(String),
    /// The column that takes the new text is the one that was matched.
    #[error("{0} is the column that is matched: leave `--into` out, or name another one")]
    IntoItself(String),
    /// A number in JSON Lines.
    #[error(
        "the columns of JSON have no numbers: name a key, or write a pointer such as `/ship/name`"
    )]
    NoNumbers,
    /// A pointer that leads to no text in any row.
    #[error("{pointer} leads to no text in any row{nearest}")]
    Nowhere {
        /// As it was asked for.
        pointer: String,
        /// Keys like its first.
        nearest: Nearest,
    },
    /// A pointer that leads to a list or an object in every row that has it.
    #[error(
        "{pointer} leads to a list or an object, and not to a text: name an item of it, such as `{inner}`"
    )]
    Inner {
        /// As it was asked for.
        pointer: String,
        /// A pointer to all its items, or to the first of its keys.
        inner: String,
    },
    /// The same of a header whose names are quoted in another way.
    #[error(
        "there is no column `{name}`: the names in the header stand in `{quote}`, so add `--quote {shown}`"
    )]
    OtherQuote {
        /// As it was asked for.
        name: String,
        /// The quote.
        quote: char,
        /// The quote as it is given on a command line.
        shown: &'static str,
    },
    /// The same of a first row with one cell, in which another delimiter stands.
    #[error(
        "{}; with `--delimiter {delimiter}` there are {width} columns",
        without_nearest(fault)
    )]
    OtherDelimiter {
        /// The fault.
        fault: Box<ColumnFault>,
        /// The delimiter, as it is given on a command line.
        delimiter: &'static str,
        /// Columns there are with it.
        width: usize,
    },
    /// A column to be added that is there already.
    #[error("there is a column `{0}` already: write it with `--set`")]
    There(String),
    /// Two texts for one cell.
    #[error("`{0}` is set twice: a column takes one text")]
    SetTwice(String),
    /// Two columns to be added under one name.
    #[error("`{0}` is added twice: choose another name")]
    AddedTwice(String),
    /// A file whose form is not known.
    #[error("its form is not known: add `--format csv`, `tsv`, `spaced`, `jsonl` or `json`")]
    NoFormat,
    /// A column is to be added to a container.
    #[error("no column can be added to a {0}: name one that is there")]
    Contained(Container),
    /// There is no table of this name in the workbook or database.
    #[error("{}", no_table(name, there))]
    NoTable {
        /// As it was asked for.
        name: String,
        /// The tables that there are.
        there: Vec<String>,
    },
    /// A column cannot be added.
    #[error("a column cannot be added between blanks: an empty cell would not be seen")]
    CannotAdd,
}
