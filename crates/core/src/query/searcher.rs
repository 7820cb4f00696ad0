//! A query over one text after another.

use crate::chunker::{ChunkSink, Chunker, Cut};
use crate::columns::layout::Layout;
use crate::pattern::probe::Probe;
use crate::problem::{Problem, ProblemKind};
use crate::query::Query;
use crate::query::note::Note;
use crate::query::prefilter::PrefilterUse;
use crate::query::scanner::UnitScanner;
use crate::query::scope::BlocksMet;
use crate::query::unit_view::{Visitor, Wanted};
use crate::rewrite::part_start::PartStart;
use std::path::Path;

/// One query over one text after another.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::query::Query;
/// use brisk_quill_core::query::findings::Findings;
/// use brisk_quill_core::query::unit_view::{UnitView, Visitor};
/// use brisk_quill_core::query::searcher::Searcher;
///
/// #[derive(Default)]
/// struct Count(u64);
/// impl Visitor for Count {
///     fn unit(&mut self, _: &UnitView<'_>, found: &Findings<'_>) {
///         self.0 += found.picked().count() as u64;
///     }
/// }
///
/// let query = Query::new(Pattern::new("quay", &MatchOptions::default())?);
/// let mut count = Count::default();
/// let mut found = Searcher::new(&query);
/// let mut text = found.text("-", 0);
/// text.push(b"quay 1, quay 2\nqu", &mut count);
/// text.push(b"ay 3\n", &mut count);
/// text.finish(&mut count);
/// assert_eq!(count.0, 3);
/// # Ok::<(), brisk_quill_core::error::Error>(())
/// ```
#[derive(Debug)]
pub struct Searcher<'q> {
    scanner: UnitScanner<'q>,
    wanted: Wanted,
    whole: bool,
}

/// A text, or a part of one, that is searched piece by piece.
#[derive(Debug)]
pub struct SearchedText<'s, 'q> {
    scanner: &'s mut UnitScanner<'q>,
    wanted: Wanted,
    pieces: Chunker,
}

/// What is known of a text once it has been searched to its end.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SearchEnd {
    /// The notes about it.
    pub notes: Vec<Note>,
    /// The blocks of lines that were met in it.
    pub blocks: BlocksMet,
}

impl<'q> Searcher<'q> {
    /// Looks for the matches of `query`; groups are not recorded and units without a match are
    /// not visited.
    pub fn new(query: &'q Query) -> Self {
        Self {
            scanner: UnitScanner::new(query),
            wanted: Wanted::default(),
            whole: query.needs_whole_text(),
        }
    }

    /// The groups of every match are wanted too.
    #[must_use]
    pub fn with_groups(mut self) -> Self {
        self.wanted.groups = true;
        self
    }

    /// Units in scope without a match are to be visited too.
    #[must_use]
    pub fn with_missing(mut self) -> Self {
        self.wanted.missing = true;
        self
    }

    /// Only whole texts are evaluated, so that a visitor sees all that surrounds a unit.
    #[must_use]
    pub fn in_one_piece(mut self) -> Self {
        self.whole = true;
        self
    }

    /// The way lines without a match are passed over; what is found does not depend on it.
    #[must_use]
    pub fn prefilter(mut self, prefilter: PrefilterUse) -> Self {
        self.scanner.use_prefilter(prefilter);
        self
    }

    /// Units without a match are visited, too, where they may hold one of the probe's patterns.
    #[must_use]
    pub fn with_probe(mut self, probe: &Probe) -> Self {
        self.scanner.use_probe(probe);
        self
    }

    /// Uses its probe in the texts that follow, or does not.
    pub fn probe_text(&mut self, probes: bool) {
        self.scanner.probe_text(probes);
    }

    /// The run is known to have `total` matches in place; see [`Query::needs_run_total`].
    #[must_use]
    pub fn with_run_total(mut self, total: u64) -> Self {
        self.scanner.set_run_total(total);
        self
    }

    /// Takes no match, but only counts those in place: see [`Searcher::in_place`].
    #[must_use]
    pub fn counting(mut self) -> Self {
        self.scanner.only_count();
        self
    }

    /// The number of matches in scope in the run so far.
    pub fn in_place(&self) -> u64 {
        self.scanner.in_run()
    }

    /// Begins a text, which lies `start` bytes into `file`; offsets are those in the file.
    pub fn text(&mut self, file: impl AsRef<Path>, start: u64) -> SearchedText<'_, 'q> {
        self.part(file, PartStart::of_text(start))
    }

    /// True if what is found in a line depends on nothing but that line and its number, so that a
    /// text may be looked at in parts, on several threads: see [`Searcher::part`].
    pub fn is_local(&self) -> bool {
        self.scanner.query().is_local() && !self.whole
    }

    /// Begins a part of a text that is [local](Searcher::is_local). The numbers of the matches that
    /// are taken are then those among all that this one has seen.
    pub fn part(&mut self, file: impl AsRef<Path>, start: PartStart) -> SearchedText<'_, 'q> {
        let file = file.as_ref();
        self.scanner.begin_text(file, start.line - 1);
        let layout = self.scanner.query().layout(file);
        let cut = match layout.and_then(Layout::boundary) {
            _ if self.whole => Cut::Nowhere,
            Some(boundary) => Cut::Records(boundary),
            None => Cut::Lines,
        };
        SearchedText {
            scanner: &mut self.scanner,
            wanted: self.wanted,
            pieces: Chunker::new(cut, start.offset),
        }
    }
}

impl SearchedText<'_, '_> {
    /// Takes the next bytes of the text; how they are cut does not matter.
    pub fn push(&mut self, bytes: &[u8], visitor: &mut dyn Visitor) {
        self.push_some(bytes, false, visitor);
    }

    /// The same for the last bytes, where they are known to be the last: that saves some work.
    pub fn push_last(&mut self, bytes: &[u8], visitor: &mut dyn Visitor) {
        self.push_some(bytes, true, visitor);
    }

    fn push_some(&mut self, bytes: &[u8], last: bool, visitor: &mut dyn Visitor) {
        let mut sink = SearchedPiece {
            scanner: self.scanner,
            wanted: self.wanted,
            visitor,
        };
        self.pieces.push(bytes, last, &mut sink);
    }

    /// Ends the text.
    pub fn finish(mut self, visitor: &mut dyn Visitor) -> SearchEnd {
        let mut sink = SearchedPiece {
            scanner: self.scanner,
            wanted: self.wanted,
            visitor,
        };
        self.pieces.finish(&mut sink);
        let (notes, problem) = self.scanner.end_text();
        if let Some(problem) = problem {
            visitor.problem(0, problem);
        }
        SearchEnd {
            notes,
            blocks: self.scanner.blocks_met(),
        }
    }
}

struct SearchedPiece<'f, 'q> {
    scanner: &'f mut UnitScanner<'q>,
    wanted: Wanted,
    visitor: &'f mut dyn Visitor,
}

impl ChunkSink for SearchedPiece<'_, '_> {
    fn piece(&mut self, text: &[u8], base: u64, last: bool) {
        let place = (base, last);
        self.scanner.piece(text, place, self.wanted, self.visitor);
    }

    fn overlong(&mut self, lines: u64, kind: ProblemKind) {
        let line = self.scanner.pass_lines(lines);
        self.visitor.problem(0, Problem::overlong(line, kind));
    }
}
