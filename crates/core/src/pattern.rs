//! One pattern, whatever engine runs it.
//!
//! A [`Pattern`] is parsed and compiled once; a [`Finder`] holds the scratch memory of one
//! thread's searches. Searches never cross the unit they are given, so `^` and `$` mean its ends.

mod linear;
mod syntax;

pub use syntax::PatternError;

use crate::Span;
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
    engine: linear::Engine,
}

impl Pattern {
    /// Compiles `source`.
    ///
    /// # Errors
    ///
    /// When it does not parse, or would be too large when compiled.
    pub fn new(source: &str, options: &MatchOptions) -> Result<Self, PatternError> {
        let hir = syntax::parse(source, options)?;
        let engine = linear::Engine::new(&hir)?;
        Ok(Self {
            source: source.into(),
            options: *options,
            groups: engine.groups(),
            engine,
        })
    }

    /// The pattern as it was written.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// How it is read.
    pub fn options(&self) -> &MatchOptions {
        &self.options
    }

    /// Its groups.
    pub fn groups(&self) -> &Groups {
        &self.groups
    }

    /// Scratch memory for searching with this pattern, to be kept and used again.
    pub fn finder(&self) -> Finder {
        Finder {
            engine: self.engine.finder(),
        }
    }
}

/// Searches with one pattern; one thread's scratch memory.
#[derive(Debug)]
pub struct Finder {
    engine: linear::Finder,
}

impl Finder {
    /// Whether `unit` holds a match.
    pub fn is_match(&mut self, unit: &[u8]) -> bool {
        self.engine.is_match(unit)
    }

    /// Replaces `matches` by all matches in `unit`, left to right, none overlapping another.
    ///
    /// With `groups`, the groups of each match are recorded too. Empty matches never lie inside
    /// a character, nor where the match before them ended.
    pub fn collect(&mut self, unit: &[u8], groups: bool, matches: &mut Matches) {
        matches.clear();
        self.engine.collect(unit, groups, matches);
    }
}

/// The matches in one unit; spans count from the start of that unit.
#[derive(Debug, Default)]
pub struct Matches {
    slots: Vec<Option<Span>>,
    /// Slots per match: 1, or the number of groups.
    stride: usize,
}

impl Matches {
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
        self.slots[index * self.stride].unwrap_or_default()
    }

    /// The groups of match `index`, the whole match first; only that one where groups were not
    /// asked for. `None` is a group that took no part.
    pub fn groups(&self, index: usize) -> &[Option<Span>] {
        &self.slots[index * self.stride..][..self.stride]
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
