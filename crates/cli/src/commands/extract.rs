//! `extract`: the groups of a pattern as columns.
//!
//! A *record* is a line (or larger unit), or a row of a table with all the cells that are searched
//! at. What was found in a record becomes one row of the sheet, or one for each match. Which
//! columns the sheet has is known once the first record is: then it begins.

mod sheet_plan;
mod taker;

use crate::args::definitions::{ExtractArgs, SheetForm};
use crate::args::split::{Part, put_pattern};
use crate::commands::extract::sheet_plan::{Pick, SheetPlan};
use crate::commands::extract::taker::Taker;
use crate::commands::notes::print_notes;
use crate::commands::search::{Request, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use crate::render::row_writer::{RowWriter, Value};
use crate::render::sentence::{Extracted, extract_sentence};
use crate::status::Status;
use brisk_quill_core::columns::row::{Field, Row};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_files::source::Source;
use std::borrow::Cow;
use std::collections::HashSet;
use std::sync::Arc;

pub fn run(
    args: &ExtractArgs,
    mut parts: Vec<Part>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    if let Some(pattern) = &args.split {
        put_pattern(&mut parts, pattern);
    }
    let mut request = request(args, parts)?.after(&args.texts, output)?;
    let form = args.form.unwrap_or(match output.is_terminal() {
        true => SheetForm::Table,
        false => SheetForm::Csv,
    });
    let query = request.query.clone();
    let sources = &request.sources.listing.sources;
    let extracted = extracted(args);
    let sentence = extract_sentence(&query, sources, extracted);
    let options = RunOptions {
        // How many there are does not depend on what they hold.
        groups: !extracted.judges(),
        missing: match extracted.judges() || args.split.is_some() || keeps_columns(args) {
            true => Unmatched::Shown,
            false => Unmatched::Ignored,
        },
        ..RunOptions::default()
    };
    let taker = Taker::new(args, query.pattern.groups());
    let in_cells = query.unit == UnitKind::Cell;
    let repeats = args.wide || (args.split.is_some() && !args.every);
    let mut widest = Widest {
        taker: taker.clone(),
        in_cells,
        most: 1,
        cells: 0,
    };
    // What a row may have at most is not known before all have been seen.
    if repeats || (args.beside && args.files.table.ragged) {
        request.run_before(options.clone(), &mut widest)?;
    }
    let repeats = repeats.then_some(widest.most);
    let names = names(args, extracted, taker.names(query.pattern.groups()))?;
    let plan = SheetPlan::new(
        (args, extracted),
        names,
        (repeats, widest.cells),
        (form, in_cells),
    )?;
    let header = match args.no_header_out || args.files.table.no_header {
        true => Header::Without,
        false if keeps_columns(args) => Header::WithRows,
        false => Header::Before,
    };
    let sheet = RowWriter::new(form, options::at_most("--show", args.show.as_deref())?);
    let mut extractor = Extractor::new(plan, (sheet, header), taker, in_cells);
    if form == SheetForm::Table {
        output.prose(&format!("{sentence}\n\n"));
    }
    let searched = match keeps_columns(args) {
        true => request.run_in_turn(options, &mut extractor, output)?,
        false => request.run(options, &mut extractor, output)?,
    };
    if let Some(diagnostic) = extractor.failed.take() {
        return Err(diagnostic);
    }
    if form == SheetForm::Table {
        extractor.print_table(searched.files.read, output);
        print_notes(&searched.notes, &searched.hints, output);
    }
    let status = searched.status(extractor.matches > 0);
    Ok(match extractor.lost_keys {
        0 => status,
        rows => status.max(output.complain(&lost_keys(rows))),
    })
}

fn extracted(args: &ExtractArgs) -> Extracted {
    match (args.split.is_some(), args.counts, args.yes_no) {
        (true, ..) => Extracted::Between,
        (_, true, _) => Extracted::Count,
        (.., true) => Extracted::YesNo,
        (false, false, false) => Extracted::Groups,
    }
}

/// The names of the columns that are made: those that were given in the place of `usual` ones.
fn names(
    args: &ExtractArgs,
    extracted: Extracted,
    usual: Vec<String>,
) -> Result<Vec<String>, Diagnostic> {
    let usual = match extracted {
        Extracted::Count => vec!["count".to_owned()],
        Extracted::YesNo => vec!["matches".to_owned()],
        Extracted::Between | Extracted::Groups => usual,
    };
    let Some(list) = &args.name else {
        return Ok(usual);
    };
    let given: Vec<String> = list.split(',').map(|name| name.trim().to_owned()).collect();
    if given.len() == usual.len() && given.iter().all(|name| !name.is_empty()) {
        return Ok(given);
    }
    let makes = counted(usual.len() as u64, "column");
    let message = format!(
        "--name: {} for {makes}",
        counted(given.len() as u64, "name")
    );
    let usual = usual.iter().map(|name| format!("`{name}`"));
    let usual = usual.collect::<Vec<_>>().join(", ");
    Err(Diagnostic::wrong(message).remedy(format!(
        "give one, and not an empty one, for each of {usual}"
    )))
}

/// Some rows have keys that have no column.
fn lost_keys(rows: u64) -> Diagnostic {
    let rows = counted(rows, "row");
    let message = format!("{rows} with keys that the first one lacks: these are left out");
    Diagnostic::trouble(message).remedy("name the columns with `--select`, or write `--as jsonl`")
}

/// True if columns of the data are kept, so that the first record says which there are, and files are
/// read in turn.
fn keeps_columns(args: &ExtractArgs) -> bool {
    args.beside || args.chosen.is_some()
}

/// Files whose form is known are read as tables where rows are counted, or their columns are kept or chosen from.
fn request(args: &ExtractArgs, parts: Vec<Part>) -> Result<Request, Diagnostic> {
    let keeps = keeps_columns(args);
    match keeps || args.counts {
        true => Request::of_rows(parts, &args.files, keeps),
        false => Request::new(parts, &args.files),
    }
}

/// Finds out how many matches a record has at most, and how many cells.
struct Widest {
    taker: Taker,
    in_cells: bool,
    most: usize,
    cells: usize,
}

impl Widest {
    fn record(&mut self) {
        self.most = self.most.max(self.taker.found.len());
        self.taker.found.clear();
    }
}

impl Seer for Widest {
    fn unit(&mut self, _: &Source, seen: &SearchedUnit<'_>, _: &mut Page) {
        self.taker.unit(seen);
        if !self.in_cells {
            self.record();
        }
    }

    fn row(&mut self, row: &Row<'_>, _: &mut Page) {
        self.cells = self.cells.max(row.width());
        self.record();
    }
}

/// The way to the row of names.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Header {
    Without,
    /// With the rows: all files are seen in turn.
    WithRows,
    /// Before the first rows of any file, which are printed in order.
    Before,
}

