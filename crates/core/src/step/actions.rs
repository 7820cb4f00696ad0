//! The actions, one file each: what builds, describes and evaluates it lies beside each other.
//!
//! Note to the maintainer: a new action is a file here with an arm in each of these functions, a
//! variant of [`Action`], and a field of `StepSpec` to which `step_spec/build.rs` gives its
//! meaning; the compiler leads from one to the next. The reference evaluator of the tests needs
//! an arm, too.

pub(crate) mod above;
pub(crate) mod below;
pub(crate) mod cells;
pub(crate) mod drop_lines;
pub(crate) mod drop_other_lines;
pub(crate) mod lead;
pub(crate) mod remove;
pub(crate) mod replace;
pub(crate) mod swap_chars;
pub(crate) mod trail;

use crate::columns::row::Row;
use crate::describe::QueryWords;
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::action::Action;
use crate::step::edit_maker::EditMaker;

/// What an action does with the matches of a query, as a clause without capital and full stop.
pub(super) fn describe(words: &QueryWords, action: &Action) -> String {
    match action {
        Action::Replace(template) => replace::describe(words, template),
        Action::Remove => remove::describe(words),
        Action::DropLines => drop_lines::describe(words),
        Action::DropOtherLines => drop_other_lines::describe(words),
        Action::Above(template) => above::describe(words, template),
        Action::Below(template) => below::describe(words, template),
        Action::Lead(template) => lead::describe(words, template),
        Action::Trail(template) => trail::describe(words, template),
        Action::SwapChars(swaps) => swap_chars::describe(words, swaps),
        Action::Cells(texts) => cells::describe(words, texts),
    }
}

/// Does what the step does with a unit.
pub(super) fn act(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
) -> Result<(), ProblemKind> {
    match maker.action {
        Action::Replace(template) => replace::eval(maker, unit, found, template),
        Action::Remove => remove::eval(maker, unit, found),
        Action::DropLines => drop_lines::eval(maker, unit, found),
        Action::DropOtherLines => drop_other_lines::eval(maker, unit, found),
        Action::Above(template) => above::eval(maker, unit, found, template),
        Action::Below(template) => below::eval(maker, unit, found, template),
        Action::Lead(template) => lead::eval(maker, unit, found, template),
        Action::Trail(template) => trail::eval(maker, unit, found, template),
        Action::SwapChars(swaps) => swap_chars::eval(maker, unit, found, swaps),
        Action::Cells(texts) => cells::eval(maker, unit, found, texts),
    }
}

/// Does what is left to be done at the end of a row.
pub(super) fn end_row(maker: &mut EditMaker<'_, '_>, row: &Row<'_>) {
    match maker.action {
        Action::Cells(texts) => cells::end_row(maker, row, texts),
        Action::Replace(_)
        | Action::Remove
        | Action::DropLines
        | Action::DropOtherLines
        | Action::Above(_)
        | Action::Below(_)
        | Action::Lead(_)
        | Action::Trail(_)
        | Action::SwapChars(_) => {}
    }
}
