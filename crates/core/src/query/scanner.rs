//! One query walking over the units of a text, piece after piece.

use crate::address::resolve::Selection;
use crate::columns::cell_offsets::CellOffsets;
use crate::columns::row::{Row, RowCell};
use crate::pattern::{Finder, GroupSpans, Matches, SearchError};
use crate::problem::{Problem, ProblemKind};
use crate::query::prefilter::Prefilter;
use crate::query::rows::{ColumnNote, TableScanner};
use crate::query::scope::{OpenBlock, ScopeState, push_place};
use crate::query::{Per, Query};
use crate::span::Span;
use crate::unit::{Line, MAX_UNIT_BYTES, UnitKind, count_lines, line_ends, lines, paragraphs};
use std::path::Path;
use std::sync::Arc;

/// What a scanner is asked to tell besides the matches.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Wanted {
    /// The groups of every match.
    pub groups: bool,
    /// Units in scope without a match.
    pub missing: bool,
}

/// Is shown each unit of a text that holds something.
pub trait Visitor {
    /// A unit with matches, or one in scope without any where those were asked for.
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>);

    /// A row of a table, the header too, behind those of its cells that hold something.
    fn row(&mut self, row: &Row<'_>) {
        let _ = row;
    }

    /// A unit that could not be looked at; it begins at `offset` of the current text.
    fn problem(&mut self, offset: usize, problem: Problem) {
        let _ = (offset, problem);
    }
}

/// One unit where it lies.
#[derive(Clone, Copy, Debug)]
pub struct UnitView<'t> {
    /// The text around the unit, as far as it is at hand.
    pub text: &'t [u8],
    /// The unit in `text`, without its line end.
    pub span: Span,
    /// Its line end in `text`.
    pub ending: Span,
    /// Offset of `text` in the whole text, in bytes from 0.
    pub base: u64,
    /// The number of its first line in the whole text, from 1.
    pub line: u64,
    /// Whether the query's conditions hold here, or in a part of it.
    pub in_scope: bool,
    /// What else is to be known of a cell.
    pub cell: Option<CellView<'t>>,
}

/// A cell as a unit.
#[derive(Clone, Copy, Debug)]
pub struct CellView<'t> {
    pub(crate) value: &'t [u8],
    pub(crate) cell: &'t RowCell,
    pub(crate) row: &'t Row<'t>,
}

impl<'t> CellView<'t> {
    /// What its column is called.
    pub fn name(&self) -> Arc<str> {
        self.cell.name(self.row.table())
    }

    /// The column it belongs to: its name, or its pointer with `-` for every number of an
    /// element.
    pub fn column(&self) -> String {
        let name = self.name();
        if !self.row.table().layout().has_pointers() {
            return name.to_string();
        }
        let segments = name.split('/').map(|segment| {
            let number = !segment.is_empty() && segment.bytes().all(|b| b.is_ascii_digit());
            if number { "-" } else { segment }
        });
        segments.collect::<Vec<_>>().join("/")
    }

    /// The row it belongs to.
    pub fn row(&self) -> &'t Row<'t> {
        self.row
    }
}

impl<'t> UnitView<'t> {
    /// What is searched: the bytes of the unit, the value of a cell.
    pub fn bytes(&self) -> &'t [u8] {
        match self.cell {
            Some(cell) => cell.value,
            None => &self.text[self.span.range()],
        }
    }

    /// Where offset `at` of what is searched lies in the whole text.
    pub fn offset(&self, at: usize) -> u64 {
        self.offsets().of(at)
    }

    /// Where offsets of what is searched lie in the whole text.
    pub fn offsets(&self) -> UnitOffsets<'t> {
        let cell = |view: CellView<'t>| {
            let offsets = view.cell.offsets(self.text, view.value.len());
            (offsets, &self.text[view.cell.span.range()])
        };
        UnitOffsets {
            base: self.base,
            from: self.span.from,
            cell: self.cell.map(cell),
        }
    }
}

/// Where the bytes of a unit lie in the whole text.
pub struct UnitOffsets<'t> {
    base: u64,
    from: usize,
    cell: Option<(CellOffsets, &'t [u8])>,
}

impl UnitOffsets<'_> {
    /// Where offset `at` of what is searched lies.
    pub fn of(&self, at: usize) -> u64 {
        let place = match &self.cell {
            Some((offsets, raw)) => offsets.of(at, raw),
            None => self.from + at,
        };
        self.base + place as u64
    }
}

