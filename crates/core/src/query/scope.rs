//! The scope of a query: conditions on lines and records, and their state between pieces.

use crate::address::Spec;
use crate::address::resolve::Selection;
use crate::columns::row::Row;
use crate::pattern::candidates::Candidates;
use crate::pattern::matches::Matches;
use crate::pattern::search_error::SearchError;
use crate::pattern::{Finder, Pattern};
use crate::problem::ProblemKind;
use crate::query::cell_condition::{CellCondition, CellTest};
use crate::span::Span;
use crate::stop::Stop;
use crate::unit::{count_lines, lines};

/// Which places a pattern is tried in. All conditions must hold.
///
/// The conditions on lines (`lines`, `blocks`, `near`) are about the lines of the text the step
/// sees; a match that spans several lines is in place when all of them are. Those on records
/// (`contains`, `lacks`) are about the unit the match lies in.
#[derive(Clone, Debug)]
pub struct Scope {
    /// Only these lines.
    pub lines: Spec,
    /// Only units with a match of each of these.
    pub contains: Vec<Pattern>,
    /// Only units without a match of any of these.
    pub lacks: Vec<Pattern>,
    /// Only lines inside blocks of each of these.
    pub blocks: Vec<Block>,
    /// Only lines near a line of each of these.
    pub near: Vec<Near>,
    /// Only rows whose cells are as each of these asks.
    pub cells: Vec<CellCondition>,
}

/// Blocks of lines, from a line that matches `start` to the next that matches `end`.
///
/// An end may stand on the line of its start, behind it. A block without an end runs to the end
/// of the text.
#[derive(Clone, Debug)]
pub struct Block {
    /// Opens a block.
    pub start: Pattern,
    /// Closes it.
    pub end: Pattern,
    /// The lines with start and end are not part of the block.
    pub inner: bool,
    /// The line with the end is not part of the block, and may begin the next one. An end on the line of
    /// its start is none.
    pub open_end: bool,
    /// The lines of blocks are out of scope, and all others in it.
    pub outside: bool,
}

/// The blocks of lines that were met in a text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct BlocksMet {
    /// The number that began.
    pub begun: u64,
    /// Lines that ended a block and would have begun another one.
    pub lost: u64,
}

/// Lines at most `distance` lines away from one that matches `pattern`.
#[derive(Clone, Debug)]
pub struct Near {
    /// The matches of the line in the middle.
    pub pattern: Pattern,
    /// The number of lines before and after it that belong to it.
    pub distance: u64,
}

impl Default for Scope {
    fn default() -> Self {
        Self {
            lines: Spec::all(),
            contains: Vec::new(),
            lacks: Vec::new(),
            blocks: Vec::new(),
            near: Vec::new(),
            cells: Vec::new(),
        }
    }
}

impl Scope {
    /// True if lines can only be judged in a text that is there as a whole.
    pub(super) fn needs_whole_text(&self) -> bool {
        self.lines.needs_total() || !self.near.is_empty()
    }

    /// All patterns of its conditions.
    pub fn patterns(&self) -> impl Iterator<Item = &Pattern> {
        let units = self.contains.iter().chain(&self.lacks);
        let blocks = self.marks();
        let near = self.near.iter().map(|near| &near.pattern);
        let cells = self.cells.iter().filter_map(|cell| cell.test.pattern());
        units.chain(blocks).chain(near).chain(cells)
    }

    /// The patterns that begin and end blocks.
    pub(super) fn marks(&self) -> impl Iterator<Item = &Pattern> {
        let blocks = self.blocks.iter();
        blocks.flat_map(|block| [&block.start, &block.end])
    }

    /// The same, its patterns stopped by `stop`.
    #[must_use]
    pub(super) fn stopped_by(mut self, stop: &Stop) -> Self {
        let units = self.contains.iter_mut().chain(&mut self.lacks);
        let blocks = (self.blocks.iter_mut()).flat_map(|block| [&mut block.start, &mut block.end]);
        let near = self.near.iter_mut().map(|near| &mut near.pattern);
        for pattern in units.chain(blocks).chain(near) {
            *pattern = pattern.clone().stopped_by(stop);
        }
        for cell in &mut self.cells {
            cell.test = match &cell.test {
                CellTest::Match(pattern) => CellTest::Match(pattern.clone().stopped_by(stop)),
                CellTest::Listed(values) => CellTest::Listed(values.afresh()),
            };
        }
        self
    }

    /// True if a line without a match, and without a place where a block begins or ends, need not be looked
    /// at: no condition can fail.
    pub(super) fn may_pass_lines(&self) -> bool {
        let mut patterns = self.contains.iter().chain(&self.lacks);
        !patterns.any(Pattern::backtracks)
    }

    /// True if there is no condition.
    pub(super) fn is_everywhere(&self) -> bool {
        let units = [&self.contains, &self.lacks];
        !self.judges_lines() && units.iter().all(|all| all.is_empty()) && self.cells.is_empty()
    }

    /// True if there is a condition on lines at all.
    pub(super) fn judges_lines(&self) -> bool {
        !(self.lines.is_all() && self.blocks.is_empty() && self.near.is_empty())
    }
}

