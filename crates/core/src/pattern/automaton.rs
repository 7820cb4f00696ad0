//! A search for many texts at once, in one of three forms.
//!
//! The first is the fastest to search with, and takes time that grows faster than its texts to build; the
//! second is built in time that is linear in them, but takes much memory; the third is little more than the texts
//! themselves.

use crate::pattern::sorted_texts::SortedTexts;
use crate::span::Span;
use aho_corasick::{AhoCorasick, AhoCorasickBuilder};
use daachorse::{DoubleArrayAhoCorasick, DoubleArrayAhoCorasickBuilder, MatchKind};
use std::sync::Arc;

/// Bytes of all texts together, and of the longest, up to which the first form is built.
const FIRST_MOST: usize = 32 << 10;
const LONGEST_MOST: usize = 512;
/// Bytes of all texts together up to which the second is.
const SECOND_MOST: usize = 4 << 20;

/// A search for many texts. Cloning is cheap.
#[derive(Clone)]
pub(super) enum Automaton {
    Few(Arc<AhoCorasick>),
    Many(Arc<DoubleArrayAhoCorasick<u32>>),
    Most(Arc<SortedTexts>),
}

impl std::fmt::Debug for Automaton {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Automaton")
    }
}

impl Automaton {
    /// A search for `texts`, all different, none empty, and in order: at each place the longest, or each of them where
    /// `all` are wanted. `None` where it would be too large.
    pub fn new(texts: &[&[u8]], all: bool, most: usize) -> Option<Self> {
        let sum: usize = texts.iter().map(|text| text.len()).sum();
        let longest = texts.iter().map(|text| text.len()).max().unwrap_or(0);
        if sum <= FIRST_MOST && longest <= LONGEST_MOST {
            let kind = match all {
                true => aho_corasick::MatchKind::Standard,
                false => aho_corasick::MatchKind::LeftmostLongest,
            };
            let built = AhoCorasickBuilder::new()
                .match_kind(kind)
                .build(texts)
                .ok()?;
            return (built.memory_usage() <= most).then(|| Self::Few(Arc::new(built)));
        }
        if sum > SECOND_MOST {
            let index = SortedTexts::new(texts)?;
            return (index.memory() <= most).then(|| Self::Most(Arc::new(index)));
        }
        let kind = match all {
            true => MatchKind::Standard,
            false => MatchKind::LeftmostLongest,
        };
        let built = DoubleArrayAhoCorasickBuilder::new()
            .match_kind(kind)
            .build(texts)
            .ok()?;
        (built.heap_bytes() <= most).then(|| Self::Many(Arc::new(built)))
    }

    /// The first match at or behind an offset, the longest there.
    pub fn find(&self, text: &[u8], from: usize) -> Option<Span> {
        match self {
            Self::Few(few) => {
                let found = few.find(aho_corasick::Input::new(text).range(from..))?;
                Some(Span::new(found.start(), found.end()))
            }
            Self::Many(many) => {
                let found = many.leftmost_find_iter(&text[from..]).next()?;
                Some(Span::new(from + found.start(), from + found.end()))
            }
            Self::Most(most) => (from..text.len()).find_map(|at| longest_at(most, text, at)),
        }
    }

    /// Shows the matches, one after the other, the longest at each place.
    pub fn each(&self, text: &[u8], mut take: impl FnMut(Span)) {
        match self {
            Self::Few(few) => few
                .find_iter(text)
                .for_each(|found| take(Span::new(found.start(), found.end()))),
            Self::Many(many) => many
                .leftmost_find_iter(text)
                .for_each(|found| take(Span::new(found.start(), found.end()))),
            Self::Most(most) => {
                let mut at = 0;
                while at < text.len() {
                    at = match longest_at(most, text, at) {
                        Some(span) => {
                            take(span);
                            span.to
                        }
                        None => at + 1,
                    };
                }
            }
        }
    }

    /// Shows all matches, those that overlap too; only of a search that was made for all.
    pub fn each_of_all(&self, text: &[u8], mut take: impl FnMut(Span)) {
        match self {
            Self::Few(few) => few
                .find_overlapping_iter(text)
                .for_each(|found| take(Span::new(found.start(), found.end()))),
            Self::Many(many) => many
                .find_overlapping_iter(text)
                .for_each(|found| take(Span::new(found.start(), found.end()))),
            Self::Most(most) => (0..text.len()).for_each(|at| {
                most.at(&text[at..], |length| {
                    take(Span::new(at, at + length));
                    true
                });
            }),
        }
    }
}

fn longest_at(texts: &SortedTexts, text: &[u8], at: usize) -> Option<Span> {
    let mut longest = None;
    texts.at(&text[at..], |length| {
        longest = Some(Span::new(at, at + length));
        false
    });
    longest
}
