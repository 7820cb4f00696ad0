//! One pattern, whatever engine runs it.
//!
//! A [`Pattern`] is parsed and compiled once; a [`Finder`] holds the scratch memory of one
//! thread's searches. Searches never cross the unit they are given, so `^` and `$` mean its ends.

mod backtracking;
pub mod candidates;
pub mod linear;
pub mod messages;
pub mod stray;
pub mod syntax;
pub mod without;

use crate::pattern::candidates::Candidates;
use crate::pattern::syntax::{PatternError, PatternNote};
use crate::span::Span;
use std::sync::Arc;

/// How a pattern is to be read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct MatchOptions {
    /// Letter case does not matter.
    pub ignore_case: bool,
    /// No word character may stand right before or right after a match.
    pub whole_word: bool,
    /// The pattern is plain text: no sign in it has a meaning.
    pub literal: bool,
    /// A match must span the whole unit.
    pub entire: bool,
    /// `^` and `$` stand at every line of the unit, and not only at its ends.
    ///
    /// `$` then stands before `\n`, before `\r\n`, and also before a lone `\r`.
    pub multi_line: bool,
}

/// Why a unit could not be searched.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SearchError {
    /// The backtracking engine took more steps back than it may.
    #[error(
        "the pattern needs more steps back than allowed; use a simpler one without nested repeats"
    )]
    Budget,
    /// The backtracking engine ran out of memory for its way back.
    #[error("the pattern nests too deep on this text; use a simpler one")]
    Stack,
    /// The backtracking engine reads only UTF-8.
    #[error(
        "a pattern with look-around, or with a reference inside, can only be tried on valid UTF-8"
    )]
    NotUtf8,
    /// The unit is longer than the backtracking engine is given.
    #[error("longer than {} MiB, the most for a pattern with look-around or a reference inside", limit >> 20)]
    TooLong {
        /// In bytes.
        limit: usize,
    },
}

/// The groups of a pattern: number 0 is the whole match, the others count from 1.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Groups {
    names: Arc<[Option<Box<str>>]>,
}

impl Groups {
    /// Groups with these names; the first stands for the whole match and has none.
    pub fn new(names: impl IntoIterator<Item = Option<String>>) -> Self {
        let names = names.into_iter().map(|n| n.map(String::into_boxed_str));
        Self {
            names: names.collect(),
        }
    }

    /// How many there are, the whole match included.
    #[expect(
        clippy::len_without_is_empty,
        reason = "the whole match is always there"
    )]
    pub fn len(&self) -> usize {
        self.names.len()
    }

    /// The number of the group called `name`.
    pub fn number_of(&self, name: &str) -> Option<usize> {
        self.names.iter().position(|n| n.as_deref() == Some(name))
    }

    /// The name of a group, where it has one.
    pub fn name(&self, number: usize) -> Option<&str> {
        self.names.get(number)?.as_deref()
    }

    /// All names in order of number.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.names.iter().filter_map(Option::as_deref)
    }
}

/// A compiled pattern. Cloning is cheap.
#[derive(Clone, Debug)]
pub struct Pattern {
    source: Arc<str>,
    options: MatchOptions,
    groups: Groups,
    notes: Arc<[PatternNote]>,
    engine: Engine,
}

#[derive(Clone, Debug)]
enum Engine {
    Linear(linear::Engine),
    Backtracking(backtracking::Engine),
}

impl Pattern {
    /// Compiles `source`.
    ///
    /// # Errors
    ///
    /// When it does not parse, or would be too large when compiled.
    pub fn new(source: &str, options: &MatchOptions) -> Result<Self, PatternError> {
        let (engine, groups, notes) = match syntax::parse(source, options)? {
            syntax::Parsed::Regular(hir, notes) => {
                let engine = linear::Engine::new(hir)?;
                let groups = engine.groups();
                (Engine::Linear(engine), groups, notes)
            }
            syntax::Parsed::NeedsBacktracking(notes) => {
                let engine = backtracking::Engine::new(source, options)?;
                let groups = engine.groups();
                (Engine::Backtracking(engine), groups, notes)
            }
        };
        Ok(Self {
            source: source.into(),
            options: *options,
            groups,
            notes: notes.into(),
            engine,
        })
    }

    /// Whether it can match a line feed, and no carriage return.
    pub(crate) fn has_bare_line_feed(&self) -> bool {
        match &self.engine {
            Engine::Linear(engine) => engine.can_match(b'\n') && !engine.can_match(b'\r'),
            Engine::Backtracking(_) => self.source.contains("\\n") && !self.source.contains("\\r"),
        }
    }

    /// Whether it runs on the engine that is not linear in the text: it holds look-around, or a
    /// reference to one of its own groups.
    pub fn backtracks(&self) -> bool {
        matches!(self.engine, Engine::Backtracking(_))
    }

    /// The pattern as it was written.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// How it is read.
    pub fn options(&self) -> &MatchOptions {
        &self.options
    }

    /// What is allowed in it but often not meant.
    pub fn notes(&self) -> &[PatternNote] {
        &self.notes
    }

    /// Its groups.
    pub fn groups(&self) -> &Groups {
        &self.groups
    }

    /// Finds the lines that may hold a match; `None` where each line must be looked at.
    pub(crate) fn candidates(&self) -> Option<Candidates> {
        match &self.engine {
            Engine::Linear(engine) => engine.candidates(),
            Engine::Backtracking(_) => None,
        }
    }

    /// Scratch memory for searching lines, or larger units, with this pattern, to be kept and
    /// used again.
    pub fn finder(&self) -> Finder {
        self.finder_in(Within::Lines)
    }

