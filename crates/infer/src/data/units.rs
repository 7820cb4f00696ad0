//! The texts of the units in scope, read once.

use crate::sample::{Sample, TEXTS_MOST};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::query::Query;
use brisk_quill_engine::collector::SearchedUnit;
use std::collections::HashMap;
use std::collections::hash_map::Entry;

/// The most units that are kept.
const UNITS_MOST: usize = 1_000_000;

/// One unit of the data.
#[derive(Clone, Debug)]
pub struct Unit {
    /// The text.
    pub text: String,
    /// The line it begins in, from 1.
    pub line: u64,
}

/// The units in scope of some files, or of a part of them.
///
/// ```
/// use brisk_quill_infer::data::units::{Unit, Units};
/// let unit = |text: &str, line| Unit { text: text.into(), line };
/// let units = Units { all: vec![unit("B-4", 1), unit("B-7", 2), unit("B-4", 3)], ..Units::default() };
/// assert_eq!(units.distinct().len(), 2);
/// assert_eq!(units.distinct()[0].count, 2);
/// ```
#[derive(Clone, Debug, Default)]
pub struct Units {
    /// The units that are kept, in order.
    pub all: Vec<Unit>,
    /// The number beyond those that are kept.
    pub more: u64,
    /// The number that is not UTF-8.
    pub undecodable: u64,
}

/// A text of the data.
#[derive(Clone, Copy, Debug)]
pub struct Distinct<'u> {
    /// The text.
    pub text: &'u str,
    /// The line of the first unit with this text, from 1.
    pub line: u64,
    /// The number of that unit, from 0.
    pub at: usize,
    /// The number of units with this text.
    pub count: u64,
}

/// The query that finds every unit in scope of `place` once.
pub fn every_unit(place: &Query) -> Query {
    let mut query = place.clone();
    query.pattern = Pattern::new(r"\A", &MatchOptions::default()).expect("a pattern");
    query
}

impl Units {
    /// Adds a unit, if it is in scope.
    pub fn add(&mut self, seen: &SearchedUnit<'_>) {
        if !seen.unit.in_scope {
            return;
        }
        match std::str::from_utf8(seen.unit.bytes()) {
            Err(_) => self.undecodable += 1,
            Ok(_) if self.all.len() >= UNITS_MOST => self.more += 1,
            Ok(text) => self.all.push(Unit {
                text: text.to_owned(),
                line: seen.unit.line,
            }),
        }
    }

    /// Adds the units of the next file, or of the next part of one.
    pub fn absorb(&mut self, next: Self) {
        let room = UNITS_MOST.saturating_sub(self.all.len());
        self.more += next.more + next.all.len().saturating_sub(room) as u64;
        self.all.extend(next.all.into_iter().take(room));
        self.undecodable += next.undecodable;
    }

    /// The distinct texts in the order in which they first occur.
    pub fn distinct(&self) -> Vec<Distinct<'_>> {
        let mut known: HashMap<&str, usize> = HashMap::new();
        let mut distinct: Vec<Distinct<'_>> = Vec::new();
        for (at, unit) in self.all.iter().enumerate() {
            match known.entry(&unit.text) {
                Entry::Occupied(entry) => distinct[*entry.get()].count += 1,
                Entry::Vacant(entry) => {
                    entry.insert(distinct.len());
                    distinct.push(Distinct {
                        text: &unit.text,
                        line: unit.line,
                        at,
                        count: 1,
                    });
                }
            }
        }
        distinct
    }

    /// The texts that proposals are ranked by. The units before line `edited_to`, the last that was edited by
    /// hand, count as passed over.
    pub fn sample(&self, distinct: &[Distinct<'_>], edited_to: Option<u64>) -> Sample {
        let mut sample = Sample::default();
        let mut add = |text: &str, line: u64| {
            let passed_over = edited_to.is_some_and(|last| line < last);
            sample.add(text, line, passed_over);
        };
        // Of much data each text counts once.
        match self.all.len() > TEXTS_MOST {
            true => distinct.iter().for_each(|one| add(one.text, one.line)),
            false => self.all.iter().for_each(|unit| add(&unit.text, unit.line)),
        }
        sample
    }
}
