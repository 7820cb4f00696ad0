//! Proposed rewrites.

use crate::candidate::{Candidate, Made};
use crate::filters::Filters;
use crate::form::source;
use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::NoTables;

/// A rewrite that makes all examples.
#[derive(Clone, Debug)]
pub struct Proposal {
    /// The steps, which say nothing of files and columns.
    pub steps: Vec<StepSpec>,
    /// The likelihood among the proposals found, from 0 to 1: a guess, by length and by the effect on the data.
    pub weight: f64,
    /// The text that comes of each text of the sample; `None` where it stays as it is.
    pub(super) made: Vec<Option<String>>,
}

impl Proposal {
    /// Number of texts of the sample that it changes.
    pub fn changes(&self) -> usize {
        self.made.iter().flatten().count()
    }

    /// The text that the steps make of one unit by ordinary evaluation; `None` where a filter cannot work on it.
    pub fn rewrite(&self, unit: &str) -> Option<String> {
        made_of(&alone(&self.steps)?, unit)
    }
}

/// The text that a rewrite of single units makes of one; `None` where a filter cannot work on it.
pub(super) fn made_of(rewrite: &Rewrite, unit: &str) -> Option<String> {
    let outcome = rewrite_text(rewrite, unit.as_bytes());
    let text = outcome.problems.is_empty().then_some(outcome.text)?;
    String::from_utf8(text).ok()
}

/// The steps as a rewrite of texts that are one unit each.
pub(super) fn alone(steps: &[StepSpec]) -> Option<Rewrite> {
    let built = steps.iter().map(|step| {
        let alone = StepSpec {
            unit: Some("text".into()),
            ..step.clone()
        };
        alone.build(&mut NoTables).ok()
    });
    Some(Rewrite::new(built.collect::<Option<_>>()?))
}

/// The step that a candidate is in words; `ascii` where only letters of ASCII are about.
pub(super) fn step(candidate: &Candidate, ascii: bool, filters: &Filters) -> StepSpec {
    let (pattern, template) = candidate.written(ascii, filters);
    let mut step = StepSpec {
        pattern: Some(pattern),
        remove: template.is_empty(),
        with: (!template.is_empty()).then_some(template),
        ..StepSpec::default()
    };
    if let Some(condition) = &candidate.condition {
        let source = source(&condition.pieces, ascii);
        match condition.holds {
            true => step.contains.push(source),
            false => step.unless.push(source),
        }
    }
    step
}

/// A text that came of another, where it is not the same.
pub(super) fn changed(made: &Made) -> Option<String> {
    match made {
        Made::Text(text) => Some(text.iter().collect()),
        Made::Nothing | Made::Failed => None,
    }
}
