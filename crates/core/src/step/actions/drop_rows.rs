//! `--drop-lines` in columns: each row with a match is deleted, with its line end.

use crate::columns::row::Row;
use crate::describe::QueryWords;
use crate::edits::{EditBytes, GroupTexts};
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::{EditMaker, RowText};

/// "the rows with a match of `x` are deleted, in the column status"
pub(crate) fn describe(words: &QueryWords) -> String {
    let (a_match, place) = (&words.a_match, &words.place);
    format!("the rows with {a_match} are deleted, {place}")
}

/// Takes note of the matches in a cell, for when all of its row has been seen.
pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
) -> Result<(), ProblemKind> {
    let matches = found.picked().count() as u64;
    let Some(finding) = found.picked().next() else {
        return Ok(());
    };
    let keeps = maker.keep_groups;
    let row = maker.in_row.get_or_insert_with(|| RowText {
        texts: None,
        groups: keeps.then(|| GroupTexts::new(unit.bytes(), finding.groups)),
        matches: 0,
    });
    row.matches += matches;
    Ok(())
}

pub(crate) fn end_row(maker: &mut EditMaker<'_, '_>, row: &Row<'_>) {
    let units = std::mem::take(&mut maker.units_of_row);
    match maker.in_row.take() {
        Some(found) => {
            maker.counts.edits += found.matches;
            drop_row(maker, row, found.groups);
        }
        None => check_kept(maker, units),
    }
}

/// Deletes a row.
pub(super) fn drop_row(maker: &mut EditMaker<'_, '_>, row: &Row<'_>, groups: Option<GroupTexts>) {
    if let Some(fault) = row.table().layout().row_stays() {
        return maker.leave_row(row, fault.into());
    }
    let mut edit = maker.inner_edit(row.whole_lines(), EditBytes::new());
    edit.groups = groups;
    edit.row = maker.row_facts(row, None);
    maker.out.edits.push(edit);
}

/// The cells of a row that is kept stay as they are.
pub(super) fn check_kept(
    maker: &mut EditMaker<'_, '_>,
    units: Vec<(crate::span::Span, u64, Vec<u8>)>,
) {
    for (span, line, value) in units {
        maker.check(span.from, line, value);
    }
}
