//! Counts of evaluations.

use crate::query::findings::{Findings, LeftOut, MatchStatus};
use crate::query::scope::BlocksMet;

/// Matches that were left out, by reason.
///
/// ```
/// use brisk_quill_core::rewrite::counts::LeftOutCounts;
/// let counts = LeftOutCounts { pick: 2, limit: 1, scope: 4 };
/// assert_eq!(counts.total(), 7);
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct LeftOutCounts {
    /// Matches that the pick did not take.
    pub pick: u64,
    /// Matches beyond the limit.
    pub limit: u64,
    /// Matches out of scope.
    pub scope: u64,
}

impl LeftOutCounts {
    /// Counts a match, where it was left out.
    pub fn count(&mut self, status: MatchStatus) {
        match status {
            MatchStatus::Picked(_) => {}
            MatchStatus::LeftOut(LeftOut::Scope) => self.scope += 1,
            MatchStatus::LeftOut(LeftOut::Pick) => self.pick += 1,
            MatchStatus::LeftOut(LeftOut::Limit) => self.limit += 1,
        }
    }

    /// Adds the counts of another text.
    pub fn add(&mut self, other: Self) {
        self.pick += other.pick;
        self.limit += other.limit;
        self.scope += other.scope;
    }

    /// All of them.
    pub fn total(self) -> u64 {
        self.pick + self.limit + self.scope
    }
}

/// The counts of one step. Of any action, `matches` is the sum of `edits`, `unchanged` and `failed`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct StepCounts {
    /// Matches that were taken: in place, picked, and within the limit.
    pub matches: u64,
    /// Matches whose text became another.
    pub edits: u64,
    /// Matches whose new text equals the old.
    pub unchanged: u64,
    /// Matches that were not taken, beside `matches`.
    pub left_out: LeftOutCounts,
    /// Matches that were left alone, or whose unit was, because their new text could not be made
    /// or written.
    pub failed: u64,
    /// Blocks of lines that have begun.
    pub blocks: u64,
    /// Lines that ended a block and would have begun another one.
    pub blocks_lost: u64,
}

impl StepCounts {
    /// Counts the matches in a unit; gives the number of those that were taken.
    pub(crate) fn take_found(&mut self, found: &Findings<'_>) -> u64 {
        let mut taken = 0;
        for finding in found.iter() {
            taken += u64::from(matches!(finding.status, MatchStatus::Picked(_)));
            self.left_out.count(finding.status);
        }
        self.matches += taken;
        taken
    }

    /// Adds the counts of another text.
    pub fn add(&mut self, other: &Self) {
        self.matches += other.matches;
        self.edits += other.edits;
        self.unchanged += other.unchanged;
        self.left_out.add(other.left_out);
        self.failed += other.failed;
        self.blocks += other.blocks;
        self.blocks_lost += other.blocks_lost;
    }

    /// Takes the blocks that were met in a text.
    pub fn take_blocks(&mut self, met: BlocksMet) {
        (self.blocks, self.blocks_lost) = (met.begun, met.lost);
    }
}

/// The counts of an evaluation, of one text or of many.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Counts {
    /// Changes of the original text, after composition.
    pub changes: u64,
    /// Lines that the new text has more, summed over the hunks that grow.
    pub lines_added: u64,
    /// Lines that the new text has less, summed over the hunks that shrink.
    pub lines_removed: u64,
    /// Units that could not be computed.
    pub problems: u64,
    /// Units that do not match what they must.
    pub unmet: u64,
    /// Each step's own counts, in order.
    pub steps: Vec<StepCounts>,
}

impl Counts {
    /// Adds the counts of another text of the same rewrite.
    pub fn add(&mut self, other: &Self) {
        self.changes += other.changes;
        self.lines_added += other.lines_added;
        self.lines_removed += other.lines_removed;
        self.problems += other.problems;
        self.unmet += other.unmet;
        self.steps.resize(
            self.steps.len().max(other.steps.len()),
            StepCounts::default(),
        );
        for (mine, theirs) in self.steps.iter_mut().zip(&other.steps) {
            mine.add(theirs);
        }
    }

    /// The counts of all steps together.
    pub fn all_steps(&self) -> StepCounts {
        let mut sum = StepCounts::default();
        for step in &self.steps {
            sum.add(step);
        }
        sum
    }
}
