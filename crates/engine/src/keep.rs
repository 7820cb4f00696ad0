//! A rewrite evaluated over files, and kept as the last preview of a folder.

use crate::guards::{Guards, Unexpected};
use crate::host::Host;
use crate::plan_collector::{PlanCollector, evaluate_into};
use crate::plan_writer::{Keeping, PlanEnd, PlanWriteError, PlanWriter};
use crate::schedule::Threads;
use crate::session::Session;
use crate::sources::Sources;
use crate::summary::{FileEnd, Summary};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;
use std::sync::Arc;

/// The outcome of an evaluation that was kept.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug)]
pub struct Kept {
    /// Counts and notes.
    pub summary: Summary,
    /// Numbers of changes that are not as expected; then nothing was kept.
    pub unexpected: Vec<Unexpected>,
    /// The place of the plan.
    pub plan: PlanEnd,
}

/// Why a rewrite was not kept.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug, thiserror::Error)]
pub enum KeepError {
    /// The work was cancelled.
    #[error("stopped before the end")]
    Stopped,
    /// Standard input cannot be read.
    #[error(transparent)]
    File(#[from] FileError),
    /// The plan cannot be written.
    #[error(transparent)]
    Write(#[from] PlanWriteError),
}

/// A rewrite to be evaluated and kept.
///
#[doc = include_str!("../doc/embedding.md")]
pub struct Keep<'k> {
    /// The words.
    pub text: &'k RewriteText,
    /// The same, built.
    pub rewrite: &'k Rewrite,
    /// The files.
    pub sources: &'k Sources,
    /// The conditions without which nothing is kept.
    pub guards: &'k Guards,
    /// The way in which the files are read.
    pub texts: TextOptions,
    /// Threads that read them.
    pub threads: Threads,
    /// Hints are looked out for.
    pub hints: bool,
    /// Kinds of hints that are not given.
    pub silent: &'k [String],
}

impl<'k> Keep<'k> {
    /// A rewrite over some files, which are read as they are by default.
    pub fn new(
        text: &'k RewriteText,
        rewrite: &'k Rewrite,
        sources: &'k Sources,
        guards: &'k Guards,
    ) -> Self {
        Self {
            text,
            rewrite,
            sources,
            guards,
            texts: TextOptions::default(),
            threads: Threads::default(),
            hints: false,
            silent: &[],
        }
    }

    /// Evaluates it, and keeps the plan as the last preview of the folder of the host; `report` is shown each
    /// file. What has a problem, or is not as the guards say, is not kept.
    ///
    /// # Errors
    ///
    /// When it was cancelled, or the plan cannot be kept.
    pub fn run(
        &self,
        host: &Host,
        mut report: impl FnMut(&Source, &PlanCollector<'_>, &FileEnd) -> ControlFlow<()>,
    ) -> Result<Kept, KeepError> {
        let texts = TextOptions {
            facts: FactsOf::Found,
            ..self.texts
        };
        let words = (self.text, self.rewrite);
        let mut plan = PlanWriter::new(words, host, false, None, Keeping::Always)?;
        let mut session = Session::new(texts, self.threads, Arc::clone(host.token()));
        if self.hints {
            session = session.with_hints().silent_about(self.silent);
        }
        let mut all_read = self.sources.listing.problems.is_empty();
        let evaluated = evaluate_into(
            &mut plan,
            (&mut session, self.rewrite),
            self.sources,
            |source, found, end| {
                all_read &= !matches!(end, FileEnd::Failed(_));
                report(source, found, end)
            },
        )?;
        let summary = evaluated.ok_or(KeepError::Stopped)?;
        let unexpected = self.guards.unexpected(self.rewrite, &summary);
        let counts = &summary.counts;
        let as_wanted = unexpected.is_empty() && counts.unmet == 0;
        let is_whole = all_read && (counts.problems == 0 || self.guards.skip_problems);
        let holds = as_wanted && is_whole && counts.changes > 0;
        let plan = plan.end(&summary, (holds, !as_wanted), &mut None)?;
        Ok(Kept {
            summary,
            unexpected,
            plan,
        })
    }
}
