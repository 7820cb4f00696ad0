//! A step at work: from matches to edits of the text it sees.

use crate::columns::row::Row;
use crate::edits::StepSet;
use crate::pattern::Finder;
use crate::problem::Problem;
use crate::query::findings::Findings;
use crate::query::note::Note;
use crate::query::scanner::UnitScanner;
use crate::query::table_end::TableEnd;
use crate::query::unit_view::{UnitView, Unmatched, Visitor, Wanted};
use crate::rewrite::counts::StepCounts;
use crate::rewrite::options::RunOptions;
use crate::rewrite::seen::SeenUnit;
use crate::rewrite::sink::Sink;
use crate::span::Span;
use crate::step::Step;
use crate::step::actions::Action;
use crate::step::actions::{act, end_row};
use crate::step::edit_maker::into_row;
use crate::step::edit_maker::{EditMaker, StepOutcome, StepReceiver};
use crate::step::into_column::IntoColumn;
use crate::unit::{UnitKind, ending_before};
use std::cell::{Cell, RefCell};
use std::path::{Path, PathBuf};

/// The next piece of the text that a step sees.
#[derive(Clone, Copy)]
pub(crate) struct StepText<'t> {
    pub text: &'t [u8],
    /// Nothing follows.
    pub last: bool,
    /// The places that earlier steps have written, in order, where that is asked for.
    pub written: &'t [Span],
}

/// The state of one step during a run.
#[derive(Debug)]
pub(crate) struct StepRun<'r> {
    step: &'r Step,
    set: StepSet,
    scanner: UnitScanner<'r>,
    keep_groups: bool,
    keep_cells: bool,
    keep_rows: bool,
    /// Units without a match are shown too, where the step only shows.
    missing: Unmatched,
    /// Each unit is shown.
    watched: bool,
    /// Each edit says what it has copied.
    keep_copies: bool,
    /// Patterns that each unit in scope must match afterwards.
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

impl<'r> StepRun<'r> {
    /// `index` counts from 0.
    pub fn new(step: &'r Step, index: usize, options: &RunOptions) -> Self {
        Self {
            step,
            set: StepSet::one(index),
            scanner: UnitScanner::new(&step.query),
            keep_groups: options.groups,
            missing: options.missing,
            // What is ensured is the value.
            keep_rows: options.rows,
            keep_cells: options.cells || !step.ensure.is_empty() || options.watch.is_some(),
            watched: options.watch.is_some(),
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

    /// True if it looks at cells.
    pub fn has_table(&self) -> bool {
        self.step.query.columns.is_some()
    }

    /// See [`UnitScanner`].
    pub fn scanner(&mut self) -> &mut UnitScanner<'r> {
        &mut self.scanner
    }

    /// Begins a text, or a part of one whose first line has this number, from 1, after a line that ends so.
    pub fn begin_text(&mut self, file: &Path, (line, ending): (u64, &'static [u8])) {
        self.scanner.begin_text(file, line - 1);
        self.counts = StepCounts::default();
        file.clone_into(&mut self.file);
        self.last_ending = ending;
        self.thousands = None;
        self.keep_copies = false;
    }

    /// Ends the text, or a part of it: the notes about it, and what is known of its columns.
    pub fn finish_text(&mut self) -> (Vec<Note>, Option<TableEnd>) {
        self.counts.take_blocks(self.scanner.blocks_met());
        let (mut notes, end) = self.scanner.end_text();
        let thousands = self.thousands.take();
        notes.extend(thousands.map(|(line, matches)| Note::Thousands { line, matches }));
        (notes, end)
    }

    /// True if each edit of the text says what it has copied.
    pub fn keep_copies(&mut self, keep: bool) {
        self.keep_copies = keep;
    }

    /// Counts lines that could not be looked at; gives the number of the first in the text that it sees.
    pub fn pass_lines(&mut self, lines: u64) -> u64 {
        self.scanner.pass_lines(lines)
    }

    /// The counts of this text.
    pub fn counts(&self) -> &StepCounts {
        &self.counts
    }

    /// Shows what is found in the next piece of the text, which lies `base` bytes into it, where this is the only step
    /// and does nothing else; gives the number of problems.
    pub fn show(&mut self, text: &[u8], (base, last): (u64, bool), sink: &mut dyn Sink) -> u64 {
        let wanted = Wanted {
            groups: self.keep_groups,
            missing: self.missing,
        };
        let mut visitor = ShowVisitor {
            shows_missing: self.missing != Unmatched::Ignored,
            watched: self.watched,
            counts: &mut self.counts,
            problems: 0,
            sink,
        };
        self.scanner.piece(text, (base, last), wanted, &mut visitor);
        visitor.problems
    }

    /// The outcome of this step for the next piece of its text; `last` says that nothing follows.
    /// Where units with more matches than `split` are split, most of their edits go to `receiver` on
    /// the way, and are not part of the outcome.
    pub fn piece(
        &mut self,
        StepText {
            text,
            last,
            written,
        }: StepText<'_>,
        split: Option<usize>,
        receiver: &mut dyn StepReceiver,
    ) -> StepOutcome {
        let drops_others = matches!(self.step.action, Action::DropOtherLines);
        // The first of them is the match itself.
        let keep_groups = self.keep_groups && self.step.query.pattern.groups().len() > 1;
        let wanted = Wanted {
            groups: keep_groups || self.step.needs_groups(),
            missing: match drops_others || !self.ensure.is_empty() {
                true => Unmatched::Shown,
                false => Unmatched::Ignored,
            },
        };
        let maker = EditMaker {
            set: self.set,
            keep_groups,
            numbers_lines: self.set == StepSet::one(0)
                && matches!(self.step.query.unit, UnitKind::Line | UnitKind::Cell),
            keep_cells: self.keep_cells,
            keep_rows: self.keep_rows,
            copies: self.keep_copies.then(RefCell::default),
            ensure: &mut self.ensure,
            counts: &mut self.counts,
            file: &self.file,
            last_ending: self.last_ending,
            in_row: None,
            units_of_row: Vec::new(),
            into: self.step.into.is_some(),
            into_row: None,
            counted: Cell::default(),
            text: Vec::new(),
            written: Cell::default(),
            thousands: Cell::new(self.thousands),
            problems_told: 0,
            split: split.filter(|_| self.step.ensure.is_empty()),
            stop: self.step.query.pattern.stop(),
            receiver,
            out: StepOutcome::default(),
        };
        let action = &self.step.action;
        let watched = self.watched.then_some(written);
        let mut visitor = StepVisitor {
            action,
            into: self.step.into.as_ref(),
            maker,
            watched,
        };
        self.scanner.piece(text, (0, last), wanted, &mut visitor);
        let maker = visitor.maker;
        let out = maker.out;
        self.thousands = maker.thousands.get();
        self.last_ending = ending_before(text, self.last_ending);
        out
    }
}

/// Shows each unit that is visited, and counts its matches.
struct ShowVisitor<'s> {
    shows_missing: bool,
    watched: bool,
    counts: &'s mut StepCounts,
    problems: u64,
    sink: &'s mut dyn Sink,
}

impl Visitor for ShowVisitor<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        let taken = self.counts.take_found(found);
        if self.watched {
            self.sink.seen(0, &SeenUnit::searched(unit, found));
        }
        if !found.is_empty() || self.shows_missing {
            self.sink.unit(unit, found, taken);
        }
    }

    fn passed(&mut self, units: u64) {
        self.sink.passed(units);
    }

    fn row(&mut self, row: &Row<'_>) {
        self.sink.row(row);
    }

    fn problem(&mut self, _: usize, problem: Problem) {
        self.problems += 1;
        self.sink.problem(problem);
    }
}

