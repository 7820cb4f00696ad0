//! A search: each match is shown, and nothing is done with it.

use crate::describe::QueryWords;

/// "every match of `x` is shown, in every line"
pub(crate) fn describe(words: &QueryWords) -> String {
    format!("{} is shown, {}", words.matches, words.place)
}
