//! One pattern, whatever engine runs it.
//!
//! A [`Pattern`] is parsed and compiled once; a [`Finder`] holds the scratch memory of one
//! thread's searches. Searches never cross the unit they are given, so `^` and `$` mean its ends.

mod automaton;
mod backtracking;
pub(crate) mod candidates;
mod exact;
pub mod groups;
pub(crate) mod in_piece;
mod linear;
pub mod matches;
mod messages;
pub mod options;
pub mod outline;
pub mod probe;
pub mod search_error;
mod sorted_texts;
mod stray;
pub mod syntax;
pub(crate) mod texts;
mod within;
mod without;

use crate::pattern::candidates::Candidates;
use crate::pattern::groups::Groups;
use crate::pattern::in_piece::PieceFinder;
use crate::pattern::matches::Matches;
use crate::pattern::options::MatchOptions;
use crate::pattern::search_error::SearchError;
use crate::pattern::syntax::{PatternError, PatternNote};
use crate::pattern::within::Within;
use crate::pattern::without::without;
use crate::stop::Stop;
use regex_syntax::hir::Hir;
use std::sync::Arc;

/// A compiled pattern. Cloning is cheap.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// let options = MatchOptions { ignore_case: true, ..MatchOptions::default() };
/// let pattern = Pattern::new(r"berth (?<number>\d+)", &options)?;
/// assert_eq!(pattern.groups().number_of("number"), Some(1));
/// # Ok::<(), brisk_quill_core::pattern::syntax::PatternError>(())
/// ```
#[derive(Clone, Debug)]
pub struct Pattern {
    source: Arc<str>,
    options: MatchOptions,
    groups: Groups,
    notes: Arc<[PatternNote]>,
    engine: Engine,
    stop: Stop,
}

#[derive(Clone, Debug)]
enum Engine {
    Linear(linear::Engine),
    Backtracking(backtracking::Engine),
    Texts(texts::Engine),
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
            stop: Stop::default(),
        })
    }

    /// The pattern that matches any of some texts; where several begin at one place, the longest. Its source
    /// is `name`.
    ///
    /// # Errors
    ///
    /// When they would be too large when compiled.
    pub(crate) fn of_texts(
        name: &str,
        texts: &[&str],
        options: &MatchOptions,
    ) -> Result<Self, PatternError> {
        Ok(Self {
            source: name.into(),
            options: *options,
            groups: Groups::new([None]),
            notes: Arc::default(),
            engine: Engine::Texts(texts::Engine::new(texts, options)?),
            stop: Stop::default(),
        })
    }

    /// The same pattern, whose searches end with [`SearchError::Stopped`] once `stop` is set.
    #[must_use]
    pub fn stopped_by(self, stop: &Stop) -> Self {
        Self {
            stop: stop.clone(),
            ..self
        }
    }

    /// Ends its searches.
    pub(crate) fn stop(&self) -> &Stop {
        &self.stop
    }

    /// True if it matches one of several texts, and its source is the name of their table.
    pub fn is_of_texts(&self) -> bool {
        matches!(self.engine, Engine::Texts(_))
    }

    /// True if it can match a line feed, and no carriage return.
    pub(crate) fn has_bare_line_feed(&self) -> bool {
        match &self.engine {
            Engine::Linear(engine) => engine.can_match(b'\n') && !engine.can_match(b'\r'),
            Engine::Backtracking(_) => self.source.contains("\\n") && !self.source.contains("\\r"),
            Engine::Texts(_) => false,
        }
    }

    /// True if every match holds a line feed; of a pattern that backtracks it is not known.
    pub fn needs_line_end(&self) -> bool {
        match &self.engine {
            Engine::Linear(engine) => {
                let hir = engine.hir();
                let alone = without(hir, b'\n', Hir::look, |_, inner| inner);
                let never = |hir: &Hir| hir.properties().minimum_len().is_none();
                never(&alone) && !never(hir)
            }
            Engine::Backtracking(_) | Engine::Texts(_) => false,
        }
    }

    /// The length of its shortest match in bytes; `None` where that is not known.
    pub fn shortest(&self) -> Option<usize> {
        match &self.engine {
            Engine::Linear(engine) => engine.hir().properties().minimum_len(),
            Engine::Backtracking(_) | Engine::Texts(_) => None,
        }
    }

    /// True if it runs on the engine that is not linear in the text: it holds look-around, or a
    /// reference to one of its own groups.
    pub fn backtracks(&self) -> bool {
        matches!(self.engine, Engine::Backtracking(_))
    }

    /// The pattern as it was written.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// The way it is read.
    pub fn options(&self) -> &MatchOptions {
        &self.options
    }

    /// Constructs in it that are allowed but often not meant.
    pub fn notes(&self) -> &[PatternNote] {
        &self.notes
    }

    /// The groups.
    pub fn groups(&self) -> &Groups {
        &self.groups
    }

    /// Finds the lines that may hold a match; `None` where each line must be looked at.
    pub(crate) fn candidates(&self) -> Option<Candidates> {
        match &self.engine {
            Engine::Linear(engine) => engine.candidates(),
            Engine::Backtracking(_) => None,
            Engine::Texts(engine) => engine.candidates(),
        }
    }

    /// Searches many lines at once, where that finds the same as searching each.
    pub(crate) fn piece_finder(&self) -> Option<PieceFinder> {
        match &self.engine {
            Engine::Linear(engine) => engine.piece_finder(),
            Engine::Backtracking(_) | Engine::Texts(_) => None,
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
        let stop = self.stop.clone();
        let scratch = match &self.engine {
            Engine::Linear(engine) => Scratch::Linear(Box::new(engine.finder(within))),
            Engine::Backtracking(engine) => Scratch::Backtracking(engine.finder(within)),
            Engine::Texts(engine) => Scratch::Texts(engine.clone()),
        };
        Finder { scratch, stop }
    }
}

