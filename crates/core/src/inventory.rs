//! Things counted, each with its first.

use std::collections::HashMap;

/// Counts things, and remembers the first of each; what is one thing too many is only counted.
#[derive(Clone, Debug)]
pub struct Inventory<K, F> {
    seen: HashMap<K, (u64, F)>,
    most: usize,
    /// All there were.
    pub total: u64,
    /// Those of things too many.
    pub others: u64,
}

impl<K: Eq + std::hash::Hash + Ord, F> Inventory<K, F> {
    /// Holds at most so many things apart.
    pub fn new(most: usize) -> Self {
        Self {
            seen: HashMap::new(),
            most,
            total: 0,
            others: 0,
        }
    }

    /// Counts one more of `thing`; `first` is made for the first of its kind.
    pub fn add(&mut self, thing: K, first: impl FnOnce() -> F) {
        self.total += 1;
        if let Some((count, _)) = self.seen.get_mut(&thing) {
            *count += 1;
        } else if self.seen.len() < self.most {
            self.seen.insert(thing, (1, first()));
        } else {
            self.others += 1;
        }
    }

    /// What is remembered of `thing`.
    pub fn first_mut(&mut self, thing: &K) -> Option<&mut F> {
        self.seen.get_mut(thing).map(|(_, first)| first)
    }

    /// How many things there are.
    pub fn len(&self) -> usize {
        self.seen.len()
    }

    /// Whether there is nothing.
    pub fn is_empty(&self) -> bool {
        self.seen.is_empty()
    }

    /// The things with their counts and firsts, the most frequent first; those that are as
    /// frequent stand in their own order.
    pub fn into_rows(self) -> Vec<(K, u64, F)> {
        let mut rows: Vec<_> = self.seen.into_iter().map(|(k, (n, f))| (k, n, f)).collect();
        rows.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        rows
    }
}