/// Why a match was not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LeftOut {
    /// It is out of scope.
    Scope,
    /// The pick takes others.
    Pick,
    /// The limit was reached before it.
    Limit,
}

/// What became of a match.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MatchStatus {
    /// It was taken; its number among those taken in the run, from 1.
    Picked(u64),
    /// It was not.
    LeftOut(LeftOut),
}

/// The matches in one unit.
#[derive(Clone, Copy, Debug)]
pub struct Findings<'a> {
    matches: &'a Matches,
    verdict: Verdict<'a>,
}

/// What became of the matches in one unit.
#[derive(Clone, Copy, Debug)]
enum Verdict<'a> {
    /// All were taken; the number of the first. Nearly always it is that simple, and nothing need
    /// be kept for each.
    All(u64),
    /// One for each match.
    Each(&'a [MatchStatus]),
}

impl Verdict<'_> {
    /// What became of match `index`, from 0.
    fn status(self, index: usize) -> MatchStatus {
        match self {
            Self::All(first) => MatchStatus::Picked(first + index as u64),
            Self::Each(status) => status[index],
        }
    }
}

/// One match; its spans count from the start of the unit.
#[derive(Clone, Copy, Debug)]
pub struct Finding<'a> {
    /// The match.
    pub span: Span,
    /// Its groups, the whole match first; that one alone where groups were not asked for.
    pub groups: GroupSpans<'a>,
    /// What became of it.
    pub status: MatchStatus,
}

impl<'a> Findings<'a> {
    /// All matches, left to right.
    pub fn iter(&self) -> impl Iterator<Item = Finding<'a>> + use<'a> {
        let Self { matches, verdict } = *self;
        (0..matches.len()).map(move |index| Finding {
            span: matches.span(index),
            groups: matches.groups(index),
            status: verdict.status(index),
        })
    }

    /// The matches that were taken.
    pub fn picked(&self) -> impl Iterator<Item = Finding<'a>> + use<'a> {
        self.iter()
            .filter(|f| matches!(f.status, MatchStatus::Picked(_)))
    }

    /// How many matches there are, taken or not.
    pub fn len(&self) -> usize {
        self.matches.len()
    }

    /// Whether there is no match at all.
    pub fn is_empty(&self) -> bool {
        self.matches.is_empty()
    }
}

/// The state of one query between pieces, texts and runs.
#[derive(Debug)]
pub(crate) struct UnitScanner<'q> {
    pub(super) query: &'q Query,
    pub(super) finder: Finder,
    pub(super) scope: ScopeState<'q>,
    /// Lines of this text already walked over.
    pub(super) lines_done: u64,
    pub(super) selector: Selector<'q>,
    pub(super) matches: Matches,
    pub(super) table: Option<TableScanner<'q>>,
    pub(super) prefilter: Prefilter,
    /// The first line that ends in CR LF, where the pattern is for a line feed alone.
    first_crlf: Option<u64>,
}

impl<'q> UnitScanner<'q> {
    pub fn new(query: &'q Query) -> Self {
        Self {
            query,
            finder: query.finder_of(&query.pattern),
            scope: ScopeState::new(&query.scope),
            lines_done: 0,
            selector: Selector::new(query),
            matches: Matches::default(),
            table: query.columns.as_ref().map(TableScanner::new),
            prefilter: Prefilter::default(),
            first_crlf: None,
        }
    }

    /// The matches in place of the whole run have been counted.
    pub fn set_run_total(&mut self, total: u64) {
        self.selector.selection = Some(self.query.pick.spec.resolve(Some(total)));
    }

    /// No match is to be taken.
    pub fn only_count(&mut self) {
        self.selector.selection = Some(self.query.pick.spec.resolve(Some(0)));
        self.selector.limit = 0;
    }

    /// Matches in place in this run so far.
    pub fn in_run(&self) -> u64 {
        self.selector.in_run
    }

    /// Begins the text of `file`, or a part of it with so many lines before; the name may tell
    /// how its columns are to be read.
    pub fn begin_text(&mut self, file: &Path, lines_before: u64) {
        if let Some(table) = &mut self.table {
            table.begin_text(file);
        }
        self.begin_again();
        self.lines_done = lines_before;
        self.first_crlf = None;
    }

    fn begin_again(&mut self) {
        self.scope.begin_text();
        self.lines_done = 0;
        self.selector.begin_text();
    }

