//! Steps in plain words.

use crate::describe::QueryWords;
use crate::step::Step;
use crate::step::action::Action;
use crate::step::actions::{
    above, below, cells, drop_lines, drop_other_lines, lead, remove, replace, swap_chars, trail,
};

/// A step as a clause without capital and full stop.
pub fn clause(step: &Step) -> String {
    let words = &QueryWords::of(&step.query);
    match &step.action {
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

/// A step as a sentence.
pub fn sentence(step: &Step) -> String {
    let clause = clause(step);
    let mut chars = clause.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string());
    format!("{}{}.", first.unwrap_or_default(), chars.as_str())
}
