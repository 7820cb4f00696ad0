//! `--into`: the new text of a cell goes into another column.
//!
//! The column that was matched stays. A column that is not there is added at the end; there, rows that are not
//! changed get the old text of the cell, or nothing. A column that is there changes only in rows that have new text.

use crate::columns::fault::CellFault;
use crate::columns::list::{Column, Item};
use crate::columns::row::{NewCell, Row};
use crate::edits::{Edit, GroupTexts};
use crate::problem::{Problem, ProblemKind};
use crate::query::Query;
use crate::span::Span;
use crate::step::actions::Action;
use crate::step::edit_maker::EditMaker;
use crate::step_spec::values::{StepFault, fault, senseless};

/// The column that takes the new text of another one.
#[derive(Clone, Debug)]
pub struct IntoColumn {
    /// The column, which may be there or not.
    pub column: Column,
    /// The column whose cells are matched.
    pub source: Column,
    /// Rows that are not changed get no text, where the column is added.
    pub leaves_empty: bool,
}

/// The new text of a cell on its way into another column.
pub(crate) struct NewText {
    text: Vec<u8>,
    groups: Option<GroupTexts>,
}

impl NewText {
    pub fn new(text: Vec<u8>, groups: Option<GroupTexts>) -> Self {
        Self { text, groups }
    }

    pub fn text(&self) -> &[u8] {
        &self.text
    }
}

/// The column that `into` names, for a step that looks at one column and gives a new text for its cell.
pub(crate) fn build(
    into: &str,
    leaves_empty: bool,
    (query, action): (&Query, &Action),
) -> Result<IntoColumn, StepFault> {
    let column: Column = into.parse().map_err(fault("into", into))?;
    if action.is_for_rows() || action.is_for_lines() {
        return Err(senseless(
            "`--into` takes the new text of a cell, and this step gives none",
            "use it beside `--with`, or another action that changes the text of a match",
        ));
    }
    let items = query.columns.as_ref().map(|columns| columns.list.items());
    let source = match items {
        Some([Item::One(source)]) => source.clone(),
        _ => {
            return Err(senseless(
                "`--into` takes the new text of one column",
                "name that column with `--columns`, and make a step for each other one",
            ));
        }
    };
    let has_many = |column: &Column| match column {
        Column::Pointer(pointer) => pointer.split('/').any(|segment| segment == "-"),
        Column::Name(_) | Column::Number(_) => false,
    };
    if has_many(&source) || has_many(&column) {
        return Err(senseless(
            "`--into` takes the text of one cell, and `-` in a pointer is every item of a list",
            "name one item, such as `/crew/0/name`",
        ));
    }
    if source == column {
        return Err(senseless(
            format!("`{column}` is the column that is matched"),
            "leave `--into` out to change that column, or name another one",
        ));
    }
    Ok(IntoColumn {
        column,
        source,
        leaves_empty,
    })
}

/// Writes the new text of a row, all of whose cells have been seen, into its column.
pub(crate) fn end_row(maker: &mut EditMaker<'_, '_>, row: &Row<'_>, into: &IntoColumn) {
    let new = maker.into_row.take();
    if let Err(kind) = write(maker, row, into, new) {
        let line = Some(row.line);
        maker
            .out
            .problems
            .push((row.span.from, Problem { line, kind }));
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
        false => row.table().index(&into.column).is_ok(),
    };
    match (is_there, new) {
        (true, None) => Ok(()),
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
    let value = cell.value(row)?;
    if *value == *new.text {
        return Ok(());
    }
    let whole = Span::new(0, value.len());
    let inner = vec![maker.inner_edit(whole, new.text)];
    Ok(maker.cell_edit(row, &cell, &value, inner, new.groups)?)
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
        return push(maker, row, (&name, name.as_bytes(), false), None);
    }
    if let Some(new) = new {
        return push(maker, row, (&name, &new.text, false), new.groups);
    }
    let source = row.named(&into.source)?.into_iter().next();
    match source.filter(|_| !into.leaves_empty) {
        Some(cell) => {
            let value = cell.value(row)?;
            push(maker, row, (&name, &value, cell.is_number()), None)
        }
        // An object need not have every key.
        None if has_pointers => Ok(()),
        None => push(maker, row, (&name, b"", false), None),
    }
}

/// The outermost key that a pointer names, where it names no more; elsewhere a pointer is a name.
fn pointer_key(pointer: &str, has_pointers: bool) -> Option<String> {
    if !has_pointers {
        return Some(pointer.to_owned());
    }
    let key = pointer.strip_prefix('/')?;
    (!key.contains('/')).then(|| crate::columns::pointer::unescaped(key))
}

fn push(
    maker: &mut EditMaker<'_, '_>,
    row: &Row<'_>,
    (name, value, is_number): (&str, &[u8], bool),
    groups: Option<GroupTexts>,
) -> Result<(), ProblemKind> {
    let (at, text) = row.appended(&[NewCell {
        name,
        value,
        is_number,
    }])?;
    maker.out.edits.push(Edit {
        groups,
        ..maker.inner_edit(Span::new(at, at), text)
    });
    Ok(())
}