    /// Counts lines that could not be looked at; gives the number of the first.
    pub fn pass_lines(&mut self, lines: u64) -> u64 {
        let first = self.lines_done + 1;
        self.lines_done += lines;
        if let Some(table) = &mut self.table {
            table.pass_row();
        }
        first
    }

    /// What is looked for.
    pub fn query(&self) -> &'q Query {
        self.query
    }

    /// Blocks that have begun in this text.
    pub fn blocks_begun(&self) -> u64 {
        self.scope.blocks_begun()
    }

    /// Ends the text: what is to be told of it, and what was wrong with all of it.
    pub fn end_text(&mut self) -> (Vec<Note>, Option<Problem>) {
        let mut notes: Vec<_> = self.scope.open_blocks().map(Note::OpenBlock).collect();
        let crlf = self.first_crlf.take();
        notes.extend(crlf.map(|line| Note::BareLineFeed { line }));
        let Some(table) = &mut self.table else {
            return (notes, None);
        };
        let (of_columns, problem) = table.end_text();
        notes.extend(of_columns.into_iter().map(Note::Column));
        (notes, problem)
    }

    /// Walks over the next whole lines of the text; `base` is their offset in it, and `last` tells
    /// that nothing follows.
    pub fn piece(
        &mut self,
        text: &[u8],
        (base, last): (u64, bool),
        wanted: Wanted,
        visitor: &mut dyn Visitor,
    ) {
        if self.first_crlf.is_none()
            && matches!(self.query.unit, UnitKind::Paragraph | UnitKind::Text)
            && self.query.pattern.has_bare_line_feed()
            && let Some(at) = memchr::memmem::find(text, b"\r\n")
        {
            self.first_crlf = Some(self.lines_done + 1 + line_ends(&text[..at]));
        }
        if self.query.pick.per == Per::File && self.query.pick.spec.needs_total() {
            // Such a query is only ever given whole texts, so this counts all of it.
            self.selector.selection = None;
            self.scan(text, (base, last), Wanted::default(), &mut NullCollector);
            let total = self.selector.in_text;
            let (in_run, taken) = (self.selector.in_run - total, self.selector.taken);
            self.begin_again();
            if let Some(table) = &mut self.table {
                table.begin_again();
            }
            (self.selector.in_run, self.selector.taken) = (in_run, taken);
            self.selector.selection = Some(self.query.pick.spec.resolve(Some(total)));
        }
        self.scan(text, (base, last), wanted, visitor);
    }

    fn scan(
        &mut self,
        text: &[u8],
        (base, last): (u64, bool),
        wanted: Wanted,
        visitor: &mut dyn Visitor,
    ) {
        if let Err(error) = self.scope.begin_piece(text, self.lines_done) {
            let kind = ProblemKind::Search(error);
            return visitor.problem(0, Problem { line: None, kind });
        }
        let mut scan = Scan {
            text,
            base,
            last,
            wanted,
            visitor,
        };
        match self.query.unit {
            UnitKind::Line => self.lines(&mut scan),
            UnitKind::Cell => self.rows(&mut scan),
            UnitKind::Paragraph => self.larger_units(paragraphs(text), &mut scan),
            // No text is not a unit, as no text has no line.
            UnitKind::Text if text.is_empty() => {}
            UnitKind::Text => {
                let whole = Line {
                    content: Span::new(0, text.len()),
                    next: text.len(),
                };
                self.larger_units(std::iter::once(whole), &mut scan);
            }
        }
    }

    pub(super) fn line(&mut self, line: Line, scan: &mut Scan<'_>) {
        self.lines_done += 1;
        let content = &scan.text[line.content.range()];
        let mut holds = self.scope.line_holds(self.lines_done, content);
        if let Ok(true) = holds {
            holds = self.scope.record_holds(content);
        }
        let place = holds.map(|holds| if holds { Place::All } else { Place::None });
        self.unit(line, self.lines_done, place, scan);
    }

    /// Units that span lines: first the lines are judged, then each match lies in good lines or
    /// not.
    fn larger_units(&mut self, units: impl Iterator<Item = Line>, scan: &mut Scan<'_>) {
        let first_line = self.lines_done + 1;
        let places = match self.places(scan.text) {
            Ok(places) => places,
            Err((line, offset, error)) => {
                let kind = ProblemKind::Search(error);
                let line = Some(line);
                return scan.visitor.problem(offset, Problem { line, kind });
            }
        };
        let mut number = first_line;
        let mut counted = 0;
        for unit in units {
            let from = unit.content.from;
            number += line_ends(&scan.text[counted..from]);
            counted = from;
            let place = match &places {
                Some(places) => Place::Within(places, scan.text.len()),
                None => Place::All,
            };
            let content = &scan.text[unit.content.range()];
            let holds = self.scope.record_holds(content);
            let place = holds.map(|holds| if holds { place } else { Place::None });
            self.unit(unit, number, place, scan);
        }
    }

    /// The places in which the conditions on lines hold; `None` is everywhere.
    fn places(&mut self, text: &[u8]) -> Result<Option<Vec<Span>>, (u64, usize, SearchError)> {
        if !self.query.scope.judges_lines() {
            self.lines_done += count_lines(text);
            return Ok(None);
        }
        let mut places = Vec::new();
        for line in lines(text) {
            self.lines_done += 1;
            let content = &text[line.content.range()];
            let holds = self.scope.line_holds(self.lines_done, content);
            if holds.map_err(|error| (self.lines_done, line.content.from, error))? {
                push_place(&mut places, line.whole());
            }
        }
        Ok(Some(places))
    }

    fn unit(
        &mut self,
        unit: Line,
        number: u64,
        place: Result<Place<'_>, SearchError>,
        scan: &mut Scan<'_>,
    ) {
        let (span, wanted) = (unit.content, scan.wanted);
        let bytes = &scan.text[span.range()];
        let searched = place.map_err(ProblemKind::Search).and_then(|place| {
            // A line was measured when it was cut, a text when it was read.
            if self.query.unit == UnitKind::Paragraph && bytes.len() > MAX_UNIT_BYTES {
                let limit = MAX_UNIT_BYTES;
                return Err(ProblemKind::ParagraphTooLong { limit });
            }
            let matches = &mut self.matches;
            self.finder.collect(bytes, wanted.groups, matches)?;
            Ok(place)
        });
        let place = match searched {
            Ok(place) => place,
            Err(kind) => {
                let line = Some(number);
                return scan.visitor.problem(span.from, Problem { line, kind });
            }
        };
        let in_scope = place.touches(span);
        if self.matches.is_empty() && !(wanted.missing && in_scope) {
            return;
        }
        let view = UnitView {
            text: scan.text,
            span,
            ending: unit.ending(),
            base: scan.base,
            line: number,
            in_scope,
            cell: None,
        };
        self.judge_and_show(&view, place, scan);
    }

    /// Judges the matches that have been collected in a unit, and shows it.
    pub(super) fn judge_and_show(
        &mut self,
        view: &UnitView<'_>,
        place: Place<'_>,
        scan: &mut Scan<'_>,
    ) {
        let (matches, from) = (&self.matches, view.span.from);
        let verdict = match place {
            Place::All if self.selector.takes_all(matches) => self.selector.take_all(matches),
            _ => {
                let spans = (0..matches.len()).map(|index| matches.span(index));
                self.selector
                    .unit(spans.map(|span| place.holds(span.shifted(from))))
            }
        };
        scan.visitor.unit(view, &Findings { matches, verdict });
    }
}

