//! One text on its way through the steps of a rewrite.

use crate::chunker::{ChunkSink, Chunker};
use crate::edits::compose::compose;
use crate::edits::{Edit, Origins, splice};
use crate::problem::{Problem, ProblemKind};
use crate::query::note::Note;
use crate::rewrite::counts::Counts;
use crate::rewrite::hunk::{Cutting, Extent, Hunk};
use crate::rewrite::seen::SeenUnit;
use crate::rewrite::sink::{Sink, Unmet};
use crate::step::edit_maker::StepReceiver;
use crate::step::eval::{StepRun, StepText};
use crate::unit::{count_lines, line_ends};
use std::collections::HashMap;

/// A rewrite being evaluated over one text, which may come in pieces of any size.
#[derive(Debug)]
pub struct Evaluation<'e, 'r> {
    pub(super) pieces: Chunker,
    pub(super) state: TextState<'e, 'r>,
}

#[derive(Debug)]
pub(super) struct TextState<'e, 'r> {
    pub(super) steps: &'e mut [StepRun<'r>],
    /// The only step shows what it finds.
    pub(super) shows: bool,
    pub(super) stages: bool,
    /// Each unit that a step looks at is shown.
    pub(super) watched: bool,
    pub(super) split_from: Option<usize>,
    pub(super) counts: Counts,
    /// Number of the next original line, from 1.
    pub(super) line: u64,
    /// True for a part of a text, which does not know the others.
    pub(super) is_part: bool,
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
        let mut ends = Vec::new();
        for (index, step) in self.state.steps.iter_mut().enumerate() {
            let (notes, end) = step.finish_text();
            for note in notes {
                sink.note(index, note);
            }
            ends.extend(end.map(|end| (index, end)));
        }
        for (index, end) in ends {
            if self.state.is_part {
                sink.part_end(end);
                continue;
            }
            let (notes, problem) = end.finish();
            for note in notes {
                sink.note(index, Note::Column(note));
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
        if let ([step], true) = (&mut *state.steps, state.shows) {
            // It counts the lines itself, and only as far as it must.
            state.counts.problems += step.show(original, (base, ended), self.sink);
            return;
        }
        let mut cutting = Cutting::new(original, base, state.line);
        let mut parts = Parts::default();
        let mut edits = Vec::new();
        let mut current: Option<Vec<u8>> = None;
        let mut stages = Vec::new();
        let mut told: HashMap<Option<u64>, Vec<ProblemKind>> = HashMap::new();
        let (mut problems, mut unmet) = (Vec::new(), Vec::new());
        let several = state.steps.len() > 1;
        let last = state.steps.len().saturating_sub(1);
        for (index, step) in state.steps.iter_mut().enumerate() {
            let text: &[u8] = current.as_deref().unwrap_or(original);
            let written = match state.watched && index > 0 {
                true => Origins::new(&edits).written(),
                false => Vec::new(),
            };
            let step_text = StepText {
                text,
                last: ended,
                written: &written,
            };
            let mut receiver = PieceReceiver {
                step: index,
                cutting: &mut cutting,
                shown: Shown {
                    counts: &mut state.counts,
                    sink: &mut *self.sink,
                    parts,
                },
            };
            let outcome = step.piece(step_text, state.split_from, &mut receiver);
            parts = receiver.shown.parts;
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
                problems.push(problem);
            }
            for (offset, text) in outcome.unmet {
                let line = origin.line_of(offset);
                unmet.push(Unmet { line, text });
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
        // By line, and only then by step: how a text comes in pieces must not show.
        problems.sort_by_key(|problem| problem.line);
        state.counts.problems += problems.len() as u64;
        (problems.into_iter()).for_each(|problem| self.sink.problem(problem));
        unmet.sort_by_key(|unmet| unmet.line);
        state.counts.unmet += unmet.len() as u64;
        (unmet.into_iter()).for_each(|unmet| self.sink.unmet(unmet));
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
        let mut steps = self.state.steps.iter_mut();
        let first = steps.next().map(|first| first.pass_lines(lines));
        let line = first.unwrap_or(self.state.line);
        for step in steps {
            step.pass_lines(lines);
        }
        self.state.line = line + lines;
        self.state.counts.problems += 1;
        self.sink.problem(Problem::overlong(line, kind));
    }
}

/// Hands on what a step finds in the current piece.
struct PieceReceiver<'p, 's, 'c> {
    step: usize,
    cutting: &'p mut Cutting<'c>,
    shown: Shown<'s>,
}

impl StepReceiver for PieceReceiver<'_, '_, '_> {
    fn some_edits(&mut self, edits: &mut Vec<Edit>) {
        let shown = &mut self.shown;
        let done = self.cutting.some(edits, |hunk| shown.hunk(hunk));
        edits.drain(..done);
    }

    fn seen(&mut self, seen: &SeenUnit<'_>) {
        self.shown.sink.seen(self.step, seen);
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

/// Line ends, and whether text follows the last of them.
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
