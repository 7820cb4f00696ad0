//! The two-column files that the filter `map` looks values up in.

use brisk_quill_core::columns::layout::Format;
use brisk_quill_core::columns::list::Column;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::Template;
use brisk_quill_core::template::tables::{Table, TableError, Tables};
use brisk_quill_files::error::system_words;
use brisk_quill_files::fs::open::{open_below, read_all};
use std::collections::BTreeMap;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The largest table, in bytes.
const MOST: u64 = 64 << 20;

/// Reads tables, each once. Their paths are relative to a folder.
///
/// ```
/// use brisk_quill_core::template::tables::Tables;
/// use brisk_quill_engine::tables::FileTables;
///
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("places.csv"), "L4,North quay\n")?;
/// let mut tables = FileTables::new(folder.path());
/// assert_eq!(tables.table("places.csv")?.get("L4"), Some("North quay"));
/// assert!(tables.table("nowhere.csv").is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct FileTables {
    base: PathBuf,
    /// The folder that they must lie below, because a plan names them.
    root: Option<PathBuf>,
    read: BTreeMap<PathBuf, Arc<Table>>,
    /// A list has been asked for.
    reads_lists: bool,
}

/// Finds an empty table at every path and opens none: for a rewrite that is not run.
///
/// ```
/// use brisk_quill_core::template::tables::Tables;
/// use brisk_quill_engine::tables::UnreadTables;
/// assert!(UnreadTables.table("nowhere.csv").is_ok());
/// ```
pub struct UnreadTables;

impl Tables for UnreadTables {
    fn table(&mut self, _: &str) -> Result<Arc<Table>, TableError> {
        Ok(Arc::default())
    }

    fn values(&mut self, _: &str, _: &Column) -> Result<Vec<Vec<u8>>, TableError> {
        Ok(Vec::new())
    }
}

impl FileTables {
    /// Tables whose paths are relative to `base`.
    pub fn new(base: &Path) -> Self {
        Self {
            base: base.to_owned(),
            root: None,
            read: BTreeMap::new(),
            reads_lists: false,
        }
    }

    /// Tables that must lie below `root`, because a plan names them.
    pub fn below(root: Option<&Path>) -> Self {
        Self {
            root: root.map(Path::to_owned),
            ..Self::new(Path::new(""))
        }
    }

    /// True if none has been asked for.
    pub fn is_empty(&self) -> bool {
        self.read.is_empty() && !self.reads_lists
    }

    fn bytes(&self, path: &Path) -> io::Result<Vec<u8>> {
        match &self.root {
            Some(root) => {
                let mut bytes = Vec::new();
                open_below(root, path)?
                    .take(MOST + 1)
                    .read_to_end(&mut bytes)?;
                Ok(bytes)
            }
            None => read_all(path, MOST),
        }
    }
}

impl Tables for FileTables {
    fn table(&mut self, path: &str) -> Result<Arc<Table>, TableError> {
        let path = self.base.join(path);
        if let Some(table) = self.read.get(&path) {
            return Ok(Arc::clone(table));
        }
        let bytes = self.bytes(&path).map_err(TableFault::Io);
        let table = bytes.and_then(|bytes| read(&bytes, &path));
        let table = Arc::new(table.map_err(|fault| TableError {
            path: visible_path(&path),
            reason: fault.into(),
        })?);
        self.read.insert(path, Arc::clone(&table));
        Ok(table)
    }

    fn values(&mut self, path: &str, column: &Column) -> Result<Vec<Vec<u8>>, TableError> {
        let path = self.base.join(path);
        self.reads_lists = true;
        let bytes = self.bytes(&path).map_err(TableFault::Io);
        let values = bytes.and_then(|bytes| values(&bytes, &path, column));
        values.map_err(|fault| TableError {
            path: visible_path(&path),
            reason: fault.into(),
        })
    }
}

