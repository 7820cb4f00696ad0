//! Edits of the units of a text, made for the matches in them.

mod ensured;
pub(crate) mod into_row;

use crate::columns::fault::CellFault;
use crate::columns::record::NewCell;
use crate::columns::row::{Row, RowCell};
use crate::edits::{
    CellEdit, Copied, Edit, EditBytes, GroupTexts, RowFacts, StepSet, edit_bytes, splice,
};
use crate::pattern::Finder;
use crate::pattern::search_error::SearchError;
use crate::problem::{Problem, ProblemKind};
use crate::query::findings::{Finding, Findings, MatchStatus};
use crate::query::unit_view::UnitView;
use crate::rewrite::counts::StepCounts;
use crate::rewrite::seen::SeenUnit;
use crate::span::Span;
use crate::step::new_text::NewText;
use crate::stop::Stop;
use crate::template::{MatchContext, Template};
use crate::unit::{ending_before, line_ends};
use smallvec::SmallVec;
use std::cell::{Cell, RefCell};
use std::num::NonZeroU64;
use std::path::Path;

/// The outcome of a step for a piece of the text it sees. Offsets are those in that piece.
#[derive(Debug, Default)]
pub(crate) struct StepOutcome {
    /// None leaves its range as it was.
    pub edits: Vec<Edit>,
    /// Units that were left alone, by where they begin.
    pub problems: Vec<(usize, Problem)>,
    /// Units that do not match what they must, by where they begin, with their new text.
    pub unmet: Vec<(usize, Vec<u8>)>,
}

/// Makes the edits of a piece of text, unit by unit.
pub(crate) struct EditMaker<'e, 's> {
    pub set: StepSet,
    pub keep_groups: bool,
    pub keep_cells: bool,
    /// Units are lines or rows of the original text.
    pub numbers_lines: bool,
    /// Edits carry the rows that they are about.
    pub keep_rows: bool,
    /// The parts that the current template has copied: where each begins in the text, and its span in the unit.
    pub copies: Option<RefCell<Vec<(usize, Span)>>>,
    pub ensure: &'e mut [Finder],
    pub counts: &'e mut StepCounts,
    pub file: &'e Path,
    pub last_ending: &'static [u8],
    /// The texts to be written into the current row.
    pub in_row: Option<RowText>,
    /// The cells of the current row that must be as ensured: where each lies, its line, and its
    /// value.
    pub units_of_row: Vec<(Span, u64, Vec<u8>)>,
    /// The new text of a cell goes into another column.
    pub into: bool,
    /// The new text of the cell of the current row that does.
    pub into_row: Option<NewText>,
    /// The offset up to which the line ends of the current unit have been counted, and their number.
    pub counted: Cell<(usize, u64)>,
    /// The new text of the match that is being made.
    pub text: Vec<u8>,
    /// Bytes of new text that templates have given for the current unit.
    pub written: Cell<usize>,
    pub thousands: Cell<Option<(u64, u64)>>,
    /// Matches of the current unit that are reported to have failed.
    pub problems_told: usize,
    /// Edits of a unit with more than this are handed out on the way.
    pub split: Option<usize>,
    /// Ends the work within a unit.
    pub stop: &'e Stop,
    pub receiver: &'s mut dyn StepReceiver,
    pub out: StepOutcome,
}

/// The texts for the cells of a row, which the first match in it gave.
pub(crate) struct RowText {
    /// One for each cell; `None` where one of them could not be made.
    pub texts: Option<Vec<Vec<u8>>>,
    pub groups: Option<GroupTexts>,
    /// The number of matches in the row that were taken.
    pub matches: u64,
}

/// Writes the new text of a match.
pub(crate) type WriteText<'w> = &'w dyn Fn(
    &EditMaker<'_, '_>,
    &UnitView<'_>,
    &Finding<'_>,
    &mut Vec<u8>,
) -> Result<(), ProblemKind>;

/// An end of a unit.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum UnitEnd {
    Start,
    End,
}

/// Takes what a step finds before its piece of text ends.
pub(crate) trait StepReceiver {
    /// Takes edits from the front of those of a unit that has very many.
    fn some_edits(&mut self, edits: &mut Vec<Edit>);

