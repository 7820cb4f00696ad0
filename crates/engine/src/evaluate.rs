//! A rewrite over one text, its changes located on disk.

use crate::collector::{Events, FileHunk, SearchedUnit};
use brisk_quill_core::columns::row::Row;
use brisk_quill_core::problem::{Problem, ProblemKind};
use brisk_quill_core::query::findings::Findings;
use brisk_quill_core::query::note::Note;
use brisk_quill_core::query::table_end::TableEnd;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::rewrite::counts::Counts;
use brisk_quill_core::rewrite::evaluation::Evaluation;
use brisk_quill_core::rewrite::hunk::{Hunk, HunkEdit};
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::rewrite::sink::{Sink, Unmet};
use brisk_quill_core::unit::lines;
use brisk_quill_files::edit::FileEdit;
use brisk_quill_files::read::open_text::OpenText;
use brisk_quill_files::text_map::TextMap;
use smallvec::SmallVec;

/// An evaluation of one text, or of a part of one, piece after piece.
pub(crate) struct EvaluationRun<'e, 'r> {
    evaluation: Evaluation<'e, 'r>,
    refused: Counts,
    notes: Vec<Note>,
    table_ends: Vec<TableEnd>,
    byte_feed: ByteFeed,
}

impl<'e, 'r> EvaluationRun<'e, 'r> {
    /// An evaluation of a text that has been opened.
    pub fn of_text(
        evaluation: Evaluation<'e, 'r>,
        text: &OpenText<'_>,
        events: &mut dyn Events,
    ) -> Self {
        let evaluation = match text.map().whole() {
            None => evaluation,
            Some(_) => evaluation.of_decoded(),
        };
        Self {
            byte_feed: ByteFeed::new(text, events),
            ..Self::of_part(evaluation)
        }
    }

    /// An evaluation of a part, whose bytes no one wants.
    pub fn of_part(evaluation: Evaluation<'e, 'r>) -> Self {
        Self {
            evaluation,
            refused: Counts::default(),
            notes: Vec::new(),
            table_ends: Vec::new(),
            byte_feed: ByteFeed::default(),
        }
    }

    /// Takes the next bytes; `last` says that they are the last, where that is known.
    pub fn push(
        &mut self,
        piece: &[u8],
        (map, last): (&dyn TextMap, bool),
        events: &mut dyn Events,
    ) {
        let sink = &mut Reporter {
            map,
            events,
            refused: &mut self.refused,
            notes: &mut self.notes,
            table_ends: &mut self.table_ends,
        };
        match last {
            true => self.evaluation.push_last(piece, sink),
            false => self.evaluation.push(piece, sink),
        }
        self.byte_feed.feed(piece, self.evaluation.done(), events);
    }

    /// Ends the text, or the part of one.
    pub fn finish(mut self, map: &dyn TextMap, events: &mut dyn Events) -> TextFound {
        let mut counts = self.evaluation.finish(&mut Reporter {
            map,
            events,
            refused: &mut self.refused,
            notes: &mut self.notes,
            table_ends: &mut self.table_ends,
        });
        self.byte_feed.end(map, events);
        let refused = self.refused;
        counts.changes -= refused.changes;
        counts.lines_added -= refused.lines_added;
        counts.lines_removed -= refused.lines_removed;
        counts.problems += refused.problems;
        TextFound {
            counts,
            notes: self.notes,
            table_ends: self.table_ends,
        }
    }
}

/// The findings of a text, or of a part of one.
#[derive(Debug, Default)]
pub(crate) struct TextFound {
    pub counts: Counts,
    pub notes: Vec<Note>,
    /// Of a part, what each step that looks at cells knows of its columns.
    pub table_ends: Vec<TableEnd>,
}

/// Reports the bytes of a text once all changes in them are known; by default none.
#[derive(Default)]
struct ByteFeed {
    wanted: bool,
    /// The offset up to which they have been reported.
    done: u64,
    /// The bytes that have been read and not yet reported.
    held: Vec<u8>,
}

