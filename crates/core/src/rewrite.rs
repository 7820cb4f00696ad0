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
pub mod hunk;
pub mod options;
pub mod part_start;

use crate::chunker::{ChunkSink, Chunker, Cut};
use crate::columns::layout::Layout;
use crate::edits::compose::compose;
use crate::edits::{Edit, Origins, splice};
use crate::problem::{Problem, ProblemKind};
use crate::query::note::Note;
use crate::rewrite::counts::Counts;
use crate::rewrite::hunk::{Cutting, Extent, Hunk};
use crate::rewrite::options::{RunOptions, RunTotals};
use crate::rewrite::part_start::PartStart;
use crate::step::Step;
use crate::step::edit_maker::Split;
use crate::step::eval::StepRun;
use crate::unit::{count_lines, line_ends};
use std::collections::HashMap;
use std::path::Path;

/// An ordered list of steps.
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

/// A unit that does not match what it must after the rewrite.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unmet {
    /// The line it begins in, from 1, in the original text.
    pub line: u64,
    /// Its text after the rewrite.
    pub text: Vec<u8>,
}

/// Takes what an evaluation finds, in order of place.
pub trait Sink {
    /// Lines that change, with every change in them.
    fn hunk(&mut self, hunk: &Hunk<'_>);

    /// A unit that was left alone because something went wrong.
    fn problem(&mut self, problem: Problem);

    /// A unit that does not match what it must.
    fn unmet(&mut self, unmet: Unmet) {
        let _ = unmet;
    }

    /// Something that a step (counted from 0) has to tell of the text.
    fn note(&mut self, step: usize, note: Note) {
        let _ = (step, note);
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
        for (step, total) in steps.iter_mut().zip(&options.totals.0) {
            if let Some(total) = total {
                step.scanner().set_run_total(*total);
            }
        }
        Self {
            rewrite,
            whole: options.one_piece || rewrite.steps.iter().any(|s| s.query.needs_whole_text()),
            stages: options.stages,
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
        self.begin(file, self.cut(file), PartStart::of_text(start))
    }

    /// True if what becomes of a line of `file` depends on nothing but the line and where it
    /// lies, so that its text may be evaluated in parts, on several threads: see [`Run::part`].
    pub fn is_local(&self, file: impl AsRef<Path>) -> bool {
        let steps = &self.rewrite.steps[..self.steps.len()];
        let mut steps = steps.iter().enumerate();
        // Which lines a step sees behind another, nobody knows without that text as a whole.
        matches!(self.cut(file.as_ref()), Cut::Lines)
            && steps.all(|(index, step)| step.is_local() && (index == 0 || step.needs_no_place()))
    }

    /// The same as [`Run::text`] for a part of a text that is [local](Run::is_local).
    pub fn part(&mut self, file: impl AsRef<Path>, start: PartStart) -> Evaluation<'_, 'r> {
        self.begin(file.as_ref(), Cut::Lines, start)
    }

    fn begin(&mut self, file: &Path, cut: Cut, start: PartStart) -> Evaluation<'_, 'r> {
        for step in &mut self.steps {
            step.begin_text(file, &start);
        }
        Evaluation {
            pieces: Chunker::new(cut, start.offset),
            state: TextState {
                steps: &mut self.steps,
                stages: self.stages,
                split_from: self.split_from.filter(|_| self.rewrite.steps.len() == 1),
                counts: Counts::default(),
                line: start.line,
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
        let quotes = |layout: &Option<Layout>| layout.and_then(Layout::boundary);
        let Some(last) = layouts.iter().rposition(|l| quotes(l).is_some()) else {
            return if self.whole { Cut::Nowhere } else { Cut::Lines };
        };
        let same = layouts[..last]
            .iter()
            .all(|layout| *layout == layouts[last]);
        match quotes(&layouts[last]) {
            Some(boundary) if same && !self.whole => Cut::Records(boundary),
            _ => Cut::Nowhere,
        }
    }
}

/// A rewrite being evaluated over one text, which may come in pieces of any size.
#[derive(Debug)]
pub struct Evaluation<'e, 'r> {
    pieces: Chunker,
    state: TextState<'e, 'r>,
}

#[derive(Debug)]
struct TextState<'e, 'r> {
    steps: &'e mut [StepRun<'r>],
    stages: bool,
    split_from: Option<usize>,
    counts: Counts,
    /// Number of the next original line, from 1.
    line: u64,
}

impl Evaluation<'_, '_> {
    /// For a text that was decoded. It splits no line, however many changes it has: where a change
    /// may yet be refused, all of its line must be. And each edit says what it has copied.
    #[must_use]
    pub fn of_decoded(mut self) -> Self {
        self.state.split_from = None;
        for step in &mut *self.state.steps {
            step.keep_copies(true);
        }
        self
    }

    /// Takes the next bytes of the text.
    pub fn push(&mut self, bytes: &[u8], sink: &mut dyn Sink) {
        self.push_some(bytes, false, sink);
    }

    /// The same for the last bytes, where they are known to be the last: that saves some work.
    pub fn push_last(&mut self, bytes: &[u8], sink: &mut dyn Sink) {
        self.push_some(bytes, true, sink);
    }

    fn push_some(&mut self, bytes: &[u8], last: bool, sink: &mut dyn Sink) {
        let state = &mut self.state;
        self.pieces
            .push(bytes, last, &mut TextPiece { state, sink });
    }

    /// The offset up to which the text has been evaluated: no change will be found before it.
    pub fn done(&self) -> u64 {
        self.pieces.done()
    }

    /// Ends the text.
    pub fn finish(mut self, sink: &mut dyn Sink) -> Counts {
        let state = &mut self.state;
        self.pieces.finish(&mut TextPiece { state, sink });
        for (index, step) in self.state.steps.iter_mut().enumerate() {
            let (notes, problem) = step.finish_text();
            for note in notes {
                sink.note(index, note);
            }
            if let Some(problem) = problem {
                self.state.counts.problems += 1;
                sink.problem(problem);
            }
        }
        let mut counts = self.state.counts;
        counts.steps = self.state.steps.iter().map(|s| *s.counts()).collect();
        counts
    }
}

struct TextPiece<'p, 'e, 'r> {
    state: &'p mut TextState<'e, 'r>,
    sink: &'p mut dyn Sink,
}

impl ChunkSink for TextPiece<'_, '_, '_> {
    fn piece(&mut self, original: &[u8], base: u64, ended: bool) {
        let state = &mut *self.state;
        let mut cutting = Cutting::new(original, base, state.line);
        let mut parts = Parts::default();
        let mut edits = Vec::new();
        let mut current: Option<Vec<u8>> = None;
        let mut stages = Vec::new();
        let mut told: HashMap<Option<u64>, Vec<ProblemKind>> = HashMap::new();
        let several = state.steps.len() > 1;
        let last = state.steps.len().saturating_sub(1);
        for (index, step) in state.steps.iter_mut().enumerate() {
            let text: &[u8] = current.as_deref().unwrap_or(original);
            let mut shown = Shown {
                counts: &mut state.counts,
                sink: &mut *self.sink,
                parts,
            };
            let mut take = |edits: &mut Vec<Edit>| {
                let done = cutting.some(edits, |hunk| shown.hunk(hunk));
                edits.drain(..done);
            };
            let split = state.split_from.map(|most| Split {
                most,
                take: &mut take,
            });
            let outcome = step.piece(text, ended, split);
            parts = shown.parts;
            let mut origin = Origin::new(original, state.line, &edits);
            for (offset, problem) in outcome.problems {
                let line = problem.line.map(|_| origin.line_of(offset));
                let problem = Problem { line, ..problem };
                // What is wrong with a row is wrong for every step.
                let of_row = matches!(problem.kind, ProblemKind::Row(_) | ProblemKind::Column(_));
                if of_row && several {
                    let told = told.entry(problem.line).or_default();
                    if told.contains(&problem.kind) {
                        continue;
                    }
                    told.push(problem.kind.clone());
                }
                state.counts.problems += 1;
                self.sink.problem(problem);
            }
            for (offset, text) in outcome.unmet {
                state.counts.unmet += 1;
                let line = origin.line_of(offset);
                self.sink.unmet(Unmet { line, text });
            }
            if !outcome.edits.is_empty() {
                edits = compose(original, edits, text, outcome.edits);
                if index < last {
                    current = Some(splice(original, &edits));
                }
            }
            if state.stages {
                stages.push(edits.clone());
            }
        }
        let mut shown = Shown {
            counts: &mut state.counts,
            sink: &mut *self.sink,
            parts,
        };
        cutting.rest(&edits, &stages, |hunk| shown.hunk(hunk));
        state.line = match ended {
            true => cutting.line(),
            false => cutting.line_after(),
        };
    }

    fn overlong(&mut self, lines: u64, kind: ProblemKind) {
        let line = self.state.line;
        for step in self.state.steps.iter_mut() {
            step.pass_lines(lines);
        }
        self.state.line += lines;
        self.state.counts.problems += 1;
        self.sink.problem(Problem::overlong(line, kind));
    }
}

/// Counts hunks and shows them.
struct Shown<'s> {
    counts: &'s mut Counts,
    sink: &'s mut dyn Sink,
    /// Of a line that comes in parts, as far as it has come.
    parts: Parts,
}

