//! All of a text as it becomes: changed lines, and the others between them.

use crate::collector::{Events, FileHunk};
use crate::draft::request::{Draft, Wanted};
use crate::draft::row::{Row, RowPlace};
use crate::session::Session;
use crate::sources::Sources;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::discover::Listing;
use brisk_quill_files::error::FileError;
use brisk_quill_files::source::Source;
use std::collections::VecDeque;
use std::ops::ControlFlow;
use std::sync::Arc;

/// Bytes of text that rows may hold, for each row that is wanted.
const BYTES_A_ROW: usize = 4 << 10;
/// Bytes of one line, or of changed lines, that are held at most.
const HELD_MOST: usize = 64 << 20;
/// The byte-order mark of UTF-8.
const MARK: &[u8] = b"\xef\xbb\xbf";

/// Rows of the text as it becomes.
pub(super) struct ResultList {
    pub rows: Vec<Row>,
    /// Nothing follows them.
    pub is_end: bool,
}

/// The rows of the text as it becomes from a place on; `session` is stopped by `inner` alone. `None` once `outer` is
/// stopped.
pub(super) fn rows(
    draft: &Draft<'_>,
    wanted: Wanted,
    options: RunOptions,
    (mut session, inner, outer): (Session, Arc<CancelToken>, &Arc<CancelToken>),
) -> Result<Option<ResultList>, FileError> {
    let work = draft.step.work(options);
    // What is found in a file may depend on those before it.
    let first = match work.rewrite.spans_texts() {
        true => 0,
        false => wanted.from.file,
    };
    let all = &draft.sources.listing.sources;
    let sources = Sources::of(Listing {
        sources: all.get(first..).unwrap_or_default().to_vec(),
        ..Listing::default()
    });
    let mut lines = ResultLines {
        wanted,
        bytes: wanted.rows * BYTES_A_ROW,
        outer,
        inner,
        file: first,
        rows: Vec::new(),
        is_full: false,
        text: TextLines::default(),
    };
    session.run_in_turn(&work, &sources, &mut lines, |lines, _, _| {
        lines.end_file();
        match lines.is_full {
            true => ControlFlow::Break(()),
            false => ControlFlow::Continue(()),
        }
    })?;
    if outer.is_stopped() {
        return Ok(None);
    }
    if lines.is_full {
        // The file that it was stopped in has not been ended.
        lines.end_file();
    }
    Ok(Some(ResultList {
        is_end: !lines.is_full,
        rows: lines.rows,
    }))
}

/// The lines of one text that have not been made rows yet.
#[derive(Default)]
struct TextLines {
    /// Bytes that have been read, of which those from `from` on are not rows yet; they lie at offset `at`.
    held: Vec<u8>,
    from: usize,
    at: u64,
    /// The number of the next line, from 0.
    line: u64,
    /// Changed lines that follow: their offset on disk, their length, and the row.
    changed: VecDeque<(u64, usize, Row)>,
}

impl TextLines {
    /// The next row, where all of it is there; `is_end` says that nothing follows.
    fn next(&mut self, file: usize, is_end: bool) -> Option<Row> {
        if let Some((_, length, _)) = self.changed.front().filter(|(at, ..)| *at <= self.at) {
            let length = *length;
            if self.left().len() < length && !is_end {
                return None;
            }
            let (.., row) = self.changed.pop_front()?;
            self.pass(length);
            return Some(row);
        }
        let left = self.left();
        let end = memchr::memchr(b'\n', left).map(|end| end + 1);
        let length = end.or((is_end && !left.is_empty()).then_some(left.len()))?;
        let (at, line) = (self.at, self.line + 1);
        let row = Row::kept(RowPlace { file, at }, line, &left[..length]);
        self.pass(length);
        Some(row)
    }

    fn left(&self) -> &[u8] {
        &self.held[self.from..]
    }

    fn pass(&mut self, length: usize) {
        let length = length.min(self.left().len());
        let passed = &self.left()[..length];
        self.line += memchr::memchr_iter(b'\n', passed).count() as u64;
        self.from += length;
        self.at += length as u64;
    }

    fn push(&mut self, raw: &[u8]) {
        // A byte-order mark is not a part of the first line.
        if self.at == 0 && self.held.is_empty() && raw == MARK {
            self.at = MARK.len() as u64;
            return;
        }
        self.held.drain(..self.from);
        self.from = 0;
        self.held.extend_from_slice(raw);
    }
}

/// Gathers the rows of texts as they become.
struct ResultLines<'l> {
    wanted: Wanted,
    /// Bytes that rows may still hold.
    bytes: usize,
    outer: &'l CancelToken,
    inner: Arc<CancelToken>,
    file: usize,
    rows: Vec<Row>,
    /// True if there are as many as are wanted, and more may follow.
    is_full: bool,
    text: TextLines,
}

impl ResultLines<'_> {
    fn take(&mut self, is_end: bool) {
        while let Some(row) = self.text.next(self.file, is_end) {
            if row.place < self.wanted.from {
                continue;
            }
            if self.rows.len() >= self.wanted.rows || self.bytes == 0 {
                self.is_full = true;
                self.inner.stop();
                return;
            }
            self.bytes = self.bytes.saturating_sub(row.bytes());
            self.rows.push(row);
        }
    }

    fn end_file(&mut self) {
        if !self.is_full {
            self.take(true);
        }
        self.text = TextLines::default();
        self.file += 1;
    }
}

impl Events for ResultLines<'_> {
    fn begin_file(&mut self, _: &Source) {
        self.text = TextLines::default();
    }

    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        let at = hunk.map.place(hunk.hunk.from);
        let length = (hunk.map.place(hunk.hunk.from + hunk.hunk.was.len() as u64) - at) as usize;
        let row = Row::becomes(
            RowPlace {
                file: self.file,
                at,
            },
            hunk,
        );
        self.text.changed.push_back((at, length, row));
    }

    fn problem(&mut self, _: Problem) {}

    fn wants_bytes(&self) -> bool {
        true
    }

    fn bytes(&mut self, raw: &[u8]) {
        if self.outer.is_stopped() || self.is_full {
            return self.inner.stop();
        }
        self.text.push(raw);
        self.take(false);
        if self.text.left().len() > HELD_MOST {
            self.is_full = true;
            self.inner.stop();
        }
    }
}
