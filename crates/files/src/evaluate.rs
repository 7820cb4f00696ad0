//! A rewrite over one text, its changes located on disk.

pub mod in_parts;

use crate::coding::Coding;
use crate::error::FileError;
use crate::read::{Facts, OpenText, Skipped};
use brisk_quill_core::problem::{Problem, ProblemKind};
use brisk_quill_core::query::scanner::Note;
use brisk_quill_core::rewrite::hunk::{Hunk, HunkEdit};
use brisk_quill_core::rewrite::{Counts, Evaluation, Run, Sink, Unmet};
use brisk_quill_core::unit::lines;
use std::borrow::Cow;

/// What became of a source.
#[derive(Debug)]
pub enum Evaluated {
    /// It was read to its end.
    Read {
        /// What is known of it.
        facts: Facts,
        /// What was counted in it.
        counts: Counts,
        /// The line of the first bytes without a meaning in its encoding, and how many such
        /// places there are.
        meaningless: Option<(u64, u64)>,
    },
    /// It was not looked at.
    Skipped(Skipped),
}

/// A hunk with its changes as they are on disk.
pub struct FileHunk<'p> {
    /// The lines, as text.
    pub hunk: &'p Hunk<'p>,
    /// The changes in it, in order.
    pub edits: Vec<FileEdit<'p>>,
    /// How the text lies on disk.
    pub coding: &'p Coding,
}

/// A change as text and on disk.
pub struct FileEdit<'p> {
    /// As text.
    pub text: HunkEdit<'p>,
    /// First byte on disk, from 0.
    pub from: u64,
    /// One past the last byte.
    pub to: u64,
    /// The bytes that stand there.
    pub before: &'p [u8],
    /// The bytes that will.
    pub after: Cow<'p, [u8]>,
}

/// Takes what an evaluation finds in a file; see [`Sink`].
pub trait FileSink {
    /// Lines that change.
    fn hunk(&mut self, hunk: &FileHunk<'_>);

    /// A unit that was left alone.
    fn problem(&mut self, problem: Problem);

    /// A unit that does not match what it must.
    fn unmet(&mut self, unmet: Unmet);

    /// Something that a step (from 0) has to tell of the text.
    fn note(&mut self, step: usize, note: Note);

    /// Whether it wants to see the bytes of the file too.
    fn wants_bytes(&self) -> bool {
        false
    }

    /// The next bytes on disk, where they are wanted; every change in them has been handed on
    /// before. It is called at least once for each file that is read.
    fn bytes(&mut self, raw: &[u8]) {
        let _ = raw;
    }
}

/// A sink that lets everything pass.
pub struct NullCollector;

impl FileSink for NullCollector {
    fn hunk(&mut self, _: &FileHunk<'_>) {}
    fn problem(&mut self, _: Problem) {}
    fn unmet(&mut self, _: Unmet) {}
    fn note(&mut self, _: usize, _: Note) {}
}

/// Evaluates the rewrite of `run` over an opened text.
///
/// # Errors
///
/// When the text cannot be read to its end. What `sink` was given until then is void.
pub fn evaluate(
    run: &mut Run<'_>,
    text: Result<OpenText<'_>, Skipped>,
    sink: &mut dyn FileSink,
) -> Result<Evaluated, FileError> {
    let mut text = match text {
        Ok(text) => text,
        Err(skipped) => return Ok(Evaluated::Skipped(skipped)),
    };
    let mut evaluation = run.text(text.file(), text.start());
    if !matches!(text.coding(), Coding::Utf8) {
        evaluation = evaluation.of_decoded();
    }
    let mut in_turn = InTurn::new(evaluation, Follower::new(sink, &text));
    text.read(|piece, coding, last| in_turn.push(piece, (coding, last), sink))?;
    let counts = in_turn.finish(text.coding(), sink);
    Ok(Evaluated::of(&mut text, counts))
}

impl Evaluated {
    /// A text that has been read to its end.
    fn of(text: &mut OpenText<'_>, counts: Counts) -> Self {
        let found = counts.changes + counts.problems + counts.unmet > 0;
        Self::Read {
            facts: text.facts(found),
            counts,
            meaningless: text.coding().meaningless(),
        }
    }
}

/// An evaluation of a text, or of the rest of one, piece after piece.
struct InTurn<'e, 'r> {
    evaluation: Evaluation<'e, 'r>,
    refused: Counts,
    follower: Follower,
}

impl<'e, 'r> InTurn<'e, 'r> {
    fn new(evaluation: Evaluation<'e, 'r>, follower: Follower) -> Self {
        Self {
            evaluation,
            refused: Counts::default(),
            follower,
        }
    }