/// A block that was still open where the text ended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OpenBlock {
    /// The line it begins in, from 1, of the text the step sees.
    pub line: u64,
    /// The pattern that opened it.
    pub start: String,
}

/// The state of a scope within one text.
#[derive(Debug)]
pub(super) struct ScopeState<'q> {
    scope: &'q Scope,
    judges_lines: bool,
    /// Resolved for the current text; `None` until its number of lines is known.
    lines: Option<Selection>,
    contains: Vec<Finder>,
    lacks: Vec<Finder>,
    blocks: Vec<BlockState>,
    near: Vec<NearState>,
    /// One for each condition on a cell that is a match.
    cells: Vec<Option<Finder>>,
}

impl<'q> ScopeState<'q> {
    pub fn new(scope: &'q Scope) -> Self {
        let finders = |patterns: &[Pattern]| patterns.iter().map(Pattern::finder).collect();
        Self {
            scope,
            judges_lines: scope.judges_lines(),
            lines: None,
            contains: finders(&scope.contains),
            lacks: finders(&scope.lacks),
            blocks: scope.blocks.iter().map(BlockState::new).collect(),
            near: scope.near.iter().map(NearState::new).collect(),
            cells: scope
                .cells
                .iter()
                .map(|cell| cell.test.pattern().map(Pattern::value_finder))
                .collect(),
        }
    }

    pub fn begin_text(&mut self) {
        let lines = &self.scope.lines;
        self.lines = (!lines.needs_total()).then(|| lines.resolve(None));
        for block in &mut self.blocks {
            block.begin_text();
        }
    }

    /// Gets ready for the next piece; `done` lines lie before it.
    pub fn begin_piece(&mut self, text: &[u8], done: u64) -> Result<(), SearchError> {
        if self.lines.is_none() {
            // Such a scope is only ever given whole texts.
            let total = done + count_lines(text);
            self.lines = Some(self.scope.lines.resolve(Some(total)));
        }
        for near in &mut self.near {
            near.look(text, done)?;
        }
        Ok(())
    }

    /// True if the conditions on lines hold for line `number`. Must be asked of lines in order, and of every
    /// line in which a block may begin or end.
    pub fn line_holds(&mut self, number: u64, content: &[u8]) -> Result<bool, SearchError> {
        if !self.judges_lines {
            return Ok(true);
        }
        let mut holds = self.lines.as_ref().is_none_or(|set| set.contains(number));
        for (block, state) in self.scope.blocks.iter().zip(&mut self.blocks) {
            holds &= state.line(number, content, block)? != block.outside;
        }
        for near in &self.near {
            holds &= near.holds(number);
        }
        Ok(holds)
    }

