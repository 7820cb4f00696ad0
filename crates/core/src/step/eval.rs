//! A step at work: from matches to edits of the text it sees.

pub mod rows;

use crate::columns::row::{CellFault, Row, RowCell};
use crate::edits::{CellEdit, Copied, Edit, GroupTexts, StepSet, splice_part};
use crate::pattern::Finder;
use crate::problem::{Problem, ProblemKind};
use crate::query::scanner::{
    Finding, Findings, MatchStatus, Note, UnitScanner, UnitView, Visitor, Wanted,
};
use crate::rewrite::{PartStart, RunOptions, StepCounts};
use crate::span::Span;
use crate::step::eval::rows::RowText;
use crate::step::{Action, Step};
use crate::template::{MatchContext, Template};
use crate::unit::{ending_before, line_ends};
use std::cell::{Cell, RefCell};
use std::path::{Path, PathBuf};

/// The state of one step during a run.
#[derive(Debug)]
pub(crate) struct StepRun<'r> {
    step: &'r Step,
    set: StepSet,
    scanner: UnitScanner<'r>,
    keep_groups: bool,
    keep_cells: bool,
    /// Each edit says what it has copied.
    keep_copies: bool,
    /// What each unit in scope must match afterwards.
    ensure: Vec<Finder>,
    counts: StepCounts,
    /// The path of the current text.
    file: PathBuf,
    /// The last line end of the pieces before.
    last_ending: &'static [u8],
    /// The line of the first number whose comma may stand between thousands, and how many matches
    /// have one.
    thousands: Option<(u64, u64)>,
}

/// What a step makes of a piece of the text it sees. Offsets are those in that piece.
#[derive(Debug, Default)]
pub(crate) struct StepOutcome {
    /// None leaves its range as it was.
    pub edits: Vec<Edit>,
    /// Units that were left alone, by where they begin.
    pub problems: Vec<(usize, Problem)>,
    /// Units that do not match what they must, by where they begin, with their new text.
    pub unmet: Vec<(usize, Vec<u8>)>,
}

impl<'r> StepRun<'r> {
    /// `index` counts from 0.
    pub fn new(step: &'r Step, index: usize, options: &RunOptions) -> Self {
        Self {
            step,
            set: StepSet::one(index),
            scanner: UnitScanner::new(&step.query),
            keep_groups: options.groups,
            // What is ensured is the value.
            keep_cells: options.cells || !step.ensure.is_empty(),
            keep_copies: false,
            ensure: (step.ensure.iter())
                .map(|pattern| step.query.finder_of(pattern))
                .collect(),
            counts: StepCounts::default(),
            file: PathBuf::new(),
            last_ending: b"\n",
            thousands: None,
        }
    }

    /// See [`UnitScanner`].
    pub fn scanner(&mut self) -> &mut UnitScanner<'r> {
        &mut self.scanner
    }

    pub fn begin_text(&mut self, file: &Path, start: &PartStart) {
        self.scanner.begin_text(file, start.line - 1);
        self.counts = StepCounts::default();
        file.clone_into(&mut self.file);
        self.last_ending = start.ending;
        self.thousands = None;
        self.keep_copies = false;
    }

    /// Ends the text: what is to be told of it, and what was wrong with all of it.
    pub fn finish_text(&mut self) -> (Vec<Note>, Option<Problem>) {
        self.counts.blocks = self.scanner.blocks_begun();
        let (mut notes, problem) = self.scanner.end_text();
        let thousands = self.thousands.take();
        notes.extend(thousands.map(|(line, matches)| Note::Thousands { line, matches }));
        (notes, problem)
    }

    /// Whether each edit of the text says what it has copied.
    pub fn keep_copies(&mut self, keep: bool) {
        self.keep_copies = keep;
    }

    pub fn pass_lines(&mut self, lines: u64) {
        self.scanner.pass_lines(lines);
    }

    /// What has been counted in this text.
    pub fn counts(&self) -> &StepCounts {
        &self.counts
    }

    /// What this step makes of the next piece of its text; `last` tells that nothing follows.
    /// Where units with very many matches are `split`, most of their edits are handed out on the
    /// way, and not part of the outcome.
    pub fn piece(&mut self, text: &[u8], last: bool, split: Option<Split<'_>>) -> StepOutcome {
        let drops_others = matches!(self.step.action, Action::DropOtherLines);
        let wanted = Wanted {
            groups: self.keep_groups || self.step.needs_groups(),
            missing: drops_others || !self.ensure.is_empty(),
        };
        let mut maker = EditMaker {
            action: &self.step.action,
            set: self.set,
            keep_groups: self.keep_groups,
            keep_cells: self.keep_cells,
            copies: self.keep_copies.then(RefCell::default),
            ensure: &mut self.ensure,
            counts: &mut self.counts,
            file: &self.file,
            last_ending: self.last_ending,
            in_row: None,
            units_of_row: Vec::new(),
            counted: Cell::default(),
            written: Cell::default(),
            thousands: Cell::new(self.thousands),
            problems_told: 0,
            split: split.filter(|_| self.step.ensure.is_empty()),
            out: StepOutcome::default(),
        };
        self.scanner.piece(text, (0, last), wanted, &mut maker);
        let out = maker.out;
        self.thousands = maker.thousands.get();
        self.last_ending = ending_before(text, self.last_ending);
        out
    }
}