/// Does what an action says with each unit that is visited.
struct StepVisitor<'a, 'e, 's> {
    action: &'a Action,
    into: Option<&'a IntoColumn>,
    maker: EditMaker<'e, 's>,
    /// Each unit is shown; the places that earlier steps have written.
    watched: Option<&'a [Span]>,
}

impl Visitor for StepVisitor<'_, '_, '_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        let maker = &mut self.maker;
        maker.counted.take();
        maker.written.take();
        let first = maker.out.edits.len();
        let taken = maker.counts.take_found(found);
        maker.problems_told = 0;
        let before = (
            maker.counts.edits,
            maker.counts.unchanged,
            maker.counts.failed,
        );
        if let Err(kind) = act(self.action, maker, unit, found) {
            // All of the unit is left alone.
            maker.out.edits.truncate(first);
            (
                maker.counts.edits,
                maker.counts.unchanged,
                maker.counts.failed,
            ) = before;
            if !self.action.is_for_rows() {
                maker.counts.failed += taken;
            }
            let line = Some(unit.line);
            let problem = Problem { line, kind };
            maker.out.problems.push((unit.span.from, problem));
        }
        if let Some(written) = self.watched {
            let is_split = maker.split.is_some_and(|most| found.len() > most);
            let edits = maker.out.edits.get(first..).filter(|_| !is_split);
            let seen = SeenUnit::rewritten((unit, found), edits, written);
            maker.receiver.seen(&seen);
        }
        if !unit.in_scope || maker.ensure.is_empty() {
            return;
        }
        if self.action.is_for_rows() {
            // What becomes of it is known when the row is.
            let bytes = unit.bytes().to_vec();
            maker.units_of_row.push((unit.span, unit.line, bytes));
        } else if let Some(now) = maker.now(unit, first) {
            maker.check(unit.span.from, unit.line, now);
        }
    }

    fn row(&mut self, row: &Row<'_>) {
        end_row(self.action, &mut self.maker, row);
        if let Some(into) = self.into {
            into_row::end_row(&mut self.maker, row, into);
        }
    }

    fn problem(&mut self, offset: usize, problem: Problem) {
        self.maker.out.problems.push((offset, problem));
    }
}
