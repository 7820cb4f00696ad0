//! An ordered list of steps, and its evaluation over texts.
//!
//! Each text is cut into pieces of whole lines. A piece goes through all steps: each sees what
//! the one before it left, and its edits are composed into edits of the original piece. The
//! edits are then handed to a [`Sink`] as [`Passage`]s. A step that must know the end of a text
//! before its start (`--lines last-3..`) makes the whole text one piece.

mod passage;

pub use passage::{GroupText, Passage, PassageEdit};

use crate::edits::{compose, splice};
use crate::pieces::{Pieces, PiecesSink};
use crate::step::StepRun;
use crate::unit::count_lines;
use crate::{Problem, Step};

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

    /// The steps in order.
    pub fn steps(&self) -> &[Step] {
        &self.steps
    }
}

/// Takes what an evaluation finds, in order of place.
pub trait Sink {
    /// Lines that change, with every change in them.
    fn passage(&mut self, passage: &Passage<'_>);

    /// A unit that was left alone because something went wrong.
    fn problem(&mut self, problem: Problem);
}

/// How many matches were left out, by reason.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct LeftOutCounts {
    /// The pick took others.
    pub pick: u64,
    /// The limit was reached.
    pub limit: u64,
    /// They lie where the step does not look.
    pub place: u64,
}

impl LeftOutCounts {
    /// All of them.
    pub fn total(self) -> u64 {
        self.pick + self.limit + self.place
    }
}

/// What one step counted. `matches` is the sum of all the others.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct StepCounts {
    /// Matches found, taken or not.
    pub matches: u64,
    /// Matches whose text became another.
    pub edits: u64,
    /// Matches whose new text equals the old.
    pub unchanged: u64,
    /// Matches that were not taken.
    pub left_out: LeftOutCounts,
}

impl StepCounts {
    fn add(&mut self, other: &Self) {
        self.matches += other.matches;
        self.edits += other.edits;
        self.unchanged += other.unchanged;
        self.left_out.pick += other.left_out.pick;
        self.left_out.limit += other.left_out.limit;
        self.left_out.place += other.left_out.place;
    }

    /// Matches that were taken.
    pub fn taken(&self) -> u64 {
        self.edits + self.unchanged
    }
}

/// What an evaluation counted, in one text or in many.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Counts {
    /// Changes of the original text, after composition.
    pub changes: u64,
    /// Lines that the new text has more, summed over the passages that grow.
    pub lines_added: u64,
    /// Lines that the new text has less, summed over the passages that shrink.
    pub lines_removed: u64,
    /// Units that could not be computed.
    pub problems: u64,
    /// Each step's own counts, in order.
    pub steps: Vec<StepCounts>,
}

impl Counts {
    /// Adds the counts of another text of the same rewrite.
    pub fn add(&mut self, other: &Self) {
        self.changes += other.changes;
        self.lines_added += other.lines_added;
        self.lines_removed += other.lines_removed;
        self.problems += other.problems;
        self.steps.resize(
            self.steps.len().max(other.steps.len()),
            StepCounts::default(),
        );
        for (mine, theirs) in self.steps.iter_mut().zip(&other.steps) {
            mine.add(theirs);
        }
    }

    /// The counts of all steps together.
    pub fn all_steps(&self) -> StepCounts {
        let mut sum = StepCounts::default();
        for step in &self.steps {
            sum.add(step);
        }
        sum
    }
}

/// One run of a rewrite over texts, one after another in order: limits count through all of
/// them.
#[derive(Debug)]
pub struct Run<'r> {
    steps: Vec<StepRun<'r>>,
    whole: bool,
}

impl<'r> Run<'r> {
    /// A run in which changes carry no groups.
    pub fn new(rewrite: &'r Rewrite) -> Self {
        Self::with(rewrite, false)
    }

    /// A run in which each change carries the groups of its match.
    pub fn with_groups(rewrite: &'r Rewrite) -> Self {
        Self::with(rewrite, true)
    }

    fn with(rewrite: &'r Rewrite, groups: bool) -> Self {
        let steps = rewrite.steps.iter().enumerate();
        Self {
            steps: steps
                .map(|(index, step)| StepRun::new(step, index, groups))
                .collect(),
            whole: rewrite.steps.iter().any(|s| s.query.needs_whole_text()),
        }
    }

