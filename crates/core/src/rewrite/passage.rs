//! Changes in the lines they touch: what a reader is shown.

use crate::Span;
use crate::edits::{CellEdit, Edit, GroupTexts, StepSet, splice_part};
use crate::line_ends;
use memchr::{memchr, memrchr};

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
    /// The edits of the whole piece after each step.
    stages: &'t [Vec<Edit>],
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
    pub groups: Option<&'t GroupTexts>,
    /// What happens to the value, where all of it is one cell.
    pub cell: Option<&'t CellEdit>,
}

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
            line += line_ends(&passage.was[counted..span.from]);
            counted = span.from;
            PassageEdit {
                from: passage.from + span.from as u64,
                to: passage.from + span.to as u64,
                span,
                line,
                before: &passage.was[span.range()],
                after: &edit.text,
                steps: edit.steps,
                groups: edit.groups.as_ref(),
                cell: edit.cell.as_deref(),
            }
        })
    }

    /// How many changes are in it.
    pub fn changes(&self) -> usize {
        self.edits.len()
    }

    /// Whether it is plain that there are as many lines as before.
    pub(super) fn keeps_lines(&self) -> bool {
        let plain = |bytes: &[u8]| memchr(b'\n', bytes).is_none();
        let mut edits = self.edits.iter();
        self.was.ends_with(b"\n")
            && edits.all(|edit| plain(&self.text[edit.span.range()]) && plain(&edit.text))
    }

    /// The lines as they become.
    pub fn now(&self) -> Vec<u8> {
        self.spliced(self.edits)
    }

    /// The lines as they are after each step, where stages were asked for.
    pub fn stages(&self) -> Vec<Vec<u8>> {
        let stage = |edits: &Vec<Edit>| {
            let first = edits.partition_point(|edit| edit.span.from < self.place.from);
            let ours = edits[first..].iter();
            let ours = ours.take_while(|edit| edit.span.to <= self.place.to);
            self.spliced(&ours.cloned().collect::<Vec<_>>())
        };
        self.stages.iter().map(stage).collect()
    }

    /// The value of the cell that `edit` is about after each step, where stages were asked for.
    pub fn cell_stages(&self, edit: &PassageEdit<'_>) -> Vec<Vec<u8>> {
        let Some(cell) = edit.cell else {
            return Vec::new();
        };
        let from = edit.span.from + self.place.from;
        let span = Span::new(from, from + edit.span.len());
        let stage = |edits: &Vec<Edit>| {
            let first = edits.partition_point(|edit| edit.span.from < span.from);
            let here = edits[first..]
                .iter()
                .take_while(|edit| edit.span.from == span.from);
            let same = here.into_iter().find(|edit| edit.span == span);
            let done = same.and_then(|edit| Some(edit.cell.as_ref()?.now()));
            done.unwrap_or_else(|| cell.value.clone())
        };
        self.stages.iter().map(stage).collect()
    }

    /// The passage with edits of the piece made.
    fn spliced(&self, edits: &[Edit]) -> Vec<u8> {
        splice_part(self.text, self.place, edits)
    }
}

/// A piece of a text with its edits.
pub(super) struct Piece<'t> {
    pub text: &'t [u8],
    /// Its offset in the whole text.
    pub base: u64,
    /// The number of its first line.
    pub line: u64,
    /// No other piece follows.
    pub last: bool,
    pub edits: &'t [Edit],
    /// The edits after each step, where they are wanted.
    pub stages: &'t [Vec<Edit>],
}

/// Cuts the edits of a piece into passages, each as small as it can be. Returns the number of
/// the line after the piece, where another follows.
pub(super) fn each(piece: &Piece<'_>, mut visit: impl FnMut(&Passage<'_>)) -> u64 {
    let Piece {
        text,
        base,
        mut line,
        last,
        edits,
        stages,
    } = *piece;
    let mut counted = 0;
    let mut rest = edits;
    while let [first, ..] = rest {
        let from = memrchr(b'\n', &text[..first.span.from]).map_or(0, |at| at + 1);
        let (to, size) = extent(text, from, rest);
        line += line_ends(&text[counted..from]);
        counted = from;
        visit(&Passage {
            line,
            from: base + from as u64,
            was: &text[from..to],
            text,
            place: Span::new(from, to),
            edits: &rest[..size],
            stages,
        });
        rest = &rest[size..];
    }
    match last {
        true => line,
        false => line + line_ends(&text[counted..]),
    }
}

/// Where a passage that begins at `from` ends, and how many of `edits` lie in it: with the end of
/// a line, in the old text as in the new.
fn extent(text: &[u8], from: usize, edits: &[Edit]) -> (usize, usize) {
    let mut to = from;
    let mut size = 0;
    loop {
        let open = to > from && ends_within_line(text, from, to, &edits[..size]);
        match edits.get(size) {
            // The first one lies here however it was found.
            Some(edit) if size == 0 || edit.span.from < to || (open && edit.span.from == to) => {
                // Within the last line, its end is known.
                if edit.span.to >= to {
                    to = line_end(text, edit.span);
                }
                size += 1;
            }
            _ if open && to < text.len() => to = line_end(text, Span::new(to, to)),
            _ => return (to, size),
        }
    }
}

/// One past the end of the last line of a span.
fn line_end(text: &[u8], span: Span) -> usize {
    if !span.is_empty() && text[span.to - 1] == b'\n' {
        return span.to;
    }
    memchr(b'\n', &text[span.to..]).map_or(text.len(), |at| span.to + at + 1)
}

/// Whether `from..to`, with `edits` made, does not end in a line end, nor is empty.
fn ends_within_line(text: &[u8], from: usize, to: usize, edits: &[Edit]) -> bool {
    let mut end = to;
    for edit in edits.iter().rev() {
        if edit.span.to < end {
            break;
        }
        if let Some(last) = edit.text.last() {
            return *last != b'\n';
        }
        end = edit.span.from;
    }
    end > from && text[end - 1] != b'\n'
}
