//! Things counted, each with its first.

use foldhash::fast::RandomState;
use std::collections::HashMap;

/// Counts things, and remembers the first of each; what is one thing too many is only counted.
///
/// ```
/// use brisk_quill_core::inventory::Inventory;
/// let mut berths = Inventory::new(10);
/// for (place, berth) in ["B-4", "B-7", "B-4"].into_iter().enumerate() {
///     berths.add(berth, || place);
/// }
/// assert_eq!(berths.into_rows(), [("B-4", 2, 0), ("B-7", 1, 1)]);
/// ```
#[derive(Clone, Debug)]
pub struct Inventory<K, F> {
    seen: HashMap<K, Entry<F>, RandomState>,
    most: usize,
    /// All there were.
    pub total: u64,
    /// Occurrences of items beyond the limit.
    pub others: u64,
}

/// A thing that has been seen.
#[derive(Clone, Debug)]
struct Entry<F> {
    count: u64,
    /// The number of items before the first of it.
    at: u64,
    first: F,
}

impl<K: Eq + std::hash::Hash + Ord, F> Inventory<K, F> {
    /// Holds at most this many things apart.
    pub fn new(most: usize) -> Self {
        Self {
            seen: HashMap::default(),
            most,
            total: 0,
            others: 0,
        }
    }

    /// Holds all things apart, as one must that is to be taken in by another: else it would depend
    /// on who counts what, which things are too many.
    #[must_use]
    pub fn without_limit(self) -> Self {
        let most = usize::MAX;
        Self { most, ..self }
    }

    /// Counts one more of `thing`; `first` is made for the first of its kind.
    pub fn add(&mut self, thing: K, first: impl FnOnce() -> F) {
        let at = self.total;
        self.total += 1;
        if let Some(entry) = self.seen.get_mut(&thing) {
            entry.count += 1;
        } else if self.seen.len() < self.most {
            let (count, first) = (1, first());
            self.seen.insert(thing, Entry { count, at, first });
        } else {
            self.others += 1;
        }
    }

    /// Takes in what was counted behind it; of a thing that both have seen, `both` makes one
    /// first of two.
    pub fn absorb(&mut self, behind: Self, both: impl Fn(&mut F, F)) {
        let before = self.total;
        let has_room = self.seen.len().saturating_add(behind.seen.len()) <= self.most;
        self.total += behind.total;
        self.others += behind.others;
        let take = |(thing, mut entry): (K, Entry<F>)| {
            if let Some(known) = self.seen.get_mut(&thing) {
                known.count += entry.count;
                both(&mut known.first, entry.first);
            } else if self.seen.len() < self.most {
                entry.at += before;
                self.seen.insert(thing, entry);
            } else {
                self.others += entry.count;
            }
        };
        // Only where there is no room for all does it matter which comes first.
        if has_room {
            return behind.seen.into_iter().for_each(take);
        }
        let mut rows: Vec<(K, Entry<F>)> = behind.seen.into_iter().collect();
        rows.sort_by_key(|(_, entry)| entry.at);
        rows.into_iter().for_each(take);
    }

    /// The value remembered with `thing`.
    pub fn first_mut(&mut self, thing: &K) -> Option<&mut F> {
        self.seen.get_mut(thing).map(|entry| &mut entry.first)
    }

    /// True if a new item would be one too many.
    pub fn is_full(&self) -> bool {
        self.seen.len() >= self.most
    }

    /// The items, in no order.
    pub fn keys(&self) -> impl Iterator<Item = &K> {
        self.seen.keys()
    }

    /// The number of items.
    pub fn len(&self) -> usize {
        self.seen.len()
    }

    /// True if there is nothing.
    pub fn is_empty(&self) -> bool {
        self.seen.is_empty()
    }

    /// The things with their counts and firsts, in the order in which they were first seen.
    pub fn into_order(self) -> Vec<(K, u64, F)> {
        let mut rows: Vec<(K, Entry<F>)> = self.seen.into_iter().collect();
        rows.sort_by_key(|(_, entry)| entry.at);
        rows.into_iter()
            .map(|(k, e)| (k, e.count, e.first))
            .collect()
    }

    /// The things with their counts and firsts, the most frequent first; those that are as
    /// frequent are in their own order.
    pub fn into_rows(self) -> Vec<(K, u64, F)> {
        let mut rows: Vec<_> = self
            .seen
            .into_iter()
            .map(|(k, e)| (k, e.count, e.first))
            .collect();
        rows.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        rows
    }
}
