//! `find`: every match of a pattern, with its groups.

use super::pass::{Note, file_complaint, problem_complaint};
use super::preview::print_notes;
use crate::args::{FindArgs, Part};
use crate::complaint::Complaint;
use crate::options;
use crate::output::Output;
use crate::render::{
    FindTotals, FindView, FoundUnit, JsonFind, Neighbours, counted, file_name, find_sentence,
    json_note, number,
};
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::{
    Findings, Found, LeftOut, OpenBlock, Problem, Query, Span, Standing, UnitView, Visitor,
};
use brisk_quill_files::{Coding, FileError, Listing, Reader, Skipped, Source};

pub fn run(args: &FindArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Complaint> {
    let asked = options::query(parts)?;
    let query = &asked.query;
    let left = options::shown(&args.show)?;
    let mut reader = Reader::new(options::texts(&args.files, false)?);
    let listing = options::sources(asked.paths, &args.files)?;

    let mut found = Found::new(query).with_groups();
    if args.missing {
        found = found.with_missing();
    }
    if args.show.context > 0 {
        found = found.in_one_piece();
    }
    if query.needs_run_total() {
        found = found.with_run_total(count_all(query, &listing, &mut reader)?);
    }
    let mut tally = Tally {
        form: Form::new(args, query, output),
        missing: args.missing,
        context: args.show.context,
        left,
        shown: 0,
        source: &Source::Stdin,
        here: 0,
        units: Vec::new(),
        totals: FindTotals::new(query, args.missing),
        notes: Vec::new(),
        output,
    };
    tally.begin(&find_sentence(query, &listing.sources, args.missing));
    for error in &listing.problems {
        tally.unreadable(error);
    }
    for source in &listing.sources {
        tally.begin_file(source);
        match search(&mut found, &mut reader, source, &mut tally) {
            Ok(searched) => tally.end_file(searched),
            Err(error) => tally.unreadable(&error),
        }
        if tally.output.is_closed() {
            break;
        }
    }
    Ok(tally.end())
}

/// Counts the matches in place of all sources, before any is shown.
fn count_all(query: &Query, listing: &Listing, reader: &mut Reader) -> Result<u64, Complaint> {
    if listing.sources.contains(&Source::Stdin) {
        reader
            .keep_stdin()
            .map_err(|error| file_complaint(&error))?;
    }
    let mut found = Found::new(query).counting();
    for source in &listing.sources {
        // What goes wrong here will go wrong again, and be told, when it is shown.
        let _ = search(&mut found, reader, source, &mut Silent);
    }
    Ok(found.in_place())
}

/// What became of a source.
enum Searched {
    Read {
        open_blocks: Vec<OpenBlock>,
        blocks: u64,
        /// Line, places and encoding of bytes without a meaning.
        meaningless: Option<(u64, u64, &'static str)>,
    },
    Skipped(Skipped),
}

fn search(
    found: &mut Found<'_>,
    reader: &mut Reader,
    source: &Source,
    seer: &mut dyn Seer,
) -> Result<Searched, FileError> {
    let mut text = match reader.open(source)? {
        Ok(text) => text,
        Err(skipped) => return Ok(Searched::Skipped(skipped)),
    };
    found.begin(text.start());
    text.read(|piece, coding| found.push(piece, &mut Located { coding, seer }))?;
    let coding = text.coding();
    let open_blocks = found.finish(&mut Located { coding, seer });
    let meaningless = coding.meaningless();
    Ok(Searched::Read {
        open_blocks,
        blocks: found.blocks_begun(),
        meaningless: meaningless.map(|(line, places)| (line, places, coding.name())),
    })
}

/// Sees the units of a file, and how they lie on disk.
trait Seer {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, coding: &Coding);
    fn problem(&mut self, problem: Problem);
}

struct Silent;

impl Seer for Silent {
    fn unit(&mut self, _: &UnitView<'_>, _: &Findings<'_>, _: &Coding) {}
    fn problem(&mut self, _: Problem) {}
}

struct Located<'l> {
    coding: &'l Coding,
    seer: &'l mut dyn Seer,
}

impl Visitor for Located<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>) {
        self.seer.unit(unit, found, self.coding);
    }

    fn problem(&mut self, _: usize, problem: Problem) {
        self.seer.problem(problem);
    }
}

/// In which form the matches come.
enum Form<'a> {
    Text(FindView<'a>),
    Json(JsonFind<'a>),
    /// The units alone; made visible for a person.
    Bare {
        escaped: bool,
    },
    /// The names of files alone.
    Paths,
    /// Counts alone; of each unit too.
    Count {
        each: bool,
    },
}

impl<'a> Form<'a> {
    fn new(args: &FindArgs, query: &'a Query, output: &Output) -> Self {
        let groups = query.pattern.groups();
        if args.json {
            Self::Json(JsonFind { groups })
        } else if args.bare {
            Self::Bare {
                escaped: output.is_terminal(),
            }
        } else if args.paths {
            Self::Paths
        } else if args.count {
            Self::Count { each: args.each }
        } else {
            let (paint, width) = (output.paint(), output.width());
            Self::Text(FindView {
                paint,
                width,
                groups,
            })
        }
    }
}

/// Counts matches, or units without one, and shows them.
struct Tally<'a> {
    form: Form<'a>,
    missing: bool,
    context: usize,
    /// Matches that may still be shown.
    left: usize,
    shown: u64,
    source: &'a Source,
    /// Counted in the file at hand.
    here: u64,
    /// Units of the file at hand that are to be shown.
    units: Vec<FoundUnit>,
    totals: FindTotals,
    notes: Vec<Note>,
    output: &'a mut Output,
}

