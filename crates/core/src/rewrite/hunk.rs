//! Changes in the lines they touch: what a reader is shown.

use crate::edits::{CellEdit, Copied, Edit, GroupTexts, RowFacts, StepSet, splice_part};
use crate::span::Span;
use crate::unit::line_ends;
use memchr::{memchr, memrchr};

/// A run of neighbouring lines in which something changes.
#[derive(Clone, Copy, Debug)]
pub struct Hunk<'t> {
    /// Number of its first line in the whole text, from 1.
    pub line: u64,
    /// Offset of `was` in the whole text, in bytes from 0.
    pub from: u64,
    /// The lines as they were, with their line ends.
    pub was: &'t [u8],
    /// The text around it, as far as it is in memory; `was` lies in it at `place`.
    pub text: &'t [u8],
    /// The place of `was` in `text`.
    pub place: Span,
    /// The part of its lines that it holds.
    pub extent: Extent,
    edits: &'t [Edit],
    /// The edits of the whole piece after each step.
    stages: &'t [Vec<Edit>],
}

/// The part of its lines that a hunk holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Extent {
    /// All of them.
    Whole,
    /// A part of a line with very many changes; more of it follows.
    Part,
    /// The last part of such a line; where the rest of it does not change, there is none.
    Rest,
}

/// One change within a hunk.
#[derive(Clone, Copy, Debug)]
pub struct HunkEdit<'t> {
    /// Byte range in the whole text, from 0, end excluded.
    pub from: u64,
    /// See `from`.
    pub to: u64,
    /// Byte range in the hunk's `was`.
    pub span: Span,
    /// Number of the line in which it begins, from 1.
    pub line: u64,
    /// The old bytes.
    pub before: &'t [u8],
    /// The new bytes.
    pub after: &'t [u8],
    /// The steps that made it.
    pub steps: StepSet,
    /// The groups of its match, where the pattern has any, they were asked for, and it comes from one match.
    pub groups: Option<&'t GroupTexts>,
    /// The change of the value, where all of it is one cell.
    pub cell: Option<&'t CellEdit>,
    /// The row it is about, where that is to be named or shown.
    pub row: Option<&'t RowFacts>,
    /// The parts of `after` that were copied, where that is known: from offsets that count from
    /// `from`.
    pub copied: &'t [Copied],
}

impl<'t> Hunk<'t> {
    /// The changes in it, in order.
    pub fn edits(&self) -> impl Iterator<Item = HunkEdit<'t>> + use<'t> {
        let hunk = *self;
        let mut line = self.line;
        let mut counted = 0;
        self.edits.iter().map(move |edit| {
            let span = Span::new(
                edit.span.from - hunk.place.from,
                edit.span.to - hunk.place.from,
            );
            line = match edit.line {
                Some(line) => line.get(),
                None => line + line_ends(&hunk.was[counted..span.from]),
            };
            counted = span.from;
            HunkEdit {
                from: hunk.from + span.from as u64,
                to: hunk.from + span.to as u64,
                span,
                line,
                before: &hunk.was[span.range()],
                after: &edit.text,
                steps: edit.steps,
                groups: edit.groups.as_ref(),
                cell: edit.cell.as_deref(),
                row: edit.row.as_deref(),
                copied: edit.copied.as_deref().unwrap_or_default(),
            }
        })
    }

    /// The number of changes in it.
    pub fn changes(&self) -> usize {
        self.edits.len()
    }

    /// True if it is plain that there are as many lines as before.
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
    pub fn cell_stages(&self, edit: &HunkEdit<'_>) -> Vec<Vec<u8>> {
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
            done.unwrap_or_else(|| cell.value.to_vec())
        };
        self.stages.iter().map(stage).collect()
    }

    /// The hunk with edits of the piece made.
    fn spliced(&self, edits: &[Edit]) -> Vec<u8> {
        splice_part(self.text, self.place, edits)
    }
}

/// Cuts the edits of a piece of a text into hunks, each as small as it can be.
pub(super) struct Cutting<'t> {
    text: &'t [u8],
    /// The offset in the whole text.
    base: u64,
    /// The number of the line that has been counted up to, and where that begins.
    line: u64,
    counted: usize,
    /// The end of the part that was cut off a line last; what lies before it is done with.
    cut_at: Option<usize>,
    /// True if the new text of that part goes on in the same line.
    is_open: bool,
}