    /// True if the conditions on records hold for `record`.
    pub fn record_holds(&mut self, record: &[u8]) -> Result<bool, SearchError> {
        for finder in &mut self.contains {
            if !finder.is_match(record)? {
                return Ok(false);
            }
        }
        for finder in &mut self.lacks {
            if finder.is_match(record)? {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// True if the conditions on cells hold for `row`. One that is absent holds no match.
    pub fn cells_hold(&mut self, row: &Row<'_>) -> Result<bool, ProblemKind> {
        for (condition, finder) in self.scope.cells.iter().zip(&mut self.cells) {
            let mut found = false;
            for cell in row.named(&condition.column)? {
                let value = cell.value(row)?;
                found |= match (&condition.test, &mut *finder) {
                    (CellTest::Listed(values), _) => values.holds(&value),
                    (CellTest::Match(_), Some(finder)) => finder.is_match(&value)?,
                    (CellTest::Match(_), None) => false,
                };
            }
            if found == condition.lacks {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// The blocks that were met in this text.
    pub fn blocks_met(&self) -> BlocksMet {
        let each = self.blocks.iter();
        each.fold(BlocksMet::default(), |sum, block| BlocksMet {
            begun: sum.begun + block.met.begun,
            lost: sum.lost + block.met.lost,
        })
    }

    /// The blocks that are still open.
    pub fn open_blocks(&self) -> impl Iterator<Item = OpenBlock> {
        let each = self.scope.blocks.iter().zip(&self.blocks);
        // A section that goes on to the end is not a mistake.
        let each = each.filter(|(block, _)| !block.open_end);
        each.filter_map(|(block, state)| {
            Some(OpenBlock {
                line: state.open_since?,
                start: block.start.source().to_owned(),
            })
        })
    }
}

#[derive(Debug)]
struct BlockState {
    start: Turns,
    end: Turns,
    /// The line the open block began in.
    open_since: Option<u64>,
    met: BlocksMet,
}

/// The starts, or the ends, of blocks on the current line: looked for once, when they are needed.
#[derive(Debug)]
struct Turns {
    finder: Finder,
    matches: Matches,
    /// The match from which to look on; `None` while the line has not been searched.
    next: Option<usize>,
}

impl Turns {
    fn new(pattern: &Pattern) -> Self {
        Self {
            finder: pattern.finder(),
            matches: Matches::default(),
            next: None,
        }
    }

    /// The first match that begins at `at` or behind it; `at` never decreases on a line.
    fn find(&mut self, line: &[u8], at: usize) -> Result<Option<Span>, SearchError> {
        let first = match self.next {
            Some(next) => next,
            None if self.finder.is_match(line)? => {
                self.finder.collect(line, false, &mut self.matches)?;
                0
            }
            None => usize::MAX,
        };
        let mut left = first..self.matches.len();
        let next = left.find(|index| self.matches.span(*index).from >= at);
        self.next = Some(next.unwrap_or(usize::MAX));
        Ok(next.map(|index| self.matches.span(index)))
    }
}

impl BlockState {
    fn new(block: &Block) -> Self {
        Self {
            start: Turns::new(&block.start),
            end: Turns::new(&block.end),
            open_since: None,
            met: BlocksMet::default(),
        }
    }

    fn begin_text(&mut self) {
        self.open_since = None;
        self.met = BlocksMet::default();
    }

    /// True if the line belongs to a block. Starts and ends are taken from left to right, each
    /// behind the one before it.
    fn line(&mut self, number: u64, line: &[u8], block: &Block) -> Result<bool, SearchError> {
        let was_open = self.open_since.is_some();
        (self.start.next, self.end.next) = (None, None);
        if block.open_end {
            return self.section_line(number, line, block.inner);
        }
        let mut turns = 0;
        let mut at = 0;
        while let Some(next) = self.next_turn(line, at)? {
            at = next;
            turns += 1;
            self.open_since = match self.open_since {
                Some(_) => None,
                None => {
                    self.met.begun += 1;
                    Some(number)
                }
            };
        }
        if was_open && turns == 1 && self.begins_with_more(line)? {
            self.met.lost += 1;
        }
        Ok(if block.inner {
            was_open && turns == 0
        } else {
            was_open || turns > 0
        })
    }

    /// The same where an end does not belong to its block.
    fn section_line(&mut self, number: u64, line: &[u8], inner: bool) -> Result<bool, SearchError> {
        if self.open_since.is_some() && self.end.find(line, 0)?.is_some() {
            self.open_since = None;
        }
        let begins = self.open_since.is_none() && self.start.find(line, 0)?.is_some();
        if begins {
            self.met.begun += 1;
            self.open_since = Some(number);
        }
        Ok(self.open_since.is_some() && !(inner && begins))
    }

    /// True if a line that has ended a block would begin one, and holds more than what begins it: a closing
    /// fence that looks like an opening one does not.
    fn begins_with_more(&mut self, line: &[u8]) -> Result<bool, SearchError> {
        self.start.next = None;
        let start = self.start.find(line, 0)?;
        Ok(start.is_some_and(|span| {
            let rest = [&line[..span.from], &line[span.to..]];
            rest.iter().any(|rest| !rest.trim_ascii().is_empty())
        }))
    }

    /// The place to go on after the next start, or end, that lies at `at` or after it.
    fn next_turn(&mut self, line: &[u8], at: usize) -> Result<Option<usize>, SearchError> {
        let turns = match self.open_since {
            Some(_) => &mut self.end,
            None => &mut self.start,
        };
        let next = turns.find(line, at)?;
        // An empty start or end still moves on, so that a line has finitely many.
        Ok(next.map(|span| span.to + usize::from(span.is_empty())))
    }
}

#[derive(Debug)]
struct NearState {
    finder: Finder,
    /// Finds the lines that may match, where that can be done.
    candidates: Option<Candidates>,
    distance: u64,
    /// Lines that match, in order, from 1.
    hits: Vec<u64>,
}

impl NearState {
    fn new(near: &Near) -> Self {
        Self {
            finder: near.pattern.finder(),
            candidates: near.pattern.candidates(),
            distance: near.distance,
            hits: Vec::new(),
        }
    }

    fn look(&mut self, text: &[u8], done: u64) -> Result<(), SearchError> {
        self.hits.clear();
        let Some(candidates) = &mut self.candidates else {
            for (number, line) in (done + 1..).zip(lines(text)) {
                if self.finder.is_match(&text[line.content.range()])? {
                    self.hits.push(number);
                }
            }
            return Ok(());
        };
        let (mut from, mut number) = (0, done + 1);
        while let Some((passed, line)) = candidates.next_line(text, from) {
            number += passed;
            if self.finder.is_match(&text[line.content.range()])? {
                self.hits.push(number);
            }
            from = line.next;
            number += 1;
        }
        Ok(())
    }

    fn holds(&self, number: u64) -> bool {
        let from = number.saturating_sub(self.distance);
        let next = self.hits.partition_point(|hit| *hit < from);
        let hit = self.hits.get(next);
        hit.is_some_and(|hit| *hit <= number.saturating_add(self.distance))
    }
}

/// The places of a text in which all conditions on lines hold: spans of whole lines, sorted,
/// none touching another.
pub(super) fn push_place(places: &mut Vec<Span>, line: Span) {
    match places.last_mut() {
        Some(last) if last.to == line.from => last.to = line.to,
        _ => places.push(line),
    }
}