    /// Scratch memory for searching the values of cells, in which a line end at the end is text
    /// like any other.
    pub fn value_finder(&self) -> Finder {
        self.finder_in(Within::Value)
    }

    fn finder_in(&self, within: Within) -> Finder {
        match &self.engine {
            Engine::Linear(engine) => Finder(Scratch::Linear(Box::new(engine.finder(within)))),
            Engine::Backtracking(engine) => Finder(Scratch::Backtracking(engine.finder(within))),
        }
    }
}

/// Searches with one pattern; one thread's scratch memory.
#[derive(Debug)]
pub struct Finder(Scratch);

#[derive(Debug)]
enum Scratch {
    // Boxed, because its memory is much larger than the other's.
    Linear(Box<linear::Finder>),
    Backtracking(backtracking::Finder),
}

impl Finder {
    /// Whether `unit` holds a match.
    ///
    /// # Errors
    ///
    /// When the backtracking engine cannot tell.
    pub fn is_match(&mut self, unit: &[u8]) -> Result<bool, SearchError> {
        match &mut self.0 {
            Scratch::Linear(engine) => Ok(engine.is_match(unit)),
            Scratch::Backtracking(engine) => engine.is_match(unit),
        }
    }

    /// Replaces `matches` by all matches in `unit`, left to right, none overlapping another.
    ///
    /// With `groups`, the groups of each match are recorded too. Empty matches never lie inside
    /// a character, nor where the match before them ended, nor, in lines, behind a final line end.
    ///
    /// # Errors
    ///
    /// When the backtracking engine cannot tell; `matches` is empty then.
    pub fn collect(
        &mut self,
        unit: &[u8],
        groups: bool,
        matches: &mut Matches,
    ) -> Result<(), SearchError> {
        matches.clear();
        match &mut self.0 {
            Scratch::Linear(engine) => engine.collect(unit, groups, matches),
            Scratch::Backtracking(engine) => {
                engine
                    .collect(unit, groups, matches)
                    .inspect_err(|_| matches.clear())?;
            }
        }
        Ok(())
    }
}

/// The matches in one unit; spans count from the start of that unit.
#[derive(Debug, Default)]
pub struct Matches {
    slots: Vec<Slot>,
    /// Slots per match: 1, or the number of groups.
    stride: usize,
}

/// A span, or none, in half the space: no unit is longer than 4 GiB, and there may be millions of
/// matches in one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Slot {
    from: u32,
    to: u32,
}

impl Slot {
    /// A group that took no part.
    const NONE: Self = Self { from: 1, to: 0 };

    fn new(from: usize, to: usize) -> Self {
        // Units are at most 1 GiB long.
        Self {
            from: from as u32,
            to: to as u32,
        }
    }

    fn span(self) -> Option<Span> {
        (self.from <= self.to).then(|| Span::new(self.from as usize, self.to as usize))
    }
}

/// The groups of one match, the whole match first.
#[derive(Clone, Copy, Debug)]
pub struct GroupSpans<'m>(&'m [Slot]);

impl<'m> GroupSpans<'m> {
    /// The group of this number; `None` where it took no part, or was not asked for.
    pub fn get(self, number: usize) -> Option<Span> {
        self.0.get(number)?.span()
    }

    /// Each group by number.
    pub fn iter(self) -> impl ExactSizeIterator<Item = Option<Span>> + use<'m> {
        self.0.iter().map(|slot| slot.span())
    }
}

impl Matches {
    /// One match with these groups, the whole match first.
    pub fn of_one(groups: &[Option<Span>]) -> Self {
        let slot = |group: &Option<Span>| match group {
            Some(span) => Slot::new(span.from, span.to),
            None => Slot::NONE,
        };
        Self {
            slots: groups.iter().map(slot).collect(),
            stride: groups.len(),
        }
    }

    fn clear(&mut self) {
        self.slots.clear();
        self.stride = 1;
    }

    /// How many matches there are.
    pub fn len(&self) -> usize {
        self.slots.len() / self.stride.max(1)
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.slots.is_empty()
    }

    /// The span of match `index`, from 0.
    pub fn span(&self, index: usize) -> Span {
        // Group 0 takes part in every match.
        self.slots[index * self.stride].span().unwrap_or_default()
    }

    /// The groups of match `index`, the whole match first; only that one where groups were not
    /// asked for. `None` is a group that took no part.
    pub fn groups(&self, index: usize) -> GroupSpans<'_> {
        GroupSpans(&self.slots[index * self.stride..][..self.stride])
    }
}

/// The kind of unit that is searched.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Within {
    /// Lines: behind the last line end there is none.
    Lines,
    /// The value of a cell.
    Value,
}

impl Within {
    /// Whether an empty match may lie at offset `at` of `unit`: not inside a character, and not
    /// behind the last line end, where there is no line.
    fn may_be_empty_at(self, unit: &[u8], at: usize) -> bool {
        let behind_last_line = self == Self::Lines && at == unit.len() && unit.ends_with(b"\n");
        !behind_last_line && !inside_char(unit, at)
    }
}

/// Whether offset `at` of `text` lies strictly inside a valid UTF-8 character.
fn inside_char(text: &[u8], at: usize) -> bool {
    let continues = |b: u8| b & 0xC0 == 0x80;
    if at == 0 || at >= text.len() || !continues(text[at]) {
        return false;
    }
    // A character has at most four bytes, so its first byte is at most three back.
    let start = (at.saturating_sub(3)..at)
        .rev()
        .find(|&i| !continues(text[i]));
    let Some(start) = start else { return false };
    let end = text.len().min(start + 4);
    text[start..end]
        .utf8_chunks()
        .next()
        .and_then(|chunk| chunk.valid().chars().next())
        .is_some_and(|c| start + c.len_utf8() > at)
}
