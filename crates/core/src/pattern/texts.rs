//! The engine that searches for many plain texts at once.
//!
//! Of the texts that match at one place, the longest does. Time is linear in the unit, whatever the number of
//! texts.

use crate::chars::is_word;
use crate::pattern::automaton::Automaton;
use crate::pattern::candidates::Candidates;
use crate::pattern::matches::{Matches, Slot};
use crate::pattern::options::MatchOptions;
use crate::pattern::syntax::PatternError;
use crate::span::Span;
use std::borrow::Cow;

/// Memory that the texts may take when compiled.
const SIZE_LIMIT: usize = 1 << 30;

#[derive(Clone, Debug)]
pub(super) struct Engine {
    texts: Automaton,
    options: MatchOptions,
    /// One of them holds a line end.
    spans_lines: bool,
}

impl Engine {
    /// A search for any of `texts`, none of which is empty.
    pub(super) fn new(texts: &[&str], options: &MatchOptions) -> Result<Self, PatternError> {
        // Where a shorter text must be tried too, all matches are looked at.
        let folded = texts.iter().map(|text| match options.ignore_case {
            true => Cow::from(fold(text)),
            false => Cow::from(*text),
        });
        let mut folded: Vec<Cow<'_, str>> = folded.collect();
        folded.sort_unstable();
        folded.dedup();
        let bytes: Vec<&[u8]> = folded.iter().map(|text| text.as_bytes()).collect();
        let built = Automaton::new(&bytes, options.whole_word, SIZE_LIMIT);
        Ok(Self {
            texts: built.ok_or(PatternError::TooLarge { limit: SIZE_LIMIT })?,
            options: *options,
            spans_lines: folded.iter().any(|text| text.contains('\n')),
        })
    }

    /// Finds the lines that may hold a match; `None` where each line must be looked at.
    pub(super) fn candidates(&self) -> Option<Candidates> {
        let is_exact = !self.options.ignore_case && !self.spans_lines;
        is_exact.then(|| Candidates::of_texts(self.texts.clone()))
    }

    pub(super) fn is_match(&self, unit: &[u8]) -> bool {
        let mut matches = Matches::default();
        matches.clear();
        self.collect(unit, &mut matches);
        !matches.is_empty()
    }

    pub(super) fn collect(&self, unit: &[u8], matches: &mut Matches) {
        let folded = match self.options.ignore_case {
            true => Folded::new(unit),
            false => Folded::same(unit),
        };
        let mut take = |span: Span| {
            let span = folded.original(span);
            let is_taken = (!self.options.entire || span == Span::new(0, unit.len()))
                && (!self.options.whole_word || is_whole_word(unit, span));
            if is_taken {
                matches.slots.push(Slot::new(span.from, span.to));
            }
            is_taken
        };
        if !self.options.whole_word && !self.options.entire {
            self.texts.each(&folded.bytes, |span| _ = take(span));
            return;
        }
        self.collect_some(&folded.bytes, &mut take);
    }

    /// Shows `take` the matches at each place, the longest first, until it takes one.
    fn collect_some(&self, bytes: &[u8], take: &mut dyn FnMut(Span) -> bool) {
        let mut all: Vec<Span> = Vec::new();
        match self.options.whole_word {
            true => self.texts.each_of_all(bytes, |span| all.push(span)),
            // A match of the whole unit begins at its start.
            false => all.extend(self.texts.find(bytes, 0)),
        }
        all.sort_by_key(|span| (span.from, std::cmp::Reverse(span.to)));
        let mut done = 0;
        for span in all {
            if span.from >= done && take(span) {
                done = span.to;
            }
        }
    }
}

/// True if no word goes on beyond an end of the match.
fn is_whole_word(unit: &[u8], span: Span) -> bool {
    let (before, after) = (&unit[..span.from], &unit[span.to..]);
    let tail = &before[before.len().saturating_sub(4)..];
    let head = &after[..after.len().min(4)];
    let last = String::from_utf8_lossy(tail).chars().next_back();
    let first = String::from_utf8_lossy(head).chars().next();
    !last.is_some_and(is_word) && !first.is_some_and(is_word)
}

/// A text in which letter case does not matter.
pub(crate) fn fold(text: &str) -> String {
    text.chars().map(fold_char).collect()
}

/// The small letter, of letters that have one of their own.
fn fold_char(c: char) -> char {
    let one = |mut chars: Box<dyn Iterator<Item = char>>| match (chars.next(), chars.next()) {
        (Some(c), None) => Some(c),
        _ => None,
    };
    if c.is_ascii() {
        return c.to_ascii_lowercase();
    }
    let upper = one(Box::new(c.to_uppercase())).unwrap_or(c);
    one(Box::new(upper.to_lowercase())).unwrap_or(c)
}

/// A unit in which letter case does not matter.
struct Folded<'u> {
    bytes: Cow<'u, [u8]>,
    /// For each character, its offset there and in the unit; none where they are the same.
    offsets: Vec<(usize, usize)>,
}

impl<'u> Folded<'u> {
    fn same(unit: &'u [u8]) -> Self {
        Self {
            bytes: Cow::Borrowed(unit),
            offsets: Vec::new(),
        }
    }

    fn new(unit: &'u [u8]) -> Self {
        if unit.is_ascii() {
            return Self {
                bytes: Cow::Owned(unit.to_ascii_lowercase()),
                offsets: Vec::new(),
            };
        }
        let (mut bytes, mut offsets, mut at) = (Vec::with_capacity(unit.len()), Vec::new(), 0);
        for chunk in unit.utf8_chunks() {
            for c in chunk.valid().chars() {
                offsets.push((bytes.len(), at));
                at += c.len_utf8();
                bytes.extend_from_slice(fold_char(c).encode_utf8(&mut [0; 4]).as_bytes());
            }
            for byte in chunk.invalid() {
                offsets.push((bytes.len(), at));
                at += 1;
                bytes.push(*byte);
            }
        }
        offsets.push((bytes.len(), at));
        Self {
            bytes: Cow::Owned(bytes),
            offsets,
        }
    }

    fn original(&self, span: Span) -> Span {
        if self.offsets.is_empty() {
            return span;
        }
        let place = |at: usize| {
            let index = self.offsets.partition_point(|(folded, _)| *folded < at);
            self.offsets.get(index).map_or(0, |(_, original)| *original)
        };
        Span::new(place(span.from), place(span.to))
    }
}
