//! `--drop-lines`: each line with a match is deleted, with its line end.

use crate::describe::QueryWords;
use crate::edits::EditBytes;
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::{EditMaker, whole_line};

/// "the lines with a match of `x` are deleted, in every line"
pub(crate) fn describe(words: &QueryWords) -> String {
    format!(
        "the lines with {} are deleted, {}",
        words.a_match, words.place
    )
}

pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
) -> Result<(), ProblemKind> {
    if let Some(finding) = found.picked().next() {
        let matches = found.picked().count() as u64;
        maker.edit(
            unit,
            whole_line(unit),
            EditBytes::new(),
            Some(&finding),
            matches,
        );
    }
    Ok(())
}
