//! `--into`: the new text of a cell goes into another column.
//!
//! The column that was matched stays. A column that is not there is added at the end; there, rows that are not
//! changed get the old text of the cell, or nothing. A column that is there changes only in rows that have new text.

use crate::columns::list::{Column, Item};
use crate::query::Query;
use crate::step::actions::Action;
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
