//! Rows of a list: a unit, or lines that change, with what is marked in them.

use crate::collector::{FileHunk, SearchedUnit};
use crate::kept_hunk::KeptCell;
use crate::why::Reason;
use brisk_quill_core::query::findings::MatchStatus;
use brisk_quill_core::span::Span;
use brisk_quill_files::edit::FileEdit;

/// The longest text of a row, in bytes; of a longer one, a part is kept.
const TEXT_MOST: usize = 16 << 10;
/// Bytes kept before the first mark of such a text.
const BEFORE_MARK: usize = 4 << 10;
/// Marks kept in one text.
const MARKS_MOST: usize = 1000;

/// The place of a row: its file, as an index into the sources, and an offset in it on disk, both
/// from 0.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct RowPlace {
    /// The index of the file.
    pub file: usize,
    /// The offset at which the unit, or the first changed line, begins.
    pub at: u64,
}

/// One row.
///
/// ```
/// use brisk_quill_core::span::Span;
/// use brisk_quill_engine::draft::row::Excerpt;
/// let excerpt = Excerpt::new(b"berth 4, berth 7\n", vec![Span::new(0, 5), Span::new(9, 14)]);
/// assert_eq!((excerpt.marks.len(), excerpt.cut_before), (2, false));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    /// The place.
    pub place: RowPlace,
    /// The number of its first line, from 1.
    pub line: u64,
    /// The name of its column, where it is a cell.
    pub cell: Option<String>,
    /// The name of its row, where rows are to be named.
    pub label: Option<String>,
    /// The kind.
    pub kind: RowKind,
    /// The text as it is, its matches or what is replaced marked.
    pub was: Excerpt,
    /// The text as it becomes, what is new marked; `None` where it stays.
    pub now: Option<Excerpt>,
    /// The text as it became last time, where two drafts are compared.
    pub last: Option<Excerpt>,
    /// The lines of its record, where it is a cell; `None` where they are too long.
    pub record: Option<Vec<u8>>,
}

/// The kind of a row.
///
/// ```
/// use brisk_quill_engine::draft::row::RowKind;
/// assert_ne!(RowKind::OnlyLast, RowKind::OnlyThis);
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RowKind {
    /// A unit with matches.
    Match,
    /// Lines, or a cell, that change.
    Change,
    /// A unit without a match.
    NoMatch,
    /// A unit without a match, and the reason.
    Miss(Reason),
    /// A line of the result that is as it was.
    Kept,
    /// Lines of the result that are new.
    Becomes,
    /// So many lines that the result does not have.
    Gone(u64),
    /// Matched or changed by the last try alone.
    OnlyLast,
    /// Matched or changed by this one alone.
    OnlyThis,
    /// Changed by both, but not the same.
    Different,
}

/// A text with marks, or a part of a long one.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Excerpt {
    /// The text.
    pub text: Vec<u8>,
    /// The marked parts, in order.
    pub marks: Vec<Span>,
    /// Text before it was left out.
    pub cut_before: bool,
    /// Text after it was left out.
    pub cut_after: bool,
}

impl Excerpt {
    /// A text with marks, which are in order and disjoint; of a long text, a part around the
    /// first mark.
    pub fn new(text: &[u8], marks: impl IntoIterator<Item = Span>) -> Self {
        let mut marks = marks.into_iter().peekable();
        if text.len() <= TEXT_MOST {
            return Self {
                text: text.to_vec(),
                marks: marks.take(MARKS_MOST).collect(),
                ..Self::default()
            };
        }
        let first = marks.peek().map_or(0, |mark| mark.from);
        let from = floor(text, first.saturating_sub(BEFORE_MARK));
        let to = floor(text, from + TEXT_MOST);
        let inside = marks.take_while(|mark| mark.from <= to).take(MARKS_MOST);
        let clip = |mark: Span| Span::new(mark.from - from, mark.to.min(to) - from);
        Self {
            text: text[from..to].to_vec(),
            marks: inside.map(clip).collect(),
            cut_before: from > 0,
            cut_after: to < text.len(),
        }
    }
}

/// The start of the character at or before `at`, of which the end of the text is one.
fn floor(text: &[u8], at: usize) -> usize {
    let at = at.min(text.len());
    let is_start = |at: &usize| text.get(*at).is_none_or(|byte| byte & 0xC0 != 0x80);
    // A character has at most four bytes; other bytes are shown one by one.
    (at.saturating_sub(3)..=at)
        .rev()
        .find(is_start)
        .unwrap_or(at)
}

impl Row {
    /// A row of a unit with its matches that are taken.
    pub fn of_unit(file: usize, unit: &SearchedUnit<'_>) -> Self {
        let is_taken = |status| matches!(status, MatchStatus::Picked(_));
        let taken = unit
            .found
            .iter()
            .filter(|finding| is_taken(finding.status))
            .map(|finding| finding.span);
        let cell = unit.unit.cell.as_ref();
        Self {
            place: RowPlace {
                file,
                at: unit.map.place(unit.unit.offset(0)),
            },
            line: unit.unit.line,
            cell: cell.map(|cell| cell.name().to_string()),
            label: cell
                .and_then(|cell| cell.label())
                .map(|label| label.to_string()),
            kind: match unit.taken {
                0 => RowKind::NoMatch,
                _ => RowKind::Match,
            },
            was: Excerpt::new(unit.unit.bytes(), taken),
            now: None,
            last: None,
            record: cell.and_then(|_| record(unit.unit.text, unit.unit.span)),
        }
    }