    /// Is shown a unit that has been looked at.
    fn seen(&mut self, seen: &SeenUnit<'_>);
}

/// The most matches of one unit that are reported to have failed; all are counted.
const TOLD_A_UNIT: usize = 10;

/// Matches of a unit after which it is seen whether to stop.
const MATCHES_A_LOOK: usize = 4096;

/// The most bytes by which the text for a match may be longer than the match; templates have the same.
const MATCH_TEXT_MOST: usize = 1 << 20;

/// The longest new text whose place is used again for the next one, in bytes.
const KEPT_MOST: usize = 4096;

/// The most bytes by which the new text of a unit may be longer than the unit.
const UNIT_TEXT_MOST: usize = 64 << 20;

impl EditMaker<'_, '_> {
    /// Writes new text for each match that is taken.
    pub fn edit_matches(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
        write: WriteText<'_>,
    ) -> Result<(), ProblemKind> {
        if unit.cell.is_some() {
            return self.edit_matches_in_cell(unit, found, write);
        }
        let most = self.split.unwrap_or(usize::MAX);
        let is_split = found.len() > most;
        if is_split {
            self.can_all_be_made(unit, found, write)?;
        }
        for (done, finding) in found.picked().enumerate() {
            self.go_on(done)?;
            let Some(text) = self.text_for(unit, &finding, write)? else {
                continue;
            };
            let span = finding.span.shifted(unit.span.from);
            self.edit(unit, span, text, Some(&finding), 1);
            if is_split && self.out.edits.len() >= most {
                self.receiver.some_edits(&mut self.out.edits);
            }
        }
        Ok(())
    }

    /// The new text of a match; `None` where the match is left alone.
    fn text_for(
        &mut self,
        unit: &UnitView<'_>,
        finding: &Finding<'_>,
        write: WriteText<'_>,
    ) -> Result<Option<EditBytes>, ProblemKind> {
        let mut text = std::mem::take(&mut self.text);
        text.clear();
        if let Err(kind) = write(self, unit, finding, &mut text) {
            return self.leave_alone(unit, finding, kind).map(|()| None);
        }
        if text.len() > KEPT_MOST {
            return Ok(Some(text.into()));
        }
        let taken = EditBytes::from_slice(&text);
        self.text = text;
        Ok(Some(taken))
    }

    /// Sees now and then whether to stop, after this many matches of a unit.
    fn go_on(&self, done: usize) -> Result<(), ProblemKind> {
        match done % MATCHES_A_LOOK == MATCHES_A_LOOK - 1 && self.stop.is_set() {
            true => Err(ProblemKind::Search(SearchError::Stopped)),
            false => Ok(()),
        }
    }

    /// Makes sure that the unit as a whole does not fail, for edits that are handed out cannot be
    /// reverted.
    fn can_all_be_made(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
        write: WriteText<'_>,
    ) -> Result<(), ProblemKind> {
        let (mut text, thousands) = (Vec::new(), self.thousands.get());
        for (done, finding) in found.picked().enumerate() {
            self.go_on(done)?;
            text.clear();
            match write(self, unit, &finding, &mut text) {
                // That match alone is left as it is.
                Ok(()) | Err(ProblemKind::Filter(_)) => {}
                Err(kind) => return Err(kind),
            }
        }
        self.counted.take();
        self.written.take();
        self.thousands.set(thousands);
        Ok(())
    }

    /// The same in the value of a cell; all of it is one edit.
    fn edit_matches_in_cell(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
        write: WriteText<'_>,
    ) -> Result<(), ProblemKind> {
        let mut inner = SmallVec::new();
        let mut last = None;
        for (done, finding) in found.picked().enumerate() {
            self.go_on(done)?;
            let Some(text) = self.text_for(unit, &finding, write)? else {
                continue;
            };
            let same = text[..] == unit.bytes()[finding.span.range()];
            self.count(same, 1);
            if !same {
                inner.push(self.inner_edit(finding.span, text));
                last = Some(finding);
            }
        }
        self.end_cell(unit, inner, last)
    }

