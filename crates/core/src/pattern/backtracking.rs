//! The engine for look-around and references to groups inside the pattern.
//!
//! Note to the maintainer. This engine's byte mode misses matches, and so does its optimiser, so
//! only its `&str` interface is used, unoptimised, without its seek filter, on a unit sliced out
//! of its text. Its budget counts every start position, so it grows with the unit; since a
//! budget is compiled in, each [`Finder`] keeps one regex for each power of two it has needed.
//! What the two engines would read differently is refused by `super::syntax::check_backtracking`.

use crate::pattern::exact::SIZE_LIMIT;
use crate::pattern::groups::Groups;
use crate::pattern::matches::{Matches, Slot};
use crate::pattern::options::MatchOptions;
use crate::pattern::search_error::SearchError;
use crate::pattern::syntax::PatternError;
use crate::pattern::within::Within;
use crate::stop::Stop;
use fancy_regex::{CompileError, Error, Input, Regex, RegexBuilder, RuntimeError};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

/// The longest unit this engine is given, in bytes.
pub(super) const UNIT_LIMIT: usize = 16 << 20;
/// The least number of steps back a search may take.
const BUDGET_LEAST: usize = 1_000_000;
/// Steps back allowed for each byte of the unit.
const BUDGET_PER_BYTE: usize = 64;

#[derive(Clone, Debug)]
pub(super) struct Engine {
    source: Arc<str>,
    options: MatchOptions,
    groups: Groups,
    regex: Regex,
}

impl Engine {
    pub(super) fn new(source: &str, options: &MatchOptions) -> Result<Self, PatternError> {
        let source: Arc<str> = wrapped(source, options).into();
        let regex = compile(&source, options, BUDGET_LEAST)?;
        let names = regex.capture_names().map(|name| name.map(str::to_owned));
        let groups = Groups::new(names);
        Ok(Self {
            source,
            options: *options,
            groups,
            regex,
        })
    }

    pub(super) fn groups(&self) -> Groups {
        self.groups.clone()
    }

    pub(super) fn finder(&self, within: Within) -> Finder {
        Finder {
            engine: self.clone(),
            within,
            compiled: vec![(BUDGET_LEAST, self.regex.clone())],
        }
    }
}

/// Adds what the options ask around the pattern.
fn wrapped(source: &str, options: &MatchOptions) -> String {
    let mut text = source.to_owned();
    if options.whole_word {
        text = format!(r"(?<!\w)(?:{text})(?!\w)");
    }
    if options.entire {
        text = format!(r"\A(?:{text})\z");
    }
    text
}

fn compile(source: &str, options: &MatchOptions, budget: usize) -> Result<Regex, PatternError> {
    RegexBuilder::new(source)
        .case_insensitive(options.ignore_case)
        .multi_line(options.multi_line)
        .crlf(options.multi_line)
        .optimize(false)
        .seek(false)
        .backtrack_limit(budget)
        .delegate_size_limit(SIZE_LIMIT)
        .max_prog_size(SIZE_LIMIT / 16)
        .build()
        .map_err(|error| describe(&error))
}

fn describe(error: &Error) -> PatternError {
    let too_large = || PatternError::TooLarge { limit: SIZE_LIMIT };
    let Error::CompileError(inner) = error else {
        return PatternError::Unusable;
    };
    match &**inner {
        CompileError::PatternTooComplex => too_large(),
        CompileError::InnerError(inner) if inner.size_limit().is_some() => too_large(),
        CompileError::LookBehindNotConst | CompileError::VariableLookBehindRequiresFeature => {
            PatternError::LookBehind
        }
        _ => PatternError::Unusable,
    }
}

#[derive(Debug)]
pub(super) struct Finder {
    engine: Engine,
    within: Within,
    /// By budget.
    compiled: Vec<(usize, Regex)>,
}

impl Finder {
    pub(super) fn is_match(&mut self, unit: &[u8], stop: &Stop) -> Result<bool, SearchError> {
        let (regex, text) = self.ready(unit)?;
        let text = StoppableText { text, stop };
        stoppable(|| regex.is_match(&text).map_err(|error| failure(&error)))
    }