/// Writes what is found into a sheet.
#[derive(Clone)]
struct Extractor {
    plan: Arc<SheetPlan>,
    sheet: RowWriter,
    header: Header,
    taker: Taker,
    in_cells: bool,
    picks: Vec<Pick>,
    names: Vec<String>,
    /// The same names, to look one up.
    known: HashSet<String>,
    path: String,
    rows: u64,
    matches: u64,
    /// Matches in the current record.
    of_record: u64,
    /// Rows with keys that have no column.
    lost_keys: u64,
    failed: Option<Diagnostic>,
}

/// A line, or a row of a table.
struct Record<'r> {
    number: u64,
    text: &'r [u8],
    row: Option<&'r Row<'r>>,
    in_scope: bool,
}

impl Seer for Extractor {
    fn numbers_rows(&self) -> bool {
        self.in_cells && self.sheet.is_table()
    }

    fn begin_file(&mut self, source: &Source) {
        self.path = source.path().to_string_lossy().into_owned();
    }

    fn unit(&mut self, _: &Source, seen: &SearchedUnit<'_>, page: &mut Page) {
        self.matches += seen.taken;
        self.of_record += seen.taken;
        if !self.plan.judges() {
            self.taker.unit(seen);
        }
        if !self.in_cells {
            let record = Record {
                number: seen.unit.line,
                text: seen.unit.bytes(),
                row: None,
                in_scope: seen.unit.in_scope,
            };
            self.record(&record, page);
        }
    }

    fn row(&mut self, row: &Row<'_>, page: &mut Page) {
        let Some(number) = row.number else {
            return self.begin(Some(row), page);
        };
        let record = Record {
            number,
            text: b"",
            row: Some(row),
            in_scope: row.in_scope,
        };
        self.record(&record, page);
    }
}

impl Split for Extractor {
    fn precede(&mut self, next: &Self, output: &mut Output) {
        if self.begin_as(next) && self.header == Header::Before {
            output.data(&self.sheet.header());
        }
    }

    fn absorb(&mut self, file: Self) {
        self.begin_as(&file);
        self.sheet.append(file.sheet);
        self.rows += file.rows;
        self.matches += file.matches;
        self.failed = self.failed.take().or(file.failed);
    }
}

impl Extractor {
    fn new(
        plan: SheetPlan,
        (sheet, header): (RowWriter, Header),
        taker: Taker,
        in_cells: bool,
    ) -> Self {
        Self {
            plan: Arc::new(plan),
            sheet,
            header,
            taker,
            in_cells,
            picks: Vec::new(),
            names: Vec::new(),
            known: HashSet::new(),
            path: String::new(),
            rows: 0,
            matches: 0,
            of_record: 0,
            lost_keys: 0,
            failed: None,
        }
    }

