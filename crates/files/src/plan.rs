//! The outcome of an evaluation, kept for applying it.

use crate::changes::ChangeList;
use crate::fs::Confinement;
use crate::read::facts::Facts;
use crate::source::Source;

/// A file with its changes, tied by its hash to the bytes they were made from.
#[derive(Clone, Debug)]
pub struct PlannedFile {
    /// The path.
    pub source: Source,
    /// The links that may lie on the way to it.
    pub confinement: Confinement,
    /// The facts about it.
    pub facts: Facts,
    /// The changes in it, as ranges of the bytes of its text in its store.
    pub changes: ChangeList,
    /// The number of changes that these stand for, where it is another one.
    pub stands_for: Option<u64>,
}

impl PlannedFile {
    /// A file as it was evaluated: only links that were there then may lead to it.
    pub fn evaluated(source: Source, facts: Facts, changes: ChangeList) -> Self {
        Self {
            source,
            confinement: Confinement::AsEvaluated(facts.real.clone()),
            facts,
            changes,
            stands_for: None,
        }
    }

    /// The number of changes, as they are counted for people.
    pub fn count(&self) -> u64 {
        self.stands_for.unwrap_or_else(|| self.changes.len())
    }
}

/// Every file that a rewrite was evaluated over and found readable, in order of path.
#[derive(Clone, Debug, Default)]
pub struct Plan {
    /// Files with and without changes.
    pub files: Vec<PlannedFile>,
}

impl Plan {
    /// Lets triggers and cascades of databases change more than is shown.
    pub fn permit_triggers(&mut self) {
        for file in &mut self.files {
            file.facts.store = file.facts.store.permitting_triggers();
        }
    }

    /// The files with changes.
    pub fn changed(&self) -> impl Iterator<Item = &PlannedFile> {
        self.files.iter().filter(|file| !file.changes.is_empty())
    }
}