/// Searches with one pattern; one thread's scratch memory.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// let pattern = Pattern::new(r"\d+", &MatchOptions::default()).expect("a pattern");
/// let (mut finder, mut matches) = (pattern.finder(), Default::default());
/// finder.collect(b"berths 4 and 12", false, &mut matches).expect("a search");
/// assert_eq!((matches.len(), matches.span(1).range()), (2, 13..15));
/// ```
#[derive(Debug)]
pub struct Finder {
    scratch: Scratch,
    stop: Stop,
}

#[derive(Debug)]
enum Scratch {
    // Boxed, because its memory is much larger than the other's.
    Linear(Box<linear::Finder>),
    Backtracking(backtracking::Finder),
    Texts(texts::Engine),
}

impl Finder {
    /// True if `unit` holds a match.
    ///
    /// # Errors
    ///
    /// When the backtracking engine cannot say, or the search was stopped.
    pub fn is_match(&mut self, unit: &[u8]) -> Result<bool, SearchError> {
        match &mut self.scratch {
            Scratch::Linear(engine) => Ok(engine.is_match(unit)),
            Scratch::Backtracking(engine) => engine.is_match(unit, &self.stop),
            Scratch::Texts(engine) => Ok(engine.is_match(unit)),
        }
    }

    /// Replaces `matches` by all matches in `unit`, left to right, none overlapping another.
    ///
    /// With `groups`, the groups of each match are recorded too. Empty matches never lie inside
    /// a character, nor where the match before them ended, nor, in lines, behind a final line end.
    ///
    /// # Errors
    ///
    /// When the backtracking engine cannot say, or the search was stopped; `matches` is empty then.
    pub fn collect(
        &mut self,
        unit: &[u8],
        groups: bool,
        matches: &mut Matches,
    ) -> Result<(), SearchError> {
        matches.clear();
        let stop = &self.stop;
        let done = match &mut self.scratch {
            Scratch::Linear(engine) => engine.collect(unit, (groups, stop), matches),
            Scratch::Texts(engine) => {
                engine.collect(unit, matches);
                Ok(())
            }
            Scratch::Backtracking(engine) => engine.collect(unit, (groups, stop), matches),
        };
        done.inspect_err(|_| matches.clear())
    }
}
