//! A front's collector with the evidence for hints beside it.

use crate::collector::{Collector, Events, FileHunk, SearchedUnit};
use crate::hints::evidence::Evidence;
use brisk_quill_core::columns::row::Row;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::rewrite::sink::Unmet;

/// Hands all events on, and gathers evidence where that is asked for.
pub struct Watched<'p, C> {
    /// The collector of the front.
    pub front: C,
    /// The evidence so far.
    pub evidence: Option<Evidence<'p>>,
}

impl<C: Events> Events for Watched<'_, C> {
    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        self.front.unit(unit);
    }

    fn passed(&mut self, units: u64) {
        self.front.passed(units);
    }

    fn row(&mut self, row: &Row<'_>) {
        self.front.row(row);
    }

    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        self.front.hunk(hunk);
    }

    fn problem(&mut self, problem: Problem) {
        if let Some(evidence) = &mut self.evidence {
            evidence.problem(&problem);
        }
        self.front.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.front.unmet(unmet);
    }

    fn seen(&mut self, step: usize, seen: &SeenUnit<'_>) {
        if let Some(evidence) = &mut self.evidence {
            evidence.seen(step, seen);
        }
        self.front.seen(step, seen);
    }

    fn wants_others(&self) -> bool {
        self.evidence.as_ref().is_some_and(Evidence::wants_others)
    }

    fn wants_bytes(&self) -> bool {
        self.front.wants_bytes()
    }

    fn numbers_rows(&self) -> bool {
        self.front.numbers_rows()
    }

    fn packed(&mut self, packing: &brisk_quill_files::store::store_of::Packing) {
        self.front.packed(packing);
    }

    fn bytes(&mut self, raw: &[u8]) {
        self.front.bytes(raw);
    }
}

impl<C: Collector> Collector for Watched<'_, C> {
    fn is_full(&self) -> bool {
        self.front.is_full()
    }

    fn for_part(self) -> Self {
        Self {
            front: self.front.for_part(),
            evidence: self.evidence.map(Evidence::for_part),
        }
    }

    fn number_later(&mut self) {
        self.front.number_later();
    }

    fn after_rows(&mut self, rows: u64) {
        self.front.after_rows(rows);
    }

    fn join(&mut self, part: Self) {
        self.front.join(part.front);
        if let (Some(evidence), Some(part)) = (&mut self.evidence, part.evidence) {
            evidence.absorb(part);
        }
    }
}
