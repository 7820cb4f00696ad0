//! A few lines around each change of a file, where all of them are shown.

use crate::context::{Edit, FileRow, Rows, Shown, open};
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::word::is_within_word;
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::store::text_file::TextFile;
use memchr::{memchr, memrchr};

/// Lines shown before and behind a change.
const LINES: usize = 2;
/// Bytes read on either side of a change.
const AROUND: usize = 2 << 10;
/// Bytes of its line that are shown on either side.
const BESIDE: usize = 240;

/// A change with the text around it.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Excerpt {
    /// The rows before it.
    pub before: Vec<FileRow>,
    /// The lines as they are.
    pub was: Vec<FileRow>,
    /// The lines as they become.
    pub now: Vec<FileRow>,
    /// The rows behind it.
    pub after: Vec<FileRow>,
    /// True if its line begins before what is shown.
    pub is_cut_before: bool,
    /// True if its line goes on behind what is shown.
    pub is_cut_after: bool,
    /// True if it begins or ends between two letters, digits or underscores.
    pub is_within_word: bool,
}

/// The excerpts of one file.
pub struct Excerpts {
    /// `None` where its text cannot be shown.
    file: Option<TextFile>,
    bytes: usize,
    /// The changes in order, as bytes of the file.
    edits: Vec<Edit>,
}

impl Excerpts {
    /// The excerpts of the file at `number`, whose changes are given in order.
    pub fn new(doc: &PlanDoc, number: usize, changes: &[ChangeRecord<'_>]) -> Self {
        let plan = &doc.index;
        let of = &plan.files[number];
        let edit = |(index, change): (usize, &ChangeRecord<'_>)| {
            let written = plan.written(index, change).ok();
            Edit {
                index,
                // What a file holds has an address, as far as it can be shown.
                from: written.as_ref().map_or(change.from, |written| written.from) as usize,
                to: written.as_ref().map_or(change.to, |written| written.to) as usize,
                new: written.map_or_else(Vec::new, |written| written.after.into_owned()),
                decision: plan.entries[index].decision,
            }
        };
        let file = (of.first < of.end).then(|| open(doc, plan, of.first));
        Self {
            file: file.flatten(),
            bytes: of.text_bytes as usize,
            edits: (of.first..).zip(changes).map(edit).collect(),
        }
    }

    /// The excerpt of the change at `place` among those of the file; `None` where the file is not
    /// what it was, or is not text in UTF-8.
    pub fn at(&self, plan: &PlanIndex, place: usize, change: &ChangeRecord<'_>) -> Option<Excerpt> {
        let edit = &self.edits[place];
        let low = edit.from.saturating_sub(AROUND);
        let high = edit.to.saturating_add(AROUND).min(self.bytes);
        let mut text = vec![0; high.checked_sub(low)?];
        let file = self.file.as_ref()?;
        file.read_exact_at(&mut text, low as u64).ok()?;
        if *text.get(edit.from - low..edit.to - low)?
            != *plan.written(edit.index, change).ok()?.before
        {
            return None;
        }
        let part = Part {
            text: &text,
            from: edit.from - low,
            to: edit.to - low,
            is_start: low == 0,
            is_end: high == self.bytes,
        };
        let edits = |from: usize, to: usize| self.edits_in(low, (from, to));
        Some(part.excerpt(edits, edit.index, change.line.0))
    }

    /// The changes in a part of the text that begins at `low`.
    fn edits_in(&self, low: usize, (from, to): (usize, usize)) -> Vec<Edit> {
        let first = self.edits.partition_point(|edit| edit.from < low + from);
        let rest = self.edits[first..].iter();
        let inside = rest.take_while(|edit| edit.to <= low + to);
        inside.map(|edit| edit.moved_back(low)).collect()
    }
}

/// A part of a file with a change in it.
struct Part<'t> {
    text: &'t [u8],
    from: usize,
    to: usize,
    /// True if it begins where the file does.
    is_start: bool,
    /// True if it ends where the file does.
    is_end: bool,
}

impl Part<'_> {
    fn excerpt(
        &self,
        edits: impl Fn(usize, usize) -> Vec<Edit>,
        index: usize,
        line: u64,
    ) -> Excerpt {
        let (start, is_cut_before) = self.start_of_line();
        let (end, is_cut_after) = self.end_of_line();
        let (top, above) = self.lines_before(start);
        let bottom = self.lines_after(end);
        let rows = Rows {
            text: self.text,
            edits: &edits(top, bottom),
            index,
        };
        let before = rows.rows((top, start), line - above, None);
        let height = memchr::memchr_iter(b'\n', &self.text[self.from..end]).count() as u64;
        let after = rows.rows((end, bottom), line + height, None);
        Excerpt {
            before: if is_cut_before { Vec::new() } else { before },
            was: rows.rows((start, end), line, Some(Shown::Was)),
            now: rows.rows((start, end), line, Some(Shown::Now)),
            after: if is_cut_after { Vec::new() } else { after },
            is_cut_before,
            is_cut_after,
            is_within_word: is_within_word(
                &self.text[..self.from],
                &self.text[self.from..self.to],
                &self.text[self.to..],
            ),
        }
    }

    /// The first byte that is shown of the line of the change, and whether there are more before it.
    fn start_of_line(&self) -> (usize, bool) {
        let found = memrchr(b'\n', &self.text[..self.from]).map(|at| at + 1);
        let line = found.or(self.is_start.then_some(0));
        let nearest = self.from.saturating_sub(BESIDE);
        match line {
            Some(line) if line >= nearest => (line, false),
            _ => {
                let is_inside = |at: &usize| !is_boundary(self.text[*at]);
                let inside = (nearest..self.from).take_while(is_inside).count();
                (nearest + inside, true)
            }
        }
    }

    /// One past the last byte that is shown of the line that the change ends in, with its line end, and
    /// whether there are more behind it.
    fn end_of_line(&self) -> (usize, bool) {
        let inner = match self.to > self.from && self.text[self.to - 1] == b'\n' {
            true => self.to - 1,
            false => self.to,
        };
        let found = memchr(b'\n', &self.text[inner..]).map(|at| inner + at + 1);
        let line = found.or(self.is_end.then_some(self.text.len()));
        let farthest = (self.to + BESIDE).min(self.text.len());
        match line {
            Some(line) if line <= farthest => (line, false),
            _ => {
                let is_inside = |at: &usize| self.text.get(*at).is_some_and(|b| !is_boundary(*b));
                let inside = (self.to..=farthest).rev().take_while(is_inside).count();
                (farthest - inside.min(farthest - self.to), true)
            }
        }
    }

    /// The start of the lines shown before `start`, and their number.
    fn lines_before(&self, start: usize) -> (usize, u64) {
        let (mut top, mut lines) = (start, 0);
        while lines < LINES as u64 && top > 0 {
            match memrchr(b'\n', &self.text[..top - 1]) {
                Some(at) => top = at + 1,
                None if self.is_start => top = 0,
                None => break,
            }
            lines += 1;
        }
        (top, lines)
    }

    /// One past the end of the lines shown behind `end`.
    fn lines_after(&self, end: usize) -> usize {
        let mut bottom = end;
        for _ in 0..LINES {
            match memchr(b'\n', &self.text[bottom..]) {
                Some(at) => bottom += at + 1,
                None if self.is_end => bottom = self.text.len(),
                None => break,
            }
        }
        bottom
    }
}

/// True if a character of UTF-8 begins with this byte.
fn is_boundary(byte: u8) -> bool {
    byte & 0xC0 != 0x80
}