/// Something to know about a text that is not a mistake.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Note {
    /// A block of lines without an end.
    OpenBlock(OpenBlock),
    /// About its columns.
    Column(ColumnNote),
    /// A line feed in the pattern meets a text whose lines end in CR LF.
    BareLineFeed {
        /// The first line that ends so, from 1.
        line: u64,
    },
    /// Numbers were calculated with whose comma may stand between thousands.
    Thousands {
        /// The line of the first one, from 1.
        line: u64,
        /// Matches with such a number.
        matches: u64,
    },
}

impl Note {
    /// Adds a note to those of the parts before: of each kind that is about the whole text there
    /// is one, which counts all.
    pub fn push_to(self, notes: &mut Vec<Self>) {
        for known in &mut *notes {
            match (&self, known) {
                (Self::Thousands { matches: more, .. }, Self::Thousands { matches, .. }) => {
                    *matches += more;
                    return;
                }
                (Self::BareLineFeed { .. }, Self::BareLineFeed { .. }) => return,
                _ => {}
            }
        }
        notes.push(self);
    }
}

/// One pass over one piece.
pub(super) struct Scan<'s> {
    pub text: &'s [u8],
    pub base: u64,
    /// Nothing follows: lines behind the last one that is looked at need not be counted.
    pub last: bool,
    pub wanted: Wanted,
    pub visitor: &'s mut dyn Visitor,
}

