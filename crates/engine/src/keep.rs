//! A rewrite evaluated over files, and kept as the last preview of a folder.

use crate::guards::{Guards, Unexpected};
use crate::host::Host;
use crate::plan_collector::{PlanCollector, run_options};
use crate::plan_writer::{Keeping, PlanEnd, PlanWriteError, PlanWriter};
use crate::request::Work;
use crate::schedule::Threads;
use crate::session::Session;
use crate::sources::Sources;
use crate::summary::{Ended, FileEnd, Summary};
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
    /// Where the plan is.
    pub plan: PlanEnd,
}

/// Why a rewrite was not kept.
///
#[doc = include_str!("../doc/embedding.md")]
#[derive(Debug, thiserror::Error)]
pub enum KeepError {
    /// It was cancelled.
    #[error("stopped before the end")]
    Stopped,
    /// Standard input cannot be read.
    #[error(transparent)]
    File(#[from] FileError),
    /// The plan cannot be written.
    #[error(transparent)]
    Write(#[from] PlanWriteError),
}

/// Evaluates a rewrite over some files, and keeps the plan as the last preview of the folder of the host; `report` is
/// shown each file. What has a problem, or is not as `guards` say, is not kept.
///
/// # Errors
///
/// When it was cancelled, or the plan cannot be kept.
pub fn keep(
    host: &Host,
    (text, rewrite): (&RewriteText, &Rewrite),
    sources: &Sources,
    guards: &Guards,
    mut report: impl FnMut(&Source, &PlanCollector<'_>, &FileEnd) -> ControlFlow<()>,
) -> Result<Kept, KeepError> {
    let texts = TextOptions {
        facts: FactsOf::Found,
        ..TextOptions::default()
    };
    let work = Work::Rewrite {
        rewrite,
        options: run_options(),
    };
    let mut plan = PlanWriter::new((text, rewrite), host, false, None, Keeping::Always)?;
    plan.begin(&mut None);
    let maker = plan.maker();
    let mut session = Session::new(texts, Threads::default(), Arc::clone(host.token()));
    let mut all_read = sources.listing.problems.is_empty();
    let make = |source| PlanCollector::new(maker.part(source));
    let ended = session.run(&work, sources, make, |taken| {
        let Some(end) = taken.end else {
            return ControlFlow::Continue(());
        };
        all_read &= !matches!(end, FileEnd::Failed(_));
        report(taken.source, &taken.found, &end)?;
        taken.found.finish(taken.source, &end, &mut plan, &mut None);
        ControlFlow::Continue(())
    })?;
    let Ended::Complete(summary) = ended else {
        return Err(KeepError::Stopped);
    };
    let unexpected = guards.unexpected(rewrite, &summary);
    let counts = &summary.counts;
    let as_wanted = unexpected.is_empty() && counts.unmet == 0;
    let is_whole = all_read && (counts.problems == 0 || guards.skip_problems);
    let holds = as_wanted && is_whole && counts.changes > 0;
    let plan = plan.end(&summary, (holds, !as_wanted), &mut None)?;
    Ok(Kept {
        summary,
        unexpected,
        plan,
    })
}
