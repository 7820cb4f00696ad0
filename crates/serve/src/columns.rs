//! The columns of the tables below a folder.

use crate::below::sources_below;
use brisk_quill_core::columns::around::column_names;
use brisk_quill_core::columns::layout::TableOptions;
use brisk_quill_engine::host::Host;
use brisk_quill_files::source::Source;
use std::collections::BTreeMap;
use std::fs::File;
use std::io::Read;

/// Tables that are looked at.
const TABLES_MOST: usize = 20;
/// Bytes of each, which hold its first row.
const READ_MOST: u64 = 16 << 10;

/// Each column once, with the name of the first file that has it.
pub fn columns(host: &Host) -> BTreeMap<String, String> {
    let mut columns = BTreeMap::new();
    let Ok(sources) = sources_below(host) else {
        return columns;
    };
    let options = TableOptions::default();
    let files = sources.listing.sources.iter();
    let tables = files.filter_map(|source| match source {
        Source::File(file) => Some((file.place(), options.layout(file.path().as_ref())?)),
        Source::Stdin(_) => None,
    });
    for (path, layout) in tables.take(TABLES_MOST) {
        let mut text = Vec::new();
        let read = File::open(&path).and_then(|file| file.take(READ_MOST).read_to_end(&mut text));
        if read.is_err() {
            continue;
        }
        let file = path.file_name().unwrap_or_default().to_string_lossy();
        for name in column_names(layout, &text) {
            let name = match layout.has_pointers() && !name.starts_with('/') {
                true => format!("/{name}"),
                false => name,
            };
            columns
                .entry(name)
                .or_insert_with(|| file.clone().into_owned());
        }
    }
    columns
}