struct EditMaker<'e, 's> {
    action: &'e Action,
    set: StepSet,
    keep_groups: bool,
    keep_cells: bool,
    /// What the current template has copied: where it begins in the text, and its span in the unit.
    copies: Option<RefCell<Vec<(usize, Span)>>>,
    ensure: &'e mut [Finder],
    counts: &'e mut StepCounts,
    file: &'e Path,
    last_ending: &'static [u8],
    /// What is to be written into the current row.
    in_row: Option<RowText>,
    /// The cells of the current row that must be as ensured: where each lies, its line, and its
    /// value.
    units_of_row: Vec<(Span, u64, Vec<u8>)>,
    /// How far the line ends of the current unit have been counted, and how many there are.
    counted: Cell<(usize, u64)>,
    /// Bytes of new text that templates have given for the current unit.
    written: Cell<usize>,
    thousands: Cell<Option<(u64, u64)>>,
    /// Matches of the current unit that are told to have failed.
    problems_told: usize,
    split: Option<Split<'s>>,
    out: StepOutcome,
}

/// Takes edits from the front of those of a unit that has more than `most`.
pub(crate) struct Split<'s> {
    pub most: usize,
    pub take: &'s mut dyn FnMut(&mut Vec<Edit>),
}

/// The most matches of one unit that are told to have failed; all are counted.
const TOLD_A_UNIT: usize = 10;

/// The most bytes by which the new text of a unit may be longer than the unit.
const UNIT_TEXT_MOST: usize = 64 << 20;

impl Visitor for EditMaker<'_, '_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        self.counted.take();
        self.written.take();
        let first = self.out.edits.len();
        for finding in found.iter() {
            self.counts.left_out.count(finding.status);
        }
        self.counts.matches += found.picked().count() as u64;
        self.problems_told = 0;
        let before = (self.counts.edits, self.counts.unchanged, self.counts.failed);
        if let Err(kind) = self.act(unit, found) {
            // All of the unit is left alone.
            self.out.edits.truncate(first);
            (self.counts.edits, self.counts.unchanged, self.counts.failed) = before;
            if !self.action.is_for_rows() {
                self.counts.failed += found.picked().count() as u64;
            }
            self.problem(
                unit.span.from,
                Problem {
                    line: Some(unit.line),
                    kind,
                },
            );
        }
        if !unit.in_scope || self.ensure.is_empty() {
            return;
        }
        if self.action.is_for_rows() {
            // What becomes of it is known when the row is.
            let bytes = unit.bytes().to_vec();
            self.units_of_row.push((unit.span, unit.line, bytes));
        } else if let Some(now) = self.now(unit, first) {
            self.check(unit.span.from, unit.line, now);
        }
    }

    fn row(&mut self, row: &Row<'_>) {
        if let Action::Cells(cells) = self.action {
            self.end_row(row, cells);
        }
    }

    fn problem(&mut self, offset: usize, problem: Problem) {
        self.out.problems.push((offset, problem));
    }
}

impl EditMaker<'_, '_> {
    /// Does what the step does with the unit.
    fn act(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) -> Result<(), ProblemKind> {
        if self.action.is_for_rows() {
            return self.note_for_row(unit, found);
        }
        if unit.cell.is_some() {
            return self.act_in_cell(unit, found);
        }
        match self.action {
            Action::Replace(_) | Action::Remove | Action::SwapChars(_) => {
                let split = self.split.as_ref();
                let most = split.map_or(usize::MAX, |split| split.most);
                let is_split = found.len() > most;
                if is_split {
                    self.can_all_be_made(unit, found)?;
                }
                for finding in found.picked() {
                    let mut text = Vec::new();
                    if let Err(kind) = self.new_text(unit, &finding, &mut text) {
                        self.leave_alone(unit, &finding, kind)?;
                        continue;
                    }
                    let span = finding.span.shifted(unit.span.from);
                    self.edit(unit, span, text, Some(&finding), 1);
                    if let Some(split) = &mut self.split
                        && is_split
                        && self.out.edits.len() >= most
                    {
                        (split.take)(&mut self.out.edits);
                    }
                }
            }
            Action::DropOtherLines => {
                let kept = found.picked().count() as u64;
                self.counts.unchanged += kept;
                if kept == 0 && unit.in_scope {
                    self.edit(unit, whole_line(unit), Vec::new(), None, 0);
                }
            }
            _ => {
                if let Some(finding) = found.picked().next() {
                    let matches = found.picked().count() as u64;
                    let (span, text) = self.unit_edit(unit, &finding)?;
                    self.edit(unit, span, text, Some(&finding), matches);
                }
            }
        }
        Ok(())
    }