impl Seer for Tally<'_> {
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, coding: &Coding) {
        let mut taken = 0;
        for finding in found.iter() {
            match finding.standing {
                Standing::Picked(_) => taken += 1,
                Standing::LeftOut(LeftOut::Place) => self.totals.left_out.place += 1,
                Standing::LeftOut(LeftOut::Pick) => self.totals.left_out.pick += 1,
                Standing::LeftOut(LeftOut::Limit) => self.totals.left_out.limit += 1,
            }
        }
        self.totals.matches += taken;
        let wanted = match self.missing {
            true => u64::from(unit.in_scope && taken == 0),
            false => taken,
        };
        self.here += wanted;
        if wanted > 0 {
            self.show(unit, found, wanted, coding);
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.totals.problems += 1;
        let complaint = problem_complaint(self.source, &problem);
        self.output.problem(&complaint);
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
        self.here = 0;
        self.units.clear();
    }

    fn show(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, wanted: u64, coding: &Coding) {
        match &self.form {
            Form::Json(json) => {
                let start = unit.base + unit.span.from as u64;
                let locate = |at: usize| coding.on_disk(start + at as u64);
                let unit = FoundUnit::new(unit, found);
                let records = match self.missing {
                    true => json.missing(self.source, &unit),
                    false => json.unit(self.source, &unit, &locate),
                };
                self.output.print(&records);
            }
            Form::Text(_) if self.left > 0 => {
                let shown = usize::try_from(wanted).unwrap_or(usize::MAX);
                self.left = self.left.saturating_sub(shown);
                self.shown += wanted;
                let place = Span::new(unit.span.from, unit.ending.to);
                self.units.push(FoundUnit {
                    around: Neighbours::of(unit.text, place, self.context),
                    ..FoundUnit::new(unit, found)
                });
            }
            Form::Bare { escaped: true } => {
                self.output.print(visible(unit.bytes()).as_bytes());
                self.output.print(b"\n");
            }
            Form::Bare { escaped: false } => {
                let start = unit.base + unit.span.from as u64;
                self.output.print(coding.raw(start, unit.bytes()));
                self.output.print(b"\n");
            }
            Form::Count { each: true } => {
                let name = file_name(self.source);
                let row = format!("{wanted:>8}  {name}, line {}\n", unit.line);
                self.output.print(row.as_bytes());
            }
            Form::Text(_) | Form::Paths | Form::Count { .. } => {}
        }
    }

    fn end_file(&mut self, searched: Searched) {
        match searched {
            Searched::Skipped(skipped) => self.totals.files.skip(skipped),
            Searched::Read {
                open_blocks,
                blocks,
                meaningless,
            } => {
                self.totals.files.read += 1;
                self.totals.add_blocks(blocks);
                let open = open_blocks.iter();
                self.notes
                    .extend(open.map(|block| Note::open_block(self.source, block)));
                self.notes
                    .extend(meaningless.map(|(line, places, encoding)| {
                        Note::meaningless(self.source, line, places, encoding)
                    }));
            }
        }
        self.totals.matching += u64::from(self.here > 0);
        self.totals.units += self.here;
        match &self.form {
            Form::Text(view) => {
                let text = view.file(self.source, &self.units);
                self.output.print(text.as_bytes());
            }
            Form::Paths if self.here > 0 => {
                let name = self.source.path().as_os_str().as_encoded_bytes();
                match self.output.is_terminal() {
                    true => self.output.print(visible(name).as_bytes()),
                    false => self.output.print(name),
                }
                self.output.print(b"\n");
            }
            Form::Count { .. } if self.here > 0 => {
                let row = format!("{:>8}  {}\n", number(self.here), file_name(self.source));
                self.output.print(row.as_bytes());
            }
            _ => {}
        }
    }

    fn unreadable(&mut self, error: &FileError) {
        self.totals.files.unreadable += 1;
        self.output.complain(&file_complaint(error));
    }

    fn end(self) -> Status {
        let totals = &self.totals;
        match &self.form {
            Form::Json(json) => {
                for note in &self.notes {
                    self.output
                        .print(&json_note(&note.path, note.line, &note.message));
                }
                self.output.print(&json.totals(totals));
            }
            Form::Text(_) => {
                let hidden = totals.units - self.shown;
                if hidden > 0 {
                    let noun = if self.missing {
                        "more line"
                    } else {
                        "more match"
                    };
                    let more = counted(hidden, noun);
                    let note = format!("\n{more} not shown; add `--show all`.\n");
                    self.output.print(note.as_bytes());
                }
                let text = format!("\n{}", totals.text());
                self.output.print(text.as_bytes());
                print_notes(&self.notes, self.output);
            }
            Form::Count { .. } => {
                let row = format!("{:>8}  in all\n", number(totals.units));
                self.output.print(row.as_bytes());
            }
            Form::Bare { .. } | Form::Paths => {}
        }
        if totals.files.unreadable + totals.problems > 0 {
            Status::Trouble
        } else if totals.units == 0 {
            Status::No
        } else {
            Status::Fine
        }
    }
}
