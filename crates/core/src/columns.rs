//! Columns: the cells of rows, in tables and in JSON Lines.
//!
//! ```text
//! bytes → records → cells → values
//!         boundary  scan    quote
//!                   jsonl   jsonl
//! ```
//!
//! * [`ColumnList`] is which columns are meant, as a user writes it; [`TableOptions`] is how a
//!   file is to be read.
//! * [`Layout`] is how a certain file is read; a [`Table`] is that with its header.
//! * A [`Row`] is one record of it with all its cells.
//!
//! A cell is kept as the span of its bytes. Its *value* is what a reader means by it: without
//! quotes and escapes. New values are written back as the old cell was written, as far as that
//! can hold them.

pub mod boundary;
pub mod delimiter_scan;
pub mod jsonl;
pub mod list;
mod quote;
pub mod row;
pub mod scan;
pub mod table;

use crate::columns::boundary::Boundary;
use crate::columns::list::{Column, ColumnList};
use std::path::Path;

/// The form of a file with columns.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// Cells between commas.
    Csv,
    /// Cells between tabs.
    Tsv,
    /// Cells between runs of blanks.
    Spaced,
    /// An object of JSON on each line.
    JsonLines,
}

impl Format {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Csv, Self::Tsv, Self::Spaced, Self::JsonLines];

    /// Its name as an option.
    pub fn name(self) -> &'static str {
        match self {
            Self::Csv => "csv",
            Self::Tsv => "tsv",
            Self::Spaced => "spaced",
            Self::JsonLines => "jsonl",
        }
    }

    /// The form of this name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|format| format.name() == name)
    }

    /// The form that the extension of a path tells.
    pub fn of_path(path: &Path) -> Option<Self> {
        let name = path.file_name()?.to_string_lossy();
        let (_, extension) = name.rsplit_once('.')?;
        Some(match extension.to_ascii_lowercase().as_str() {
            "csv" => Self::Csv,
            "tsv" | "tab" => Self::Tsv,
            "jsonl" | "ndjson" => Self::JsonLines,
            _ => return None,
        })
    }
}

/// What stands between cells and around them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Dialect {
    /// Between two cells.
    pub delimiter: u8,
    /// Around a cell; `None` where no sign does that.
    pub quote: Option<u8>,
}

/// How a certain file is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// Cells between delimiters.
    Delimited(Dialect),
    /// Cells between runs of blanks.
    Spaced,
    /// Objects of JSON.
    JsonLines,
}

impl Layout {
    /// Where records end, where that is not every line end.
    pub(crate) fn boundary(self) -> Option<Boundary> {
        match self {
            Self::Delimited(dialect) => Boundary::new(dialect),
            Self::Spaced | Self::JsonLines => None,
        }
    }
}

/// How files with columns are to be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TableOptions {
    /// `None` goes by the extension of each file.
    pub format: Option<Format>,
    /// `None` is that of the format.
    pub delimiter: Option<u8>,
    /// The outer `None` is `"`, the inner one is not a quote at all.
    pub quote: Option<Option<u8>>,
    /// Whether the first row holds names, and not values.
    pub header: bool,
    /// Whether rows may be shorter or longer than the first one.
    pub ragged: bool,
}

impl Default for TableOptions {
    fn default() -> Self {
        Self {
            format: None,
            delimiter: None,
            quote: None,
            header: true,
            ragged: false,
        }
    }
}

impl TableOptions {
    /// How the file at `path` is read; `None` where its form is not known.
    pub fn layout(&self, path: &Path) -> Option<Layout> {
        // A delimiter alone tells what the extension does not.
        let told = self
            .format
            .or(self.delimiter.map(|_| Format::Csv))
            .or_else(|| Format::of_path(path))?;
        let delimited = |delimiter| {
            Layout::Delimited(Dialect {
                delimiter: self.delimiter.unwrap_or(delimiter),
                quote: self.quote.unwrap_or(Some(b'"')),
            })
        };
        Some(match told {
            Format::Csv => delimited(b','),
            Format::Tsv => delimited(b'\t'),
            Format::Spaced => Layout::Spaced,
            Format::JsonLines => Layout::JsonLines,
        })
    }
}

/// Which columns a query looks at, and how files are read for it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// How to read.
    pub options: TableOptions,
    /// The columns whose cells are the units.
    pub list: ColumnList,
    /// Other columns that are spoken of: they must be there.
    pub also: Vec<Column>,
    /// Columns that are written anew: each must be there, and be named once.
    pub set: Vec<Column>,
    /// Columns that are to be added: none may be there, or be named twice.
    pub added: Vec<String>,
}

impl Columns {
    /// The cells of these columns.
    pub fn new(list: ColumnList, options: TableOptions) -> Self {
        Self {
            options,
            list,
            also: Vec::new(),
            set: Vec::new(),
            added: Vec::new(),
        }
    }
}
