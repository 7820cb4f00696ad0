//! `--remove` and `--remove-chars`: each match is deleted.

use crate::describe::QueryWords;
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::EditMaker;

/// "every match of `x` is deleted, in every line"
pub(crate) fn describe(words: &QueryWords) -> String {
    format!("{} is deleted, {}", words.matches, words.place)
}

pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
) -> Result<(), ProblemKind> {
    maker.edit_matches(unit, found, &|_, _, _, _| Ok(()))
}
