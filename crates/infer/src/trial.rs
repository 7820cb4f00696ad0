//! A proposal tried on many units at once.

use crate::proposal::{Proposal, alone, made_of};
use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
use brisk_quill_core::template::tables::NoTables;

/// The outcome of a proposal on some units.
///
/// ```
/// use brisk_quill_infer::inference::Inference;
/// use brisk_quill_infer::task::{Pair, Task};
/// use brisk_quill_infer::trial::Trial;
/// let task = Task {
///     cells: true,
///     examples: vec![Pair::new("Berth 7", "B-7"), Pair::new("Berth 12", "B-12")],
///     ..Task::default()
/// };
/// let inference = Inference::of(&task).expect("a rule");
/// let trial = Trial::of(&inference.proposals[0], &["Berth 4", "roads"]);
/// assert_eq!(trial.made, [Some("B-4".to_owned()), None]);
/// assert_eq!(trial.changes, 1);
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Trial {
    /// The text that comes of each unit; `None` where it stays as it is.
    pub made: Vec<Option<String>>,
    /// Matches in all of them.
    pub matches: u64,
    /// Changes in all of them.
    pub changes: u64,
    /// Units that a filter cannot work on.
    pub problems: u64,
}

impl Trial {
    /// Tries a proposal on some units; where it numbers lines or matches, they count as one text.
    pub fn of(proposal: &Proposal, units: &[&str]) -> Self {
        let steps = proposal
            .steps
            .iter()
            .map(|step| step.build(&mut NoTables).ok());
        let Some(steps) = steps.collect() else {
            return Self::default();
        };
        let by_line = Rewrite::new(steps);
        let alone = alone(&proposal.steps);
        // One run over all is many times as fast as one for each.
        let is_line = |unit: &&&str| !unit.contains(['\n', '\r']);
        let lines: Vec<&str> = units.iter().filter(is_line).copied().collect();
        let outcome = rewrite_text(&by_line, (lines.join("\n") + "\n").as_bytes());
        let text = String::from_utf8(outcome.text).unwrap_or_default();
        let mut of_lines = text.split('\n');
        let mut trial = Self {
            made: Vec::with_capacity(units.len()),
            matches: outcome.counts.all_steps().matches,
            changes: outcome.counts.changes,
            problems: outcome.counts.problems,
        };
        for unit in units {
            let made = match is_line(&unit) {
                true => of_lines.next().map(str::to_owned),
                false => alone.as_ref().and_then(|rewrite| made_of(rewrite, unit)),
            };
            let made = made.filter(|made| made != unit);
            if !is_line(&unit) && made.is_some() {
                trial.matches += 1;
                trial.changes += 1;
            }
            trial.made.push(made);
        }
        trial
    }
}
