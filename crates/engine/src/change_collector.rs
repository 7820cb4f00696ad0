//! Changes kept to be applied.

use crate::collector::{Collector, Events, FileHunk};
use crate::kinds::KindCollector;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_files::changes::{ChangeList, Spooler};
use brisk_quill_files::source::Source;
use brisk_quill_files::spool::Spool;
use std::io;
use std::sync::Arc;

/// Keeps the changes of one file, in memory or in a temporary file.
///
/// ```
/// use brisk_quill_engine::change_collector::ChangeCollector;
/// use brisk_quill_files::changes::Spooler;
/// let spool = Spooler::spool();
/// let changes = ChangeCollector::new(&spool).finish()?;
/// assert_eq!(changes.len(), 0);
/// # Ok::<(), std::io::Error>(())
/// ```
pub struct ChangeCollector {
    spooler: Spooler,
    failed: Option<io::Error>,
    /// All problems.
    pub problems: Vec<Problem>,
    /// All units that do not match what they must.
    pub unmet: Vec<Unmet>,
}

impl ChangeCollector {
    /// A collector that keeps changes in `spool`, as others do: see [`Spooler::spool`].
    pub fn new(spool: &Arc<Spool>) -> Self {
        Self {
            spooler: Spooler::sharing(spool),
            failed: None,
            problems: Vec::new(),
            unmet: Vec::new(),
        }
    }

    /// The changes of the file.
    ///
    /// # Errors
    ///
    /// When they could not be kept.
    pub fn finish(mut self) -> io::Result<ChangeList> {
        match self.failed.take() {
            Some(error) => Err(error),
            None => self.spooler.end_file(),
        }
    }
}

impl Events for ChangeCollector {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        for edit in &hunk.edits {
            if self.failed.is_none() {
                self.failed = self.spooler.push_edit(edit).err();
            }
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push(unmet);
    }
}

impl Collector for ChangeCollector {
    fn join(&mut self, part: Self) {
        let joined = part.failed.map_or(Ok(()), Err);
        let joined = joined.and_then(|()| self.spooler.join(part.spooler));
        self.failed = self.failed.take().or(joined.err());
        self.problems.extend(part.problems);
        self.unmet.extend(part.unmet);
    }
}

/// Keeps the changes of a file, and counts their kinds where those are wanted.
///
/// ```
/// use brisk_quill_engine::change_collector::ChangesAndKinds;
/// use brisk_quill_files::changes::Spooler;
/// use brisk_quill_files::source::Source;
/// let (source, spool) = (Source::file("notice.txt"), Spooler::spool());
/// let found = ChangesAndKinds::new(&source, &spool, true);
/// assert!(found.kinds.is_some());
/// ```
pub struct ChangesAndKinds<'a> {
    source: &'a Source,
    /// The changes.
    pub changes: ChangeCollector,
    /// The kinds, where they are wanted.
    pub kinds: Option<KindCollector>,
}

impl<'a> ChangesAndKinds<'a> {
    /// Keeps the changes of `source` in `spool`.
    pub fn new(source: &'a Source, spool: &Arc<Spool>, counts_kinds: bool) -> Self {
        Self {
            source,
            changes: ChangeCollector::new(spool),
            kinds: counts_kinds.then(KindCollector::default),
        }
    }
}

impl Events for ChangesAndKinds<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        if let Some(kinds) = &mut self.kinds {
            kinds.hunk(self.source, hunk);
        }
        self.changes.hunk(hunk);
    }

    fn problem(&mut self, problem: Problem) {
        self.changes.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.changes.unmet(unmet);
    }
}

impl Collector for ChangesAndKinds<'_> {
    fn for_part(self) -> Self {
        let kinds = self.kinds.map(KindCollector::without_limit);
        Self { kinds, ..self }
    }

    fn join(&mut self, part: Self) {
        self.changes.join(part.changes);
        if let (Some(kinds), Some(part)) = (&mut self.kinds, part.kinds) {
            kinds.absorb(part);
        }
    }
}
