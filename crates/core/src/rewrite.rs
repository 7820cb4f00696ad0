//! An ordered list of steps, and its evaluation over texts.
//!
//! Each text is cut into pieces of whole lines. A piece goes through all steps: each sees what
//! the one before it left, and its edits are composed into edits of the original piece. The
//! edits are then handed to a [`Sink`] as [`Hunk`]s. A step that must know the end of a text
//! before its start (`--lines last-3..`) makes the whole text one piece.
//!
//! Where lines depend on nothing but themselves and their place, a text may also be evaluated in
//! parts, each for itself ([`Run::part`]). Whoever adds a state that goes from line to line must
//! see to it in `Query::is_local` or `Step::is_local`.

pub mod counts;
pub mod evaluation;
pub mod hunk;
pub mod options;
pub mod part_start;
pub mod seen;
pub mod sink;

use crate::chunker::{Chunker, Cut};
use crate::columns::formats::RecordEnds;
use crate::columns::layout::Layout;
use crate::problem::Problem;
use crate::query::Query;
use crate::rewrite::counts::Counts;
use crate::rewrite::evaluation::{Evaluation, TextState};
use crate::rewrite::hunk::Hunk;
use crate::rewrite::options::{RunOptions, RunTotals};
use crate::rewrite::part_start::{PartCut, PartStart};
use crate::rewrite::sink::Sink;
use crate::step::Step;
use crate::step::actions::Action;
use crate::step::eval::StepRun;
use crate::stop::Stop;
use std::path::Path;

/// An ordered list of steps.
///
/// ```
/// use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
/// let spec = StepSpec {
///     pattern: Some(r"berth (\d+)".into()),
///     with: Some("B-$1".into()),
///     ..StepSpec::default()
/// };
/// let rewrite = Rewrite::new(vec![spec.build(&mut NoTables).expect("a step")]);
/// let outcome = rewrite_text(&rewrite, b"berth 4\nberth 7\n");
/// assert_eq!(outcome.text, b"B-4\nB-7\n");
/// assert_eq!(outcome.counts.changes, 2);
/// ```
#[derive(Clone, Debug)]
pub struct Rewrite {
    steps: Vec<Step>,
}

impl Rewrite {
    /// A rewrite of these steps, done in order.
    ///
    /// # Panics
    ///
    /// With more than [`crate::edits::StepSet::MOST`] steps.
    pub fn new(steps: Vec<Step>) -> Self {
        assert!(steps.len() <= crate::edits::StepSet::MOST);
        Self { steps }
    }

    /// A search: a rewrite of one step that only [shows](Action::Show) what it finds.
    ///
    /// ```
    /// use brisk_quill_core::pattern::Pattern;
    /// use brisk_quill_core::pattern::options::MatchOptions;
    /// use brisk_quill_core::query::Query;
    /// use brisk_quill_core::query::findings::Findings;
    /// use brisk_quill_core::query::unit_view::UnitView;
    /// use brisk_quill_core::problem::Problem;
    /// use brisk_quill_core::rewrite::options::RunOptions;
    /// use brisk_quill_core::rewrite::sink::Sink;
    /// use brisk_quill_core::rewrite::{Rewrite, Run};
    ///
    /// #[derive(Default)]
    /// struct Lines(Vec<(u64, u64)>);
    /// impl Sink for Lines {
    ///     fn unit(&mut self, unit: &UnitView<'_>, _: &Findings<'_>, taken: u64) {
    ///         self.0.push((unit.line, taken));
    ///     }
    ///     fn problem(&mut self, problem: Problem) {
    ///         panic!("{problem:?}");
    ///     }
    /// }
    ///
    /// let query = Query::new(Pattern::new("quay", &MatchOptions::default())?);
    /// let rewrite = Rewrite::showing(query);
    /// let mut lines = Lines::default();
    /// let mut run = Run::new(&rewrite, &RunOptions::default());
    /// let mut text = run.text("-", 0);
    /// text.push(b"quay 1, quay 2\nqu", &mut lines);
    /// text.push(b"ay 3\n", &mut lines);
    /// text.finish(&mut lines);
    /// assert_eq!(lines.0, [(1, 2), (2, 1)]);
    /// # Ok::<(), brisk_quill_core::error::Error>(())
    /// ```
    pub fn showing(query: Query) -> Self {
        Self::new(vec![Step::new(query, Action::Show)])
    }

    /// True if it only shows what it finds.
    pub fn only_shows(&self) -> bool {
        matches!(self.steps.as_slice(), [step] if matches!(step.action, Action::Show))
    }

    /// True if every step looks at cells alone.
    pub fn only_cells(&self) -> bool {
        let mut steps = self.steps.iter();
        steps.all(|step| step.query.columns.is_some())
    }