    /// Takes the columns of the one that follows; true if there were none yet.
    fn begin_as(&mut self, next: &Self) -> bool {
        let begins = !self.sheet.has_begun() && next.sheet.has_begun();
        if begins {
            self.names = next.names.clone();
            self.known = next.known.clone();
            // What is not shared out is written by this one.
            self.picks = next.picks.clone();
            self.sheet.begin(&self.names);
        }
        begins
    }

    /// Prints the table, and what it was made of.
    fn print_table(&self, files: u64, output: &mut Output) {
        output.draw(&self.sheet.end(output.width()));
        if self.sheet.hidden > 0 {
            let more = counted(self.sheet.hidden, "more row");
            let text = format!("\n{more} not shown; add `--show all`, or `--as csv`.\n");
            output.say(&text);
        }
        let (rows, files) = (counted(self.rows, "row"), counted(files, "file"));
        output.say(&format!("\n{rows} of {files}.\n"));
    }

    /// Names the columns, from the first record of a file.
    fn begin(&mut self, row: Option<&Row<'_>>, page: &mut Page) {
        match self.plan.columns(row) {
            Err(diagnostic) => self.failed = self.failed.take().or(Some(diagnostic)),
            Ok(columns) => {
                let (names, picks): (Vec<_>, Vec<_>) = columns.into_iter().unzip();
                self.picks = picks;
                if !self.sheet.has_begun() {
                    self.sheet.begin(&names);
                    if self.header == Header::WithRows {
                        page.data(&self.sheet.header());
                    }
                } else if names != self.names && !self.plan.own_keys {
                    let message =
                        format!("{} has other columns than the files before it", self.path);
                    let diagnostic = Diagnostic::wrong(message).remedy(
                        "name those that all have with `--select`, or leave `--beside` out",
                    );
                    self.failed = self.failed.take().or(Some(diagnostic));
                }
                self.known = names.iter().cloned().collect();
                self.names = names;
            }
        }
    }

    fn record(&mut self, record: &Record<'_>, page: &mut Page) {
        let matches = std::mem::take(&mut self.of_record);
        let keeps_all = self.plan.beside || self.plan.judges();
        if !record.in_scope || self.failed.is_some() || (self.taker.found.is_empty() && !keeps_all)
        {
            return self.taker.found.clear();
        }
        let json = record
            .row
            .is_some_and(|row| row.table().layout().has_pointers());
        if !self.sheet.has_begun() || (json && self.plan.own_keys) {
            self.begin(record.row, page);
            if self.plan.own_keys {
                self.sheet.begin(&self.names);
            }
        } else if json && self.plan.beside && self.plan.chosen.is_none() {
            let keys = record.row.map(Row::fields).unwrap_or_default();
            let all_known = keys.iter().all(|(key, _)| self.known.contains(&**key));
            self.lost_keys += u64::from(!all_known);
        }
        if self.failed.is_none() {
            self.write(record, matches, page);
        }
        self.taker.found.clear();
    }

    /// Writes the rows of a record, which has this many matches.
    fn write(&mut self, record: &Record<'_>, matches: u64, page: &mut Page) {
        let most = match self.plan.every {
            true => self.taker.found.len().max(1),
            false => 1,
        };
        for index in 0..most {
            let found = Found {
                record,
                path: &self.path,
                found: &self.taker.found,
                matches,
                index,
            };
            let values = self.picks.iter().map(|pick| found.value(pick));
            self.sheet.row(values, page);
            self.rows += 1;
        }
    }
}

/// The findings in a record that belong to one row of the sheet.
struct Found<'f> {
    record: &'f Record<'f>,
    path: &'f str,
    /// The values of each match.
    found: &'f [Vec<Option<Vec<u8>>>],
    /// The number of matches.
    matches: u64,
    /// The match that the row begins with, from 0.
    index: usize,
}

impl<'f> Found<'f> {
    fn value(&self, pick: &Pick) -> Value<'f> {
        let record = self.record;
        match pick {
            Pick::File => Value::Text(Cow::Borrowed(self.path.as_bytes())),
            Pick::Record => match record.row {
                Some(_) => Value::RowNumber(record.number),
                None => Value::Number(record.number),
            },
            Pick::Match if self.found.is_empty() => Value::None,
            Pick::Match => Value::Number(self.index as u64 + 1),
            Pick::YesNo => Value::Truth(self.matches > 0),
            Pick::Count => Value::Number(self.matches),
            Pick::Text => Value::Text(Cow::Borrowed(record.text)),
            Pick::Field(column) => match record.row.and_then(|row| row.field(column)) {
                Some(Field::Text(text)) => Value::Text(text),
                Some(Field::Json(raw)) => Value::Json(raw),
                None => Value::None,
            },
            Pick::Found(repeat, place) => {
                let values = self.found.get(self.index + repeat);
                let text = values.and_then(|values| values[*place].as_deref());
                text.map_or(Value::None, |text| Value::Text(Cow::Borrowed(text)))
            }
        }
    }
}
