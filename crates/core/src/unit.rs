//! The pieces of text a pattern is tried on.

use crate::span::Span;
use memchr::{memchr, memchr_iter, memrchr};

/// The longest line or cell that is looked at, in bytes.
pub const MAX_UNIT_BYTES: usize = 64 << 20;

/// The unit that a pattern is tried on.
///
/// ```
/// use brisk_quill_core::unit::UnitKind;
/// assert_eq!(UnitKind::Paragraph.name(), "paragraph");
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum UnitKind {
    /// A line without its line end.
    #[default]
    Line,
    /// A run of lines between blank lines, with the line ends within it.
    Paragraph,
    /// A whole text.
    Text,
    /// The value of one column in one row.
    Cell,
}

impl UnitKind {
    /// The name as an option.
    pub fn name(self) -> &'static str {
        match self {
            Self::Line => "line",
            Self::Paragraph => "paragraph",
            Self::Text => "text",
            Self::Cell => "cell",
        }
    }
}

/// The paragraphs of `text`, in order, each without its last line end.
///
/// A line is blank when it holds nothing but spaces and tabs.
pub(crate) fn paragraphs(text: &[u8]) -> impl Iterator<Item = Line> {
    let mut rest = lines(text);
    std::iter::from_fn(move || {
        let blank = |line: &Line| {
            text[line.content.range()]
                .iter()
                .all(|b| matches!(b, b' ' | b'\t'))
        };
        let first = rest.find(|line| !blank(line))?;
        let last = rest
            .by_ref()
            .take_while(|line| !blank(line))
            .last()
            .unwrap_or(first);
        Some(Line {
            content: Span::new(first.content.from, last.content.to),
            next: last.next,
        })
    })
}

/// One line of a text: where it lies, counted from the start of that text.
///
/// ```
/// use brisk_quill_core::unit::lines;
/// let text = b"quay 1\r\nquay 2";
/// let first = lines(text).next().expect("a line");
/// assert_eq!(&text[first.content.range()], b"quay 1");
/// assert_eq!(&text[first.ending().range()], b"\r\n");
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Line {
    /// The line without its end.
    pub content: Span,
    /// One past the line end; equal to `content.to` where there is none.
    pub next: usize,
}

impl Line {
    /// The line with its end.
    pub fn whole(self) -> Span {
        Span::new(self.content.from, self.next)
    }

    /// The line end: `\n`, `\r\n` or nothing.
    pub fn ending(self) -> Span {
        Span::new(self.content.to, self.next)
    }
}

/// The lines of `text`, in order.
///
/// A line ends at `\n` or `\r\n`; a lone `\r` is a character like any other. Text after the last
/// line end is a line; nothing after it is none.
pub fn lines(text: &[u8]) -> impl Iterator<Item = Line> {
    let mut start = 0;
    let ends = memchr_iter(b'\n', text).map(|at| at + 1);
    let tail = (!text.is_empty() && !text.ends_with(b"\n")).then_some(text.len());
    ends.chain(tail).map(move |next| {
        let from = std::mem::replace(&mut start, next);
        let content = without_ending(&text[from..next]).len();
        Line {
            content: Span::new(from, from + content),
            next,
        }
    })
}

/// The line in which offset `at` lies, or which ends there; `from` is the start of a line at it
/// or before it. Behind the last line end there is none.
pub(crate) fn line_at(text: &[u8], from: usize, at: usize) -> Option<Line> {
    let start = memrchr(b'\n', &text[from..at]).map_or(from, |before| from + before + 1);
    let next = memchr(b'\n', &text[at..]).map_or(text.len(), |end| at + end + 1);
    let content = without_ending(&text[start..next]).len();
    (start < text.len()).then(|| Line {
        content: Span::new(start, start + content),
        next,
    })
}

/// `text` without the line end it ends in.
pub(crate) fn without_ending(text: &[u8]) -> &[u8] {
    let Some(rest) = text.strip_suffix(b"\n") else {
        return text;
    };
    rest.strip_suffix(b"\r").unwrap_or(rest)
}

/// The number of line ends in `text`.
pub fn line_ends(text: &[u8]) -> u64 {
    memchr_iter(b'\n', text).count() as u64
}

/// The number of lines in `text`; an unterminated last one counts.
pub(crate) fn count_lines(text: &[u8]) -> u64 {
    let tail = !text.is_empty() && !text.ends_with(b"\n");
    line_ends(text) + u64::from(tail)
}

/// The line end that `text` ends in, else `other`.
pub(crate) fn ending_before(text: &[u8], other: &'static [u8]) -> &'static [u8] {
    if text.ends_with(b"\r\n") {
        b"\r\n"
    } else if text.ends_with(b"\n") {
        b"\n"
    } else {
        other
    }
}
