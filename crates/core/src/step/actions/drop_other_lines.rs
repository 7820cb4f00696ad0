//! `--keep-lines`: each line in scope without a match is deleted, with its line end.

use crate::describe::QueryWords;
use crate::edits::EditBytes;
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::{EditMaker, whole_line};

/// "the lines without a match of `x` are deleted, in every line"
pub(crate) fn describe(words: &QueryWords) -> String {
    let (a_match, place) = (&words.a_match, &words.place);
    format!("the lines without {a_match} are deleted, {place}")
}

pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
) -> Result<(), ProblemKind> {
    let kept = found.picked().count() as u64;
    maker.counts.unchanged += kept;
    if kept == 0 && unit.in_scope {
        maker.edit(unit, whole_line(unit), EditBytes::new(), None, 0);
    }
    Ok(())
}