    /// Makes sure that the unit as a whole does not fail, for edits that are handed out cannot be
    /// taken back.
    fn can_all_be_made(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
    ) -> Result<(), ProblemKind> {
        let (mut text, thousands) = (Vec::new(), self.thousands.get());
        for finding in found.picked() {
            text.clear();
            match self.new_text(unit, &finding, &mut text) {
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
            self.problem(unit.span.from, Problem { line, kind });
        }
        Ok(())
    }

    /// What becomes of one match.
    fn new_text(
        &self,
        unit: &UnitView<'_>,
        finding: &Finding<'_>,
        text: &mut Vec<u8>,
    ) -> Result<(), ProblemKind> {
        match self.action {
            Action::Replace(template) => self.expand(template, unit, finding, text)?,
            Action::SwapChars(swaps) => {
                let old = String::from_utf8_lossy(&unit.bytes()[finding.span.range()]);
                let new = old.chars().map(|c| swaps.get(&c).copied().unwrap_or(c));
                text.extend_from_slice(new.collect::<String>().as_bytes());
            }
            _ => {}
        }
        Ok(())
    }

    /// The one edit of a unit with a match, written for its first match.
    fn unit_edit(
        &self,
        unit: &UnitView<'_>,
        finding: &Finding<'_>,
    ) -> Result<(Span, Vec<u8>), ProblemKind> {
        let mut text = Vec::new();
        if let Some(template) = self.action.template() {
            self.expand(template, unit, finding, &mut text)?;
        }
        let (from, to) = (unit.span.from, unit.span.to);
        let place = match self.action {
            Action::DropLines => whole_line(unit),
            Action::Above(_) => {
                text = self.with_endings(&text, self.ending(unit));
                text.extend_from_slice(self.ending(unit));
                Span::new(from, from)
            }
            Action::Below(_) => {
                let ending = self.ending(unit);
                text = [ending, &self.with_endings(&text, ending)].concat();
                self.move_copies(ending.len());
                Span::new(to, to)
            }
            Action::Lead(_) => Span::new(from, from),
            _ => Span::new(to, to),
        };
        Ok((place, text))
    }

    fn expand(
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
        let written = self.written.get() + text.len();
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

    /// Does in the value of a cell what the step does in a unit; all of it is one edit.
    fn act_in_cell(
        &mut self,
        unit: &UnitView<'_>,
        found: &Findings<'_>,
    ) -> Result<(), ProblemKind> {
        let Some(view) = unit.cell else {
            return Ok(());
        };
        let mut inner = Vec::new();
        let mut last = None;
        for (number, finding) in found.picked().enumerate() {
            let mut text = Vec::new();
            let span = match self.action {
                Action::Lead(_) | Action::Trail(_) if number > 0 => {
                    // The text is put there once, whatever the number of matches.
                    self.count(inner.is_empty(), 1);
                    continue;
                }
                Action::Lead(template) | Action::Trail(template) => {
                    self.expand(template, unit, &finding, &mut text)?;
                    let at = match self.action {
                        Action::Lead(_) => 0,
                        _ => unit.bytes().len(),
                    };
                    Span::new(at, at)
                }
                _ => {
                    if let Err(kind) = self.new_text(unit, &finding, &mut text) {
                        self.leave_alone(unit, &finding, kind)?;
                        continue;
                    }
                    finding.span
                }
            };
            let same = text == unit.bytes()[span.range()];
            self.count(same, 1);
            if !same {
                inner.push(self.inner_edit(span, text));
                last = Some(finding);
            }
        }
        let groups = last.filter(|_| self.keep_groups && inner.len() == 1);
        let groups = groups.map(|finding| GroupTexts::new(unit.bytes(), finding.groups));
        self.cell_edit(view.row, view.cell, unit.bytes(), inner, groups)?;
        Ok(())
    }

    /// What the current new text has copied, for an edit of `span`.
    fn copied(&self, unit: &UnitView<'_>, span: Span) -> Option<Box<[Copied]>> {
        let mut copies = self.copies.as_ref()?.borrow_mut();
        let copied = copies.drain(..).map(|(at, source)| Copied {
            span: Span::new(at, at + source.len()),
            // Slices are at most isize::MAX bytes long.
            from: (unit.span.from + source.from) as isize - span.from as isize,
        });
        Some(copied.collect())
    }

    /// The current new text begins so many bytes later.
    fn move_copies(&self, bytes: usize) {
        if let Some(copies) = &self.copies {
            copies
                .borrow_mut()
                .iter_mut()
                .for_each(|copy| copy.0 += bytes);
        }
    }

    /// Text of inserted lines, the line ends in it as those around.
    fn with_endings(&self, text: &[u8], ending: &[u8]) -> Vec<u8> {
        let new = with_endings(text, ending);
        if new != text
            && let Some(copies) = &self.copies
        {
            // What was copied stands elsewhere now.
            copies.borrow_mut().clear();
        }
        new
    }

    fn inner_edit(&self, span: Span, text: Vec<u8>) -> Edit {
        Edit {
            span,
            text,
            steps: self.set,
            groups: None,
            cell: None,
            copied: None,
        }
    }

    /// Makes the one edit of a cell out of the edits of its value.
    fn cell_edit(
        &mut self,
        row: &Row<'_>,
        cell: &RowCell,
        value: &[u8],
        inner: Vec<Edit>,
        groups: Option<GroupTexts>,
    ) -> Result<(), CellFault> {
        if inner.is_empty() {
            return Ok(());
        }
        let raw = cell.rewritten(row, value, &inner)?;
        if raw != row.text[cell.span.range()] {
            self.out.edits.push(Edit {
                span: cell.span,
                text: raw,
                steps: self.set,
                groups,
                cell: self.keep_cells.then(|| {
                    Box::new(CellEdit {
                        name: cell.name(row.table()),
                        value: value.to_vec(),
                        edits: inner,
                    })
                }),
                copied: None,
            });
        }
        Ok(())
    }

    /// Counts matches that change something, or nothing.
    fn count(&mut self, same: bool, matches: u64) {
        match same {
            true => self.counts.unchanged += matches,
            false => self.counts.edits += matches,
        }
    }

    /// The line end that a line inserted beside this one takes.
    fn ending(&self, unit: &UnitView<'_>) -> &'static [u8] {
        let own = &unit.text[..unit.ending.to];
        if unit.ending.is_empty() {
            ending_before(&unit.text[..unit.span.from], self.last_ending)
        } else {
            ending_before(own, self.last_ending)
        }
    }

    /// Makes an edit that `matches` matches are the reason for.
    fn edit(
        &mut self,
        unit: &UnitView<'_>,
        span: Span,
        text: Vec<u8>,
        finding: Option<&Finding<'_>>,
        matches: u64,
    ) {
        let same = text == unit.text[span.range()];
        self.count(same, matches);
        if same {
            return;
        }
        let groups = finding.filter(|_| self.keep_groups);
        let copied = self.copied(unit, span);
        self.out.edits.push(Edit {
            span,
            text,
            steps: self.set,
            groups: groups.map(|finding| GroupTexts::new(unit.bytes(), finding.groups)),
            cell: None,
            copied,
        });
    }

    /// The unit with its edits from index `first` on; `None` for a line that goes.
    fn now(&self, unit: &UnitView<'_>, first: usize) -> Option<Vec<u8>> {
        let edits = &self.out.edits[first..];
        let takes_line = |edit: &Edit| edit.span.to > unit.span.to || edit.span == whole_line(unit);
        if unit.cell.is_none() && edits.iter().any(takes_line) {
            return None;
        }
        Some(match (unit.cell, edits) {
            // The edit of a cell knows its value.
            (
                Some(_),
                [
                    Edit {
                        cell: Some(cell), ..
                    },
                ],
            ) => cell.now(),
            (Some(_), _) => unit.bytes().to_vec(),
            (None, edits) => splice_part(unit.text, unit.span, edits),
        })
    }

    /// Notes a unit that is not as it must be.
    fn check(&mut self, from: usize, line: u64, now: Vec<u8>) {
        for ensure in self.ensure.iter_mut() {
            match ensure.is_match(&now) {
                Ok(true) => {}
                Ok(false) => {
                    self.out.unmet.push((from, now));
                    return;
                }
                Err(error) => {
                    let (line, kind) = (Some(line), error.into());
                    self.out.problems.push((from, Problem { line, kind }));
                }
            }
        }
    }
}

/// A line with its line end.
fn whole_line(unit: &UnitView<'_>) -> Span {
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