    /// Texts are evaluated only as a whole, so that a passage shows all that surrounds it.
    #[must_use]
    pub fn in_one_piece(mut self) -> Self {
        self.whole = true;
        self
    }

    /// Begins the next text.
    pub fn text(&mut self) -> Evaluation<'_, 'r> {
        self.text_at(0)
    }

    /// Begins the next text, which lies `start` bytes into its file; offsets are those in the
    /// file.
    pub fn text_at(&mut self, start: u64) -> Evaluation<'_, 'r> {
        for step in &mut self.steps {
            step.begin_text();
        }
        Evaluation {
            pieces: Pieces::new(self.whole, start),
            state: TextState {
                steps: &mut self.steps,
                counts: Counts::default(),
                line: 1,
            },
        }
    }
}

/// A rewrite being evaluated over one text, which may come in pieces of any size.
#[derive(Debug)]
pub struct Evaluation<'e, 'r> {
    pieces: Pieces,
    state: TextState<'e, 'r>,
}

#[derive(Debug)]
struct TextState<'e, 'r> {
    steps: &'e mut [StepRun<'r>],
    counts: Counts,
    /// Number of the next original line, from 1.
    line: u64,
}

impl Evaluation<'_, '_> {
    /// Takes the next bytes of the text.
    pub fn push(&mut self, bytes: &[u8], sink: &mut dyn Sink) {
        let state = &mut self.state;
        self.pieces.push(bytes, &mut TextPiece { state, sink });
    }

    /// Ends the text.
    pub fn finish(mut self, sink: &mut dyn Sink) -> Counts {
        let state = &mut self.state;
        self.pieces.finish(&mut TextPiece { state, sink });
        let mut counts = self.state.counts;
        counts.steps = self.state.steps.iter().map(|s| *s.counts()).collect();
        counts
    }
}

struct TextPiece<'p, 'e, 'r> {
    state: &'p mut TextState<'e, 'r>,
    sink: &'p mut dyn Sink,
}

impl PiecesSink for TextPiece<'_, '_, '_> {
    fn piece(&mut self, original: &[u8], base: u64) {
        let state = &mut *self.state;
        let mut edits = Vec::new();
        let mut current: Option<Vec<u8>> = None;
        let last = state.steps.len().saturating_sub(1);
        for (index, step) in state.steps.iter_mut().enumerate() {
            let text: &[u8] = current.as_deref().unwrap_or(original);
            let later = step.piece(text);
            if later.is_empty() {
                continue;
            }
            edits = compose(original, edits, text, later);
            if index < last {
                current = Some(splice(original, &edits));
            }
        }
        state.counts.changes += edits.len() as u64;
        state.line = passage::each(original, base, state.line, &edits, |passage| {
            let (was, now) = (count_lines(passage.was), count_lines(&passage.now()));
            state.counts.lines_added += now.saturating_sub(was);
            state.counts.lines_removed += was.saturating_sub(now);
            self.sink.passage(passage);
        });
    }

    fn overlong(&mut self, problem: Problem) {
        for step in self.state.steps.iter_mut() {
            step.pass_line();
        }
        self.state.line += 1;
        self.state.counts.problems += 1;
        self.sink.problem(problem);
    }
}

/// What a rewrite makes of one text in memory.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Outcome {
    /// The text with every change made.
    pub text: Vec<u8>,
    /// What was counted.
    pub counts: Counts,
    /// What could not be computed.
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
        fn passage(&mut self, passage: &Passage<'_>) {
            for edit in passage.edits() {
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
    let mut sink = Splicer {
        text,
        done: 0,
        out: Vec::with_capacity(text.len()),
        problems: Vec::new(),
    };
    let mut run = Run::new(rewrite);
    let mut evaluation = run.text();
    evaluation.push(text, &mut sink);
    let counts = evaluation.finish(&mut sink);
    sink.out.extend_from_slice(&text[sink.done..]);
    Outcome {
        text: sink.out,
        counts,
        problems: sink.problems,
    }
}
