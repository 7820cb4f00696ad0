//! Changes in the lines they touch: what a reader is shown.

use crate::Span;
use crate::edits::{Edit, StepSet, splice};
use memchr::{memchr, memchr_iter, memrchr};

/// A run of neighbouring lines in which something changes.
#[derive(Clone, Copy, Debug)]
pub struct Passage<'t> {
    /// Number of its first line in the whole text, from 1.
    pub line: u64,
    /// Offset of `was` in the whole text, in bytes from 0.
    pub from: u64,
    /// The lines as they were, with their line ends.
    pub was: &'t [u8],
    /// The text around it, as far as it is at hand; `was` lies in it at `place`.
    pub text: &'t [u8],
    /// Where `was` lies in `text`.
    pub place: Span,
    edits: &'t [Edit],
}

/// One change within a passage.
#[derive(Clone, Copy, Debug)]
pub struct PassageEdit<'t> {
    /// Byte range in the whole text, from 0, end excluded.
    pub from: u64,
    /// See `from`.
    pub to: u64,
    /// Byte range in the passage's `was`.
    pub span: Span,
    /// Number of the line in which it begins, from 1.
    pub line: u64,
    /// The old bytes.
    pub before: &'t [u8],
    /// The new bytes.
    pub after: &'t [u8],
    /// The steps that made it.
    pub steps: StepSet,
    /// The groups of its match, where they were asked for and it comes from one match.
    pub groups: Option<&'t [GroupText]>,
}

/// The text of a group; `None` took no part.
pub type GroupText = Option<Box<[u8]>>;

impl<'t> Passage<'t> {
    /// The changes in it, in order.
    pub fn edits(&self) -> impl Iterator<Item = PassageEdit<'t>> + use<'t> {
        let passage = *self;
        let mut line = self.line;
        let mut counted = 0;
        self.edits.iter().map(move |edit| {
            let span = Span::new(
                edit.span.from - passage.place.from,
                edit.span.to - passage.place.from,
            );
            line += memchr_iter(b'\n', &passage.was[counted..span.from]).count() as u64;
            counted = span.from;
            PassageEdit {
                from: passage.from + span.from as u64,
                to: passage.from + span.to as u64,
                span,
                line,
                before: &passage.was[span.range()],
                after: &edit.text,
                steps: edit.steps,
                groups: edit.groups.as_deref(),
            }
        })
    }

    /// The lines as they become.
    pub fn now(&self) -> Vec<u8> {
        let shifted: Vec<Edit> = self
            .edits()
            .map(|edit| Edit {
                span: edit.span,
                text: edit.after.to_vec(),
                steps: edit.steps,
                groups: None,
            })
            .collect();
        splice(self.was, &shifted)
    }
}

/// Cuts the edits of a piece into passages, each as small as it can be.
///
/// `base` and `line` are the offset and the first line number of `text` in the whole text.
/// Returns the number of the line after it.
pub(super) fn each(
    text: &[u8],
    base: u64,
    line: u64,
    edits: &[Edit],
    mut visit: impl FnMut(&Passage<'_>),
) -> u64 {
    let mut line = line;
    let mut counted = 0;
    let mut rest = edits;
    while let [first, ..] = rest {
        let from = memrchr(b'\n', &text[..first.span.from]).map_or(0, |at| at + 1);
        let mut to = line_end(text, first);
        let mut size = 1;
        while let Some(next) = rest.get(size).filter(|edit| shares_line(text, to, edit)) {
            to = to.max(line_end(text, next));
            size += 1;
        }
        line += memchr_iter(b'\n', &text[counted..from]).count() as u64;
        counted = from;
        visit(&Passage {
            line,
            from: base + from as u64,
            was: &text[from..to],
            text,
            place: Span::new(from, to),
            edits: &rest[..size],
        });
        rest = &rest[size..];
    }
    line + memchr_iter(b'\n', &text[counted..]).count() as u64
}

/// One past the end of the last line that an edit touches or joins to its own.
fn line_end(text: &[u8], edit: &Edit) -> usize {
    let Span { from, to } = edit.span;
    let ends_line = from < to && text[to - 1] == b'\n';
    let at_line_start = from == 0 || text[from - 1] == b'\n';
    if ends_line && (edit.text.ends_with(b"\n") || (edit.text.is_empty() && at_line_start)) {
        return to;
    }
    memchr(b'\n', &text[to..]).map_or(text.len(), |at| to + at + 1)
}

/// Whether an edit lies in the lines that end at `end`.
fn shares_line(text: &[u8], end: usize, edit: &Edit) -> bool {
    let open = end == 0 || text[end - 1] != b'\n';
    edit.span.from < end || (open && edit.span.from == end)
}