impl<'t> Cutting<'t> {
    /// Of the piece `text`, which begins in line `line`.
    pub fn new(text: &'t [u8], base: u64, line: u64) -> Self {
        Self {
            text,
            base,
            line,
            counted: 0,
            cut_at: None,
            is_open: false,
        }
    }

    /// All edits that are left, and those after each step, where they are wanted.
    pub fn rest(&mut self, edits: &[Edit], stages: &[Vec<Edit>], mut visit: impl FnMut(&Hunk<'_>)) {
        let mut rest = edits;
        while !rest.is_empty() {
            let (from, to, size) = self.next(rest);
            let extent = self.extent_from(from);
            self.show((from, to), extent, (&rest[..size], stages), &mut visit);
            rest = &rest[size..];
        }
    }

    /// Some edits, while more of the same piece follow: as many as make whole hunks; of a
    /// line with all of them, all but one. Gives how many edits have been shown.
    pub fn some(&mut self, edits: &[Edit], mut visit: impl FnMut(&Hunk<'_>)) -> usize {
        let mut done = 0;
        loop {
            let rest = &edits[done..];
            let (from, to, size) = match rest {
                [] => return done,
                _ => self.next(rest),
            };
            if size < rest.len() {
                let extent = self.extent_from(from);
                self.show((from, to), extent, (&rest[..size], &[]), &mut visit);
                done += size;
                continue;
            }
            // The last hunk may go on.
            let [all @ .., _] = rest else { return done };
            let Some(last) = all.last().filter(|_| done == 0) else {
                return done;
            };
            let to = last.span.to;
            self.is_open = ends_within_line(self.text, (from, to, self.joins(from)), all);
            self.show((from, to), Extent::Part, (all, &[]), &mut visit);
            self.cut_at = Some(to);
            return all.len();
        }
    }

    /// The number of the line after the piece.
    pub fn line_after(&self) -> u64 {
        self.line + line_ends(&self.text[self.counted..])
    }

    /// The line that has been counted up to.
    pub fn line(&self) -> u64 {
        self.line
    }

    /// True if a hunk that begins at `from` goes on with the line that was cut.
    fn joins(&self, from: usize) -> bool {
        self.is_open && self.cut_at == Some(from)
    }

    /// The place of the hunk of the first of some edits, and how many of them are in it.
    fn next(&self, edits: &[Edit]) -> (usize, usize, usize) {
        let first = edits[0].span.from;
        let line = memrchr(b'\n', &self.text[..first]).map_or(0, |at| at + 1);
        let from = line.max(self.cut_at.unwrap_or(0));
        let (to, size) = extent(self.text, (from, self.joins(from)), edits);
        (from, to, size)
    }

    /// Of a hunk that begins at `from`.
    fn extent_from(&mut self, from: usize) -> Extent {
        match self.cut_at.take() == Some(from) {
            true => Extent::Rest,
            false => Extent::Whole,
        }
    }

    fn show(
        &mut self,
        (from, to): (usize, usize),
        extent: Extent,
        (edits, stages): (&[Edit], &[Vec<Edit>]),
        visit: &mut impl FnMut(&Hunk<'_>),
    ) {
        let known = edits.first().and_then(|edit| edit.line);
        self.line = match known {
            Some(line) => line.get(),
            None => self.line + line_ends(&self.text[self.counted..from]),
        };
        self.counted = from;
        visit(&Hunk {
            line: self.line,
            from: self.base + from as u64,
            was: &self.text[from..to],
            text: self.text,
            place: Span::new(from, to),
            extent,
            edits,
            stages,
        });
    }
}

/// The end of a hunk that begins at `from`, and how many of `edits` lie in it: with the end of
/// a line, in the old text as in the new. One that `joins` goes on with a line of the new text.
fn extent(text: &[u8], (from, joins): (usize, bool), edits: &[Edit]) -> (usize, usize) {
    let mut to = from;
    let mut size = 0;
    loop {
        let open = to > from && ends_within_line(text, (from, to, joins), &edits[..size]);
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

/// True if `from..to`, with `edits` made, does not end in a line end, nor is empty; where it is,
/// whether it joins an open line.
fn ends_within_line(text: &[u8], (from, to, joins): (usize, usize, bool), edits: &[Edit]) -> bool {
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
    match end > from {
        true => text[end - 1] != b'\n',
        false => joins,
    }
}
