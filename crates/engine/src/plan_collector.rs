//! Rewrites evaluated into plans.

use crate::collector::{Collector, Events, FileHunk};
use crate::plan_writer::{PlanPart, PlanWriter, Stream};
use crate::request::Work;
use crate::session::Session;
use crate::sources::Sources;
use crate::summary::{Ended, FileEnd, Summary};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::{RunOptions, SPLIT_FROM};
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_files::error::FileError;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;

/// Writes the changes of a file into a plan, and keeps what else there is to report.
///
#[doc = include_str!("../doc/plans.md")]
pub struct PlanCollector<'p> {
    part: PlanPart<'p>,
    /// All problems.
    pub problems: Vec<Problem>,
    /// All units that do not match what they must.
    pub unmet: Vec<Unmet>,
}

/// The options of an evaluation whose changes go into a plan.
pub fn run_options() -> RunOptions {
    RunOptions {
        groups: true,
        cells: true,
        split_from: Some(SPLIT_FROM),
        ..RunOptions::default()
    }
}

/// Evaluates a rewrite over some files into a plan, from its first record on; `report` is shown each file.
/// `None` where it was stopped before the end.
///
/// # Errors
///
/// As [`Session::run`].
pub(crate) fn evaluate_into(
    plan: &mut PlanWriter<'_>,
    (session, rewrite): (&mut Session, &Rewrite),
    sources: &Sources,
    mut report: impl FnMut(&Source, &PlanCollector<'_>, &FileEnd) -> ControlFlow<()>,
) -> Result<Option<Summary>, FileError> {
    let work = Work {
        rewrite,
        options: run_options(),
    };
    plan.begin(&mut None);
    let maker = plan.maker();
    let make = |source| PlanCollector::new(maker.part(source));
    let ended = session.run(&work, sources, make, |taken| {
        let Some(end) = taken.end else {
            return ControlFlow::Continue(());
        };
        report(taken.source, &taken.found, &end)?;
        taken.found.finish(taken.source, &end, plan, &mut None);
        ControlFlow::Continue(())
    })?;
    Ok(match ended {
        Ended::Complete(summary) => Some(summary),
        Ended::Stopped(..) => None,
    })
}

impl<'p> PlanCollector<'p> {
    /// A collector that fills a part of a plan.
    pub fn new(part: PlanPart<'p>) -> Self {
        Self {
            part,
            problems: Vec::new(),
            unmet: Vec::new(),
        }
    }

    /// Ends the file: writes it into the plan where it has changes or problems.
    pub fn finish(
        self,
        source: &Source,
        end: &FileEnd,
        plan: &mut PlanWriter<'_>,
        stream: &mut Stream<'_>,
    ) {
        if let FileEnd::Read(read) = end
            && read.counts.changes + read.counts.problems > 0
        {
            let told = (&self.problems[..], &self.unmet[..]);
            plan.file((source, &read.facts), self.part, told, stream);
        }
    }
}

impl Events for PlanCollector<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        self.part.hunk(hunk);
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push(unmet);
    }
}

impl Collector for PlanCollector<'_> {
    fn join(&mut self, part: Self) {
        self.part.join(part.part);
        self.problems.extend(part.problems);
        self.unmet.extend(part.unmet);
    }
}
