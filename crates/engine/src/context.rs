//! A change where it is in its file, read from the disk before it is drawn.

pub mod excerpt;
pub mod row;
pub mod within;

use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::store::text_file::TextFile;
use memchr::{memchr, memchr_iter, memrchr};
use std::io;

/// Bytes read on either side of a change.
const AROUND: u64 = 16 << 10;
/// Bytes read on either side for a word of context.
const WORD: u64 = 24;
/// Other changes looked at on either side.
const NEIGHBOURS: usize = 500;
/// The largest file that is shown as a whole, in bytes.
const WHOLE_MOST: u64 = 8 << 20;

/// A row of a file: a line of it, or of what it becomes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FileRow {
    /// The number of the line that begins here, from 1; `None` where a line of new text does.
    pub line: Option<u64>,
    /// The pieces, in order.
    pub pieces: Vec<Piece>,
}

/// A piece of a row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Piece {
    /// The bytes.
    pub text: Vec<u8>,
    /// The origin.
    pub of: PieceOf,
}

/// The origin of a piece.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PieceOf {
    /// Text that no change touches.
    Text,
    /// The old text of the change that is looked at.
    Was,
    /// The new text.
    Now,
    /// The old text of another change, which stays as it was decided.
    Old(Decision),
    /// The new text of another change, which comes as it was decided.
    New(Decision),
    /// The old text that such a new one takes the place of.
    Replaced,
}

/// A change in its file.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Surroundings {
    /// The rows before it, with other changes as they are decided.
    pub before: Vec<FileRow>,
    /// The lines as they are.
    pub was: Vec<FileRow>,
    /// The lines as they become, with others in them as they are decided.
    pub now: Vec<FileRow>,
    /// The rows behind it.
    pub after: Vec<FileRow>,
}

/// A change as bytes of a text in memory.
struct Edit {
    index: usize,
    from: usize,
    to: usize,
    new: Vec<u8>,
    decision: Decision,
}

impl Edit {
    /// The same in a text that begins at `low`.
    fn moved_back(&self, low: usize) -> Self {
        Self {
            from: self.from - low,
            to: self.to - low,
            new: self.new.clone(),
            ..*self
        }
    }
}

/// Which text of the change that is looked at is shown.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Shown {
    Was,
    Now,
}

/// The text of the file of a change, where it can be shown.
fn open(doc: &PlanDoc, plan: &PlanIndex, index: usize) -> Option<TextFile> {
    let of = &plan.files[plan.file_of(index)];
    if !of.encoding.starts_with("UTF-8") {
        return None;
    }
    doc.text(of).ok()
}

/// The lines around the change at `index`; `None` where its file is not what it was, or is not
/// text in UTF-8.
pub fn surroundings(
    doc: &PlanDoc,
    plan: &PlanIndex,
    index: usize,
    change: &ChangeRecord<'_>,
) -> Option<Surroundings> {
    let file = open(doc, plan, index)?;
    let low = change.from.saturating_sub(AROUND);
    let high = (change.to + AROUND).min(file.bytes());
    // At most what is read around one change, which was in memory once.
    let mut text = vec![0; usize::try_from(high.checked_sub(low)?).ok()?];
    file.read_exact_at(&mut text, low).ok()?;
    let (from, to) = ((change.from - low) as usize, (change.to - low) as usize);
    if text[from..to] != *change.before_bytes()? {
        return None;
    }
    let edits = edits(doc, plan, (index, change), (low, text.len()));
    // The beginning of a line that begins before is not shown as one.
    let top = match low {
        0 => 0,
        _ => memchr(b'\n', &text[..from]).map_or(from, |at| at + 1),
    };
    let start = memrchr(b'\n', &text[..from])
        .map_or(0, |at| at + 1)
        .max(top.min(from));
    let inner = if to > from && text[to - 1] == b'\n' {
        to - 1
    } else {
        to
    };
    let end = memchr(b'\n', &text[inner..]).map_or(text.len(), |at| inner + at + 1);
    let line = change.line.0 - memchr_iter(b'\n', &text[start..from]).count() as u64;
    let first = line - memchr_iter(b'\n', &text[top.min(start)..start]).count() as u64;
    let height = memchr_iter(b'\n', &text[start..end]).count() as u64;
    let view = Rows {
        text: &text,
        edits: &edits,
        index,
    };
    Some(Surroundings {
        before: view.rows((top.min(start), start), first, None),
        was: view.rows((start, end), line, Some(Shown::Was)),
        now: view.rows((start, end), line, Some(Shown::Now)),
        after: view.rows((end, text.len()), line + height, None),
    })
}

