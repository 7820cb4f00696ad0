//! Formats by name and extension, and the layout of a certain file.

use crate::columns::container::Container;
use crate::columns::dialect::Dialect;
use crate::columns::fault::RowFault;
use crate::columns::formats::contained::ContainedRows;
use crate::columns::formats::document::Document;
use crate::columns::formats::jsonl::Objects;
use crate::columns::formats::spaced::Blanks;
use crate::columns::formats::{RecordEnds, RowFormat};
use crate::columns::list::{Column, ColumnList};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::path::Path;

/// The extensions of packed texts; what is before them gives the form.
pub const PACKED: &[&str] = &["gz", "zst"];

/// The form of a file with columns.
///
/// ```
/// use brisk_quill_core::columns::layout::Format;
/// assert_eq!(Format::of_path("berths.tsv".as_ref()), Some(Format::Tsv));
/// assert_eq!(Format::named("jsonl"), Some(Format::JsonLines));
/// ```
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
    /// One value of JSON: an array of records, or an object.
    Json,
    /// The sheets of a workbook.
    Workbook,
    /// The tables of a SQLite database.
    Sqlite,
    /// The rows of a Parquet file.
    Parquet,
}

impl Format {
    /// All of them.
    pub const ALL: [Self; 8] = [
        Self::Csv,
        Self::Tsv,
        Self::Spaced,
        Self::JsonLines,
        Self::Json,
        Self::Workbook,
        Self::Sqlite,
        Self::Parquet,
    ];

    /// The name as an option.
    pub fn name(self) -> &'static str {
        match self {
            Self::Csv => "csv",
            Self::Tsv => "tsv",
            Self::Spaced => "spaced",
            Self::JsonLines => "jsonl",
            Self::Json => "json",
            Self::Workbook => "workbook",
            Self::Sqlite => "sqlite",
            Self::Parquet => "parquet",
        }
    }

    /// True if columns are called by pointers, not by numbers and names in a header.
    pub fn has_pointers(self) -> bool {
        match self {
            Self::JsonLines | Self::Json | Self::Workbook | Self::Sqlite | Self::Parquet => true,
            Self::Csv | Self::Tsv | Self::Spaced => false,
        }
    }

    /// True if a file may hold several tables.
    pub fn holds_tables(self) -> bool {
        match self {
            Self::Workbook | Self::Sqlite => true,
            Self::Csv | Self::Tsv | Self::Spaced | Self::JsonLines | Self::Json | Self::Parquet => {
                false
            }
        }
    }

    /// The form of this name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|format| format.name() == name)
    }

    /// The form that the extension of a path says, before that of a packed text.
    pub fn of_path(path: &Path) -> Option<Self> {
        let name = path.file_name()?.to_string_lossy().to_ascii_lowercase();
        let (rest, mut extension) = name.rsplit_once('.')?;
        if PACKED.contains(&extension) {
            extension = rest.rsplit_once('.')?.1;
        }
        Some(match extension {
            "csv" => Self::Csv,
            "tsv" | "tab" => Self::Tsv,
            "jsonl" | "ndjson" => Self::JsonLines,
            "json" => Self::Json,
            "xlsx" | "xlsm" => Self::Workbook,
            "db" | "db3" | "sqlite" | "sqlite3" => Self::Sqlite,
            "parquet" => Self::Parquet,
            _ => return None,
        })
    }
}

/// The layout of a certain file.
///
/// ```
/// use brisk_quill_core::columns::layout::TableOptions;
/// let layout = TableOptions::default().layout("moorings.jsonl".as_ref());
/// assert!(layout.expect("a form by its name").has_pointers());
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// Cells between delimiters.
    Delimited(Dialect),
    /// Cells between runs of blanks.
    Spaced(Blanks),
    /// Objects of JSON.
    JsonLines(Objects),
    /// One value of JSON.
    Json(Document),
    /// Rows of a container: a workbook, a database or a Parquet file.
    Contained(ContainedRows),
}

impl Layout {
    /// The way it is read and written.
    pub(crate) fn as_dyn(&self) -> &dyn RowFormat {
        match self {
            Self::Delimited(format) => format,
            Self::Spaced(format) => format,
            Self::JsonLines(format) => format,
            Self::Json(format) => format,
            Self::Contained(format) => format,
        }
    }

    /// True if columns are called by pointers, not by numbers and names in a header.
    pub fn has_pointers(self) -> bool {
        match self {
            Self::JsonLines(_) | Self::Json(_) | Self::Contained(_) => true,
            Self::Delimited(_) | Self::Spaced(_) => false,
        }
    }

    /// True if the text is one value, in which no record stands on lines of its own.
    pub(crate) fn is_document(self) -> bool {
        match self {
            Self::Json(_) => true,
            Self::Delimited(_) | Self::Spaced(_) | Self::JsonLines(_) | Self::Contained(_) => false,
        }
    }

    /// The container whose rows these are: they name their table, and their number in it.
    pub(crate) fn container(self) -> Option<Container> {
        match self {
            Self::Contained(rows) => Some(rows.of),
            Self::Delimited(_) | Self::Spaced(_) | Self::JsonLines(_) | Self::Json(_) => None,
        }
    }

