//! Requests for drafts: a step with the text that it sees, and the rows that are wanted of it.

use crate::draft::row::RowPlace;
use crate::request::Work;
use crate::sources::Sources;
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::step::Step;
use brisk_quill_files::read::kept_stdin::KeptStdin;

/// One step, in the making.
#[derive(Clone, Debug)]
pub struct DraftStep {
    /// The rewrite has one step.
    rewrite: Box<Rewrite>,
}

impl DraftStep {
    /// A draft of `step`, whose action may yet be to [show](brisk_quill_core::step::actions::Action::Show) its matches.
    pub fn new(step: Step) -> Self {
        Self {
            rewrite: Box::new(Rewrite::new(vec![step])),
        }
    }

    /// The step.
    pub fn step(&self) -> &Step {
        &self.rewrite.steps()[0]
    }

    /// The query.
    pub fn query(&self) -> &Query {
        &self.step().query
    }

    /// True if no action is said yet.
    pub fn only_shows(&self) -> bool {
        self.rewrite.only_shows()
    }

    /// The step alone as a rewrite.
    pub fn rewrite(&self) -> &Rewrite {
        &self.rewrite
    }

    pub(super) fn work(&self, options: RunOptions) -> Work<'_> {
        Work {
            rewrite: &self.rewrite,
            options,
        }
    }
}

/// A step with the text that it sees.
#[derive(Clone, Copy)]
pub struct Draft<'d> {
    /// A number that no other draft has: what was counted for it is kept under it.
    pub id: u64,
    /// The step.
    pub step: &'d DraftStep,
    /// The steps before it, with a number that no other steps have.
    pub before: Option<(u64, &'d Rewrite)>,
    /// The files.
    pub sources: &'d Sources,
    /// Standard input, as far as it has come.
    pub stdin: Option<&'d KeptStdin>,
    /// Hints are looked out for.
    pub hints: bool,
}

/// The list that is looked at.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum RowsView {
    /// Lines and cells that change; of a search, units with matches.
    #[default]
    Changes,
    /// The units with matches.
    Matches,
    /// The units without a match, the near misses first.
    Misses,
    /// All units.
    Units,
    /// All lines as they become.
    Result,
}

/// The rows that are wanted.
#[derive(Clone, Copy, Debug)]
pub struct Wanted {
    /// The list.
    pub view: RowsView,
    /// The place from which on.
    pub from: RowPlace,
    /// The number of rows.
    pub rows: usize,
}