    /// Inserts text at `end` of the unit, once, written for its first match.
    pub fn insert_at(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
        (template, end): (&Template, UnitEnd),
    ) -> Result<(), ProblemKind> {
        let Some(finding) = found.picked().next() else {
            return Ok(());
        };
        let matches = found.picked().count() as u64;
        let mut text = Vec::new();
        self.expand(template, unit, &finding, &mut text)?;
        if unit.cell.is_none() {
            let at = match end {
                UnitEnd::Start => unit.span.from,
                UnitEnd::End => unit.span.to,
            };
            let text = edit_bytes(text);
            self.edit(unit, Span::new(at, at), text, Some(&finding), matches);
            return Ok(());
        }
        let at = match end {
            UnitEnd::Start => 0,
            UnitEnd::End => unit.bytes().len(),
        };
        let same = text.is_empty();
        self.count(same, matches);
        let edit = self.inner_edit(Span::new(at, at), edit_bytes(text));
        let inner = (!same).then_some(edit).into_iter().collect();
        self.end_cell(unit, inner, Some(finding))
    }

    /// Inserts lines before or after the unit, which is a line, written for its first match.
    pub fn insert_line(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
        (template, end): (&Template, UnitEnd),
    ) -> Result<(), ProblemKind> {
        let Some(finding) = found.picked().next() else {
            return Ok(());
        };
        let mut text = Vec::new();
        self.expand(template, unit, &finding, &mut text)?;
        let ending = self.ending(unit);
        let mut text = self.with_endings(&text, ending);
        let at = match end {
            UnitEnd::Start => {
                text.extend_from_slice(ending);
                unit.span.from
            }
            UnitEnd::End => {
                text = [ending, &text].concat();
                self.move_copies(ending.len());
                unit.span.to
            }
        };
        let matches = found.picked().count() as u64;
        let text = edit_bytes(text);
        self.edit(unit, Span::new(at, at), text, Some(&finding), matches);
        Ok(())
    }

    /// Makes the edits in the value of a cell one edit; `last` is the finding of the last one.
    fn end_cell(
        &mut self,
        unit: &UnitView<'_>,
        inner: SmallVec<[Edit; 1]>,
        last: Option<Finding<'_>>,
    ) -> Result<(), ProblemKind> {
        let Some(view) = unit.cell else {
            return Ok(());
        };
        let groups = last.filter(|_| self.keep_groups && inner.len() == 1);
        let groups = groups.map(|finding| GroupTexts::new(unit.bytes(), finding.groups));
        if self.into {
            let is_changed = !inner.is_empty();
            self.into_row = is_changed.then(|| NewText::new(splice(unit.bytes(), &inner), groups));
            return Ok(());
        }
        self.cell_edit(view.row, view.cell, unit.bytes(), inner, groups)?;
        Ok(())
    }

    /// Leaves a match alone whose text could not be made; fails where its unit must be.
    fn leave_alone(
        &mut self,
        unit: &UnitView<'_>,
        finding: &Finding<'_>,
        kind: ProblemKind,
    ) -> Result<(), ProblemKind> {
        if !matches!(kind, ProblemKind::Filter(_)) {
            return Err(kind);
        }
        self.counts.failed += 1;
        if self.problems_told < TOLD_A_UNIT {
            self.problems_told += 1;
            let lines = line_ends(&unit.bytes()[..finding.span.from]);
            let line = Some(unit.line + if unit.cell.is_some() { 0 } else { lines });
            self.out
                .problems
                .push((unit.span.from, Problem { line, kind }));
        }
        Ok(())
    }

    pub fn expand(
        &self,
        template: &Template,
        unit: &UnitView<'_>,
        finding: &Finding<'_>,
        text: &mut Vec<u8>,
    ) -> Result<(), ProblemKind> {
        let count = match finding.status {
            MatchStatus::Picked(number) => number,
            MatchStatus::LeftOut(_) => 0,
        };
        let context = MatchContext {
            unit: unit.bytes(),
            groups: finding.groups,
            line: match template.writes_line() {
                true => unit.line + self.lines_before(unit.bytes(), finding.span.from),
                false => unit.line,
            },
            file: self.file,
            count,
            row: unit.cell.as_ref().map(|cell| cell.row()),
        };
        let mut copies = self.copies.as_ref().map(RefCell::borrow_mut);
        if let Some(copies) = &mut copies {
            copies.clear();
        }
        let expanded = template.expand_noting(&context, text, copies.as_deref_mut())?;
        if expanded.maybe_thousands {
            let (first, matches) = self.thousands.get().unwrap_or((unit.line, 0));
            self.thousands.set(Some((first, matches + 1)));
        }
        self.note_written(unit, text.len())
    }

