//! The engine whose time is linear in the text.

use crate::pattern::candidates::{Candidates, relaxed_regex};
use crate::pattern::exact::{ExactFinder, compiled};
use crate::pattern::groups::Groups;
use crate::pattern::in_piece::{PieceFinder, in_pieces};
use crate::pattern::matches::Matches;
use crate::pattern::search_error::SearchError;
use crate::pattern::stray::StrayBytes;
use crate::pattern::syntax::PatternError;
use crate::pattern::within::Within;
use crate::stop::Stop;
use regex_automata::meta::Regex;
use regex_syntax::hir::{Class, Hir, HirKind};
use std::sync::{Arc, OnceLock};

#[derive(Clone, Debug)]
pub(super) struct Engine {
    regex: Regex,
    hir: Arc<Hir>,
    /// Made once it is needed, which for a small text is never.
    relaxed: Arc<OnceLock<Option<Regex>>>,
    /// The same.
    in_pieces: Arc<OnceLock<Option<Regex>>>,
}

impl Engine {
    pub(super) fn new(hir: Hir) -> Result<Self, PatternError> {
        Ok(Self {
            regex: compiled(&hir)?,
            hir: Arc::new(hir),
            relaxed: Arc::default(),
            in_pieces: Arc::default(),
        })
    }

    /// The meaning, options included.
    pub(super) fn hir(&self) -> &Hir {
        &self.hir
    }

    /// True if a match can hold this ASCII byte.
    pub(super) fn can_match(&self, byte: u8) -> bool {
        holds(&self.hir, byte)
    }

    pub(super) fn groups(&self) -> Groups {
        let pattern = regex_automata::PatternID::ZERO;
        let names = self.regex.group_info().pattern_names(pattern);
        Groups::new(names.map(|name| name.map(str::to_owned)))
    }

    pub(super) fn candidates(&self) -> Option<Candidates> {
        let relaxed = self.relaxed.get_or_init(|| relaxed_regex(&self.hir));
        relaxed.as_ref().map(Candidates::new)
    }

    pub(super) fn piece_finder(&self) -> Option<PieceFinder> {
        let regex = self
            .in_pieces
            .get_or_init(|| in_pieces(&self.hir, &self.regex));
        let needs_utf8 = StrayBytes::new(&self.hir, Within::Lines).is_some();
        regex
            .as_ref()
            .map(|regex| PieceFinder::new(regex, needs_utf8))
    }

    pub(super) fn finder(&self, within: Within) -> Finder {
        Finder {
            exact: ExactFinder::new(&self.regex, within),
            stray: StrayBytes::new(&self.hir, within).map(Box::new),
        }
    }
}

fn holds(hir: &Hir, byte: u8) -> bool {
    match hir.kind() {
        HirKind::Empty | HirKind::Look(_) => false,
        HirKind::Literal(literal) => literal.0.contains(&byte),
        HirKind::Class(Class::Unicode(class)) => {
            let c = char::from(byte);
            class
                .ranges()
                .iter()
                .any(|range| (range.start()..=range.end()).contains(&c))
        }
        HirKind::Class(Class::Bytes(class)) => {
            let mut ranges = class.ranges().iter();
            ranges.any(|range| (range.start()..=range.end()).contains(&byte))
        }
        HirKind::Repetition(repetition) => holds(&repetition.sub, byte),
        HirKind::Capture(capture) => holds(&capture.sub, byte),
        HirKind::Concat(parts) | HirKind::Alternation(parts) => {
            parts.iter().any(|part| holds(part, byte))
        }
    }
}

#[derive(Debug)]
pub(super) struct Finder {
    exact: ExactFinder,
    /// The stray bytes, where the pattern looks at what is beside a match.
    stray: Option<Box<StrayBytes>>,
}

impl Finder {
    pub(super) fn is_match(&mut self, unit: &[u8]) -> bool {
        let stray = self.stray.as_mut().and_then(|stray| stray.ready(unit));
        match stray {
            Some((finder, text)) => finder.is_match(text),
            None => self.exact.is_match(unit),
        }
    }

    pub(super) fn collect(
        &mut self,
        unit: &[u8],
        wanted: (bool, &Stop),
        matches: &mut Matches,
    ) -> Result<(), SearchError> {
        let stray = self.stray.as_mut().and_then(|stray| stray.ready(unit));
        match stray {
            Some((finder, text)) => finder.collect(text, wanted, matches),
            None => self.exact.collect(unit, wanted, matches),
        }
    }
}
