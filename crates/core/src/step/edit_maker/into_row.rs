//! The new text of a cell, written into another column of its row.

use crate::columns::fault::CellFault;
use crate::columns::list::Column;
use crate::columns::record::NewCell;
use crate::columns::row::Row;
use crate::problem::ProblemKind;
use crate::step::edit_maker::EditMaker;
use crate::step::into_column::IntoColumn;
use crate::step::new_text::NewText;

/// Writes the new text of a row, all of whose cells have been seen, into its column.
pub(crate) fn end_row(maker: &mut EditMaker<'_, '_>, row: &Row<'_>, into: &IntoColumn) {
    let new = maker.into_row.take();
    if let Err(kind) = write(maker, row, into, new) {
        maker.leave_row(row, kind);
    }
}

fn write(
    maker: &mut EditMaker<'_, '_>,
    row: &Row<'_>,
    into: &IntoColumn,
    new: Option<NewText>,
) -> Result<(), ProblemKind> {
    let is_there = match row.table().layout().has_pointers() {
        true => !row.named(&into.column)?.is_empty(),
        false => row.table().place(&into.column).is_some(),
    };
    // A container gains no column, and what holds nothing there stays so.
    let is_fixed = row.table().layout().container().is_some();
    match (is_there, new) {
        (true, None) => Ok(()),
        (false, None) if is_fixed => Ok(()),
        (true, Some(new)) => set(maker, row, into, new),
        (false, new) => append(maker, row, into, new),
    }
}

fn set(
    maker: &mut EditMaker<'_, '_>,
    row: &Row<'_>,
    into: &IntoColumn,
    new: NewText,
) -> Result<(), ProblemKind> {
    let Some(cell) = row.named(&into.column)?.into_iter().next() else {
        // A row that is shorter than the first one.
        return Err(CellFault::Absent(into.column.to_string()).into());
    };
    Ok(maker.write_cell(row, &cell, new.text, new.groups)?)
}

fn append(
    maker: &mut EditMaker<'_, '_>,
    row: &Row<'_>,
    into: &IntoColumn,
    new: Option<NewText>,
) -> Result<(), ProblemKind> {
    let has_pointers = row.table().layout().has_pointers();
    let name = match &into.column {
        Column::Name(name) => name.clone(),
        Column::Number(number) => number.to_string(),
        Column::Pointer(pointer) => {
            pointer_key(pointer, has_pointers).ok_or_else(|| CellFault::Absent(pointer.clone()))?
        }
    };
    if row.number.is_none() {
        let cell = NewCell::text(&name, name.as_bytes());
        return Ok(maker.append_cells(row, &[cell], None)?);
    }
    if let Some(NewText { text, groups }) = new {
        return Ok(maker.append_cells(row, &[NewCell::text(&name, &text)], groups)?);
    }
    let source = row.named(&into.source)?.into_iter().next();
    match source.filter(|_| !into.leaves_empty) {
        Some(cell) => {
            let added = NewCell {
                name: &name,
                value: &cell.value(row)?,
                is_number: cell.is_number(),
            };
            maker.append_cells(row, &[added], None)?;
        }
        // An object need not have every key.
        None if has_pointers => {}
        None => maker.append_cells(row, &[NewCell::text(&name, b"")], None)?,
    }
    Ok(())
}

/// The outermost key that a pointer names, where it names no more; elsewhere a pointer is a name.
fn pointer_key(pointer: &str, has_pointers: bool) -> Option<String> {
    if !has_pointers {
        return Some(pointer.to_owned());
    }
    // In a document, a pointer may go from the outermost array.
    let pointer = pointer
        .strip_prefix("/-")
        .filter(|rest| rest.starts_with('/'))
        .unwrap_or(pointer);
    let key = pointer.strip_prefix('/')?;
    (!key.contains('/')).then(|| crate::columns::pointer::unescaped(key).into_owned())
}