    /// Takes the new text of a match that is not made by a template; it must be within the same limits.
    pub fn put(
        &self,
        unit: &UnitView<'_>,
        finding: &Finding<'_>,
        new: &[u8],
        text: &mut Vec<u8>,
    ) -> Result<(), ProblemKind> {
        let most = finding.span.len() + MATCH_TEXT_MOST;
        if new.len() > most {
            return Err(ProblemKind::NewTextTooLong {
                limit: MATCH_TEXT_MOST,
            });
        }
        text.extend_from_slice(new);
        self.note_written(unit, new.len())
    }

    /// Counts new text of a unit, which may not have too much of it.
    fn note_written(&self, unit: &UnitView<'_>, bytes: usize) -> Result<(), ProblemKind> {
        let written = self.written.get() + bytes;
        self.written.set(written);
        match written.saturating_sub(unit.bytes().len()) > UNIT_TEXT_MOST {
            true => Err(ProblemKind::NewTextTooLong {
                limit: UNIT_TEXT_MOST,
            }),
            false => Ok(()),
        }
    }

    /// The line ends of a unit before offset `at`, which grows from match to match.
    fn lines_before(&self, unit: &[u8], at: usize) -> u64 {
        let (counted, lines) = self.counted.get();
        let lines = lines + line_ends(&unit[counted..at]);
        self.counted.set((at, lines));
        lines
    }

    /// The parts that the current new text has copied, for an edit of `span`.
    fn copied(&self, unit: &UnitView<'_>, span: Span) -> Option<Box<[Copied]>> {
        let mut copies = self.copies.as_ref()?.borrow_mut();
        let copied = copies.drain(..).map(|(at, source)| Copied {
            span: Span::new(at, at + source.len()),
            // Slices are at most isize::MAX bytes long.
            from: (unit.span.from + source.from) as isize - span.from as isize,
        });
        Some(copied.collect())
    }

    /// The current new text begins this many bytes later.
    pub fn move_copies(&self, bytes: usize) {
        if let Some(copies) = &self.copies {
            copies
                .borrow_mut()
                .iter_mut()
                .for_each(|copy| copy.0 += bytes);
        }
    }

    /// Text of inserted lines, the line ends in it as those around.
    pub fn with_endings(&self, text: &[u8], ending: &[u8]) -> Vec<u8> {
        let new = with_endings(text, ending);
        if new != text
            && let Some(copies) = &self.copies
        {
            // What was copied stands elsewhere now.
            copies.borrow_mut().clear();
        }
        new
    }

    pub fn inner_edit(&self, span: Span, text: EditBytes) -> Edit {
        Edit::new(span, text, self.set)
    }

    /// Writes a cell of a row anew.
    pub fn write_cell(
        &mut self,
        row: &Row<'_>,
        cell: &RowCell,
        text: Vec<u8>,
        groups: Option<GroupTexts>,
    ) -> Result<(), CellFault> {
        let value = cell.value(row)?;
        let is_new = *value != *text;
        let edit = self.inner_edit(Span::new(0, value.len()), edit_bytes(text));
        let inner = is_new.then_some(edit).into_iter().collect();
        self.cell_edit(row, cell, &value, inner, groups)
    }

