//! One query over all the files of a request, for the verbs that only look.

use super::pass::{Note, file_complaint, problem_complaint};
use crate::args::{FilesArgs, Part};
use crate::complaint::Complaint;
use crate::options::{self, AskedQuery, Sources};
use crate::output::Output;
use crate::render::FileCounts;
use crate::status::Status;
use brisk_quill_core::{
    Findings, Found, LeftOut, LeftOutCounts, Problem, Query, Remark, Standing, UnitView, Visitor,
    columns::Row,
};
use brisk_quill_files::{Coding, FileError, Reader, Skipped, Source};

/// What is asked for, and over which files.
pub struct Request {
    pub query: Query,
    pub sources: Sources,
    reader: Reader,
}

/// What a verb needs besides the matches that are taken.
#[derive(Clone, Copy, Default)]
pub struct Needs {
    /// The groups of each match.
    pub groups: bool,
    /// Units in scope without a match.
    pub missing: bool,
    /// All of a text around each unit.
    pub whole_texts: bool,
}

/// Sees what is found, file by file.
pub trait Seer {
    fn begin_file(&mut self, _source: &Source) {}
    fn unit(&mut self, seen: &Seen<'_>, output: &mut Output);
    /// A row of a table, the header too, behind its cells.
    fn row(&mut self, _row: &Row<'_>, _output: &mut Output) {}
    fn problem(&mut self, _source: &Source, _problem: &Problem, _output: &mut Output) {}
    fn end_file(&mut self, _source: &Source, _output: &mut Output) {}
}

/// One unit with what was found in it.
pub struct Seen<'s> {
    pub source: &'s Source,
    pub unit: &'s UnitView<'s>,
    pub found: &'s Findings<'s>,
    pub coding: &'s Coding,
    /// How many matches in it were taken.
    pub taken: u64,
}

/// What was counted on the way.
#[derive(Debug, Default)]
pub struct Looked {
    pub files: FileCounts,
    /// Matches that were taken.
    pub matches: u64,
    pub left_out: LeftOutCounts,
    pub problems: u64,
    /// Blocks of lines that have begun.
    pub blocks: u64,
    pub notes: Vec<Note>,
    status: Status,
}

impl Looked {
    /// What the program ends with, given whether there is an answer.
    pub fn status(&self, answered: bool) -> Status {
        let answer = if answered { Status::Fine } else { Status::No };
        let trouble = match self.files.unreadable + self.problems {
            0 => Status::Fine,
            _ => Status::Trouble,
        };
        answer.max(trouble).max(self.status)
    }
}

impl Request {
    /// The query and the files of a command line.
    pub fn new(parts: Vec<Part>, args: &FilesArgs) -> Result<Self, Complaint> {
        Self::of(options::query(parts, &args.table)?, args)
    }

    /// The same with a pattern that is no argument: all words are paths.
    pub fn with_pattern(
        mut parts: Vec<Part>,
        pattern: &str,
        args: &FilesArgs,
    ) -> Result<Self, Complaint> {
        if let Some(first) = parts.first_mut() {
            first.words.insert(0, pattern.into());
        }
        Self::new(parts, args)
    }

    fn of(asked: AskedQuery, args: &FilesArgs) -> Result<Self, Complaint> {
        let reader = Reader::new(options::texts(args, false)?);
        let query = asked.query;
        let is_table = |source: &Source| query.is_table(&source.path().to_string_lossy());
        let sources = options::sources(asked.paths, args, &is_table)?;
        Ok(Self {
            query,
            sources,
            reader,
        })
    }

    /// Shows `seer` all that is found, and tells of what cannot be read.
    pub fn look(
        &mut self,
        needs: Needs,
        seer: &mut dyn Seer,
        output: &mut Output,
    ) -> Result<Looked, Complaint> {
        let query = self.query.clone();
        let count = query.needs_run_total();
        if count && self.sources.listing.sources.contains(&Source::Stdin) {
            self.keep_stdin()?;
        }
        let total = if count { Some(self.count_all()) } else { None };
        let mut found = found(&query, needs, total);
        let mut looked = Looked::default();
        looked.files.no_table = self.sources.no_table;
        let listing = &self.sources.listing;
        for error in &listing.problems {
            looked.files.unreadable += 1;
            output.complain(&file_complaint(error));
        }
        for source in &listing.sources {
            seer.begin_file(source);
            let mut eye = Eye {
                seer,
                looked: &mut looked,
                source,
                output,
            };
            match search(&mut found, &mut self.reader, source, &mut eye) {
                Ok(None) => looked.files.read += 1,
                Ok(Some(skipped)) => looked.files.skip(skipped),
                Err(error) => {
                    looked.files.unreadable += 1;
                    output.complain(&file_complaint(&error));
                }
            }
            seer.end_file(source, output);
            if output.is_closed() {
                break;
            }
        }
        Ok(looked)
    }

