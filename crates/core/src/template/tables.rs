//! Two-column tables that the filter `map` looks values up in.

use crate::columns::list::Column;
use std::collections::BTreeMap;
use std::error::Error;
use std::sync::Arc;

/// A two-column table: old, new.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Table {
    entries: BTreeMap<String, String>,
    /// The old and the new text of its first row, where that reads like the names of columns.
    names: Option<(String, String)>,
}

/// Pairs of words that people write above the columns of such a table.
const NAMES: [(&str, &str); 16] = [
    ("old", "new"),
    ("from", "to"),
    ("term", "replacement"),
    ("text", "replacement"),
    ("pattern", "replacement"),
    ("original", "replacement"),
    ("original", "new"),
    ("find", "replace"),
    ("search", "replace"),
    ("source", "target"),
    ("was", "now"),
    ("wrong", "right"),
    ("key", "value"),
    ("input", "output"),
    ("before", "now"),
    ("code", "name"),
];

impl Table {
    /// Adds the pair of the first row. One of `before` and `after`, in any letter case, names the columns
    /// and not a pair; any other is a pair.
    pub fn add_first(&mut self, old: String, new: String) {
        let is = |(before, after): &(&str, &str)| {
            old.trim().eq_ignore_ascii_case(before) && new.trim().eq_ignore_ascii_case(after)
        };
        if is(&("before", "after")) {
            return;
        }
        if NAMES.iter().any(is) {
            self.names = Some((old.clone(), new.clone()));
        }
        self.entries.insert(old, new);
    }

    /// The old and the new text of its first row, where that is a pair and reads like the names of columns.
    pub fn names(&self) -> Option<(&str, &str)> {
        let (old, new) = self.names.as_ref()?;
        Some((old, new))
    }

    /// Adds a pair.
    ///
    /// # Errors
    ///
    /// The text that the same old one has already, where that is another.
    pub fn add(&mut self, old: String, new: String) -> Result<(), &str> {
        use std::collections::btree_map::Entry;
        match self.entries.entry(old) {
            Entry::Vacant(place) => {
                place.insert(new);
            }
            Entry::Occupied(there) if *there.get() == new => {}
            Entry::Occupied(there) => return Err(there.into_mut()),
        }
        Ok(())
    }

    /// The pairs, in the order of the old texts.
    pub fn pairs(&self) -> impl Iterator<Item = (&str, &str)> {
        self.entries
            .iter()
            .map(|(old, new)| (old.as_str(), new.as_str()))
    }

    /// The text beside `old`.
    pub fn get(&self, old: &str) -> Option<&str> {
        self.entries.get(old).map(String::as_str)
    }
}

/// A table that cannot be used.
#[derive(Debug, thiserror::Error)]
#[error("the table {path} cannot be used: {reason}")]
pub struct TableError {
    /// The path of the table, fit to be shown.
    pub path: String,
    /// The fault in it.
    #[source]
    pub reason: Box<dyn Error + Send + Sync>,
}

/// Gives the tables that templates name.
///
/// ```
/// use brisk_quill_core::template::tables::{Table, TableError, Tables};
/// use std::sync::Arc;
///
/// struct Berths;
///
/// impl Tables for Berths {
///     fn table(&mut self, _path: &str) -> Result<Arc<Table>, TableError> {
///         let mut table = Table::default();
///         table.add("L4".into(), "North quay".into()).expect("the only pair");
///         Ok(Arc::new(table))
///     }
/// }
///
/// let table = Berths.table("places.tsv")?;
/// assert_eq!(table.get("L4"), Some("North quay"));
/// # Ok::<(), TableError>(())
/// ```
pub trait Tables {
    /// The table called `path`.
    ///
    /// # Errors
    ///
    /// When it cannot be read, or is not a table of two columns.
    fn table(&mut self, path: &str) -> Result<Arc<Table>, TableError>;

    /// The values in the list called `path`: those of `column`, where it is a table.
    ///
    /// # Errors
    ///
    /// When it cannot be read, or holds no value.
    fn values(&mut self, path: &str, column: &Column) -> Result<Vec<Vec<u8>>, TableError> {
        let _ = (path, column);
        Err(TableError {
            path: crate::escape::visible(path.as_bytes()),
            reason: "lists are not read here".into(),
        })
    }
}

/// No tables at all.
pub struct NoTables;

impl Tables for NoTables {
    fn table(&mut self, path: &str) -> Result<Arc<Table>, TableError> {
        Err(TableError {
            path: crate::escape::visible(path.as_bytes()),
            reason: "tables are not read here".into(),
        })
    }
}
