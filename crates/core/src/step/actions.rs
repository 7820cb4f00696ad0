//! The actions, one file each: what builds, describes and evaluates it lies beside each other.
//!
//! Note to the maintainer: a new action is a file here, a variant of [`Action`] with an arm in each of
//! these functions, and a field of `StepSpec` to which `step_spec/build.rs` gives its
//! meaning; the compiler leads from one to the next. The reference evaluator of the tests needs
//! an arm, too.

pub(crate) mod above;
pub(crate) mod below;
pub mod cells;
pub(crate) mod drop_lines;
pub(crate) mod drop_other_lines;
pub(crate) mod drop_other_rows;
pub(crate) mod drop_rows;
pub(crate) mod lead;
pub mod pairs;
pub(crate) mod remove;
pub(crate) mod replace;
pub(crate) mod show;
pub(crate) mod swap_chars;
pub(crate) mod trail;

use crate::columns::row::Row;
use crate::describe::QueryWords;
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::actions::cells::CellText;
use crate::step::actions::pairs::Pairs;
use crate::step::edit_maker::EditMaker;
use crate::template::Template;
use std::collections::BTreeMap;

/// The action of a step.
///
/// ```
/// use brisk_quill_core::step::actions::Action;
/// assert!(Action::DropLines.is_for_lines());
/// assert!(Action::Remove.template().is_none());
/// ```
#[derive(Clone, Debug)]
pub enum Action {
    /// Each match is shown and stays as it is: a search.
    Show,
    /// Each match becomes what the template writes.
    Replace(Template),
    /// Each match is taken out.
    Remove,
    /// Each line with a match goes, with its line end.
    DropLines,
    /// Each line in scope without a match goes.
    DropOtherLines,
    /// Each row with a match goes, with its line end.
    DropRows,
    /// Each row in scope without a match goes.
    DropOtherRows,
    /// A line is inserted above each line with a match.
    Above(Template),
    /// A line is inserted below each line with a match.
    Below(Template),
    /// Text is put at the start of each unit with a match.
    Lead(Template),
    /// Text is put at the end of each unit with a match.
    Trail(Template),
    /// Each character of a match, which is a run of them, becomes another.
    SwapChars(BTreeMap<char, char>),
    /// Each match, which is an old text of a table, becomes the new one.
    Pairs(Pairs),
    /// Cells of each row with a match are written anew, and columns are added to all rows.
    Cells(Vec<CellText>),
}

impl Action {
    /// The template that it writes for each match or unit, where it has one.
    pub fn template(&self) -> Option<&Template> {
        match self {
            Self::Replace(template)
            | Self::Above(template)
            | Self::Below(template)
            | Self::Lead(template)
            | Self::Trail(template) => Some(template),
            Self::Show
            | Self::Remove
            | Self::DropLines
            | Self::DropOtherLines
            | Self::DropRows
            | Self::DropOtherRows
            | Self::SwapChars(_)
            | Self::Pairs(_)
            | Self::Cells(_) => None,
        }
    }

    /// Every template that it writes: one for each match or unit, or one for each cell.
    pub fn templates(&self) -> impl Iterator<Item = &Template> {
        let cells = match self {
            Self::Cells(cells) => cells.as_slice(),
            Self::Show
            | Self::Replace(_)
            | Self::Remove
            | Self::DropLines
            | Self::DropOtherLines
            | Self::DropRows
            | Self::DropOtherRows
            | Self::Above(_)
            | Self::Below(_)
            | Self::Lead(_)
            | Self::Trail(_)
            | Self::SwapChars(_)
            | Self::Pairs(_) => &[],
        };
        let of_cells = cells.iter().map(|cell| &cell.template);
        self.template().into_iter().chain(of_cells)
    }

    /// True if it acts on whole rows, and not on the cells with the matches.
    pub fn is_for_rows(&self) -> bool {
        matches!(self, Self::Cells(_) | Self::DropRows | Self::DropOtherRows)
    }

    /// True if it acts on whole lines.
    pub fn is_for_lines(&self) -> bool {
        matches!(
            self,
            Self::DropLines | Self::DropOtherLines | Self::Above(_) | Self::Below(_)
        )
    }
}

/// The effect of an action on the matches of a query, as a clause without capital and full stop.
pub(super) fn describe(words: &QueryWords, action: &Action) -> String {
    match action {
        Action::Show => show::describe(words),
        Action::Replace(template) => replace::describe(words, template),
        Action::Remove => remove::describe(words),
        Action::DropLines => drop_lines::describe(words),
        Action::DropOtherLines => drop_other_lines::describe(words),
        Action::DropRows => drop_rows::describe(words),
        Action::DropOtherRows => drop_other_rows::describe(words),
        Action::Above(template) => above::describe(words, template),
        Action::Below(template) => below::describe(words, template),
        Action::Lead(template) => lead::describe(words, template),
        Action::Trail(template) => trail::describe(words, template),
        Action::SwapChars(swaps) => swap_chars::describe(words, swaps),
        Action::Pairs(pairs) => pairs::describe(words, pairs),
        Action::Cells(texts) => cells::describe(words, texts),
    }
}

/// Does what the step does with a unit.
pub(super) fn act(
    action: &Action,
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
) -> Result<(), ProblemKind> {
    match action {
        Action::Show => Ok(()),
        Action::Replace(template) => replace::eval(maker, unit, found, template),
        Action::Remove => remove::eval(maker, unit, found),
        Action::DropLines => drop_lines::eval(maker, unit, found),
        Action::DropOtherLines => drop_other_lines::eval(maker, unit, found),
        Action::DropRows | Action::DropOtherRows => drop_rows::eval(maker, unit, found),
        Action::Above(template) => above::eval(maker, unit, found, template),
        Action::Below(template) => below::eval(maker, unit, found, template),
        Action::Lead(template) => lead::eval(maker, unit, found, template),
        Action::Trail(template) => trail::eval(maker, unit, found, template),
        Action::SwapChars(swaps) => swap_chars::eval(maker, unit, found, swaps),
        Action::Pairs(pairs) => pairs::eval(maker, unit, found, pairs),
        Action::Cells(texts) => cells::eval(maker, unit, found, texts),
    }
}

/// Does what is left to be done at the end of a row.
pub(super) fn end_row(action: &Action, maker: &mut EditMaker<'_, '_>, row: &Row<'_>) {
    match action {
        Action::Cells(texts) => cells::end_row(maker, row, texts),
        Action::DropRows => drop_rows::end_row(maker, row),
        Action::DropOtherRows => drop_other_rows::end_row(maker, row),
        Action::Show
        | Action::Replace(_)
        | Action::Remove
        | Action::DropLines
        | Action::DropOtherLines
        | Action::Above(_)
        | Action::Below(_)
        | Action::Lead(_)
        | Action::Trail(_)
        | Action::SwapChars(_)
        | Action::Pairs(_) => {}
    }
}
