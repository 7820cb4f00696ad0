//! Runs that later ones have reverted.

use crate::journal::records::RunState;
use crate::journal::run_record::RunRecord;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::{Path, PathBuf};

/// Which runs have been reverted, and by which.
#[derive(Debug, Default)]
pub struct Reverts {
    runs: BTreeMap<u64, Run>,
}

#[derive(Debug, Default)]
struct Run {
    undoes: Option<u64>,
    /// The number of its changes in each file.
    files: HashMap<PathBuf, u64>,
    /// The files whose bytes are the old ones again.
    reverted: HashSet<PathBuf>,
    /// The runs that reverted it, or brought it back.
    by: Vec<u64>,
}

impl Reverts {
    /// From all runs, in order.
    pub fn of<'r>(records: impl Iterator<Item = &'r RunRecord>) -> Self {
        let mut reverts = Self::default();
        for record in records {
            let is_written = record.state.is_complete() || record.state == RunState::Abandoned;
            let Some(intent) = record.intent.as_ref().filter(|_| is_written) else {
                continue;
            };
            let targets = intent.targets.iter();
            let files: HashMap<PathBuf, u64> =
                targets.map(|t| (t.path.path(), t.changes)).collect();
            if record.state.is_complete() {
                reverts.count(record.run, intent.undoes, &files);
            }
            let run = Run {
                undoes: intent.undoes,
                files,
                ..Run::default()
            };
            reverts.runs.insert(record.run, run);
        }
        reverts
    }

    fn count(&mut self, by: u64, mut undone: Option<u64>, files: &HashMap<PathBuf, u64>) {
        let mut reverted = true;
        // Reverting what reverts a run brings that one back, and so on.
        while let Some(run) = undone.and_then(|run| self.runs.get_mut(&run)) {
            for (file, changes) in files {
                // A part of the changes of a file is not the file.
                let is_whole = run.files.get(file).is_some_and(|all| changes >= all);
                match reverted {
                    true if is_whole => _ = run.reverted.insert(file.clone()),
                    true => {}
                    false => _ = run.reverted.remove(file),
                }
            }
            run.by.push(by);
            (undone, reverted) = (run.undoes, !reverted);
        }
    }

    /// The state of a run in words.
    pub fn state(&self, record: &RunRecord) -> &'static str {
        let Some(run) = self.runs.get(&record.run) else {
            return record.state_name();
        };
        match (run.reverted.len(), run.by.is_empty()) {
            (0, _) => record.state_name(),
            (files, _) if files == run.files.len() => "reverted",
            _ => "reverted in part",
        }
    }

    /// The runs that reverted a run, or brought it back, in order.
    pub fn by(&self, run: u64) -> &[u64] {
        self.runs.get(&run).map_or(&[], |run| &run.by)
    }

    /// True if all files of a run have their old bytes again.
    pub fn is_reverted(&self, run: u64) -> bool {
        let run = self.runs.get(&run);
        run.is_some_and(|run| run.reverted.len() == run.files.len())
    }

    /// True if a file of a run has its old bytes again.
    pub fn is_file_reverted(&self, run: u64, file: &Path) -> bool {
        let run = self.runs.get(&run);
        run.is_some_and(|run| run.reverted.contains(file))
    }

    /// The newest run after `run` that wrote a file and is still in effect there.
    pub fn written_after(&self, run: u64, file: &Path) -> Option<u64> {
        let later = self.runs.range(run + 1..).rev();
        let writes = |of: &Run| of.files.contains_key(file) && !of.reverted.contains(file);
        let found = later.filter(|(_, of)| of.undoes.is_none() && writes(of));
        found.map(|(run, _)| *run).next()
    }
}