/// The changes of a file in a part of its text that begins at `low` and is so long, in order.
fn edits(
    doc: &PlanDoc,
    plan: &PlanIndex,
    (index, own): (usize, &ChangeRecord<'_>),
    (low, length): (u64, usize),
) -> Vec<Edit> {
    let file = &plan.files[plan.file_of(index)];
    let edit = |number: usize, change: &ChangeRecord<'_>| {
        let written = plan.written(number, change).ok()?;
        let at = |offset: u64| usize::try_from(offset.checked_sub(low)?).ok();
        let (from, to) = (at(written.from)?, at(written.to)?);
        (to <= length).then_some(Edit {
            index: number,
            from,
            to,
            new: written.after.into_owned(),
            decision: plan.entries[number].decision,
        })
    };
    let other = |number: usize| edit(number, &doc.change(number).ok()?);
    let back = (file.first..index).rev().take(NEIGHBOURS);
    let mut all: Vec<Edit> = back.map_while(other).collect();
    all.reverse();
    all.extend(edit(index, own));
    all.extend((index + 1..file.end).take(NEIGHBOURS).map_while(other));
    // A plan whose decisions overlap is refused; what is drawn does not rely on that.
    let mut last = 0;
    all.retain(|edit| {
        let fits = edit.from >= last && edit.from <= edit.to;
        last = if fits { edit.to } else { last };
        fits
    });
    all
}

/// Cuts a text with its changes into rows.
struct Rows<'r> {
    text: &'r [u8],
    edits: &'r [Edit],
    /// The change that is looked at.
    index: usize,
}

impl Rows<'_> {
    /// The rows of a part of the text; its first line has the number `line`. Where it is the part
    /// with the change that is looked at, `shown` says which of its texts is shown.
    fn rows(&self, (from, to): (usize, usize), line: u64, shown: Option<Shown>) -> Vec<FileRow> {
        let mut out = RowMaker::new(line);
        let mut at = from;
        let inside = |edit: &&Edit| {
            // At a border, an insertion belongs to the part that it begins.
            let is_own = edit.index == self.index && shown.is_some();
            edit.from >= from && edit.to <= to && (edit.from < to || is_own)
        };
        for edit in self.edits.iter().filter(inside) {
            out.push(&self.text[at..edit.from], PieceOf::Text, true);
            let old = &self.text[edit.from..edit.to];
            match (edit.index == self.index, shown) {
                (true, Some(Shown::Was)) => out.push(old, PieceOf::Was, true),
                (true, Some(Shown::Now)) => {
                    out.push(&edit.new, PieceOf::Now, false);
                    out.pass(old);
                }
                _ if edit.decision.writes() => {
                    out.push(&edit.new, PieceOf::New(edit.decision), false);
                    out.pass(old);
                }
                _ => out.push(old, PieceOf::Old(edit.decision), true),
            }
            at = edit.to;
        }
        out.push(&self.text[at..to], PieceOf::Text, true);
        out.rows
    }
}

/// Puts rows together.
struct RowMaker {
    rows: Vec<FileRow>,
    /// The number of the next line of the file.
    line: u64,
    /// The last row goes on.
    is_open: bool,
}

impl RowMaker {
    fn new(line: u64) -> Self {
        Self {
            rows: Vec::new(),
            line,
            is_open: false,
        }
    }

    /// Adds text; `is_of_file` where it is that of the file, and its lines have numbers.
    fn push(&mut self, text: &[u8], of: PieceOf, is_of_file: bool) {
        if text.is_empty() && of == PieceOf::Text {
            return;
        }
        let mut rest = text;
        loop {
            if !self.is_open {
                self.rows.push(FileRow {
                    line: Some(self.line),
                    pieces: Vec::new(),
                });
                self.is_open = true;
            }
            let end = memchr(b'\n', rest).map_or(rest.len(), |at| at + 1);
            let (piece, more) = rest.split_at(end);
            // The line end of text that stays is not shown.
            let shown = match (of, piece.strip_suffix(b"\n")) {
                (PieceOf::Text, Some(line)) => line.strip_suffix(b"\r").unwrap_or(line),
                _ => piece,
            };
            if let (Some(row), true) = (
                self.rows.last_mut(),
                !shown.is_empty() || of != PieceOf::Text,
            ) {
                row.pieces.push(Piece {
                    text: shown.to_vec(),
                    of,
                });
            }
            if piece.ends_with(b"\n") {
                self.is_open = false;
                self.line += u64::from(is_of_file);
                if !is_of_file && !more.is_empty() {
                    self.rows.push(FileRow::default());
                    self.is_open = true;
                }
            }
            rest = more;
            if rest.is_empty() {
                return;
            }
        }
    }

    /// Old text that is not shown has been passed.
    fn pass(&mut self, old: &[u8]) {
        self.line += memchr_iter(b'\n', old).count() as u64;
    }
}

