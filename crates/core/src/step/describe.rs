//! Steps in plain words.

use crate::describe::{QueryWords, shown};
use crate::step::Step;
use crate::step::actions::describe;

/// A step as a clause without capital and full stop.
pub fn clause(step: &Step) -> String {
    let clause = describe(&QueryWords::of(&step.query), &step.action);
    match &step.into {
        Some(into) => format!(
            "{clause}; the new text goes into the column {}",
            shown(&into.column)
        ),
        None => clause,
    }
}

/// A step as a sentence.
pub fn sentence(step: &Step) -> String {
    let clause = clause(step);
    let mut chars = clause.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string());
    format!("{}{}.", first.unwrap_or_default(), chars.as_str())
}
