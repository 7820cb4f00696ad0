//! A plan that is judged and written: the last preview of a folder, or one in a file.

use crate::cell_values::CellValues;
use crate::host::{Host, make_room};
use crate::plan_collector::PlanCollector;
use crate::renew::{RenewError, Renewal, Renewed};
use crate::runs::{self, Origin};
use crate::summary::FileEnd;
use brisk_quill_core::columns::layout::Layout;
use brisk_quill_core::escape::visible;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_files::plan::Plan;
use brisk_quill_files::plan_file::{AppendError, PlanDoc, PlanFileError};
use brisk_quill_files::run::request::{RunDone, RunFailed};
use brisk_quill_files::source::Source;
use std::fs;
use std::io::{self, Write};
use std::ops::ControlFlow;
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

/// A plan in the folder of its host.
///
#[doc = include_str!("../doc/embedding.md")]
pub struct OpenPlan {
    /// The plan with its decisions.
    pub doc: PlanDoc,
    host: Arc<Host>,
    /// The folder that its files and tables must lie below; `None` where it is our own.
    root: Option<PathBuf>,
}

/// Decisions that were not appended to their plan.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug, thiserror::Error)]
#[error("the decisions were not added to the plan: {error}")]
pub struct NotAppended {
    /// The reason.
    #[source]
    pub error: AppendError,
    /// The file in which they are kept instead; none where there were none.
    pub kept: io::Result<Option<PathBuf>>,
}

/// Why a plan was not written. No file has been touched.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// Another user has decided about it since it was read.
    #[error("another user has decided about the plan meanwhile")]
    Shared,
    /// The plan cannot be read again.
    #[error("the plan cannot be read again: {0}")]
    Read(io::Error),
    /// The run was refused, or failed and was rolled back.
    #[error(transparent)]
    Run(#[from] RunFailed),
}

impl OpenPlan {
    /// The last preview of the folder of a host; `None` where there is none.
    ///
    /// # Errors
    ///
    /// When it cannot be read.
    pub fn last(host: &Arc<Host>) -> Result<Option<Self>, PlanFileError> {
        let place = host.last_plan().filter(|place| place.exists());
        let doc = place.map(|place| PlanDoc::open(&place)).transpose()?;
        Ok(doc.map(|doc| Self::new(doc, host, None)))
    }

    /// The plan in a file, whose files must lie below the folder of the host.
    ///
    /// # Errors
    ///
    /// When it cannot be read.
    pub fn open(host: &Arc<Host>, file: &Path) -> Result<Self, PlanFileError> {
        let doc = PlanDoc::open(&host.path(file))?;
        Ok(Self::new(doc, host, Some(host.folder().to_owned())))
    }

    /// A plan that has been read, meant in the folder of a host; its files must lie below `root`.
    pub fn new(doc: PlanDoc, host: &Arc<Host>, root: Option<PathBuf>) -> Self {
        Self {
            doc: doc.within(host.base()),
            host: Arc::clone(host),
            root,
        }
    }

    /// The folder that its files and tables must lie below; `None` where it is our own.
    pub fn root(&self) -> Option<&Path> {
        self.root.as_deref()
    }

