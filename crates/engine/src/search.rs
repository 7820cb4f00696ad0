//! A query over one text, its matches located on disk.

use crate::collector::{Events, SearchedUnit};
use brisk_quill_core::columns::row::Row;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::findings::{Findings, MatchStatus};
use brisk_quill_core::query::note::Note;
use brisk_quill_core::query::searcher::{SearchEnd, SearchedText};
use brisk_quill_core::query::unit_view::{UnitView, Visitor};
use brisk_quill_core::rewrite::counts::{Counts, StepCounts};
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_files::text_map::TextMap;

/// Units that are reported.
#[derive(Clone, Copy)]
pub(crate) struct ShownUnits {
    /// Units without a match.
    pub missing: bool,
    /// Each unit, for hints.
    pub watched: bool,
}

/// A search of one text, or of a part of one, piece after piece.
pub(crate) struct SearchRun<'e, 'r> {
    text: SearchedText<'e, 'r>,
    shown: ShownUnits,
    step: StepCounts,
    problems: u64,
}

impl<'e, 'r> SearchRun<'e, 'r> {
    /// A search of a text that has begun.
    pub fn new(text: SearchedText<'e, 'r>, shown: ShownUnits) -> Self {
        Self {
            text,
            shown,
            step: StepCounts::default(),
            problems: 0,
        }
    }

    /// Takes the next bytes; `last` says that they are the last, where that is known.
    pub fn push(
        &mut self,
        piece: &[u8],
        (map, last): (&dyn TextMap, bool),
        events: &mut dyn Events,
    ) {
        let visitor = &mut UnitReporter {
            map,
            events,
            shown: self.shown,
            step: &mut self.step,
            problems: &mut self.problems,
        };
        match last {
            true => self.text.push_last(piece, visitor),
            false => self.text.push(piece, visitor),
        }
    }

    /// Ends the text.
    pub fn finish(mut self, map: &dyn TextMap, events: &mut dyn Events) -> (Counts, Vec<Note>) {
        let SearchEnd { notes, blocks } = self.text.finish(&mut UnitReporter {
            map,
            events,
            shown: self.shown,
            step: &mut self.step,
            problems: &mut self.problems,
        });
        self.step.take_blocks(blocks);
        let counts = Counts {
            problems: self.problems,
            steps: vec![self.step],
            ..Counts::default()
        };
        (counts, notes)
    }
}

/// Counts matches and reports units.
struct UnitReporter<'v> {
    map: &'v dyn TextMap,
    events: &'v mut dyn Events,
    shown: ShownUnits,
    step: &'v mut StepCounts,
    problems: &'v mut u64,
}

impl Visitor for UnitReporter<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        let mut taken = 0;
        for finding in found.iter() {
            taken += u64::from(matches!(finding.status, MatchStatus::Picked(_)));
            self.step.left_out.count(finding.status);
        }
        self.step.matches += taken;
        if self.shown.watched {
            self.events.seen(0, &SeenUnit::searched(unit, found));
        }
        if found.is_empty() && !self.shown.missing {
            return;
        }
        self.events.unit(&SearchedUnit {
            unit,
            found,
            map: self.map,
            taken,
        });
    }

    fn row(&mut self, row: &Row<'_>) {
        self.events.row(row);
    }

    fn problem(&mut self, _: usize, problem: Problem) {
        *self.problems += 1;
        self.events.problem(problem);
    }
}
