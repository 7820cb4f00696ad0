//! The other columns of a row, below the cells that are shown of it.

use crate::render::columns::Columns;
use crate::render::highlight::one_line_of;
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::edits::RowFacts;

/// The place of the names and values of other columns.
pub struct Beside<'c> {
    /// The columns of the screen before the names.
    pub indent: usize,
    pub columns: &'c Columns,
    /// The width of the whole line.
    pub width: usize,
}

/// Puts a line for each column of a row but those that are shown already, which are called `cells`.
pub fn rest_of_row(out: &mut Labelled, row: &RowFacts, cells: &[&str], beside: &Beside<'_>) {
    for (name, value) in &row.fields {
        let own = |cell: &&str| {
            // In JSON, a cell is called by a pointer that goes through its key.
            let cell = cell.strip_prefix("/-").unwrap_or(cell);
            let first = cell.strip_prefix('/').map(|rest| rest.split('/').next());
            *cell == **name || first == Some(Some(&**name))
        };
        if cells.iter().any(own) {
            continue;
        }
        let indent = beside.indent;
        let shown = beside.columns.shown(Some(name));
        let room = beside.width.saturating_sub(indent + shown.len()).max(20);
        let value = match value.is_empty() {
            true => "(empty)".to_owned(),
            false => one_line_of(value, room),
        };
        out.put(Role::Quiet, &format!("{:indent$}{shown}{value}", ""));
        out.push('\n');
    }
}
