//! The steps of a proposal in the making, and the texts of the data.

use crate::candidate::{Candidate, Made};
use crate::filters::Filters;

/// A text of the data that no example speaks of.
#[derive(Clone, Debug)]
pub(super) struct Text {
    pub text: Vec<char>,
    /// The number of its line, from 1.
    pub line: u64,
    /// True if it was left alone before a later one was changed, which speaks a little for its staying so.
    pub weak: bool,
}

/// The steps of one proposal, done in order.
#[derive(Clone, Debug)]
pub(super) struct Program {
    pub steps: Vec<Candidate>,
    /// The cost of writing it.
    pub cost: f64,
}

impl Program {
    /// The text that comes of one.
    pub fn rewrite(
        &self,
        text: &[char],
        line: u64,
        numbers: &mut [u64],
        filters: &Filters,
    ) -> Made {
        let mut now: Option<Vec<char>> = None;
        for (step, number) in self.steps.iter().zip(numbers) {
            let input = now.as_deref().unwrap_or(text);
            match step.rewrite(input, line, *number, filters) {
                Made::Nothing => {}
                Made::Failed => return Made::Failed,
                Made::Text(made) => {
                    if step.counts() {
                        *number += step.matches(input) as u64;
                    }
                    now = Some(made);
                }
            }
        }
        now.map_or(Made::Nothing, Made::Text)
    }
}

/// The extent to which there is enough data to judge by, from 0 to 1.
pub(super) fn plenty(texts: &[Text]) -> f64 {
    ((texts.len() as f64 - 10.0) / 30.0).clamp(0.0, 1.0)
}
