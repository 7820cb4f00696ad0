//! Runs as the journal holds them, taken from its records one by one.

use crate::fs::FileId;
use crate::journal::records::{Commit, Intent, Record, RunState, VERSION};
use std::collections::BTreeSet;

/// The journal's record of one run.
#[derive(Clone, Debug)]
pub struct RunRecord {
    /// The number.
    pub run: u64,
    /// The intent; `None` where it stopped before recording one.
    pub intent: Option<Intent>,
    /// The decision to write.
    pub commit: Option<Commit>,
    /// The copies beside the targets, in their order, as far as they are known.
    pub made: Vec<Option<FileId>>,
    /// The targets, from 0, that are written in place although a copy beside them was meant.
    pub in_place: BTreeSet<usize>,
    /// The targets, from 0, that may have been overwritten where they stand.
    pub overwritten: BTreeSet<usize>,
    /// The targets, from 0, that were left as another program made them when it was rolled back.
    pub left: BTreeSet<usize>,
    /// The offset in its log of a record that was never finished.
    pub(crate) torn_at: Option<u64>,
    /// The state.
    pub state: RunState,
}

impl RunRecord {
    /// The run that it reverts, where it reverts one.
    pub fn undoes(&self) -> Option<u64> {
        self.intent.as_ref().and_then(|intent| intent.undoes)
    }

    /// True if files may hold what it wrote, and its changes are known.
    pub fn can_be_undone(&self) -> bool {
        self.commit.is_some()
            && match self.state {
                RunState::Done | RunState::Clean | RunState::Abandoned => true,
                RunState::RolledBack => !self.left.is_empty(),
                RunState::Begun | RunState::Committed | RunState::Back => false,
            }
    }

    /// True if the file numbered so among the targets, from 0, may hold what it wrote.
    pub fn may_hold(&self, file: usize) -> bool {
        match self.state {
            RunState::RolledBack => self.left.contains(&file),
            RunState::Begun
            | RunState::Committed
            | RunState::Back
            | RunState::Done
            | RunState::Clean
            | RunState::Abandoned => true,
        }
    }

    /// The state in words.
    pub fn state_name(&self) -> &'static str {
        match self.state {
            RunState::RolledBack if !self.left.is_empty() => "rolled back in part",
            state => state.name(),
        }
    }

    /// Takes the next record of the log.
    pub(super) fn take(&mut self, record: Record) -> Result<(), String> {
        match (self.state, record) {
            (RunState::Begun, Record::Intent(intent)) if self.intent.is_none() => {
                if intent.version != VERSION {
                    let version = intent.version;
                    return Err(format!(
                        "it has version {version}, and this program reads {VERSION}"
                    ));
                }
                intent.check()?;
                self.intent = Some(intent);
            }
            (RunState::Begun, Record::Commit(commit)) => {
                let targets = self
                    .intent
                    .as_ref()
                    .map_or(0, |intent| intent.targets.len());
                if commit.after.len() != targets {
                    return Err("its files do not fit".into());
                }
                self.commit = Some(commit);
                self.state = RunState::Committed;
            }
            (RunState::Begun, Record::Made { ids }) if self.intent.is_some() => self.made = ids,
            (RunState::Begun, Record::InPlace { file }) => {
                self.in_place.insert(file);
            }
            (RunState::Committed | RunState::Back, Record::Overwrite { file }) => {
                self.overwritten.insert(file);
            }
            (RunState::Begun | RunState::Committed | RunState::Back, Record::Back) => {
                self.state = RunState::Back;
            }
            (RunState::Committed, Record::Done) => self.state = RunState::Done,
            (RunState::Done | RunState::Clean, Record::Clean) => self.state = RunState::Clean,
            (RunState::Begun | RunState::Back, Record::Undone { left }) => {
                self.state = RunState::RolledBack;
                self.left = left.into_iter().collect();
            }
            // Of two that finished the same run at the same time, the second said so again.
            (RunState::Done | RunState::Clean, Record::Done | Record::Overwrite { .. })
            | (
                RunState::RolledBack,
                Record::Undone { .. } | Record::Back | Record::Overwrite { .. },
            ) => {}
            (_, Record::Abandoned) => self.state = RunState::Abandoned,
            (_, record) => return Err(format!("a record is out of its order: {record:?}")),
        }
        Ok(())
    }
}
