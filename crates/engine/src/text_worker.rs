//! Texts searched or rewritten, one after another, by the same few calls.

use crate::collector::Events;
use crate::evaluate::EvaluationRun;
use crate::request::{SearchNeeds, Work};
use crate::search::{SearchRun, ShownUnits};
use brisk_quill_core::query::Query;
use brisk_quill_core::query::note::Note;
use brisk_quill_core::query::searcher::Searcher;
use brisk_quill_core::rewrite::Run;
use brisk_quill_core::rewrite::counts::Counts;
use brisk_quill_core::rewrite::options::{RunOptions, Watch};
use brisk_quill_core::rewrite::part_start::PartStart;
use brisk_quill_files::read::open_text::OpenText;
use brisk_quill_files::text_map::TextMap;
use std::path::Path;

/// Totals over all files, needed before any is worked on: see [`Work::step_to_count`].
#[derive(Clone, Debug, Default)]
pub(crate) struct Totals {
    /// Matches in scope of a search.
    search: Option<u64>,
    /// The totals of each step of a rewrite.
    steps: brisk_quill_core::rewrite::options::RunTotals,
}

impl Work<'_> {
    /// The step, from 0, whose matches in scope must be counted in all files before any is worked
    /// on, and have not been.
    pub(crate) fn step_to_count(&self, totals: &Totals) -> Option<usize> {
        match self {
            Self::Search { query, .. } => {
                (query.needs_run_total() && totals.search.is_none()).then_some(0)
            }
            Self::Rewrite { rewrite, .. } => rewrite.step_to_count(&totals.steps),
        }
    }

    /// True if what is found in a file depends on the files before it.
    pub(crate) fn spans_texts(&self) -> bool {
        match self {
            Self::Search { query, .. } => query.spans_texts(),
            Self::Rewrite { rewrite, .. } => rewrite.spans_texts(),
        }
    }
}

/// The means to search or rewrite one text after another, on one thread.
pub(crate) enum TextWorker<'r> {
    Search(Box<Searcher<'r>>, ShownUnits),
    Rewrite(Run<'r>),
}

impl<'r> TextWorker<'r> {
    /// A worker that knows what has been counted before.
    /// Units are shown one by one where there is a `watch`.
    pub fn new(work: &Work<'r>, totals: &Totals, watch: Option<&Watch>) -> Self {
        match work {
            Work::Search { query, needs } => {
                let mut searcher = searcher(query, *needs, totals.search);
                if let Some(Some(probe)) = watch.and_then(|watch| watch.probes.first()) {
                    searcher = searcher.with_probe(probe);
                }
                let shown = ShownUnits {
                    missing: needs.missing,
                    watched: watch.is_some(),
                };
                Self::Search(Box::new(searcher), shown)
            }
            Work::Rewrite { rewrite, options } => {
                let options = RunOptions {
                    totals: totals.steps.clone(),
                    watch: watch.cloned(),
                    ..options.clone()
                };
                Self::Rewrite(Run::new(rewrite, &options))
            }
        }
    }

    /// A worker that only counts the matches in scope of a step, counted from 0.
    pub fn counting(work: &Work<'r>, step: usize, totals: &Totals) -> Self {
        match work {
            Work::Search { query, .. } => {
                let shown = ShownUnits {
                    missing: false,
                    watched: false,
                };
                Self::Search(Box::new(Searcher::new(query).counting()), shown)
            }
            Work::Rewrite { rewrite, .. } => {
                Self::Rewrite(Run::counting(rewrite, step, &totals.steps))
            }
        }
    }

    /// Records what this counting worker has found for `step`.
    pub fn count_into(&mut self, step: usize, totals: &mut Totals) {
        match self {
            Self::Search(searcher, _) => totals.search = Some(searcher.in_place()),
            Self::Rewrite(run) => totals.steps.set(step, run.counted()),
        }
    }

    /// True if what is found in a line of `file` depends on nothing but the line and where it
    /// lies, so that the parts of its text may be worked on apart.
    pub fn is_local(&self, file: &Path) -> bool {
        match self {
            Self::Search(searcher, _) => searcher.is_local(),
            Self::Rewrite(run) => run.is_local(file),
        }
    }

    /// Begins a text that has been opened.
    pub fn begin(&mut self, text: &OpenText<'_>, events: &mut dyn Events) -> TextRun<'_, 'r> {
        self.probe_text(events.wants_others());
        match self {
            Self::Search(searcher, shown) => {
                let text = searcher.text(text.file(), text.start());
                TextRun::Search(SearchRun::new(text, *shown))
            }
            Self::Rewrite(run) => {
                let evaluation = run.text(text.file(), text.start());
                TextRun::Rewrite(Box::new(EvaluationRun::of_text(evaluation, text, events)))
            }
        }
    }

    /// Shows units without a match, where a hint may be about them, in the text that follows, or
    /// does not.
    fn probe_text(&mut self, probes: bool) {
        match self {
            Self::Search(searcher, _) => searcher.probe_text(probes),
            Self::Rewrite(run) => run.probe_text(probes),
        }
    }

    /// Begins a part of the text of `file`, whose events go to `events`.
    pub fn begin_part(
        &mut self,
        file: &Path,
        start: PartStart,
        events: &dyn Events,
    ) -> TextRun<'_, 'r> {
        self.probe_text(events.wants_others());
        match self {
            Self::Search(searcher, shown) => {
                TextRun::Search(SearchRun::new(searcher.part(file, start), *shown))
            }
            Self::Rewrite(run) => {
                TextRun::Rewrite(Box::new(EvaluationRun::of_part(run.part(file, start))))
            }
        }
    }
}

/// A text, or a part of one, being searched or rewritten.
pub(crate) enum TextRun<'e, 'r> {
    Search(SearchRun<'e, 'r>),
    Rewrite(Box<EvaluationRun<'e, 'r>>),
}

impl TextRun<'_, '_> {
    /// Takes the next bytes; `last` says that they are the last, where that is known.
    pub fn push(&mut self, piece: &[u8], place: (&dyn TextMap, bool), events: &mut dyn Events) {
        match self {
            Self::Search(run) => run.push(piece, place, events),
            Self::Rewrite(run) => run.push(piece, place, events),
        }
    }

    /// Ends the text.
    pub fn finish(self, map: &dyn TextMap, events: &mut dyn Events) -> (Counts, Vec<Note>) {
        match self {
            Self::Search(run) => run.finish(map, events),
            Self::Rewrite(run) => run.finish(map, events),
        }
    }
}

/// A search for what is needed, with the matches of all files counted where that must be known.
fn searcher<'r>(query: &'r Query, needs: SearchNeeds, total: Option<u64>) -> Searcher<'r> {
    let mut searcher = Searcher::new(query);
    if needs.groups {
        searcher = searcher.with_groups();
    }
    if needs.missing {
        searcher = searcher.with_missing();
    }
    if needs.whole_texts {
        searcher = searcher.in_one_piece();
    }
    match total {
        Some(total) => searcher.with_run_total(total),
        None => searcher,
    }
}