    /// Adds cells at the end of a row.
    pub fn append_cells(
        &mut self,
        row: &Row<'_>,
        cells: &[NewCell<'_>],
        groups: Option<GroupTexts>,
    ) -> Result<(), CellFault> {
        let (at, text) = row.appended(cells)?;
        self.out.edits.push(Edit {
            groups,
            row: self.row_facts(row, None),
            line: self.line_in(row),
            ..self.inner_edit(Span::new(at, at), edit_bytes(text))
        });
        Ok(())
    }

    /// Reports that a row was left alone.
    pub fn leave_row(&mut self, row: &Row<'_>, kind: ProblemKind) {
        let line = Some(row.line);
        self.out
            .problems
            .push((row.span.from, Problem { line, kind }));
    }

    /// Makes the one edit of a cell out of the edits of its value.
    pub fn cell_edit(
        &mut self,
        row: &Row<'_>,
        cell: &RowCell,
        value: &[u8],
        inner: SmallVec<[Edit; 1]>,
        groups: Option<GroupTexts>,
    ) -> Result<(), CellFault> {
        if inner.is_empty() {
            return Ok(());
        }
        let raw = cell.rewritten(row, value, &inner)?;
        if raw != row.text[cell.span.range()] {
            self.out.edits.push(Edit {
                groups,
                cell: self.keep_cells.then(|| {
                    Box::new(CellEdit {
                        name: cell.name(row.table()),
                        value: EditBytes::from_slice(value),
                        edits: inner,
                    })
                }),
                row: self.row_facts(row, Some(&cell.name(row.table()))),
                line: self.line_in(row),
                ..self.inner_edit(cell.span, edit_bytes(raw))
            });
        }
        Ok(())
    }

    /// The row of an edit, where that is to be named or shown; `at` is the name of its cell.
    pub fn row_facts(&self, row: &Row<'_>, at: Option<&str>) -> Option<Box<RowFacts>> {
        if !(self.keep_cells && row.table().has_labels() || self.keep_rows) {
            return None;
        }
        Some(Box::new(row.facts(at, self.keep_rows)))
    }

    /// Counts matches that change something, or nothing.
    pub fn count(&mut self, same: bool, matches: u64) {
        match same {
            true => self.counts.unchanged += matches,
            false => self.counts.edits += matches,
        }
    }

    /// The number of the line that an edit of a unit begins in, where that needs no counting.
    fn line_of(&self, unit: &UnitView<'_>, edit: Span) -> Option<NonZeroU64> {
        // A cell may have several lines.
        let is_line = unit.cell.is_none();
        let is_within = unit.span.from <= edit.from && edit.from <= unit.span.to;
        self.line_number(unit.line).filter(|_| is_line && is_within)
    }

    /// The number of the line that an edit of a row begins in, where that needs no counting.
    fn line_in(&self, row: &Row<'_>) -> Option<NonZeroU64> {
        self.line_number(row.line).filter(|_| row.is_one_line)
    }

    /// A line of the text that the step sees, where that is a line of the original.
    fn line_number(&self, line: u64) -> Option<NonZeroU64> {
        NonZeroU64::new(line).filter(|_| self.numbers_lines)
    }

    /// The line end that a line inserted beside this one takes.
    pub fn ending(&self, unit: &UnitView<'_>) -> &'static [u8] {
        let own = &unit.text[..unit.ending.to];
        if unit.ending.is_empty() {
            ending_before(&unit.text[..unit.span.from], self.last_ending)
        } else {
            ending_before(own, self.last_ending)
        }
    }

    /// Makes an edit that `matches` matches are the reason for.
    pub fn edit(
        &mut self,
        unit: &UnitView<'_>,
        span: Span,
        text: EditBytes,
        finding: Option<&Finding<'_>>,
        matches: u64,
    ) {
        let same = text[..] == unit.text[span.range()];
        self.count(same, matches);
        if same {
            return;
        }
        let groups = finding.filter(|_| self.keep_groups);
        let copied = self.copied(unit, span);
        self.out.edits.push(Edit {
            groups: groups.map(|finding| GroupTexts::new(unit.bytes(), finding.groups)),
            copied,
            line: self.line_of(unit, span),
            ..self.inner_edit(span, text)
        });
    }
}

/// A line with its line end.
pub(crate) fn whole_line(unit: &UnitView<'_>) -> Span {
    Span::new(unit.span.from, unit.ending.to)
}

/// Text of inserted lines, the line ends in it as those around.
fn with_endings(text: &[u8], ending: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    for line in crate::unit::lines(text) {
        out.extend_from_slice(&text[line.content.range()]);
        if !line.ending().is_empty() {
            out.extend_from_slice(ending);
        }
    }
    out
}
