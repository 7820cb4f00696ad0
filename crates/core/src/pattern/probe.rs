//! Searches for several patterns at once, for units that may hold a match of one of them.

use crate::pattern::candidates::{Candidates, has_length, joined_regex};
use crate::pattern::{Engine, Pattern};
use crate::span::Span;
use regex_automata::meta::Regex;
use regex_syntax::hir::Hir;

/// Finds units that may hold a match of one of several further patterns, beside those of a main one.
///
/// It may find others too, never fewer.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::pattern::probe::Probe;
/// let pattern = |text| Pattern::new(text, &MatchOptions::default()).expect("a pattern");
/// assert!(Probe::new(&pattern("berth"), &[pattern("Berth")]).is_some());
/// // Nothing is found by a pattern that may match everywhere.
/// assert!(Probe::new(&pattern("berth"), &[pattern("x*")]).is_none());
/// ```
#[derive(Clone, Debug)]
pub struct Probe {
    /// For the further patterns.
    further: Regex,
    /// For the main one too, where searching for that is of use.
    all: Option<Regex>,
}

impl Probe {
    /// A search for `further` patterns beside `main`; `None` where it would be of no use, or slow.
    pub fn new(main: &Pattern, further: &[Pattern]) -> Option<Self> {
        let forms: Option<Vec<Hir>> = further.iter().map(regular).collect();
        let mut forms = forms.filter(|forms| !forms.is_empty())?;
        let further = joined_regex(&forms)?;
        // Where the pattern alone could not be searched for, all lines must be looked at.
        let all = main.candidates().and_then(|_| {
            forms.push(regular(main)?);
            joined_regex(&forms)
        });
        Some(Self { further, all })
    }

    /// Finds the lines that may hold a match of any of the patterns, the main one too.
    pub(crate) fn candidates(&self) -> Option<Candidates> {
        self.all.as_ref().map(Candidates::new)
    }

    pub(crate) fn finder(&self) -> ProbeFinder {
        ProbeFinder {
            candidates: Candidates::new(&self.further),
            next: Next::Unknown,
        }
    }
}

/// The form of a pattern that is searched for in linear time.
fn regular(pattern: &Pattern) -> Option<Hir> {
    match &pattern.engine {
        Engine::Linear(engine) => Some(engine.hir().clone()),
        Engine::Backtracking(_) | Engine::Texts(_) => None,
    }
}

/// Finds the lines that may hold a match of any of several patterns; `None` where each line must be
/// looked at.
pub(crate) fn lines_of_any<'p>(patterns: impl Iterator<Item = &'p Pattern>) -> Option<Candidates> {
    let forms: Vec<Hir> = patterns.map(regular).collect::<Option<_>>()?;
    let regex = joined_regex(&forms).filter(|_| forms.iter().all(has_length))?;
    Some(Candidates::new(&regex))
}

/// Looks for the further patterns of a probe; one thread's scratch memory.
#[derive(Debug)]
pub(crate) struct ProbeFinder {
    candidates: Candidates,
    next: Next,
}

/// The next place in the current text at which something was found.
#[derive(Clone, Copy, Debug)]
enum Next {
    Unknown,
    At(usize),
    Nowhere,
}

impl ProbeFinder {
    /// Begins another text.
    pub fn begin(&mut self) {
        self.next = Next::Unknown;
    }

    /// True if `line` of the current text may hold a match; lines are asked for in order. Most
    /// texts are searched once, however many lines there are.
    pub fn may_hold(&mut self, text: &[u8], line: Span) -> bool {
        let is_behind = match self.next {
            Next::Unknown => true,
            Next::At(at) => at < line.from,
            Next::Nowhere => false,
        };
        if is_behind {
            let found = self.candidates.next(text, line.from);
            self.next = found.map_or(Next::Nowhere, Next::At);
        }
        matches!(self.next, Next::At(at) if at <= line.to)
    }

    /// True if a text of its own, as the value of a cell, may hold a match.
    pub fn may_match(&mut self, value: &[u8]) -> bool {
        self.candidates.next(value, 0).is_some()
    }
}