impl ByteFeed {
    fn new(text: &OpenText<'_>, events: &mut dyn Events) -> Self {
        let wanted = events.wants_bytes();
        if wanted {
            if let Some(packing) = text.packing() {
                events.packed(&packing);
            }
            events.bytes(text.mark());
        }
        Self {
            // A decoded text is in memory as a whole, and reported at the end.
            wanted: wanted && text.map().whole().is_none(),
            done: text.start(),
            held: Vec::new(),
        }
    }

    /// The text has been evaluated up to offset `done`, which lies in `piece` or before it.
    fn feed(&mut self, piece: &[u8], done: u64, events: &mut dyn Events) {
        if !self.wanted {
            return;
        }
        // Both lie in what is held and the piece, so they fit.
        let ready = (done - self.done) as usize;
        self.done = done;
        let Some(of_piece) = ready.checked_sub(self.held.len()) else {
            events.bytes(&self.held[..ready]);
            self.held.drain(..ready);
            return self.held.extend_from_slice(piece);
        };
        events.bytes(&self.held);
        events.bytes(&piece[..of_piece]);
        self.held.clear();
        self.held.extend_from_slice(&piece[of_piece..]);
    }

    /// All of the text has been evaluated.
    fn end(self, map: &dyn TextMap, events: &mut dyn Events) {
        match map.whole() {
            Some(all) if events.wants_bytes() => events.bytes(all),
            Some(_) => {}
            None => events.bytes(&self.held),
        }
    }
}

/// Locates units and hunks on disk; hunks that cannot be written there become problems.
struct Reporter<'s> {
    map: &'s dyn TextMap,
    events: &'s mut dyn Events,
    /// Counts that must be subtracted.
    refused: &'s mut Counts,
    notes: &'s mut Vec<Note>,
    table_ends: &'s mut Vec<TableEnd>,
}

impl Sink for Reporter<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, taken: u64) {
        self.events.unit(&SearchedUnit {
            unit,
            found,
            map: self.map,
            taken,
        });
    }

    fn passed(&mut self, units: u64) {
        self.events.passed(units);
    }

    fn row(&mut self, row: &Row<'_>) {
        self.events.row(row);
    }

    fn hunk(&mut self, hunk: &Hunk<'_>) {
        let mut edits = SmallVec::with_capacity(hunk.changes());
        for text in hunk.edits() {
            let Some(after) = self.map.encode(&text) else {
                return self.refuse(hunk, &text);
            };
            edits.push(FileEdit {
                from: self.map.place(text.from),
                to: self.map.place(text.to),
                before: self.map.raw(text.from, text.before),
                after,
                text,
            });
        }
        self.events.hunk(&FileHunk {
            hunk,
            edits,
            map: self.map,
        });
    }

    fn problem(&mut self, problem: Problem) {
        self.events.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.events.unmet(unmet);
    }

    fn seen(&mut self, step: usize, seen: &SeenUnit<'_>) {
        self.events.seen(step, seen);
    }

    fn part_end(&mut self, end: TableEnd) {
        self.table_ends.push(end);
    }

    fn note(&mut self, _: usize, note: Note) {
        self.notes.push(note);
    }
}

impl Reporter<'_> {
    fn refuse(&mut self, hunk: &Hunk<'_>, edit: &HunkEdit<'_>) {
        let (was, now) = (lines(hunk.was).count() as u64, hunk.now());
        let now = lines(&now).count() as u64;
        self.refused.changes += hunk.changes() as u64;
        self.refused.lines_added += now.saturating_sub(was);
        self.refused.lines_removed += was.saturating_sub(now);
        self.refused.problems += 1;
        let encoding = self.map.encoding();
        let text = edit.after.to_vec();
        self.events.problem(Problem {
            line: Some(edit.line),
            kind: ProblemKind::Unwritable { encoding, text },
        });
    }
}