    /// Evaluates it again, and carries its decisions over; where they `may_lose` none, it stays as it
    /// was if one would be lost.
    ///
    /// # Errors
    ///
    /// As [`Renewal::renew`].
    pub fn renew(
        &mut self,
        may_lose: bool,
        report: impl FnMut(&Source, &PlanCollector<'_>, &FileEnd) -> ControlFlow<()>,
    ) -> Result<Renewed, RenewError> {
        let renewal = Renewal {
            root: self.root.as_deref(),
            host: &self.host,
            may_lose,
        };
        let (doc, renewed) = renewal.renew(&mut self.doc, report)?;
        self.doc = doc.within(self.host.base());
        Ok(renewed)
    }

    /// Appends the records of decisions to it. Where another file has taken its place, they are kept in a file
    /// of their own.
    ///
    /// # Errors
    ///
    /// When they could not be appended.
    pub fn append(&mut self, lines: &[u8]) -> Result<(), NotAppended> {
        let appended = self.doc.append(lines);
        appended.map_err(|error| self.not_appended(error, lines))
    }

    /// Keeps decisions that could not be appended.
    pub fn not_appended(&self, error: AppendError, lines: &[u8]) -> NotAppended {
        NotAppended {
            error,
            kept: self.keep(lines),
        }
    }

    /// Keeps decisions in a file of their own, from which they can be taken in again; `None` where there
    /// are none.
    fn keep(&self, lines: &[u8]) -> io::Result<Option<PathBuf>> {
        let hash = self.doc.hash();
        let mut kept = Vec::new();
        for record in lines
            .split(|byte| *byte == b'\n')
            .filter(|line| !line.is_empty())
        {
            let mut record: serde_json::Map<String, serde_json::Value> =
                serde_json::from_slice(record)?;
            record.insert("plan".into(), hash.clone().into());
            kept.extend(serde_json::to_vec(&record)?);
            kept.push(b'\n');
        }
        if kept.is_empty() {
            return Ok(None);
        }
        let place = self.host.new_decisions(&hash);
        let place = place.ok_or(io::ErrorKind::NotFound)?;
        make_room(&place)?;
        let mut options = fs::File::options();
        let mut file = options
            .write(true)
            .create_new(true)
            .mode(0o600)
            .open(&place)?;
        file.write_all(&kept)?;
        file.sync_all()?;
        Ok(Some(place))
    }

    /// Makes sure that its files lie where they may.
    ///
    /// # Errors
    ///
    /// When one leads out of its root.
    pub fn check_places(&self) -> Result<(), PlanFileError> {
        self.doc.places(self.root()).map(drop)
    }

    /// Makes sure that every decision fits the plan and its files.
    ///
    /// # Errors
    ///
    /// With the first that does not.
    pub fn check_decisions(&self) -> Result<(), PlanFileError> {
        self.doc.check_decisions(self.root())
    }

    /// The changes it would write: what is accepted, or all of it while nothing has been decided.
    ///
    /// # Errors
    ///
    /// When a path leads out of its root, a column would be added to some rows alone, or it cannot be read again.
    pub fn changes(&self) -> Result<Plan, PlanFileError> {
        self.check_widened()?;
        self.doc.to_plan(self.root())
    }

    /// Makes sure that a column is added to all rows of a file or to none.
    fn check_widened(&self) -> Result<(), PlanFileError> {
        let index = &self.doc.index;
        let adds =
            |spec: &StepSpec| !spec.ragged && (spec.into.is_some() || !spec.add_column.is_empty());
        let steps = index.rewrite.step.iter().map(adds).collect::<Vec<bool>>();
        if !steps.contains(&true) || index.is_undecided(&index.counts()) {
            return Ok(());
        }
        let values = CellValues::of(index);
        let mut widened = vec![(0, 0); index.files.len()];
        self.doc.each(|number, change| {
            let file = index.file_of(number);
            let mut of = change.steps.iter().map(|step| step.0 as usize - 1);
            let is_of = change.cell.is_none() && of.any(|step| steps.get(step) == Some(&true));
            let widens =
                |layout: Layout| layout.widens(change.before.as_bytes(), change.after.as_bytes());
            if is_of && values.layout_of(file).is_some_and(widens) {
                let (taken, all) = &mut widened[file];
                *all += 1;
                *taken += u64::from(index.entries[number].decision.writes());
            }
            Ok(())
        })?;
        for (file, (taken, of)) in index.files.iter().zip(widened) {
            if taken > 0 && taken < of {
                let path = visible(&file.path);
                return Err(PlanFileError::Widened { path, taken, of });
            }
        }
        Ok(())
    }

    /// Writes the `changes` that it gave, all of them or none. A last preview is forgotten then.
    ///
    /// # Errors
    ///
    /// When it was decided about meanwhile, or the run was refused.
    pub fn write(
        &mut self,
        changes: &Plan,
        interrupted: &AtomicBool,
    ) -> Result<RunDone, WriteError> {
        self.doc.check_unshared().map_err(|error| match error {
            AppendError::Replaced => WriteError::Shared,
            AppendError::Io(error) => WriteError::Read(error),
        })?;
        let index = &self.doc.index;
        let origin = match index.undoes {
            Some(run) => Origin::Run(run),
            None => Origin::Rewrite(serde_json::to_value(&index.rewrite).unwrap_or_default()),
        };
        let done = runs::make(&self.host, changes, origin, interrupted)?;
        if self.root.is_none() {
            self.doc.remove();
        }
        Ok(done)
    }
}
