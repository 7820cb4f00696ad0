//! Runs under the journal of a host: made, and reverted.

use crate::host::Host;
use brisk_quill_files::error::{FileError, FileErrorKind};
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::reverts::Reverts;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::plan::Plan;
use brisk_quill_files::repository::differ;
use brisk_quill_files::run::make_run;
use brisk_quill_files::run::request::{RunDone, RunFailed, RunRequest};
use brisk_quill_files::source::Source;
use brisk_quill_files::undo::undo_plan;
use std::path::PathBuf;
use std::sync::atomic::AtomicBool;

/// The origin of a run, for the journal.
///
/// ```
/// use brisk_quill_engine::runs::Origin;
/// let again = Origin::Run(7);
/// assert_eq!(again.run(), Some(7));
/// ```
#[derive(Clone, Debug, PartialEq)]
pub enum Origin {
    /// A rewrite, as records have it.
    Rewrite(serde_json::Value),
    /// The run of this number, which it reverts.
    Run(u64),
}

impl Origin {
    /// The run that it reverts, where it reverts one.
    pub fn run(&self) -> Option<u64> {
        match self {
            Self::Rewrite(_) => None,
            Self::Run(run) => Some(*run),
        }
    }
}

/// Writes the changes of a plan where its files are: all of them, or none. Until it is decided, setting
/// `interrupted` rolls everything back; after that the run is finished first.
///
/// # Errors
///
/// As [`make_run`], and where the host keeps no journal.
pub fn make(
    host: &Host,
    plan: &Plan,
    origin: Origin,
    interrupted: &AtomicBool,
) -> Result<RunDone, RunFailed> {
    let Some(journal) = host.journal() else {
        return Err(FileError::new(host.folder(), FileErrorKind::Journal).into());
    };
    let mut lock = journal.lock()?;
    let undoes = origin.run();
    let request = RunRequest {
        plan,
        rewrite: match origin {
            Origin::Rewrite(rewrite) => rewrite,
            Origin::Run(_) => serde_json::Value::Null,
        },
        undoes,
        at: host.now(),
        folder: host.folder(),
        interrupted,
    };
    make_run(&RealFs, &journal, &mut lock, &request)
}

/// The files that a plan would rewrite although they hold what their repository has not: changed since its last commit,
/// or new. Files in no repository, or in one that cannot be read, are not among them.
pub fn uncommitted(plan: &Plan) -> Vec<&Source> {
    let sources: Vec<&Source> = plan.changed().map(|file| &file.source).collect();
    let differing = differ(sources.iter().map(|source| source.place()));
    let each = sources.into_iter().zip(differing);
    each.filter_map(|(source, differs)| (differs == Ok(true)).then_some(source))
        .collect()
}

/// Why a run was not reverted. Nothing has been written.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug, thiserror::Error)]
pub enum RevertError {
    /// The journal has no such run, or cannot be read.
    #[error(transparent)]
    Journal(#[from] FileError),
    /// Files no longer hold what the run wrote: their paths, and as they were named.
    #[error("{} files were changed since", .0.len())]
    Changed(Vec<(PathBuf, PathBuf)>),
    /// There is nothing of it to revert.
    #[error("nothing of the run is left to be reverted")]
    Nothing,
    /// The run could not be written.
    #[error(transparent)]
    Run(#[from] RunFailed),
}

/// Reverts a run in all its files, to the byte.
///
/// # Errors
///
/// When a file no longer holds what the run wrote, or it cannot be written.
pub fn revert(host: &Host, run: u64, interrupted: &AtomicBool) -> Result<RunDone, RevertError> {
    let Some(journal) = host.journal() else {
        return Err(FileError::new(host.folder(), FileErrorKind::Journal).into());
    };
    let record = journal.load(run)?;
    let plan = undo_plan(&RealFs, &journal, &record, &|_| true)?;
    let plan = plan.map_err(RevertError::Changed)?;
    match plan.files.is_empty() {
        true => Err(RevertError::Nothing),
        false => Ok(make(host, &plan, Origin::Run(run), interrupted)?),
    }
}

/// The runs of a folder that `undo` may go back to.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug)]
pub enum InEffect<'r> {
    /// The newest that is not reverted, and reverts no other.
    Run(&'r RunRecord),
    /// All of them were reverted.
    AllReverted,
    /// There has been none.
    NoRun,
}

/// The newest run that was made in the folder of a host and is still in effect; `records` are those of all runs, in order.
///
#[doc = include_str!("../doc/embedding.md")]
pub fn newest_in_effect<'r>(
    host: &Host,
    records: &'r [RunRecord],
    reverts: &Reverts,
) -> InEffect<'r> {
    let is_here = |record: &&RunRecord| {
        let intent = record.intent.as_ref();
        let made_in = intent.map(|intent| intent.folder.path());
        record.state.is_complete() && made_in.as_deref() == Some(host.folder())
    };
    let mut none = InEffect::NoRun;
    for record in records.iter().rev().filter(is_here) {
        if record.undoes().is_none() && !reverts.is_reverted(record.run) {
            return InEffect::Run(record);
        }
        none = InEffect::AllReverted;
    }
    none
}