/// The text of its line before and behind the change at `index`, up to other changes; `None` where
/// its file is not text in UTF-8.
pub fn beside(
    doc: &PlanDoc,
    plan: &PlanIndex,
    (index, change): (usize, &ChangeRecord<'_>),
) -> Option<(String, String)> {
    let of = &plan.files[plan.file_of(index)];
    let file = open(doc, plan, index)?;
    // Neighbours may be wider than they were.
    let range = |number: usize| {
        let other = doc.change(number).ok()?;
        let written = plan.written(number, &other).ok()?;
        Some((written.from.min(other.from), written.to.max(other.to)))
    };
    let low = change.from.saturating_sub(AROUND);
    let low = match index.checked_sub(1).filter(|before| *before >= of.first) {
        Some(before) => low.max(range(before)?.1),
        None => low,
    };
    let high = change.to.saturating_add(AROUND).min(file.bytes());
    let high = match index + 1 < of.end {
        true => high.min(range(index + 1)?.0),
        false => high,
    };
    let part = |from: u64, to: u64| {
        let mut bytes = vec![0; usize::try_from(to.checked_sub(from)?).ok()?];
        file.read_exact_at(&mut bytes, from).ok()?;
        Some(bytes)
    };
    let (before, after) = (part(low, change.from)?, part(change.to, high)?);
    let start = memrchr(b'\n', &before).map_or(0, |at| at + 1);
    let end = memchr(b'\n', &after).unwrap_or(after.len());
    let after = after[..end].strip_suffix(b"\r").unwrap_or(&after[..end]);
    let before = before[start..].utf8_chunks().last();
    let before = before.filter(|chunk| chunk.invalid().is_empty());
    let after = after.utf8_chunks().next();
    let text = |chunk: std::str::Utf8Chunk<'_>| chunk.valid().to_owned();
    Some((
        before.map(text).unwrap_or_default(),
        after.map(text).unwrap_or_default(),
    ))
}

/// A word before and behind a change, in its line.
pub fn words_beside(
    doc: &PlanDoc,
    plan: &PlanIndex,
    (index, change): (usize, &ChangeRecord<'_>),
) -> Option<(String, String)> {
    let file = open(doc, plan, index)?;
    let part = |from: u64, to: u64| {
        let mut bytes = vec![0; usize::try_from(to.checked_sub(from)?).ok()?];
        file.read_exact_at(&mut bytes, from).ok()?;
        Some(String::from_utf8_lossy(&bytes).into_owned())
    };
    let before = part(change.from.saturating_sub(WORD), change.from)?;
    let after = part(change.to, (change.to + WORD).min(file.bytes()))?;
    let before = before.rsplit('\n').next().unwrap_or_default();
    let after = after.split('\n').next().unwrap_or_default();
    let is_inner = |c: char| c.is_alphanumeric() || c == char::REPLACEMENT_CHARACTER;
    // A word that is cut is none.
    let first = before
        .trim_end()
        .rfind(|c| !is_inner(c))
        .map_or(0, |at| at + 1);
    let last = after.trim_start();
    let blanks = after.len() - last.len();
    let end = last.find(|c| !is_inner(c)).unwrap_or(last.len());
    let word_before = before.get(first..).unwrap_or_default();
    Some((word_before.to_owned(), after[..blanks + end].to_owned()))
}

/// All of a file as rows, with what is accepted, and the row of the change at `index`, from 0. Where
/// `old` text is shown too, each change that is written shows both.
///
/// # Errors
///
/// When the file cannot be read, has changed, or is too large.
pub fn whole(
    doc: &PlanDoc,
    plan: &PlanIndex,
    index: usize,
    old: bool,
) -> io::Result<(Vec<FileRow>, usize)> {
    let of = &plan.files[plan.file_of(index)];
    if of.text_bytes > WHOLE_MOST {
        return Err(io::Error::other(
            "the file is too large to be shown as a whole",
        ));
    }
    let (text, hash) = doc.text(of)?.whole()?;
    if hash.to_hex().as_str() != of.hash {
        return Err(io::Error::other(
            "the file has changed since its changes were computed",
        ));
    }
    let mut out = RowMaker::new(1);
    let (mut at, mut row) = (0, 0);
    for number in of.first..of.end {
        let change = doc.change(number)?;
        let written = plan.written(number, &change).map_err(io::Error::other)?;
        let (from, to) = (written.from as usize, written.to as usize);
        out.push(&text[at..from], PieceOf::Text, true);
        if number == index {
            row = out.rows.len().saturating_sub(usize::from(out.is_open));
        }
        let decision = plan.entries[number].decision;
        match decision.writes() {
            true => {
                if old {
                    out.push(&text[from..to], PieceOf::Replaced, false);
                }
                out.push(&written.after, PieceOf::New(decision), false);
                out.pass(&text[from..to]);
            }
            false => out.push(&text[from..to], PieceOf::Old(decision), true),
        }
        at = to;
    }
    out.push(&text[at..], PieceOf::Text, true);
    Ok((out.rows, row))
}