    pub(super) fn collect(
        &mut self,
        unit: &[u8],
        (groups, stop): (bool, &Stop),
        matches: &mut Matches,
    ) -> Result<(), SearchError> {
        stoppable(|| self.collect_all(unit, (groups, stop), matches))
    }

    fn collect_all(
        &mut self,
        unit: &[u8],
        (groups, stop): (bool, &Stop),
        matches: &mut Matches,
    ) -> Result<(), SearchError> {
        let within = self.within;
        let stride = if groups { self.engine.groups.len() } else { 1 };
        matches.stride = stride;
        let (regex, text) = self.ready(unit)?;
        let text = StoppableText { text, stop };
        for found in regex.captures_iter(&text) {
            let found = found.map_err(|error| failure(&error))?;
            let empty_at = found.get(0).filter(|m| m.start() == m.end());
            if empty_at.is_some_and(|m| !within.may_be_empty_at(unit, m.start())) {
                continue;
            }
            matches.slots.extend((0..stride).map(|number| {
                let group = found.get(number);
                group.map_or(Slot::NONE, |group| Slot::new(group.start(), group.end()))
            }));
        }
        Ok(())
    }

    /// The regex with the budget for this unit, and the unit as text.
    fn ready<'u>(&mut self, unit: &'u [u8]) -> Result<(&Regex, &'u str), SearchError> {
        if unit.len() > UNIT_LIMIT {
            return Err(SearchError::TooLong { limit: UNIT_LIMIT });
        }
        let text = std::str::from_utf8(unit).map_err(|_| SearchError::NotUtf8)?;
        let wanted = BUDGET_LEAST.max((unit.len() * BUDGET_PER_BYTE).next_power_of_two());
        let place = self
            .compiled
            .iter()
            .position(|(budget, _)| *budget == wanted);
        let place = match place {
            Some(place) => place,
            None => {
                let engine = &self.engine;
                let regex = compile(&engine.source, &engine.options, wanted)
                    .map_err(|_| SearchError::Budget)?;
                self.compiled.push((wanted, regex));
                self.compiled.len() - 1
            }
        };
        Ok((&self.compiled[place].1, text))
    }
}

/// The engine has no way to be stopped but the text, which it asks for at every step: a text that
/// is to be searched no longer unwinds out of the search with this.
struct Unwound;

/// A text whose search can be stopped.
struct StoppableText<'t> {
    text: &'t str,
    stop: &'t Stop,
}

impl<'t> StoppableText<'t> {
    fn ask(&self) -> &'t str {
        if self.stop.is_set() {
            // No panic: nothing is printed, and `stoppable` takes it.
            std::panic::resume_unwind(Box::new(Unwound));
        }
        self.text
    }
}

impl Input for StoppableText<'_> {
    type Match<'t>
        = fancy_regex::Match<'t>
    where
        Self: 't;

    fn len(&self) -> usize {
        self.ask().len()
    }

    fn as_bytes(&self) -> &[u8] {
        self.ask().as_bytes()
    }

    fn is_char_boundary(&self, at: usize) -> bool {
        self.ask().is_char_boundary(at)
    }

    fn is_ascii(&self) -> bool {
        self.ask().is_ascii()
    }

    fn prev_codepoint_ix(&self, at: usize) -> usize {
        self.ask().prev_codepoint_ix(at)
    }

    fn make_match<'t>(&'t self, from: usize, to: usize) -> Self::Match<'t> {
        self.text.make_match(from, to)
    }

    fn advance_position(&self, at: usize) -> usize {
        self.ask().advance_position(at)
    }
}

/// Does a search that may be [stopped](StoppableText).
fn stoppable<T>(search: impl FnOnce() -> Result<T, SearchError>) -> Result<T, SearchError> {
    // A search that ended so leaves nothing behind but scratch memory, which the next one clears.
    match catch_unwind(AssertUnwindSafe(search)) {
        Ok(done) => done,
        Err(unwound) if unwound.is::<Unwound>() => Err(SearchError::Stopped),
        Err(panic) => std::panic::resume_unwind(panic),
    }
}

fn failure(error: &Error) -> SearchError {
    match error {
        Error::RuntimeError(RuntimeError::StackOverflow) => SearchError::Stack,
        _ => SearchError::Budget,
    }
}
