//! `--keep-lines` in columns: each row in scope without a match is deleted, with its line end.

use crate::columns::row::Row;
use crate::describe::QueryWords;
use crate::step::actions::drop_rows::{check_kept, drop_row};
use crate::step::edit_maker::EditMaker;

/// "the rows without a match of `x` are deleted, in the column status"
pub(crate) fn describe(words: &QueryWords) -> String {
    let (a_match, place) = (&words.a_match, &words.place);
    format!("the rows without {a_match} are deleted, {place}")
}

pub(crate) fn end_row(maker: &mut EditMaker<'_, '_>, row: &Row<'_>) {
    let units = std::mem::take(&mut maker.units_of_row);
    let matches = maker.in_row.take().map_or(0, |found| found.matches);
    maker.counts.unchanged += matches;
    // The header names the cells of what is kept.
    if matches == 0 && row.in_scope && row.number.is_some() {
        drop_row(maker, row, None);
    } else {
        check_kept(maker, units);
    }
}