    /// Takes the next bytes; `last` tells that they are the last, where that is known.
    fn push(&mut self, piece: &[u8], (coding, last): (&Coding, bool), sink: &mut dyn FileSink) {
        let mut located = Located::new(coding, sink, &mut self.refused);
        match last {
            true => self.evaluation.push_last(piece, &mut located),
            false => self.evaluation.push(piece, &mut located),
        }
        self.follower.follow(piece, self.evaluation.done(), sink);
    }

    /// Ends the text; what was counted.
    fn finish(mut self, coding: &Coding, sink: &mut dyn FileSink) -> Counts {
        let mut located = Located::new(coding, sink, &mut self.refused);
        let mut counts = self.evaluation.finish(&mut located);
        self.follower.end(coding, sink);
        let refused = self.refused;
        counts.changes -= refused.changes;
        counts.lines_added -= refused.lines_added;
        counts.lines_removed -= refused.lines_removed;
        counts.problems += refused.problems;
        counts
    }
}

/// Shows a sink the bytes of a text, once all changes in them are known; by default none.
#[derive(Default)]
struct Follower {
    wanted: bool,
    /// The offset up to which they have been shown.
    done: u64,
    /// Those that have been read and not yet shown.
    held: Vec<u8>,
}

impl Follower {
    fn new(sink: &mut dyn FileSink, text: &OpenText<'_>) -> Self {
        let wanted = sink.wants_bytes();
        if wanted {
            sink.bytes(text.mark());
        }
        Self {
            // What is decoded is there as a whole, and shown at the end.
            wanted: wanted && matches!(text.coding(), Coding::Utf8),
            done: text.start(),
            held: Vec::new(),
        }
    }

    /// The text has been evaluated up to offset `done`, which lies in `piece` or before it.
    fn follow(&mut self, piece: &[u8], done: u64, sink: &mut dyn FileSink) {
        if !self.wanted {
            return;
        }
        // Both lie in what is held and the piece, so they fit.
        let ready = (done - self.done) as usize;
        self.done = done;
        let Some(of_piece) = ready.checked_sub(self.held.len()) else {
            sink.bytes(&self.held[..ready]);
            self.held.drain(..ready);
            return self.held.extend_from_slice(piece);
        };
        sink.bytes(&self.held);
        sink.bytes(&piece[..of_piece]);
        self.held.clear();
        self.held.extend_from_slice(&piece[of_piece..]);
    }

    /// All of the text has been evaluated.
    fn end(self, coding: &Coding, sink: &mut dyn FileSink) {
        match coding {
            Coding::Decoded(decoded) if sink.wants_bytes() => sink.bytes(decoded.raw()),
            Coding::Decoded(_) => {}
            Coding::Utf8 => sink.bytes(&self.held),
        }
    }
}

/// Locates hunks on disk; those that cannot be written there become problems.
struct Located<'l> {
    coding: &'l Coding,
    sink: &'l mut dyn FileSink,
    /// What must be taken off the counts.
    refused: &'l mut Counts,
}

impl<'l> Located<'l> {
    fn new(coding: &'l Coding, sink: &'l mut dyn FileSink, refused: &'l mut Counts) -> Self {
        Self {
            coding,
            sink,
            refused,
        }
    }
}

impl Sink for Located<'_> {
    fn hunk(&mut self, hunk: &Hunk<'_>) {
        let mut edits = Vec::with_capacity(hunk.changes());
        for text in hunk.edits() {
            let Some(after) = self.coding.encode(&text) else {
                return self.refuse(hunk, &text);
            };
            edits.push(FileEdit {
                from: self.coding.on_disk(text.from),
                to: self.coding.on_disk(text.to),
                before: self.coding.raw(text.from, text.before),
                after,
                text,
            });
        }
        self.sink.hunk(&FileHunk {
            hunk,
            edits,
            coding: self.coding,
        });
    }

    fn problem(&mut self, problem: Problem) {
        self.sink.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.sink.unmet(unmet);
    }

    fn note(&mut self, step: usize, note: Note) {
        self.sink.note(step, note);
    }
}

impl Located<'_> {
    fn refuse(&mut self, hunk: &Hunk<'_>, edit: &HunkEdit<'_>) {
        let (was, now) = (lines(hunk.was).count() as u64, hunk.now());
        let now = lines(&now).count() as u64;
        self.refused.changes += hunk.changes() as u64;
        self.refused.lines_added += now.saturating_sub(was);
        self.refused.lines_removed += was.saturating_sub(now);
        self.refused.problems += 1;
        let encoding = self.coding.name();
        let text = edit.after.to_vec();
        self.sink.problem(Problem {
            line: Some(edit.line),
            kind: ProblemKind::Unwritable { encoding, text },
        });
    }
}
