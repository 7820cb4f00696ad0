//! The two-column files that the filter `map` looks values up in.

use brisk_quill_core::escape::visible_path;
use brisk_quill_core::{Table, Tables};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Reads tables, each once. Their paths are relative to a folder.
pub struct FileTables {
    base: PathBuf,
    read: BTreeMap<PathBuf, Arc<Table>>,
}

impl FileTables {
    pub fn new(base: &Path) -> Self {
        Self {
            base: base.to_owned(),
            read: BTreeMap::new(),
        }
    }
}

impl Tables for FileTables {
    fn table(&mut self, path: &str) -> Result<Arc<Table>, String> {
        let path = self.base.join(path);
        if let Some(table) = self.read.get(&path) {
            return Ok(Arc::clone(table));
        }
        let table = Arc::new(read(&path).map_err(|why| {
            let shown = visible_path(&path);
            format!("the table {shown} cannot be used: {why}")
        })?);
        self.read.insert(path, Arc::clone(&table));
        Ok(table)
    }
}

/// A row of names at the top does no harm: it only maps the one name to the other.
fn read(path: &Path) -> Result<Table, String> {
    let bytes = std::fs::read(path).map_err(|error| error.to_string())?;
    let bytes = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&bytes);
    let tabs = path.extension().is_some_and(|kind| kind == "tsv");
    let mut rows = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(if tabs { b'\t' } else { b',' })
        .from_reader(bytes);
    let mut pairs = Vec::new();
    for row in rows.records() {
        let row = row.map_err(|error| error.to_string())?;
        let line = row.position().map_or(0, csv::Position::line);
        let (Some(old), Some(new), 2) = (row.get(0), row.get(1), row.len()) else {
            return Err(format!(
                "line {line} has {} columns, and it takes two",
                row.len()
            ));
        };
        pairs.push((old.to_owned(), new.to_owned()));
    }
    Ok(Table::new(pairs))
}
