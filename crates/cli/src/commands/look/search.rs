//! One file looked at, and who watches what is found in it.

use crate::commands::look::{Looked, Seen, Seer};
use crate::commands::pass::{FileNote, problem_diagnostic};
use crate::output::{Output, Said};
use brisk_quill_core::columns::row::Row;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::scanner::{Findings, MatchStatus, Note, UnitView, Visitor};
use brisk_quill_core::query::searcher::Searcher;
use brisk_quill_files::coding::Coding;
use brisk_quill_files::discover::Source;
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::{OpenText, Reader, Skipped};

/// Searches one source; gives why it was not.
pub fn search(
    found: &mut Searcher<'_>,
    reader: &mut Reader,
    source: &Source,
    watch: &mut dyn Watch,
) -> Result<Option<Skipped>, FileError> {
    match reader.open(source)? {
        Ok(text) => search_text(found, text, watch).map(|()| None),
        Err(skipped) => Ok(Some(skipped)),
    }
}

/// Searches an opened text.
pub fn search_text(
    found: &mut Searcher<'_>,
    mut text: OpenText<'_>,
    watch: &mut dyn Watch,
) -> Result<(), FileError> {
    found.begin(text.file(), text.start());
    text.read(|piece, coding, last| {
        let located = &mut Located { coding, watch };
        match last {
            true => found.push_last(piece, located),
            false => found.push(piece, located),
        }
        watch.piece();
    })?;
    let coding = text.coding();
    let notes = found.finish(&mut Located { coding, watch });
    watch.end(&notes, found.blocks_begun(), coding);
    Ok(())
}

/// Watches the units of a file, and how they lie on disk.
pub trait Watch {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, coding: &Coding);
    fn row(&mut self, row: &Row<'_>);
    fn problem(&mut self, problem: Problem);
    fn end(&mut self, notes: &[Note], blocks: u64, coding: &Coding);
    /// A piece of the file has been seen.
    fn piece(&mut self) {}
}

pub struct Located<'l> {
    pub coding: &'l Coding,
    pub watch: &'l mut dyn Watch,
}

impl Visitor for Located<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        self.watch.unit(unit, found, self.coding);
    }

    fn row(&mut self, row: &Row<'_>) {
        self.watch.row(row);
    }

    fn problem(&mut self, _: usize, problem: Problem) {
        self.watch.problem(problem);
    }
}

/// Lets all pass: what is counted on the way is wanted.
pub struct Silent;

impl Watch for Silent {
    fn unit(&mut self, _: &UnitView<'_>, _: &Findings<'_>, _: &Coding) {}
    fn row(&mut self, _: &Row<'_>) {}
    fn problem(&mut self, _: Problem) {}
    fn end(&mut self, _: &[Note], _: u64, _: &Coding) {}
}

/// Lets a verb see units and rows, and nothing else.
pub struct Quiet<'q> {
    pub seer: &'q mut dyn Seer,
    pub source: &'q Source,
    pub output: &'q mut Output,
}

impl Watch for Quiet<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, coding: &Coding) {
        let seen = Seen {
            source: self.source,
            unit,
            found,
            coding,
            taken: found.picked().count() as u64,
        };
        self.seer.unit(&seen, self.output);
    }

    fn row(&mut self, row: &Row<'_>) {
        self.seer.row(row, self.output);
    }

    fn problem(&mut self, _: Problem) {}
    fn end(&mut self, _: &[Note], _: u64, _: &Coding) {}
}

/// Counts, tells what went wrong, and lets a verb see the rest.
pub struct Eye<'e> {
    pub seer: &'e mut dyn Seer,
    pub looked: &'e mut Looked,
    pub source: &'e Source,
    pub output: &'e mut Output,
    /// Where pages go as they are full, if they go anywhere.
    pub send: Option<&'e mut dyn FnMut(Vec<Said>)>,
}

impl Watch for Eye<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, coding: &Coding) {
        let mut taken = 0;
        for finding in found.iter() {
            taken += u64::from(matches!(finding.status, MatchStatus::Picked(_)));
            self.looked.left_out.count(finding.status);
        }
        self.looked.matches += taken;
        let seen = Seen {
            source: self.source,
            unit,
            found,
            coding,
            taken,
        };
        self.seer.unit(&seen, self.output);
    }

    fn row(&mut self, row: &Row<'_>) {
        self.seer.row(row, self.output);
    }

    fn problem(&mut self, problem: Problem) {
        self.looked.problems += 1;
        let diagnostic = problem_diagnostic(self.source, &problem);
        self.looked.status = self.looked.status.max(diagnostic.status);
        self.output.problem(diagnostic);
        self.seer.problem(self.source, &problem, self.output);
    }

    fn piece(&mut self) {
        if let Some(send) = &mut self.send
            && self.output.is_full()
        {
            send(self.output.turn());
        }
    }

    fn end(&mut self, notes: &[Note], blocks: u64, coding: &Coding) {
        self.looked.blocks += blocks;
        let told = &mut self.looked.notes;
        told.extend(notes.iter().map(|note| FileNote::note(self.source, note)));
        let meaningless = coding.meaningless();
        told.extend(
            meaningless.map(|(line, places)| {
                FileNote::meaningless(self.source, line, places, coding.name())
            }),
        );
    }
}