    /// The same rewrite, whose searches end within a unit once `stop` is set: the unit is then
    /// reported as a problem.
    #[must_use]
    pub fn stopped_by(&self, stop: &Stop) -> Self {
        Self {
            steps: self
                .steps
                .iter()
                .map(|step| step.stopped_by(stop))
                .collect(),
        }
    }

    /// The first step whose matches in place must be counted through all texts before the run,
    /// and have not been.
    pub fn step_to_count(&self, totals: &RunTotals) -> Option<usize> {
        let uncounted = |&index: &usize| {
            let known = totals.0.get(index).copied().flatten();
            self.steps[index].query.needs_run_total() && known.is_none()
        };
        (0..self.steps.len()).find(uncounted)
    }

    /// True if what becomes of a text depends on the texts before it: see [`Query::spans_texts`](crate::query::Query::spans_texts);
    /// a template that numbers its matches does so too.
    pub fn spans_texts(&self) -> bool {
        self.steps.iter().any(Step::spans_texts)
    }

    /// True if the form of the file at `path` is known, where its columns are looked at.
    pub fn is_table(&self, path: &Path) -> bool {
        self.steps.iter().all(|step| step.query.is_table(path))
    }

    /// True if lines may be written as they are read: what becomes of each is known then, and nothing
    /// that follows can speak against it. With `skip_problems`, lines that it cannot work on do not.
    pub fn may_pass_on(&self, skip_problems: bool) -> bool {
        self.steps.iter().all(|step| {
            let guarded = !step.expect.is_empty() || !step.ensure.is_empty();
            step.needs_no_end() && !guarded && (skip_problems || !step.can_fail())
        })
    }

    /// The steps in order.
    pub fn steps(&self) -> &[Step] {
        &self.steps
    }
}

/// One run of a rewrite over texts, one after another in order: limits and picks count through
/// all of them.
#[derive(Debug)]
pub struct Run<'r> {
    rewrite: &'r Rewrite,
    steps: Vec<StepRun<'r>>,
    whole: bool,
    stages: bool,
    watched: bool,
    split_from: Option<usize>,
}

impl<'r> Run<'r> {
    /// A run.
    pub fn new(rewrite: &'r Rewrite, options: &RunOptions) -> Self {
        let through = options.through.unwrap_or(usize::MAX);
        let mut steps: Vec<_> = (rewrite.steps.iter().enumerate().take(through))
            .map(|(index, step)| StepRun::new(step, index, options))
            .collect();
        for step in &mut steps {
            step.scanner().use_prefilter(options.prefilter);
        }
        let probes = options.watch.iter().flat_map(|watch| &watch.probes);
        for (step, probe) in steps.iter_mut().zip(probes) {
            if let Some(probe) = probe {
                step.scanner().use_probe(probe);
            }
        }
        for (step, total) in steps.iter_mut().zip(&options.totals.0) {
            if let Some(total) = total {
                step.scanner().set_run_total(*total);
            }
        }
        Self {
            rewrite,
            whole: options.one_piece || rewrite.steps.iter().any(|s| s.query.needs_whole_text()),
            stages: options.stages,
            watched: options.watch.is_some(),
            split_from: options.split_from.filter(|_| !options.stages),
            steps,
        }
    }

    /// A run that only counts the matches in place of one step, counted from 0.
    pub fn counting(rewrite: &'r Rewrite, step: usize, totals: &RunTotals) -> Self {
        let mut run = Self::new(
            rewrite,
            &RunOptions {
                through: Some(step + 1),
                totals: totals.clone(),
                ..RunOptions::default()
            },
        );
        if let Some(last) = run.steps.last_mut() {
            last.scanner().only_count();
        }
        run
    }

    /// The number that a counting run has counted.
    pub fn counted(&mut self) -> u64 {
        self.steps
            .last_mut()
            .map_or(0, |step| step.scanner().in_run())
    }

    /// Begins the next text, which comes from `file` and lies `start` bytes into it; offsets are
    /// those in the file.
    pub fn text(&mut self, file: impl AsRef<Path>, start: u64) -> Evaluation<'_, 'r> {
        let file = file.as_ref();
        self.begin((file, false), self.cut(file), PartStart::of_text(start))
    }

    /// Uses the probes of its steps in the texts that follow, or does not.
    pub fn probe_text(&mut self, probes: bool) {
        for step in &mut self.steps {
            step.scanner().probe_text(probes);
        }
    }

