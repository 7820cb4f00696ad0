//! The two-column files that the filter `map` looks values up in.

use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::step::Step;
use brisk_quill_core::step::action::Action;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::Template;
use brisk_quill_core::template::filters::{Table, Tables};
use brisk_quill_files::fs::open::{open_below, open_regular};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The largest table, in bytes.
const MOST: u64 = 64 << 20;

/// Reads tables, each once. Their paths are relative to a folder.
pub struct FileTables {
    base: PathBuf,
    /// The folder that they must lie below, because a plan names them.
    root: Option<PathBuf>,
    read: BTreeMap<PathBuf, Arc<Table>>,
}

/// Finds an empty table at every path and opens none: for a rewrite that is not run.
pub struct UnreadTables;

impl Tables for UnreadTables {
    fn table(&mut self, _: &str) -> Result<Arc<Table>, String> {
        Ok(Arc::default())
    }
}

impl FileTables {
    /// Tables whose paths are relative to `base`.
    pub fn new(base: &Path) -> Self {
        Self {
            base: base.to_owned(),
            root: None,
            read: BTreeMap::new(),
        }
    }

    /// Tables that must lie below `root`, because a plan names them.
    pub fn below(root: Option<&Path>) -> Self {
        Self {
            root: root.map(Path::to_owned),
            ..Self::new(Path::new(""))
        }
    }

    fn open(&self, path: &Path) -> io::Result<File> {
        match &self.root {
            Some(root) => open_below(root, path),
            None => open_regular(path),
        }
    }
}

impl Tables for FileTables {
    fn table(&mut self, path: &str) -> Result<Arc<Table>, String> {
        let path = self.base.join(path);
        if let Some(table) = self.read.get(&path) {
            return Ok(Arc::clone(table));
        }
        let opened = self.open(&path).map_err(|error| error.to_string());
        let table = opened.and_then(|file| read(file, &path));
        let table = Arc::new(table.map_err(|why| {
            let shown = visible_path(&path);
            format!("the table {shown} cannot be used: {why}")
        })?);
        self.read.insert(path, Arc::clone(&table));
        Ok(table)
    }
}

/// Every row counts: there is no row of names.
fn read(file: File, path: &Path) -> Result<Table, String> {
    let mut bytes = Vec::new();
    let read = file.take(MOST + 1).read_to_end(&mut bytes);
    read.map_err(|error| error.to_string())?;
    if bytes.len() as u64 > MOST {
        return Err("it is larger than 64 MiB".into());
    }
    let bytes = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&bytes);
    let tabs = path.extension().is_some_and(|kind| kind == "tsv");
    let mut rows = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(if tabs { b'\t' } else { b',' })
        .from_reader(bytes);
    let mut table = Table::default();
    for row in rows.records() {
        let row = row.map_err(|error| error.to_string())?;
        let line = row.position().map_or(0, csv::Position::line);
        let (Some(old), Some(new), 2) = (row.get(0), row.get(1), row.len()) else {
            return Err(format!(
                "line {line} has {} columns, and it takes two",
                row.len()
            ));
        };
        table.add(old.to_owned(), new.to_owned()).map_err(|other| {
            let shown = |text: &str| visible(text.as_bytes());
            format!(
                "line {line} has `{}` for `{}`, and a line before has `{}`",
                shown(new),
                shown(old),
                shown(other)
            )
        })?;
    }
    Ok(table)
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
    if let Action::Cells(cells) = &step.action {
        // The template is the second of each pair.
        let texts = words.set.iter_mut().skip(1).step_by(2);
        let added = words.add_column.iter_mut().skip(1).step_by(2);
        for (text, cell) in texts.chain(added).zip(cells) {
            *text = moved(&cell.template);
        }
    }
}
