//! Matches in one unit.

use crate::span::Span;
use regex_automata::util::primitives::NonMaxUsize;

/// The matches in one unit; spans count from the start of that unit.
#[derive(Debug, Default)]
pub struct Matches {
    pub(super) slots: Vec<Slot>,
    /// Slots per match: 1, or the number of groups.
    pub(super) stride: usize,
}

/// A span, or none, in half the space: no unit is longer than 4 GiB, and there may be millions of
/// matches in one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Slot {
    from: u32,
    to: u32,
}

impl Slot {
    /// A group that took no part.
    pub(super) const NONE: Self = Self { from: 1, to: 0 };

    pub(super) fn new(from: usize, to: usize) -> Self {
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

    /// Adds a match as the library gives it, in a text whose unit begins at `start`.
    pub(super) fn push_slots(&mut self, slots: &[Option<NonMaxUsize>], start: usize) {
        let pairs = slots.chunks_exact(2);
        self.slots
            .extend(pairs.map(|pair| match (pair[0], pair[1]) {
                (Some(from), Some(to)) => Slot::new(from.get() - start, to.get() - start),
                _ => Slot::NONE,
            }));
    }

    pub(crate) fn clear(&mut self) {
        self.slots.clear();
        self.stride = 1;
    }

    /// The number of matches.
    pub fn len(&self) -> usize {
        self.slots.len() / self.stride.max(1)
    }

    /// True if there is none.
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