    /// The places where the text of `file` may be cut into parts that are evaluated apart, on several threads: see
    /// [`Run::part`]. `None` unless what becomes of a line or a row depends on nothing but itself and where it lies.
    pub fn part_cut(&self, file: impl AsRef<Path>) -> Option<PartCut> {
        let file = file.as_ref();
        let cut = self.cut(file);
        let ends_rows = match cut {
            Cut::Lines | Cut::Records(RecordEnds::Unquoted(_)) => true,
            // An element of an array does not say where it lies.
            Cut::Records(RecordEnds::Elements(_)) | Cut::Nowhere => false,
        };
        let steps = &self.rewrite.steps[..self.steps.len()];
        // Which lines a step sees behind another, nobody knows without that text as a whole.
        let is_local = |(index, step): (usize, &Step)| {
            step.is_local(file) && (index == 0 || step.needs_no_place())
        };
        let mut layouts = steps.iter().filter_map(|step| step.query.layout(file));
        let names_columns = layouts.any(|layout| !layout.has_pointers());
        (ends_rows && steps.iter().enumerate().all(is_local))
            .then_some(PartCut { cut, names_columns })
    }

    /// The same as [`Run::text`] for a part of a text that [may be cut](Run::part_cut) before and behind it. What is
    /// known of its columns at its end goes to [`Sink::part_end`](sink::Sink), once for each step that looks at cells.
    pub fn part(&mut self, file: impl AsRef<Path>, start: PartStart) -> Evaluation<'_, 'r> {
        let file = file.as_ref();
        self.begin((file, true), self.cut(file), start)
    }

    fn begin(
        &mut self,
        (file, is_part): (&Path, bool),
        cut: Cut,
        start: PartStart,
    ) -> Evaluation<'_, 'r> {
        let mut heads = start.heads.into_iter();
        for step in &mut self.steps {
            step.begin_text(file, (start.line, start.ending));
            if step.has_table()
                && let Some(head) = heads.next()
            {
                step.scanner().go_by(head);
            }
        }
        Evaluation {
            pieces: Chunker::new(cut, start.offset),
            state: TextState {
                steps: &mut self.steps,
                shows: self.rewrite.only_shows(),
                stages: self.stages,
                watched: self.watched,
                split_from: self.split_from.filter(|_| self.rewrite.steps.len() == 1),
                counts: Counts::default(),
                line: start.line,
                is_part,
            },
        }
    }

    /// The places where the text of `file` may be cut: where no step would see another text than without
    /// the cut.
    ///
    /// Steps on lines keep lines whole, and those on cells keep records whole; but a step on
    /// lines may open or close the quotes that a later step on cells goes by.
    fn cut(&self, file: &Path) -> Cut {
        let steps = &self.rewrite.steps[..self.steps.len()];
        let layouts = steps.iter().map(|step| step.query.layout(file));
        let layouts: Vec<Option<Layout>> = layouts.collect();
        let ends_of = |layout: &Option<Layout>| layout.and_then(Layout::record_ends);
        let Some(last) = layouts.iter().rposition(|l| ends_of(l).is_some()) else {
            return if self.whole { Cut::Nowhere } else { Cut::Lines };
        };
        let same = layouts[..last]
            .iter()
            .all(|layout| *layout == layouts[last]);
        match ends_of(&layouts[last]) {
            Some(ends) if same && !self.whole => Cut::Records(ends),
            _ => Cut::Nowhere,
        }
    }
}

/// The outcome of a rewrite of one text in memory.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Outcome {
    /// The text with every change made.
    pub text: Vec<u8>,
    /// The counts.
    pub counts: Counts,
    /// The problems that came up.
    pub problems: Vec<Problem>,
}

/// Rewrites one text in memory.
pub fn rewrite_text(rewrite: &Rewrite, text: &[u8]) -> Outcome {
    struct Splicer<'t> {
        text: &'t [u8],
        done: usize,
        out: Vec<u8>,
        problems: Vec<Problem>,
    }
    impl Sink for Splicer<'_> {
        fn hunk(&mut self, hunk: &Hunk<'_>) {
            for edit in hunk.edits() {
                // The text is in memory, so its offsets fit.
                let (from, to) = (edit.from as usize, edit.to as usize);
                self.out.extend_from_slice(&self.text[self.done..from]);
                self.out.extend_from_slice(edit.after);
                self.done = to;
            }
        }
        fn problem(&mut self, problem: Problem) {
            self.problems.push(problem);
        }
    }
    let splicer = || Splicer {
        text,
        done: 0,
        out: Vec::with_capacity(text.len()),
        problems: Vec::new(),
    };
    let mut options = RunOptions::default();
    while let Some(step) = rewrite.step_to_count(&options.totals) {
        let mut run = Run::counting(rewrite, step, &options.totals);
        let mut evaluation = run.text("-", 0);
        evaluation.push(text, &mut splicer());
        evaluation.finish(&mut splicer());
        options.totals.set(step, run.counted());
    }
    let mut sink = splicer();
    let mut run = Run::new(rewrite, &options);
    let mut evaluation = run.text("-", 0);
    evaluation.push_last(text, &mut sink);
    let counts = evaluation.finish(&mut sink);
    sink.out.extend_from_slice(&text[sink.done..]);
    Outcome {
        text: sink.out,
        counts,
        problems: sink.problems,
    }
}