    /// Shows `seer` the same without telling of anything, before it is looked at in earnest.
    pub fn look_before(
        &mut self,
        needs: Needs,
        seer: &mut dyn Seer,
        output: &mut Output,
    ) -> Result<(), Complaint> {
        if self.sources.listing.sources.contains(&Source::Stdin) {
            self.keep_stdin()?;
        }
        let total = match self.query.needs_run_total() {
            true => Some(self.count_all()),
            false => None,
        };
        let query = self.query.clone();
        let mut found = found(&query, needs, total);
        for source in &self.sources.listing.sources {
            seer.begin_file(source);
            let mut quiet = Quiet {
                seer,
                source,
                output,
            };
            // What goes wrong here will go wrong again, and be told, when it is shown.
            let _ = search(&mut found, &mut self.reader, source, &mut quiet);
        }
        Ok(())
    }

    fn keep_stdin(&mut self) -> Result<(), Complaint> {
        if self.reader.kept_stdin().is_ok() {
            return Ok(());
        }
        let kept = self.reader.keep_stdin();
        kept.map_err(|error| file_complaint(&error))
    }

    /// Counts the matches in place of all sources, before any is shown.
    fn count_all(&mut self) -> u64 {
        let mut found = Found::new(&self.query).counting();
        for source in &self.sources.listing.sources {
            // What goes wrong here will go wrong again, and be told, when it is shown.
            let _ = search(&mut found, &mut self.reader, source, &mut Silent);
        }
        found.in_place()
    }
}

/// A search for what is needed, given how many matches there are where that must be known.
fn found(query: &Query, needs: Needs, total: Option<u64>) -> Found<'_> {
    let mut found = Found::new(query);
    if needs.groups {
        found = found.with_groups();
    }
    if needs.missing {
        found = found.with_missing();
    }
    if needs.whole_texts {
        found = found.in_one_piece();
    }
    match total {
        Some(total) => found.with_run_total(total),
        None => found,
    }
}

/// Searches one source; gives why it was not.
fn search(
    found: &mut Found<'_>,
    reader: &mut Reader,
    source: &Source,
    watch: &mut dyn Watch,
) -> Result<Option<Skipped>, FileError> {
    let mut text = match reader.open(source)? {
        Ok(text) => text,
        Err(skipped) => return Ok(Some(skipped)),
    };
    found.begin(&source.path().to_string_lossy(), text.start());
    text.read(|piece, coding| found.push(piece, &mut Located { coding, watch }))?;
    let coding = text.coding();
    let remarks = found.finish(&mut Located { coding, watch });
    watch.end(&remarks, found.blocks_begun(), coding);
    Ok(None)
}

/// Watches the units of a file, and how they lie on disk.
trait Watch {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, coding: &Coding);
    fn row(&mut self, row: &Row<'_>);
    fn problem(&mut self, problem: Problem);
    fn end(&mut self, remarks: &[Remark], blocks: u64, coding: &Coding);
}

struct Located<'l> {
    coding: &'l Coding,
    watch: &'l mut dyn Watch,
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

struct Silent;

impl Watch for Silent {
    fn unit(&mut self, _: &UnitView<'_>, _: &Findings<'_>, _: &Coding) {}
    fn row(&mut self, _: &Row<'_>) {}
    fn problem(&mut self, _: Problem) {}
    fn end(&mut self, _: &[Remark], _: u64, _: &Coding) {}
}

/// Lets a verb see units and rows, and nothing else.
struct Quiet<'q> {
    seer: &'q mut dyn Seer,
    source: &'q Source,
    output: &'q mut Output,
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
    fn end(&mut self, _: &[Remark], _: u64, _: &Coding) {}
}

/// Counts, tells what went wrong, and lets a verb see the rest.
struct Eye<'e> {
    seer: &'e mut dyn Seer,
    looked: &'e mut Looked,
    source: &'e Source,
    output: &'e mut Output,
}

impl Watch for Eye<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, coding: &Coding) {
        let mut taken = 0;
        let left_out = &mut self.looked.left_out;
        for finding in found.iter() {
            match finding.standing {
                Standing::Picked(_) => taken += 1,
                Standing::LeftOut(LeftOut::Place) => left_out.place += 1,
                Standing::LeftOut(LeftOut::Pick) => left_out.pick += 1,
                Standing::LeftOut(LeftOut::Limit) => left_out.limit += 1,
            }
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
        let complaint = problem_complaint(self.source, &problem);
        self.looked.status = self.looked.status.max(complaint.status);
        self.output.problem(&complaint);
        self.seer.problem(self.source, &problem, self.output);
    }

    fn end(&mut self, remarks: &[Remark], blocks: u64, coding: &Coding) {
        self.looked.blocks += blocks;
        let notes = &mut self.looked.notes;
        notes.extend(
            remarks
                .iter()
                .map(|remark| Note::remark(self.source, remark)),
        );
        let meaningless = coding.meaningless();
        notes.extend(
            meaningless
                .map(|(line, places)| Note::meaningless(self.source, line, places, coding.name())),
        );
    }
}
