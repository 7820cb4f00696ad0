//! One query over the units of a text, piece after piece.

use crate::pattern::probe::Probe;
use crate::problem::{Problem, ProblemKind};
use crate::query::findings::Findings;
use crate::query::note::Note;
use crate::query::prefilter::{Prefilter, PrefilterUse};
use crate::query::rows::TableScanner;
use crate::query::scan::Scan;
use crate::query::scope::BlocksMet;
use crate::query::table_end::{TableEnd, TableHead};
use crate::query::unit_search::UnitSearch;
use crate::query::unit_view::{UnitView, Visitor, Wanted};
use crate::query::{Per, Query};
use crate::span::Span;
use crate::unit::{Line, UnitKind, line_ends, paragraphs};
use std::path::Path;

/// The state of one query between pieces, texts and runs.
#[derive(Debug)]
pub(crate) struct UnitScanner<'q> {
    search: UnitSearch<'q>,
    table: Option<TableScanner<'q>>,
    prefilter: Prefilter,
    /// The first line that ends in CR LF, where the pattern is for a line feed alone.
    first_crlf: Option<u64>,
}

impl<'q> UnitScanner<'q> {
    pub fn new(query: &'q Query) -> Self {
        Self {
            search: UnitSearch::new(query),
            table: query.columns.as_ref().map(TableScanner::new),
            prefilter: Prefilter::default(),
            first_crlf: None,
        }
    }

    /// The matches in place of the whole run have been counted.
    pub fn set_run_total(&mut self, total: u64) {
        self.search.selector.selection = Some(self.search.query.pick.spec.resolve(Some(total)));
    }

    /// No match is to be taken.
    pub fn only_count(&mut self) {
        self.search.selector.selection = Some(self.search.query.pick.spec.resolve(Some(0)));
        self.search.selector.limit = 0;
    }

    /// Matches in place in this run so far.
    pub fn in_run(&self) -> u64 {
        self.search.selector.in_run
    }

    /// Begins the text of `file`, or a part of it with this many lines before; the name may say
    /// how its columns are to be read.
    pub fn begin_text(&mut self, file: &Path, lines_before: u64) {
        if let Some(table) = &mut self.table {
            table.begin_text(file);
        }
        self.search.begin_again();
        self.search.lines_done = lines_before;
        self.first_crlf = None;
    }

    /// Goes by the columns that an earlier part of the text has named.
    pub fn go_by(&mut self, head: TableHead) {
        if let Some(table) = &mut self.table {
            table.head = head;
        }
    }

    /// Counts lines that could not be looked at; gives the number of the first.
    pub fn pass_lines(&mut self, lines: u64) -> u64 {
        let first = self.search.lines_done + 1;
        self.search.lines_done += lines;
        if let Some(table) = &mut self.table {
            table.pass_row();
        }
        first
    }

    /// The way lines without a match are passed over.
    pub fn use_prefilter(&mut self, prefilter: PrefilterUse) {
        self.prefilter.set_use(prefilter);
    }

    /// Shows units without a match, too, that may hold one of the probe's patterns: those in the
    /// first 10,000 lines of a text that [is probed](Self::probe_text).
    pub fn use_probe(&mut self, probe: &Probe) {
        self.prefilter.use_probe(probe.candidates());
        self.search.probe = Some(probe.finder());
        self.search.probes_text = true;
    }

    /// Uses its probe in the texts that follow, or does not.
    pub fn probe_text(&mut self, probes: bool) {
        self.search.probes_text = probes && self.search.probe.is_some();
    }

    /// Blocks that have begun in this text.
    pub fn blocks_met(&self) -> BlocksMet {
        self.search.scope.blocks_met()
    }

    /// Ends the text, or a part of it: the notes about it, and what is known of its columns.
    pub fn end_text(&mut self) -> (Vec<Note>, Option<TableEnd>) {
        let mut notes: Vec<_> = self
            .search
            .scope
            .open_blocks()
            .map(Note::OpenBlock)
            .collect();
        let crlf = self.first_crlf.take();
        notes.extend(crlf.map(|line| Note::BareLineFeed { line }));
        let lines = self.search.lines_done;
        (
            notes,
            self.table.as_mut().map(|table| table.end_text(lines)),
        )
    }

    /// Walks over the next whole lines of the text; `base` is their offset in it, and `last` says
    /// that nothing follows.
    pub fn piece(
        &mut self,
        text: &[u8],
        (base, last): (u64, bool),
        wanted: Wanted,
        visitor: &mut dyn Visitor,
    ) {
        if self.first_crlf.is_none()
            && matches!(self.search.query.unit, UnitKind::Paragraph | UnitKind::Text)
            && self.search.query.pattern.has_bare_line_feed()
            && let Some(at) = memchr::memmem::find(text, b"\r\n")
        {
            self.first_crlf = Some(self.search.lines_done + 1 + line_ends(&text[..at]));
        }
        if self.search.query.pick.per == Per::File && self.search.query.pick.spec.needs_total() {
            // Such a query is only ever given whole texts, so this counts all of it.
            self.search.selector.selection = None;
            self.scan(text, (base, last), Wanted::default(), &mut NullCollector);
            let total = self.search.selector.in_text;
            let (in_run, taken) = (
                self.search.selector.in_run - total,
                self.search.selector.taken,
            );
            self.search.begin_again();
            if let Some(table) = &mut self.table {
                table.begin_again();
            }
            (self.search.selector.in_run, self.search.selector.taken) = (in_run, taken);
            self.search.selector.selection = Some(self.search.query.pick.spec.resolve(Some(total)));
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
        if let Err(error) = self.search.scope.begin_piece(text, self.search.lines_done) {
            let kind = ProblemKind::Search(error);
            return visitor.problem(0, Problem { line: None, kind });
        }
        if let Some(probe) = &mut self.search.probe {
            probe.begin();
        }
        let mut scan = Scan {
            text,
            base,
            last,
            wanted,
            visitor,
        };
        match self.search.query.unit {
            UnitKind::Line => self.prefilter.lines(&mut self.search, &mut scan),
            UnitKind::Cell => {
                if let Some(table) = &mut self.table {
                    table.rows(&mut self.search, &mut scan);
                }
            }
            UnitKind::Paragraph => self.search.larger_units(paragraphs(text), &mut scan),
            // No text is not a unit, as no text has no line.
            UnitKind::Text if text.is_empty() => {}
            UnitKind::Text => {
                let whole = Line {
                    content: Span::new(0, text.len()),
                    next: text.len(),
                };
                self.search.larger_units(std::iter::once(whole), &mut scan);
            }
        }
    }
}

/// Looks at nothing: the selector counts.
struct NullCollector;

impl Visitor for NullCollector {
    fn unit(&mut self, _: &UnitView<'_>, _: &Findings<'_>) {}
}
