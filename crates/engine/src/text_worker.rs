//! Texts evaluated one after another, on one thread.

use crate::collector::Events;
use crate::evaluate::EvaluationRun;
use crate::request::Work;
use brisk_quill_core::rewrite::Run;
use brisk_quill_core::rewrite::options::{RunOptions, RunTotals, Watch};
use brisk_quill_core::rewrite::part_start::{PartCut, PartStart};
use brisk_quill_files::read::open_text::OpenText;
use std::path::Path;

/// The means to evaluate one text after another, on one thread.
pub(crate) struct TextWorker<'r>(Run<'r>);

impl<'r> TextWorker<'r> {
    /// A worker that knows the `totals` that were counted before.
    /// Units are shown one by one where there is a `watch`.
    pub fn new(work: &Work<'r>, totals: &RunTotals, watch: Option<&Watch>) -> Self {
        let options = RunOptions {
            totals: totals.clone(),
            watch: watch.cloned(),
            ..work.options.clone()
        };
        Self(Run::new(work.rewrite, &options))
    }

    /// A worker that only counts the matches in scope of a step, counted from 0.
    pub fn counting(work: &Work<'r>, step: usize, totals: &RunTotals) -> Self {
        Self(Run::counting(work.rewrite, step, totals))
    }

    /// The number that this counting worker has found.
    pub fn counted(&mut self) -> u64 {
        self.0.counted()
    }

    /// The places where the text of `file` may be cut into parts that are worked on apart, where it may.
    pub fn part_cut(&self, file: &Path) -> Option<PartCut> {
        self.0.part_cut(file)
    }

    /// Begins a text that has been opened.
    pub fn begin(&mut self, text: &OpenText<'_>, events: &mut dyn Events) -> EvaluationRun<'_, 'r> {
        // Units without a match are shown where a hint may be about them.
        self.0.probe_text(events.wants_others());
        let evaluation = self.0.text(text.file(), text.start());
        EvaluationRun::of_text(evaluation, text, events)
    }

    /// Begins a part of the text of `file`, whose events go to `events`.
    pub fn begin_part(
        &mut self,
        file: &Path,
        start: PartStart,
        events: &dyn Events,
    ) -> EvaluationRun<'_, 'r> {
        self.0.probe_text(events.wants_others());
        EvaluationRun::of_part(self.0.part(file, start))
    }
}