/// Which part of a unit the conditions leave.
#[derive(Clone, Copy)]
pub(super) enum Place<'p> {
    All,
    None,
    /// Sorted spans of whole lines, and where the text ends.
    Within(&'p [Span], usize),
}

impl Place<'_> {
    /// Whether a match lies in place as a whole.
    fn holds(self, span: Span) -> bool {
        match self {
            Self::All => true,
            Self::None => false,
            Self::Within(places, end) => {
                let next = places.partition_point(|place| place.to < span.to);
                // An empty match at the end of a line end belongs to the line behind it.
                let fits = |place: &Span| {
                    let behind = span.is_empty() && span.to == place.to && span.to != end;
                    place.from <= span.from && span.to <= place.to && !behind
                };
                places[next..].iter().take(2).any(fits)
            }
        }
    }

    /// Whether any of the span is in place.
    fn touches(self, span: Span) -> bool {
        match self {
            Self::All => true,
            Self::None => false,
            Self::Within(places, _) => {
                let next = places.partition_point(|place| place.to <= span.from);
                places
                    .get(next)
                    .is_some_and(|place| place.from < span.to.max(span.from + 1))
            }
        }
    }
}

/// Looks at nothing: the selector counts.
struct NullCollector;

impl Visitor for NullCollector {
    fn unit(&mut self, _: &UnitView<'_>, _: &Findings<'_>) {}
}

/// Decides which matches are taken.
#[derive(Debug)]
pub(super) struct Selector<'q> {
    query: &'q Query,
    /// The pick, resolved as far as that can be done once; `None` until the total is known.
    selection: Option<Selection>,
    limit: u64,
    /// Matches in place in this row, in this text, and in this run.
    in_row: u64,
    in_text: u64,
    in_run: u64,
    /// Matches taken in this run.
    taken: u64,
    status: Vec<MatchStatus>,
}

impl<'q> Selector<'q> {
    fn new(query: &'q Query) -> Self {
        let spec = &query.pick.spec;
        Self {
            query,
            selection: (!spec.needs_total()).then(|| spec.resolve(None)),
            limit: query.limit.unwrap_or(u64::MAX),
            in_row: 0,
            in_text: 0,
            in_run: 0,
            taken: 0,
            status: Vec::new(),
        }
    }

    fn begin_text(&mut self) {
        self.in_text = 0;
    }

    pub fn begin_row(&mut self) {
        self.in_row = 0;
    }

    /// The current row has `total` matches in place.
    pub fn set_row_total(&mut self, total: u64) {
        self.selection = Some(self.query.pick.spec.resolve(Some(total)));
    }

    /// Whether all matches of a unit are taken when they are in place.
    fn takes_all(&self, matches: &Matches) -> bool {
        let taken = self.taken.saturating_add(matches.len() as u64);
        self.query.pick.spec.is_all() && taken <= self.limit
    }

    /// Takes all matches of a unit.
    fn take_all(&mut self, matches: &Matches) -> Verdict<'_> {
        let count = matches.len() as u64;
        self.in_row += count;
        self.in_text += count;
        self.in_run += count;
        self.taken += count;
        Verdict::All(self.taken - count + 1)
    }

    /// Judges the matches of one unit, given whether each is in place.
    fn unit(&mut self, in_place: impl Iterator<Item = bool> + Clone) -> Verdict<'_> {
        let per_unit;
        let selection = match &self.selection {
            Some(selection) => Some(selection),
            None if self.query.pick.per == Per::Unit => {
                let total = in_place.clone().filter(|here| *here).count() as u64;
                per_unit = self.query.pick.spec.resolve(Some(total));
                Some(&per_unit)
            }
            // Only counting yet.
            None => None,
        };
        self.status.clear();
        let mut in_unit = 0;
        for here in in_place {
            if !here {
                self.status.push(MatchStatus::LeftOut(LeftOut::Scope));
                continue;
            }
            in_unit += 1;
            self.in_row += 1;
            self.in_text += 1;
            self.in_run += 1;
            let number = match self.query.pick.per {
                Per::Unit => in_unit,
                Per::Row => self.in_row,
                Per::File => self.in_text,
                Per::Run => self.in_run,
            };
            let picked = selection.is_some_and(|set| set.contains(number));
            self.status.push(if !picked {
                MatchStatus::LeftOut(LeftOut::Pick)
            } else if self.taken >= self.limit {
                MatchStatus::LeftOut(LeftOut::Limit)
            } else {
                self.taken += 1;
                MatchStatus::Picked(self.taken)
            });
        }
        Verdict::Each(&self.status)
    }
}