/// Lines before and after, of text that comes in parts.
#[derive(Clone, Copy, Default)]
struct Parts {
    was: LinesSoFar,
    now: LinesSoFar,
}

/// Line ends, and whether text stands behind the last of them.
#[derive(Clone, Copy, Default)]
struct LinesSoFar {
    ends: u64,
    is_open: bool,
}

impl LinesSoFar {
    fn add(&mut self, text: &[u8]) {
        self.ends += line_ends(text);
        if let Some(last) = text.last() {
            self.is_open = *last != b'\n';
        }
    }

    fn lines(self) -> u64 {
        self.ends + u64::from(self.is_open)
    }
}

impl Shown<'_> {
    fn hunk(&mut self, hunk: &Hunk<'_>) {
        self.counts.changes += hunk.changes() as u64;
        match hunk.extent {
            Extent::Whole => {
                // What is left of a line that came in parts does not change, so it closes both.
                let Parts { was, now } = std::mem::take(&mut self.parts);
                self.count(was.ends, now.ends);
                if !hunk.keeps_lines() {
                    self.count(count_lines(hunk.was), count_lines(&hunk.now()));
                }
            }
            Extent::Part | Extent::Rest => {
                self.parts.was.add(hunk.was);
                self.parts.now.add(&hunk.now());
                if hunk.extent == Extent::Rest {
                    let Parts { was, now } = std::mem::take(&mut self.parts);
                    self.count(was.lines(), now.lines());
                }
            }
        }
        self.sink.hunk(hunk);
    }

    fn count(&mut self, was: u64, now: u64) {
        self.counts.lines_added += now.saturating_sub(was);
        self.counts.lines_removed += was.saturating_sub(now);
    }
}

/// Finds the line of the original that an offset of the text after some edits comes from. Offsets
/// mostly grow, so what lies between two of them is counted once.
struct Origin<'o> {
    original: &'o [u8],
    edits: &'o [Edit],
    origins: Option<Origins>,
    /// The offset up to which lines have been counted, and the line there.
    at: usize,
    line: u64,
}

impl<'o> Origin<'o> {
    fn new(original: &'o [u8], line: u64, edits: &'o [Edit]) -> Self {
        Self {
            original,
            edits,
            origins: None,
            at: 0,
            line,
        }
    }

    fn line_of(&mut self, offset: usize) -> u64 {
        let edits = self.edits;
        let origins = self.origins.get_or_insert_with(|| Origins::new(edits));
        let offset = origins.of(offset);
        match offset >= self.at {
            true => self.line += line_ends(&self.original[self.at..offset]),
            false => self.line -= line_ends(&self.original[offset..self.at]),
        }
        self.at = offset;
        self.line
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
