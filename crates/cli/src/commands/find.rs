//! `find`: every match of a pattern, with its groups.

use super::pass::{file_complaint, problem_complaint};
use crate::args::{FindArgs, Part};
use crate::complaint::Complaint;
use crate::options;
use crate::output::Output;
use crate::render::{
    FindTotals, FindView, FoundUnit, JsonFind, Neighbours, counted, find_sentence,
};
use crate::status::Status;
use brisk_quill_core::{Findings, Found, LeftOut, Problem, Standing, UnitView, Visitor};
use brisk_quill_files::{FileError, Reader, Skipped, Source, TextOptions};

pub fn run(args: &FindArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Complaint> {
    let asked = options::query(parts)?;
    let query = &asked.what;
    let left = options::shown(&args.show)?;
    let listing = options::sources(&asked.paths, &args.files)?;

    let groups = query.pattern.groups();
    let form = if args.json {
        Form::Json(JsonFind { groups })
    } else {
        let (paint, width) = (output.paint(), output.width());
        Form::Text(FindView {
            paint,
            width,
            groups,
        })
    };
    let mut found = Found::new(query).with_groups();
    if args.show.context > 0 {
        found = found.in_one_piece();
    }
    let mut reader = Reader::new(TextOptions {
        binary: args.files.binary,
        facts: false,
    });
    let mut tally = Tally {
        form,
        context: args.show.context,
        left,
        shown: 0,
        source: &Source::Stdin,
        matches_here: 0,
        units: Vec::new(),
        totals: FindTotals::default(),
        output,
    };
    tally.begin(&find_sentence(query, &listing.sources));
    for error in &listing.problems {
        tally.unreadable(error);
    }
    for source in &listing.sources {
        tally.begin_file(source);
        match search(&mut found, &mut reader, source, &mut tally) {
            Ok(skipped) => tally.end_file(skipped),
            Err(error) => tally.unreadable(&error),
        }
        if tally.output.is_closed() {
            break;
        }
    }
    Ok(tally.end())
}

/// Looks through one source; tells why, where it was not looked at.
fn search(
    found: &mut Found<'_>,
    reader: &mut Reader,
    source: &Source,
    visitor: &mut dyn Visitor,
) -> Result<Option<Skipped>, FileError> {
    let mut text = match reader.open(source)? {
        Ok(text) => text,
        Err(skipped) => return Ok(Some(skipped)),
    };
    found.begin(text.start());
    while let Some(piece) = text.next_piece()? {
        found.push(piece, visitor);
    }
    found.finish(visitor);
    Ok(None)
}

/// In which form the matches come.
enum Form<'a> {
    Text(FindView<'a>),
    Json(JsonFind<'a>),
}

/// Counts matches and shows them.
struct Tally<'a> {
    form: Form<'a>,
    context: usize,
    /// Matches that may still be shown.
    left: usize,
    shown: u64,
    source: &'a Source,
    matches_here: u64,
    /// Units of the file at hand that are to be shown.
    units: Vec<FoundUnit>,
    totals: FindTotals,
    output: &'a mut Output,
}

impl Visitor for Tally<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        let mut taken = 0;
        for finding in found.iter() {
            match finding.standing {
                Standing::Picked => taken += 1,
                Standing::LeftOut(LeftOut::Place) => self.totals.left_out.place += 1,
                Standing::LeftOut(LeftOut::Pick) => self.totals.left_out.pick += 1,
                Standing::LeftOut(LeftOut::Limit) => self.totals.left_out.limit += 1,
            }
        }
        self.matches_here += taken;
        if taken > 0 {
            self.show(unit, found, taken);
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.totals.problems += 1;
        let complaint = problem_complaint(self.source, &problem);
        self.output.complain(&complaint);
        if let Form::Json(json) = &self.form {
            self.output.print(&json.problem(self.source, &problem));
        }
    }
}

impl<'a> Tally<'a> {
    fn begin(&mut self, sentence: &str) {
        if let Form::Text(_) = self.form {
            self.output.print(format!("{sentence}\n").as_bytes());
        }
    }

    fn begin_file(&mut self, source: &'a Source) {
        self.source = source;
        self.matches_here = 0;
        self.units.clear();
    }

    fn show(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, taken: u64) {
        match &self.form {
            Form::Json(json) => {
                let offset = unit.base + unit.span.from as u64;
                let records = json.unit(self.source, offset, &FoundUnit::new(unit, found));
                self.output.print(&records);
            }
            Form::Text(_) if self.left > 0 => {
                self.left = self
                    .left
                    .saturating_sub(usize::try_from(taken).unwrap_or(usize::MAX));
                self.shown += taken;
                let around = Neighbours::of(
                    unit.text,
                    brisk_quill_core::Span::new(unit.span.from, unit.ending.to),
                    self.context,
                );
                self.units.push(FoundUnit {
                    around,
                    ..FoundUnit::new(unit, found)
                });
            }
            Form::Text(_) => {}
        }
    }

    fn end_file(&mut self, skipped: Option<Skipped>) {
        match skipped {
            Some(skipped) => self.totals.files.skip(skipped),
            None => self.totals.files.read += 1,
        }
        self.totals.matching += u64::from(self.matches_here > 0);
        self.totals.matches += self.matches_here;
        if let Form::Text(view) = &self.form {
            let text = view.file(self.source, &self.units);
            self.output.print(text.as_bytes());
        }
    }

    fn unreadable(&mut self, error: &FileError) {
        self.totals.files.unreadable += 1;
        self.output.complain(&file_complaint(error));
    }

    fn end(self) -> Status {
        let totals = &self.totals;
        match &self.form {
            Form::Json(json) => self.output.print(&json.totals(totals)),
            Form::Text(_) => {
                let hidden = totals.matches - self.shown;
                if hidden > 0 {
                    let more = counted(hidden, "more match");
                    let note = format!("\n{more} not shown; add `--show all`.\n");
                    self.output.print(note.as_bytes());
                }
                let text = format!("\n{}", totals.text());
                self.output.print(text.as_bytes());
            }
        }
        if totals.files.unreadable + totals.problems > 0 {
            Status::Trouble
        } else if totals.matches == 0 {
            Status::No
        } else {
            Status::Fine
        }
    }
}
