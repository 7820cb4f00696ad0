//! Lines searched one by one, or only those that may hold a match.

use crate::pattern::candidates::Candidates;
use crate::pattern::in_piece::PieceFinder;
use crate::pattern::probe::lines_of_any;
use crate::pattern::search_error::SearchError;
use crate::problem::{Problem, ProblemKind};
use crate::query::scan::Scan;
use crate::query::unit_search::UnitSearch;
use crate::query::unit_view::Unmatched;
use crate::span::Span;
use crate::unit::{Line, count_lines, line_at, lines};

/// Bytes of text before it is worth while to prefilter.
const WORTH_WHILE: usize = 32 << 10;
/// Candidates in a piece before they are weighed against its lines.
const WEIGHED_AFTER: u64 = 32;
/// When more than one line in this many is a candidate, each is looked at instead.
const RARE: u64 = 4;

/// Matches of a line after which it is seen whether to stop.
const MATCHES_A_LOOK: usize = 4096;

/// The way lines without a match are passed over. The result is always the same.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum PrefilterUse {
    /// As is faster on the current text.
    #[default]
    AsNeeded,
    /// By a search over many lines at once, wherever that can be done.
    Always,
    /// Each line is looked at.
    Never,
}

/// The state of a prefilter.
#[derive(Debug, Default)]
pub(super) struct Prefilter {
    how: PrefilterUse,
    /// Bytes walked over before prefilter was thought of.
    walked: usize,
    /// `None` until it is wanted; then none where the pattern gives none.
    candidates: Option<Option<Candidates>>,
    /// The same for a probe and the pattern.
    of_probe: Option<Candidates>,
    /// `None` until it is wanted; then none where lines must be searched one by one.
    piece: Option<Option<PieceFinder>>,
}

impl Prefilter {
    /// The way lines without a match are passed over.
    pub fn set_use(&mut self, how: PrefilterUse) {
        self.how = how;
    }

    /// The search for the lines worth looking at where a probe is used.
    pub fn use_probe(&mut self, candidates: Option<Candidates>) {
        self.of_probe = candidates;
    }

    /// Searches the lines of a piece.
    pub fn lines(&mut self, search: &mut UnitSearch<'_>, scan: &mut Scan<'_>) {
        // How many of them are in scope is known without looking only where all are.
        if scan.wanted.missing == Unmatched::Counted && !search.query.scope.is_everywhere() {
            scan.wanted.missing = Unmatched::Shown;
        }
        if !self.is_worth_while(search, scan) {
            return all_lines(search, 0, scan);
        }
        let (query, is_probing) = (search.query, search.is_probing());
        let in_blocks = !query.scope.blocks.is_empty();
        if !is_probing && !in_blocks {
            let make = || query.pattern.piece_finder();
            if let Some(finder) = self.piece.get_or_insert_with(make)
                && finder.fits(scan.text)
            {
                return piece_lines(search, finder, scan);
            }
        }
        // A probe does not look for the places where blocks begin and end.
        if scan.wanted.missing == Unmatched::Shown || is_probing && in_blocks {
            return all_lines(search, 0, scan);
        }
        let candidates = match is_probing {
            true => &mut self.of_probe,
            false => self.candidates.get_or_insert_with(|| match in_blocks {
                true => lines_of_any(query.scope.marks().chain([&query.pattern])),
                false => query.pattern.candidates(),
            }),
        };
        match candidates {
            Some(candidates) => some_lines(search, candidates, scan),
            None => all_lines(search, 0, scan),
        }
    }

    /// True unless all lines must be looked at, or may as well be.
    fn is_worth_while(&mut self, search: &UnitSearch<'_>, scan: &Scan<'_>) -> bool {
        if !search.query.scope.may_pass_lines() {
            return false;
        }
        match self.how {
            PrefilterUse::Never => false,
            PrefilterUse::Always => true,
            PrefilterUse::AsNeeded => {
                self.walked = self.walked.saturating_add(scan.text.len());
                self.walked >= WORTH_WHILE
            }
        }
    }
}

/// Looks at every line from offset `from` on.
fn all_lines(search: &mut UnitSearch<'_>, from: usize, scan: &mut Scan<'_>) {
    for line in lines_in(scan.text, Span::new(from, scan.text.len())) {
        search.line(line, scan);
    }
}

/// The lines of a part of a text that begins with one.
fn lines_in(text: &[u8], place: Span) -> impl Iterator<Item = Line> + use<'_> {
    lines(&text[place.range()]).map(move |line| Line {
        content: line.content.shifted(place.from),
        next: line.next + place.from,
    })
}

/// Looks at the lines with a match, which are found in all of the piece at once, and counts the others, or shows
/// them where they are wanted.
fn piece_lines(search: &mut UnitSearch<'_>, finder: &mut PieceFinder, scan: &mut Scan<'_>) {
    let (text, groups) = (scan.text, scan.wanted.groups);
    let mut from = 0;
    let mut found = finder.next(text, 0, groups);
    while let Some(first) = found {
        let Some(line) = line_at(text, from, first.from) else {
            break;
        };
        pass_lines(search, Span::new(from, line.content.from), scan);
        search.matches.clear();
        let mut stopped = false;
        while let Some(span) = found.filter(|span| span.from < line.next && !stopped) {
            finder.push_to(&mut search.matches, line.content.from, groups);
            found = finder.next(text, span.to, groups);
            let matches = search.matches.len();
            stopped =
                matches.is_multiple_of(MATCHES_A_LOOK) && search.query.pattern.stop().is_set();
        }
        if stopped {
            let (line, kind) = (
                search.lines_done + 1,
                ProblemKind::Search(SearchError::Stopped),
            );
            let line = Some(line);
            return scan.visitor.problem(from, Problem { line, kind });
        }
        search.found_line(line, scan);
        from = line.next;
    }
    if !scan.last || scan.wanted.missing != Unmatched::Ignored {
        pass_lines(search, Span::new(from, text.len()), scan);
    }
}

/// Counts lines without a match, or shows each of them.
fn pass_lines(search: &mut UnitSearch<'_>, place: Span, scan: &mut Scan<'_>) {
    if scan.wanted.missing != Unmatched::Shown {
        let lines = count_lines(&scan.text[place.range()]);
        search.lines_done += lines;
        return report_passed(scan, lines);
    }
    search.matches.clear();
    for line in lines_in(scan.text, place) {
        search.found_line(line, scan);
    }
}

/// Reports lines without a match, where they are to be counted.
fn report_passed(scan: &mut Scan<'_>, lines: u64) {
    if scan.wanted.missing == Unmatched::Counted {
        scan.visitor.passed(lines);
    }
}

/// Looks at the lines that may hold a match, and counts the others.
fn some_lines(search: &mut UnitSearch<'_>, candidates: &mut Candidates, scan: &mut Scan<'_>) {
    let text = scan.text;
    let before = search.lines_done;
    let mut looked_at = 0;
    let mut from = 0;
    while let Some((passed, line)) = candidates.next_line(text, from) {
        search.lines_done += passed;
        report_passed(scan, passed);
        search.line(line, scan);
        from = line.next;
        looked_at += 1;
        if looked_at >= WEIGHED_AFTER && looked_at * RARE > search.lines_done - before {
            return all_lines(search, from, scan);
        }
    }
    if !scan.last || scan.wanted.missing != Unmatched::Ignored {
        let passed = count_lines(&text[from..]);
        search.lines_done += passed;
        report_passed(scan, passed);
    }
}
