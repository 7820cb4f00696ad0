//! What is written into whole rows: cells that are there, and cells that are added.
//!
//! All texts are those of the first match that is taken in the row, and written from the row as it
//! was. A row of which one text cannot be made or written is left alone.

use crate::columns::Layout;
use crate::columns::list::Column;
use crate::columns::row::{CellFault, Row};
use crate::edits::{Edit, GroupTexts};
use crate::problem::{Problem, ProblemKind};
use crate::query::scanner::{Findings, UnitView, Visitor};
use crate::span::Span;
use crate::step::eval::EditMaker;
use crate::step::{Action, CellTarget, CellText};

/// The texts for the cells of a row, which the first match in it gave.
pub(super) struct RowText {
    /// One for each cell; `None` where one of them could not be made.
    texts: Option<Vec<Vec<u8>>>,
    groups: Option<GroupTexts>,
    /// How many matches in the row were taken.
    matches: u64,
}

impl EditMaker<'_, '_> {
    /// Writes what is to be written into a row, all of whose cells have been seen.
    pub(super) fn end_row(&mut self, row: &Row<'_>, cells: &[CellText]) {
        let first = self.out.edits.len();
        let new = self.in_row.take();
        let matches = new.as_ref().map_or(0, |new| new.matches);
        let new = new.and_then(|new| new.texts.map(|texts| (texts, new.groups)));
        let is_known = new.is_some();
        match self.write_cells(row, cells, new) {
            // Why there are no texts has been told.
            Ok(()) if !is_known => self.counts.failed += matches,
            Ok(()) => self.count(self.out.edits.len() == first, matches),
            Err(kind) => {
                self.out.edits.truncate(first);
                self.counts.failed += matches;
                let line = Some(row.line);
                self.problem(row.span.from, Problem { line, kind });
                // The row has to stay as wide as the others, where it can.
                let _ = self.append(row, cells, None);
            }
        }
        for (span, line, value) in std::mem::take(&mut self.units_of_row) {
            let edits = &self.out.edits[first..];
            let edit = edits.iter().find(|edit| edit.span == span);
            let now = edit.and_then(|edit| edit.cell.as_ref().map(|cell| cell.now()));
            self.check(span.from, line, now.unwrap_or(value));
        }
    }

    /// The first match of a row gives the texts that are written into it.
    pub(super) fn note_for_row(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
    ) -> Result<(), ProblemKind> {
        let matches = found.picked().count() as u64;
        let (Action::Cells(cells), Some(finding)) = (self.action, found.picked().next()) else {
            return Ok(());
        };
        if let Some(row) = &mut self.in_row {
            row.matches += matches;
            return Ok(());
        }
        let expanded = |cell: &CellText| {
            let mut text = Vec::new();
            self.expand(&cell.template, unit, &finding, &mut text)?;
            Ok(text)
        };
        let texts: Result<Vec<_>, ProblemKind> = cells.iter().map(expanded).collect();
        let groups = self
            .keep_groups
            .then(|| GroupTexts::new(unit.bytes(), finding.groups));
        let (texts, done) = match texts {
            Ok(texts) => (Some(texts), Ok(())),
            Err(kind) => (None, Err(kind)),
        };
        self.in_row = Some(RowText {
            texts,
            groups,
            matches,
        });
        done
    }

    /// Writes the texts into a row: the cells that are there in the order they lie in, then those
    /// that are added.
    fn write_cells(
        &mut self,
        row: &Row<'_>,
        cells: &[CellText],
        new: Option<(Vec<Vec<u8>>, Option<GroupTexts>)>,
    ) -> Result<(), ProblemKind> {
        let first = self.out.edits.len();
        if let Some((texts, groups)) = &new {
            for (cell, text) in cells.iter().zip(texts) {
                if let CellTarget::Column(column) = &cell.target {
                    self.set(row, column, text, groups)?;
                }
            }
        }
        let edits = &mut self.out.edits[first..];
        edits.sort_by_key(|edit| edit.span);
        if edits.windows(2).any(|pair| pair[0].span == pair[1].span) {
            return Err(CellFault::WrittenTwice.into());
        }
        Ok(self.append(row, cells, new)?)
    }

    /// Writes a column of a row anew.
    fn set(
        &mut self,
        row: &Row<'_>,
        column: &Column,
        text: &[u8],
        groups: &Option<GroupTexts>,
    ) -> Result<(), ProblemKind> {
        let cells = row.named(column)?;
        if cells.is_empty() {
            return Err(CellFault::Absent(column.to_string()).into());
        }
        for cell in cells {
            let value = cell.value(row)?;
            let whole = Span::new(0, value.len());
            let edit = self.inner_edit(whole, text.to_vec());
            let inner = Vec::from_iter((*value != *text).then_some(edit));
            self.cell_edit(row, &cell, &value, inner, groups.clone())?;
        }
        Ok(())
    }

    /// Adds cells to a row: to a header their names, to a row their texts, or nothing.
    fn append(
        &mut self,
        row: &Row<'_>,
        cells: &[CellText],
        new: Option<(Vec<Vec<u8>>, Option<GroupTexts>)>,
    ) -> Result<(), CellFault> {
        // An object need not have every key.
        let absent = row.table().layout() == Layout::JsonLines;
        if new.is_none() && absent {
            return Ok(());
        }
        let (texts, groups) = new.unzip();
        let texts = texts.unwrap_or_default();
        let mut added = Vec::new();
        for (index, cell) in cells.iter().enumerate() {
            if let CellTarget::Added(name) = &cell.target {
                added.push(match texts.get(index) {
                    Some(text) => (name.as_str(), text.as_slice()),
                    None if row.number.is_none() => (name.as_str(), name.as_bytes()),
                    None => (name.as_str(), &[][..]),
                });
            }
        }
        if added.is_empty() {
            return Ok(());
        }
        let (at, text) = row.appended(&added)?;
        self.out.edits.push(Edit {
            groups: groups.flatten(),
            ..self.inner_edit(Span::new(at, at), text)
        });
        Ok(())
    }
}
