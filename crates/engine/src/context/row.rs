//! The whole row of a change in a table, read from its file.

use super::{AROUND, open};
use crate::cell_values::CellValues;
use brisk_quill_core::columns::around::{column_names, row_around};
use brisk_quill_core::columns::layout::Layout;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::span::Span;
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::store::text_file::TextFile;

/// The columns of the row of the change at `index` but the one that changes, with their values as they are; `None`
/// where its file has no columns, or is not what it was.
pub fn rest_of_row(
    doc: &PlanDoc,
    plan: &PlanIndex,
    values: &CellValues,
    (index, change): (usize, &ChangeRecord<'_>),
) -> Option<Vec<(String, Vec<u8>)>> {
    let cell = change.cell.as_deref();
    let layout = values.layout_of(plan.file_of(index))?;
    let file = open(doc, plan, index)?;
    let low = change.from.saturating_sub(AROUND);
    let high = (change.to + AROUND).min(file.bytes());
    let text = read(&file, low, high)?;
    let at = Span::new((change.from - low) as usize, (change.to - low) as usize);
    if text.get(at.range())? != &*change.before_bytes()? {
        return None;
    }
    let names = match values.has_header(plan.file_of(index)) {
        true => column_names(layout, &read(&file, 0, AROUND.min(file.bytes()))?),
        false => Vec::new(),
    };
    // A row that is deleted goes with its line end.
    let content = text[at.range()].trim_ascii_end().len();
    let place = match cell {
        Some(_) => (at, true),
        None => (Span::new(at.from, at.from + content), false),
    };
    let mut row = row_around(layout, &names, &text, place)?;
    row.retain(|(name, _)| !cell.is_some_and(|cell| is_of(layout, cell, name)));
    Some(row)
}

/// True if a column is the one of a cell, or the key that its pointer goes through.
fn is_of(layout: Layout, cell: &str, column: &str) -> bool {
    if !layout.has_pointers() {
        return cell == column;
    }
    let inner = cell.strip_prefix("/-").unwrap_or(cell);
    inner.split('/').nth(1) == Some(column)
}

fn read(file: &TextFile, from: u64, to: u64) -> Option<Vec<u8>> {
    let mut text = vec![0; usize::try_from(to.checked_sub(from)?).ok()?];
    file.read_exact_at(&mut text, from).ok()?;
    Some(text)
}