    /// A line of the result that is as it was.
    pub fn kept(place: RowPlace, line: u64, text: &[u8]) -> Self {
        Self::of_lines(place, line, RowKind::Kept, (Excerpt::new(text, []), None))
    }

    /// Changed lines, as they are and as they become.
    pub fn becomes(place: RowPlace, hunk: &FileHunk<'_>) -> Self {
        let (was, now) = (hunk.hunk.was, new_text(hunk));
        let (kind, now) = match now.text.is_empty() && !was.is_empty() {
            true => (RowKind::Gone(lines_in(was)), None),
            false => (RowKind::Becomes, Some(now)),
        };
        let marks = hunk.edits.iter().map(|edit| edit.text.span);
        Self::of_lines(place, hunk.hunk.line, kind, (Excerpt::new(was, marks), now))
    }

    /// Lines, or a cell whose name is said later.
    fn of_lines(
        place: RowPlace,
        line: u64,
        kind: RowKind,
        (was, now): (Excerpt, Option<Excerpt>),
    ) -> Self {
        Self {
            place,
            line,
            cell: None,
            label: None,
            kind,
            was,
            now,
            last: None,
            record: None,
        }
    }

    /// Bytes of text that it holds.
    pub(super) fn bytes(&self) -> usize {
        let texts = [Some(&self.was), self.now.as_ref(), self.last.as_ref()];
        texts
            .into_iter()
            .flatten()
            .map(|text| text.text.len())
            .sum()
    }

    /// The rows of lines that change: one, or one for each cell that changes.
    pub fn of_hunk(file: usize, hunk: &FileHunk<'_>) -> Vec<Self> {
        let row =
            |at, line, texts| Self::of_lines(RowPlace { file, at }, line, RowKind::Change, texts);
        let was = hunk.hunk.was;
        if hunk.edits.iter().all(|edit| edit.text.cell.is_some()) {
            let cells = hunk.edits.iter().filter_map(|edit| {
                let cell = KeptCell::new(edit.text.cell?, Vec::new());
                let now = Excerpt::new(&cell.now, cell.now_marks);
                let texts = (Excerpt::new(&cell.was, cell.was_marks), Some(now));
                Some(Self {
                    cell: Some(cell.name),
                    label: label_of(edit),
                    record: (was.len() <= TEXT_MOST).then(|| was.to_vec()),
                    ..row(edit.from, edit.text.line, texts)
                })
            });
            return cells.collect();
        }
        let marks = hunk.edits.iter().map(|edit| edit.text.span);
        let texts = (Excerpt::new(was, marks), Some(new_text(hunk)));
        vec![Self {
            label: hunk.edits.iter().find_map(label_of),
            ..row(hunk.map.place(hunk.hunk.from), hunk.hunk.line, texts)
        }]
    }
}

/// The number of lines; the last one may lack its end.
fn lines_in(text: &[u8]) -> u64 {
    let ends = memchr::memchr_iter(b'\n', text).count() as u64;
    ends + u64::from(!text.is_empty() && !text.ends_with(b"\n"))
}

/// The name of the row that a change is about.
fn label_of(edit: &FileEdit<'_>) -> Option<String> {
    edit.text.row?.label.as_deref().map(str::to_owned)
}

/// The lines around a cell.
fn record(text: &[u8], cell: Span) -> Option<Vec<u8>> {
    let from = memchr::memrchr(b'\n', &text[..cell.from]).map_or(0, |at| at + 1);
    let end = memchr::memchr(b'\n', &text[cell.to..]).map_or(text.len(), |at| cell.to + at + 1);
    (end - from <= TEXT_MOST).then(|| text[from..end].to_vec())
}

/// The changed lines as they become; of long ones, a part around the first change.
fn new_text(hunk: &FileHunk<'_>) -> Excerpt {
    let was = hunk.hunk.was;
    let first = hunk.edits.first().map_or(0, |edit| edit.text.span.from);
    let from = match was.len() <= TEXT_MOST {
        true => 0,
        false => floor(was, first.saturating_sub(BEFORE_MARK)),
    };
    let (mut text, mut marks, mut at) = (Vec::new(), Vec::new(), from);
    let mut cut = false;
    for edit in &hunk.edits {
        if text.len() > 2 * TEXT_MOST || marks.len() > MARKS_MOST {
            cut = true;
            break;
        }
        text.extend_from_slice(&was[at..edit.text.span.from]);
        let start = text.len();
        text.extend_from_slice(edit.text.after);
        marks.push(Span::new(start, text.len()));
        at = edit.text.span.to;
    }
    if !cut {
        let room = (2 * TEXT_MOST).saturating_sub(text.len());
        let to = floor(was, at.saturating_add(room)).max(at);
        text.extend_from_slice(&was[at..to]);
        cut = to < was.len();
    }
    let mut excerpt = Excerpt::new(&text, marks);
    excerpt.cut_before |= from > 0;
    excerpt.cut_after |= cut;
    excerpt
}