/// The fault in a table.
#[derive(Debug, thiserror::Error)]
enum TableFault {
    /// The table cannot be read.
    #[error("{}", system_words(.0))]
    Io(#[from] io::Error),
    /// There is no row in it.
    #[error("it is empty")]
    Empty,
    /// The table is larger than [`MOST`].
    #[error("it is larger than 64 MiB")]
    TooLarge,
    /// A row is not text.
    #[error("line {line} is not UTF-8: it is not a table, or in another encoding")]
    NotUtf8 {
        /// The number of its line, from 1.
        line: u64,
    },
    /// A row cannot be read.
    #[error("line {line} is not a row of cells")]
    Row {
        /// The number of its line, from 1.
        line: u64,
    },
    /// A row is not of two columns.
    #[error("line {line} has {}, and it takes two", counted(*columns as u64, "column"))]
    Columns {
        /// The number of its line, from 1.
        line: u64,
        /// The columns.
        columns: usize,
    },
    /// There is no such column in a list of several.
    #[error("it has no column `{column}`, and {width} others")]
    NoColumn {
        /// As it was asked for, fit to be shown.
        column: String,
        /// The columns.
        width: usize,
    },
    /// One old text has two new ones.
    #[error("line {line} has `{new}` for `{old}`, and a line before has `{other}`")]
    Twice {
        /// The number of the line of the second, from 1.
        line: u64,
        /// The old text, fit to be shown.
        old: String,
        /// The new text of that line.
        new: String,
        /// The new text of the line before.
        other: String,
    },
}

/// The values of a list: those of `column`, or of the only one, or one on each line.
fn values(bytes: &[u8], path: &Path, column: &Column) -> Result<Vec<Vec<u8>>, TableFault> {
    if bytes.len() as u64 > MOST {
        return Err(TableFault::TooLarge);
    }
    let bytes = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(bytes);
    let values: Vec<Vec<u8>> = match Format::of_path(path) {
        Some(format @ (Format::Csv | Format::Tsv)) => column_of(bytes, format, column)?,
        _ => {
            let lines = bytes.split(|b| *b == b'\n');
            let lines = lines.map(|line| line.strip_suffix(b"\r").unwrap_or(line));
            lines.map(<[u8]>::to_vec).collect()
        }
    };
    // An empty line is none, and the last one ends the text.
    let values: Vec<_> = values.into_iter().filter(|v| !v.is_empty()).collect();
    match values.is_empty() {
        true => Err(TableFault::Empty),
        false => Ok(values),
    }
}

/// The values of a column of a table; a table of one column without that name is a list of its rows.
fn column_of(bytes: &[u8], format: Format, column: &Column) -> Result<Vec<Vec<u8>>, TableFault> {
    let mut rows = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(if format == Format::Tsv { b'\t' } else { b',' })
        .from_reader(bytes);
    let mut rows = rows.byte_records();
    let Some(first) = rows.next() else {
        return Err(TableFault::Empty);
    };
    let first = first.map_err(|error| row_fault(&error))?;
    let named = |name: &str| first.iter().position(|cell| cell == name.as_bytes());
    let found = match column {
        Column::Name(name) | Column::Pointer(name) => named(name.trim_start_matches('/')),
        Column::Number(_) => None,
    };
    let (index, has_header) = match (found, first.len()) {
        (Some(index), _) => (index, true),
        (None, 1) => (0, false),
        (None, width) => {
            let column = visible(column.to_string().as_bytes());
            return Err(TableFault::NoColumn { column, width });
        }
    };
    let mut values = Vec::new();
    if !has_header {
        values.extend(first.get(index).map(<[u8]>::to_vec));
    }
    for row in rows {
        let row = row.map_err(|error| row_fault(&error))?;
        values.extend(row.get(index).map(<[u8]>::to_vec));
    }
    Ok(values)
}

/// Every row is a pair, but for a first one of `before` and `after`.
fn read(bytes: &[u8], path: &Path) -> Result<Table, TableFault> {
    if bytes.len() as u64 > MOST {
        return Err(TableFault::TooLarge);
    }
    let bytes = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(bytes);
    let tabs = path.extension().is_some_and(|kind| kind == "tsv");
    let mut rows = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(if tabs { b'\t' } else { b',' })
        .from_reader(bytes);
    if bytes.trim_ascii().is_empty() {
        return Err(TableFault::Empty);
    }
    let mut table = Table::default();
    let mut is_first = true;
    for row in rows.records() {
        let row = row.map_err(|error| row_fault(&error))?;
        let line = row.position().map_or(0, csv::Position::line);
        let (Some(old), Some(new), 2) = (row.get(0), row.get(1), row.len()) else {
            let columns = row.len();
            return Err(TableFault::Columns { line, columns });
        };
        if std::mem::take(&mut is_first) {
            table.add_first(old.to_owned(), new.to_owned());
            continue;
        }
        table.add(old.to_owned(), new.to_owned()).map_err(|other| {
            let shown = |text: &str| visible(text.as_bytes());
            TableFault::Twice {
                line,
                old: shown(old),
                new: shown(new),
                other: shown(other),
            }
        })?;
    }
    Ok(table)
}

fn row_fault(error: &csv::Error) -> TableFault {
    let line = error.position().map_or(1, csv::Position::line);
    match error.kind() {
        csv::ErrorKind::Utf8 { .. } => TableFault::NotUtf8 { line },
        _ => TableFault::Row { line },
    }
}

/// Writes the paths of a step's tables in another way.
pub fn move_tables(words: &mut StepSpec, step: &Step, place: impl Fn(&str) -> String) {
    let moved = |template: &Template| match template.table_paths().next() {
        Some(_) => template.with_table_paths(&place).source().to_owned(),
        None => template.source().to_owned(),
    };
    if let Some(template) = step.action.template() {
        let fields = [
            &mut words.with,
            &mut words.above,
            &mut words.below,
            &mut words.lead,
            &mut words.trail,
        ];
        for field in fields.into_iter().flatten() {
            *field = moved(template);
        }
    }
    if let Some(path) = &mut words.pairs {
        *path = place(path);
    }
    // The list is the second of each pair.
    let lists = words
        .where_listed
        .iter_mut()
        .chain(&mut words.unless_listed);
    for path in lists.skip(1).step_by(2) {
        *path = place(path);
    }
    if let Action::Cells(cells) = &step.action {
        // The template is the second of each pair.
        let texts = words.set.iter_mut().skip(1).step_by(2);
        let added = words.add_column.iter_mut().skip(1).step_by(2);
        for (text, cell) in texts.chain(added).zip(cells) {
            *text = moved(&cell.template);
        }
    }
}
