//! The candidates that a search has found: of those that do the same to the data only the cheapest.

use crate::candidate::{Candidate, Made};
use crate::examples::Examples;
use foldhash::fast::FixedState;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::hash::{BuildHasher, Hash, Hasher};

/// Candidates found, and those that only fail on texts that must stay.
#[derive(Debug)]
pub(super) struct Found {
    /// The cost of the cheapest.
    pub best: f64,
    hits: Vec<Candidate>,
    /// The place among the hits of the one that makes this of the probes.
    by_outcome: HashMap<u64, usize>,
    pub too_wide: Vec<Candidate>,
}

/// The effect of a candidate on the probes, compared with those found before.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Novelty {
    /// The same as another, and nothing beside the examples.
    Narrow,
    /// The same as another.
    Known,
    /// Something that none of them does.
    New,
}

impl Default for Found {
    fn default() -> Self {
        Self {
            best: f64::INFINITY,
            hits: Vec::new(),
            by_outcome: HashMap::new(),
            too_wide: Vec::new(),
        }
    }
}

impl Found {
    /// Adds a candidate that makes all examples.
    pub fn add(&mut self, candidate: Candidate, examples: &Examples<'_>) -> Novelty {
        self.best = self.best.min(candidate.cost);
        let (outcome, changes) = outcome(&candidate, examples);
        match self.by_outcome.entry(outcome) {
            Entry::Vacant(place) => {
                place.insert(self.hits.len());
                self.hits.push(candidate);
                Novelty::New
            }
            Entry::Occupied(place) => {
                let known = &mut self.hits[*place.get()];
                if candidate.cost < known.cost {
                    *known = candidate;
                }
                match changes {
                    true => Novelty::Known,
                    false => Novelty::Narrow,
                }
            }
        }
    }

    /// The candidates that make all examples, and those that are too wide.
    pub fn into_parts(self) -> (Vec<Candidate>, Vec<Candidate>) {
        (self.hits, self.too_wide)
    }
}

/// The results of a candidate for the probes, as one number, and true if it changes any that is not an example.
fn outcome(candidate: &Candidate, examples: &Examples<'_>) -> (u64, bool) {
    let mut hasher = FixedState::default().build_hasher();
    let mut changes = false;
    for text in examples.probes {
        let made = candidate.rewrite(text, 1, 0, examples.filters);
        let made = made.of_change(text);
        changes |=
            made != Made::Nothing && !examples.changed.iter().any(|case| case.before == **text);
        made.hash(&mut hasher);
    }
    (hasher.finish(), changes)
}
