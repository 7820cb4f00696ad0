//! Searches with a compiled pattern on units of valid UTF-8.
//!
//! Note to the maintainer: the syntax is parsed with `utf8(true)`, so a non-empty match is always
//! whole characters and never holds a byte that is not UTF-8. The search runs with
//! `utf8_empty(false)`, because the engine's own filter drops non-empty matches too; empty
//! matches inside a character are dropped here instead.

use crate::pattern::matches::Matches;
use crate::pattern::search_error::SearchError;
use crate::pattern::syntax::PatternError;
use crate::pattern::within::Within;
use crate::span::Span;
use crate::stop::Stop;
use regex_automata::meta::{self, Regex};
use regex_automata::util::primitives::NonMaxUsize;
use regex_automata::{Anchored, Input};
use regex_syntax::hir::Hir;

/// Matches of a unit after which it is seen whether to stop.
const MATCHES_A_LOOK: u32 = 4096;

/// Memory that a compiled pattern may take.
pub(super) const SIZE_LIMIT: usize = 16 << 20;

/// The way every form of a pattern is compiled; see the note above.
pub(super) fn settings() -> meta::Config {
    meta::Config::new()
        .utf8_empty(false)
        .nfa_size_limit(Some(SIZE_LIMIT))
}

/// Compiles a pattern that has been parsed.
pub(super) fn compiled(hir: &Hir) -> Result<Regex, PatternError> {
    let built = Regex::builder().configure(settings()).build_from_hir(hir);
    built.map_err(|error| match error.size_limit() {
        Some(limit) => PatternError::TooLarge { limit },
        None => PatternError::Unusable,
    })
}

/// One thread's scratch memory for searches.
#[derive(Debug)]
pub(super) struct ExactFinder {
    regex: Regex,
    cache: meta::Cache,
    slots: Vec<Option<NonMaxUsize>>,
    within: Within,
}

impl ExactFinder {
    pub(super) fn new(regex: &Regex, within: Within) -> Self {
        Self {
            regex: regex.clone(),
            cache: regex.create_cache(),
            slots: vec![None; regex.group_info().slot_len()],
            within,
        }
    }

    pub(super) fn is_match(&mut self, unit: &[u8]) -> bool {
        let earliest = Input::new(unit).earliest(true);
        let mut found = self.regex.search_half_with(&mut self.cache, &earliest);
        // An empty match may lie where none may be; then only a full search can tell.
        if found.is_some_and(|half| !self.within.may_be_empty_at(unit, half.offset())) {
            let mut matches = Matches::default();
            matches.clear();
            // Nobody stops it.
            let _ = self.collect(unit, (false, &Stop::default()), &mut matches);
            if matches.is_empty() {
                found = None;
            }
        }
        found.is_some()
    }

    /// Replaces `matches` by all in `unit`, with their groups where `groups` are wanted.
    pub(super) fn collect(
        &mut self,
        unit: &[u8],
        (groups, stop): (bool, &Stop),
        matches: &mut Matches,
    ) -> Result<(), SearchError> {
        let wanted = if groups { self.slots.len() } else { 2 };
        matches.stride = wanted / 2;
        let mut at = 0;
        let mut last_end = None;
        let mut before_look = MATCHES_A_LOOK;
        while at <= unit.len() {
            before_look -= 1;
            if before_look == 0 {
                before_look = MATCHES_A_LOOK;
                if stop.is_set() {
                    return Err(SearchError::Stopped);
                }
            }
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
            matches.push_slots(slots, 0);
            last_end = Some(span.to);
            at = span.to;
        }
        Ok(())
    }
}
