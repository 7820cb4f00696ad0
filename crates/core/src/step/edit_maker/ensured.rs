//! Units as they become, held against what they must be.

use crate::edits::{Edit, splice_part};
use crate::problem::Problem;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::{EditMaker, whole_line};

impl EditMaker<'_, '_> {
    /// The unit with its edits from index `first` on; `None` for a line that goes.
    pub fn now(&self, unit: &UnitView<'_>, first: usize) -> Option<Vec<u8>> {
        let edits = &self.out.edits[first..];
        let takes_line = |edit: &Edit| edit.span.to > unit.span.to || edit.span == whole_line(unit);
        if unit.cell.is_none() && edits.iter().any(takes_line) {
            return None;
        }
        if let Some(new) = &self.into_row {
            return Some(new.text().to_vec());
        }
        Some(match (unit.cell, edits) {
            // The edit of a cell knows its value.
            (
                Some(_),
                [
                    Edit {
                        cell: Some(cell), ..
                    },
                ],
            ) => cell.now(),
            (Some(_), _) => unit.bytes().to_vec(),
            (None, edits) => splice_part(unit.text, unit.span, edits),
        })
    }

    /// Notes a unit that is not as it must be.
    pub fn check(&mut self, from: usize, line: u64, now: Vec<u8>) {
        for ensure in self.ensure.iter_mut() {
            match ensure.is_match(&now) {
                Ok(true) => {}
                Ok(false) => {
                    self.out.unmet.push((from, now));
                    return;
                }
                Err(error) => {
                    let (line, kind) = (Some(line), error.into());
                    self.out.problems.push((from, Problem { line, kind }));
                }
            }
        }
    }
}
