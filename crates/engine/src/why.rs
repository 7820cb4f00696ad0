//! The reasons for which units do not match, counted.

use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::near_miss::{NearMisses, WantedPart, WhyNot};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::span::Span;
use brisk_quill_files::source::Source;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// Units that are looked at.
pub const UNITS_MOST: u64 = 10_000;
/// Reasons that are distinguished.
const REASONS_MOST: usize = 2000;
/// Longer texts are cut.
const TEXT_MOST: usize = 256;

/// The reason for which a unit does not match.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Reason {
    /// One part is missing: its index, from 0, and what is there.
    Part(usize, Vec<u8>),
    /// The pattern matches as far as before the part of this index.
    Stops(usize),
    /// Not even the first part is there.
    Nothing,
}

/// A unit with its reason.
#[derive(Clone, Debug)]
pub struct Explained {
    /// The reason.
    pub reason: Reason,
    /// The line of the unit, from 1.
    pub line: u64,
    /// The text that would match, or does as far as it goes; of no reason, the unit.
    pub text: Vec<u8>,
}

/// Explains the units of one request, on any thread.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_engine::why::{Explainer, Reason};
/// let pattern = Pattern::new(r"Berth (\d+)", &MatchOptions::default()).expect("a pattern");
/// let explainer = Explainer::new(&pattern).expect("more than one part");
/// let explained = explainer.explain(b"Berth-8", 1).expect("room for one");
/// assert_eq!(explained.reason, Reason::Part(1, b"-".to_vec()));
/// ```
#[derive(Debug)]
pub struct Explainer {
    pattern: Pattern,
    parts: Vec<WantedPart>,
    free: Mutex<Vec<NearMisses>>,
    /// Units that have been counted.
    counted: AtomicU64,
}

impl Explainer {
    /// `None` for a pattern of one part, and for one that is not regular.
    pub fn new(pattern: &Pattern) -> Option<Arc<Self>> {
        let misses = NearMisses::new(pattern)?;
        Some(Arc::new(Self {
            pattern: pattern.clone(),
            parts: misses.parts().to_vec(),
            free: Mutex::new(vec![misses]),
            counted: AtomicU64::new(0),
        }))
    }

    /// The parts of the pattern, in order.
    pub fn parts(&self) -> &[WantedPart] {
        &self.parts
    }

    /// The reason of a unit in line `line`; `None` once enough have been counted.
    pub fn explain(&self, unit: &[u8], line: u64) -> Option<Explained> {
        if self.counted.load(Ordering::Relaxed) >= UNITS_MOST {
            return None;
        }
        let free = || self.free.lock().unwrap_or_else(PoisonError::into_inner);
        let next = free().pop();
        let mut misses = next.or_else(|| NearMisses::new(&self.pattern))?;
        let why = misses.why(unit);
        free().push(misses);
        let cut = |span: Span| unit[span.from..span.to.min(span.from + TEXT_MOST)].to_vec();
        let (reason, text) = match why {
            WhyNot::Part(miss) => (Reason::Part(miss.part, cut(miss.stands)), cut(miss.whole)),
            WhyNot::Stops { part, reached } => (Reason::Stops(part), cut(reached)),
            WhyNot::Nothing => (Reason::Nothing, cut(Span::new(0, unit.len()))),
        };
        Some(Explained { reason, line, text })
    }
}

/// A reason with the number of its units.
#[derive(Clone, Debug)]
pub struct ReasonRow {
    /// The reason.
    pub reason: Reason,
    /// The units.
    pub count: u64,
    /// The file of the first of them.
    pub source: Source,
    /// The line, from 1.
    pub line: u64,
    /// The text that would match there.
    pub text: Vec<u8>,
}

/// Counts reasons, of one file after another in order.
#[derive(Debug)]
pub struct Reasons {
    seen: Inventory<Reason, (Source, u64, Vec<u8>)>,
    /// There were more units than are looked at.
    pub is_cut: bool,
}

impl Default for Reasons {
    fn default() -> Self {
        Self {
            seen: Inventory::new(REASONS_MOST),
            is_cut: false,
        }
    }
}

impl Reasons {
    /// Adds the units of a file, as many as there is room for; `all` is the number of its units without a
    /// match.
    pub fn add(
        &mut self,
        explainer: &Explainer,
        source: &Source,
        (units, all): (Vec<Explained>, u64),
    ) {
        // There is room for 10,000.
        let room = usize::try_from(UNITS_MOST - self.seen.total).unwrap_or(usize::MAX);
        self.is_cut |= all > room as u64;
        for unit in units.into_iter().take(room) {
            self.seen
                .add(unit.reason, || (source.clone(), unit.line, unit.text));
        }
        explainer.counted.store(self.seen.total, Ordering::Relaxed);
    }

    /// The reasons, the most frequent first; among them, parts that are missing go before others.
    pub fn rows(self) -> Vec<ReasonRow> {
        let mut rows: Vec<ReasonRow> = (self.seen.into_order().into_iter())
            .map(|(reason, count, (source, line, text))| ReasonRow {
                reason,
                count,
                source,
                line,
                text,
            })
            .collect();
        let is_part = |row: &ReasonRow| matches!(row.reason, Reason::Part(..));
        rows.sort_by_key(|row| (!is_part(row), std::cmp::Reverse(row.count)));
        rows
    }
}
