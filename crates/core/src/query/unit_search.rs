//! The matches in one unit after another, judged and shown.

use crate::pattern::Finder;
use crate::pattern::matches::Matches;
use crate::pattern::probe::ProbeFinder;
use crate::pattern::search_error::SearchError;
use crate::problem::{Problem, ProblemKind};
use crate::query::Query;
use crate::query::findings::Findings;
use crate::query::scan::{Place, Scan};
use crate::query::scope::{ScopeState, push_place};
use crate::query::selector::Selector;
use crate::query::unit_view::{UnitView, Unmatched, Wanted};
use crate::span::Span;
use crate::unit::{Line, MAX_UNIT_BYTES, UnitKind, count_lines, line_ends, lines};

/// The state of a search between units, pieces, texts and runs.
#[derive(Debug)]
pub(super) struct UnitSearch<'q> {
    pub query: &'q Query,
    pub finder: Finder,
    pub scope: ScopeState<'q>,
    /// Lines of this text already walked over.
    pub lines_done: u64,
    pub selector: Selector<'q>,
    pub matches: Matches,
    /// Units without a match that are to be shown because they may hold one of another pattern.
    pub probe: Option<ProbeFinder>,
    /// True if they are, in the current text.
    pub probes_text: bool,
}

/// The way to the matches of a unit.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Matching {
    /// The text is searched for them.
    Searched,
    /// The text are known.
    Known,
}

/// In lines beyond this, no unit is shown for a probe.
const LINES_PROBED: u64 = 10_000;

impl<'q> UnitSearch<'q> {
    pub fn new(query: &'q Query) -> Self {
        Self {
            query,
            finder: query.finder_of(&query.pattern),
            scope: ScopeState::new(&query.scope),
            lines_done: 0,
            selector: Selector::new(query),
            matches: Matches::default(),
            probe: None,
            probes_text: false,
        }
    }

    /// Goes back to the start of the text.
    pub fn begin_again(&mut self) {
        self.scope.begin_text();
        self.lines_done = 0;
        self.selector.begin_text();
    }

    /// Searches a line.
    pub fn line(&mut self, line: Line, scan: &mut Scan<'_>) {
        self.line_or(line, Matching::Searched, scan);
    }

    /// Looks at a line whose matches have been collected.
    pub fn found_line(&mut self, line: Line, scan: &mut Scan<'_>) {
        self.line_or(line, Matching::Known, scan);
    }

    fn line_or(&mut self, line: Line, matching: Matching, scan: &mut Scan<'_>) {
        self.lines_done += 1;
        let content = &scan.text[line.content.range()];
        let mut holds = self.scope.line_holds(self.lines_done, content);
        if let Ok(true) = holds {
            holds = self.scope.record_holds(content);
        }
        let place = holds.map(|holds| if holds { Place::All } else { Place::None });
        self.unit((line, matching), self.lines_done, place, scan);
    }

    /// Units that span lines: first the lines are judged, then each match lies in good lines or
    /// not.
    pub fn larger_units(&mut self, units: impl Iterator<Item = Line>, scan: &mut Scan<'_>) {
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
            self.unit((unit, Matching::Searched), number, place, scan);
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
        (unit, matching): (Line, Matching),
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
            if matching == Matching::Searched {
                let matches = &mut self.matches;
                self.finder.collect(bytes, wanted.groups, matches)?;
            }
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
        if self.matches.is_empty() && !(in_scope && self.is_wanted(wanted, scan.text, span)) {
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

    /// True if units that follow may be shown for a probe.
    pub fn is_probing(&self) -> bool {
        self.probes_text && self.lines_done < LINES_PROBED
    }

    /// True if a unit in scope is to be shown though it holds no match.
    fn is_wanted(&mut self, wanted: Wanted, text: &[u8], unit: Span) -> bool {
        let probe = self
            .probe
            .as_mut()
            .filter(|_| self.probes_text && self.lines_done <= LINES_PROBED);
        wanted.missing != Unmatched::Ignored
            || probe.is_some_and(|probe| probe.may_hold(text, unit))
    }

    /// The same for the value of a cell.
    pub fn wants_cell(&mut self, wanted: Wanted, value: &[u8]) -> bool {
        let probe = self
            .probe
            .as_mut()
            .filter(|_| self.probes_text && self.lines_done <= LINES_PROBED);
        wanted.missing != Unmatched::Ignored || probe.is_some_and(|probe| probe.may_match(value))
    }

    /// Judges the matches that have been collected in a unit, and shows it.
    pub fn judge_and_show(&mut self, view: &UnitView<'_>, place: Place<'_>, scan: &mut Scan<'_>) {
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
