//! The engine whose time is linear in the text.
//!
//! Note to the maintainer: the syntax is parsed with `utf8(true)`, so a non-empty match is always
//! whole characters and never holds a byte that is not UTF-8. The search runs with
//! `utf8_empty(false)`, because the engine's own filter drops non-empty matches too; empty
//! matches inside a character are dropped here instead.

use crate::pattern::candidates::{Candidates, relaxed_regex};
use crate::pattern::stray::StrayBytes;
use crate::pattern::syntax::PatternError;
use crate::pattern::{Groups, Matches, Slot, Within};
use crate::span::Span;
use regex_automata::meta::{self, Regex};
use regex_automata::util::primitives::NonMaxUsize;
use regex_automata::{Anchored, Input};
use regex_syntax::hir::{Class, Hir, HirKind};
use std::sync::{Arc, OnceLock};

/// Memory that a compiled pattern may take.
pub(super) const SIZE_LIMIT: usize = 16 << 20;

#[derive(Clone, Debug)]
pub(super) struct Engine {
    regex: Regex,
    hir: Arc<Hir>,
    /// Made once it is needed, which for a small text is never.
    relaxed: Arc<OnceLock<Option<Regex>>>,
}

/// How both forms of a pattern are compiled; see the note above.
pub(super) fn settings() -> meta::Config {
    meta::Config::new()
        .utf8_empty(false)
        .nfa_size_limit(Some(SIZE_LIMIT))
}

impl Engine {
    pub(super) fn new(hir: Hir) -> Result<Self, PatternError> {
        let regex = Regex::builder()
            .configure(settings())
            .build_from_hir(&hir)
            .map_err(|error| match error.size_limit() {
                Some(limit) => PatternError::TooLarge { limit },
                None => PatternError::Unusable,
            })?;
        Ok(Self {
            regex,
            hir: Arc::new(hir),
            relaxed: Arc::default(),
        })
    }

    /// Whether a match can hold this ASCII byte.
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

    pub(super) fn finder(&self, within: Within) -> Finder {
        Finder {
            regex: self.regex.clone(),
            cache: self.regex.create_cache(),
            slots: vec![None; self.regex.group_info().slot_len()],
            within,
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
    regex: Regex,
    cache: meta::Cache,
    slots: Vec<Option<NonMaxUsize>>,
    within: Within,
    /// Where the pattern looks at what stands beside a match.
    stray: Option<Box<StrayBytes>>,
}

impl Finder {
    pub(super) fn is_match(&mut self, unit: &[u8]) -> bool {
        let stray = self.stray.as_mut().and_then(|stray| stray.ready(unit));
        match stray {
            Some((finder, text)) => finder.matches(text),
            None => self.matches(unit),
        }
    }

    pub(super) fn collect(&mut self, unit: &[u8], groups: bool, matches: &mut Matches) {
        let stray = self.stray.as_mut().and_then(|stray| stray.ready(unit));
        match stray {
            Some((finder, text)) => finder.collect_all(text, groups, matches),
            None => self.collect_all(unit, groups, matches),
        }
    }

    fn matches(&mut self, unit: &[u8]) -> bool {
        let earliest = Input::new(unit).earliest(true);
        let mut found = self.regex.search_half_with(&mut self.cache, &earliest);
        // An empty match may lie where none may be; then only a full search can tell.
        if found.is_some_and(|half| !self.within.may_be_empty_at(unit, half.offset())) {
            let mut matches = Matches::default();
            matches.clear();
            self.collect_all(unit, false, &mut matches);
            if matches.is_empty() {
                found = None;
            }
        }
        found.is_some()
    }

    fn collect_all(&mut self, unit: &[u8], groups: bool, matches: &mut Matches) {
        let wanted = if groups { self.slots.len() } else { 2 };
        matches.stride = wanted / 2;
        let mut at = 0;
        let mut last_end = None;
        while at <= unit.len() {
            let input = Input::new(unit).range(at..).anchored(Anchored::No);
            let slots = &mut self.slots[..wanted];
            let found = self.regex.search_slots_with(&mut self.cache, &input, slots);
            let (Some(_), Some(from), Some(to)) = (found, slots[0], slots[1]) else {
                break;
            };
            let span = Span::new(from.get(), to.get());
            if span.is_empty()
                && (last_end == Some(span.to) || !self.within.may_be_empty_at(unit, span.to))
            {
                at = span.to.max(at) + 1;
                continue;
            }
            matches
                .slots
                .extend(slots.chunks_exact(2).map(|pair| match (pair[0], pair[1]) {
                    (Some(from), Some(to)) => Slot::new(from.get(), to.get()),
                    _ => Slot::NONE,
                }));
            last_end = Some(span.to);
            at = span.to;
        }
    }
}