    /// The value of a column as it is shown beside others; `None` where that says what is shown anyway. Of a container, a
    /// value that is an object is shown without that.
    pub(crate) fn shown(self, name: &str, value: Vec<u8>) -> Option<Vec<u8>> {
        if self.container().is_none() {
            return Some(value);
        }
        let object: Result<BTreeMap<&str, &str>, _> = serde_json::from_slice(&value);
        let inner = object.ok().and_then(|object| object.into_values().next());
        let inner = inner.map(|text| text.as_bytes().to_vec());
        (name != "@").then(|| inner.unwrap_or(value))
    }

    /// Why a row cannot be dropped, where that is so.
    pub(crate) fn row_stays(self) -> Option<RowFault> {
        match self {
            Self::Json(_) => Some(RowFault::InDocument),
            Self::Contained(rows) => Some(RowFault::Contained(rows.of)),
            Self::Delimited(_) | Self::Spaced(_) | Self::JsonLines(_) => None,
        }
    }

    /// True if a column may be added.
    pub(crate) fn can_be_widened(self) -> bool {
        match self {
            Self::Delimited(_) | Self::JsonLines(_) | Self::Json(_) | Self::Contained(_) => true,
            Self::Spaced(_) => false,
        }
    }

    /// True if another delimiter may have been meant.
    pub(crate) fn has_delimiter(self) -> bool {
        match self {
            Self::Delimited(_) => true,
            Self::Spaced(_) | Self::JsonLines(_) | Self::Json(_) | Self::Contained(_) => false,
        }
    }

    /// True if a part of a row would have more cells than it has, where all rows have as many. It begins and ends outside of
    /// quotes.
    ///
    /// ```
    /// use brisk_quill_core::columns::layout::TableOptions;
    /// let csv = TableOptions::default().layout("berths.csv".as_ref()).expect("a form by its name");
    /// assert!(csv.widens(b"", b",\"B-4, north\"") && !csv.widens(b"4", b"\"4, north\"") && !csv.widens(b"4\n", b""));
    /// ```
    pub fn widens(self, before: &[u8], after: &[u8]) -> bool {
        let Self::Delimited(dialect) = self else {
            return false;
        };
        let (cells_before, rows_before) = dialect.ends_in(before);
        let (cells_after, rows_after) = dialect.ends_in(after);
        rows_before == rows_after && cells_after > cells_before
    }

    /// The ends of records, where they are not every line end.
    pub(crate) fn record_ends(self) -> Option<RecordEnds> {
        self.as_dyn().record_ends()
    }

    /// The value of a cell that is written as `raw`; `raw` itself where it stands for none.
    pub fn read_value(self, raw: &[u8]) -> Vec<u8> {
        let spelling = self.as_dyn().spelling_of(raw);
        let value = spelling.read(raw);
        value.map_or_else(|| raw.to_vec(), Cow::into_owned)
    }

    /// `value` as it is written in the place of a cell that is written as `before`; `None` where
    /// it cannot are there.
    pub fn write_value(self, before: &[u8], value: &[u8]) -> Option<Vec<u8>> {
        self.as_dyn().spelling_of(before).write(value)
    }
}

/// Options for reading files with columns.
///
/// ```
/// use brisk_quill_core::columns::layout::{Format, TableOptions};
/// let options = TableOptions::default();
/// assert!(options.layout("berths.csv".as_ref()).is_some());
/// assert_eq!(Format::of_path("moorings.jsonl".as_ref()), Some(Format::JsonLines));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TableOptions {
    /// `None` goes by the extension of each file.
    pub format: Option<Format>,
    /// `None` is that of the format.
    pub delimiter: Option<u8>,
    /// The outer `None` is `"`, the inner one is not a quote at all.
    pub quote: Option<Option<u8>>,
    /// True if the first row holds names, and not values.
    pub header: bool,
    /// True if rows may be shorter or longer than the first one.
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
    /// The layout of the file at `path`; `None` where its format is not known.
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
        let contained = |of| Layout::Contained(ContainedRows { of });
        Some(match told {
            Format::Csv => delimited(b','),
            Format::Tsv => delimited(b'\t'),
            Format::Spaced => Layout::Spaced(Blanks),
            Format::JsonLines => Layout::JsonLines(Objects),
            Format::Json => Layout::Json(Document),
            Format::Workbook => contained(Container::Workbook),
            Format::Sqlite => contained(Container::Database),
            Format::Parquet => contained(Container::Parquet),
        })
    }
}

/// Which columns a query looks at, and how files are read for it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// The way to read.
    pub options: TableOptions,
    /// The columns whose cells are the units.
    pub list: ColumnList,
    /// Other columns that are spoken of: they must be there.
    pub also: Vec<Column>,
    /// Columns that are written anew: each must be there, and be named once.
    pub set: Vec<Column>,
    /// Columns that are to be added: none may be there, or be named twice.
    pub added: Vec<String>,
    /// A column that is written anew where it is there, once, and added where it is not.
    pub into: Option<Column>,
    /// The table of a workbook or a database whose rows are looked at alone.
    pub table: Option<String>,
    /// The columns whose values name a row; they are in `also`, too.
    pub labels: Vec<Column>,
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
            into: None,
            table: None,
            labels: Vec::new(),
        }
    }
}
