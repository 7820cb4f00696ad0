//! `extract`: the groups of a pattern as columns.
//!
//! A *record* is a line (or larger unit), or a row of a table with all the cells that are searched
//! at. What was found in a record becomes one row of the sheet, or one for each match. Which
//! columns the sheet has is known once the first record is: then it begins.

use crate::args::definitions::{ExtractArgs, SheetForm, TableArgs};
use crate::args::split::Part;
use crate::commands::notes::print_notes;
use crate::commands::search::{Request, Seer};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use crate::render::names::file_name;
use crate::render::row_writer::{RowWriter, Value};
use crate::render::sentence::extract_sentence;
use crate::status::Status;
use brisk_quill_core::columns::layout::Format;
use brisk_quill_core::columns::list::{Column, ColumnList};
use brisk_quill_core::columns::row::{Field, Row};
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::span::Span;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::request::SearchNeeds;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::source::Source;
use std::collections::{HashMap, HashSet};

pub fn run(
    args: &ExtractArgs,
    mut parts: Vec<Part>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    if let (Some(part), Some(pattern)) = (parts.first_mut(), &args.split) {
        // The pattern is not an argument, so all words are paths.
        part.words.insert(0, pattern.into());
    }
    let mut request = request(args, parts)?;
    let form = args.form.unwrap_or(match output.is_terminal() {
        true => SheetForm::Table,
        false => SheetForm::Csv,
    });
    let query = request.query.clone();
    let sources = &request.sources.listing.sources;
    let sentence = extract_sentence(&query, sources, args.split.is_some());
    let needs = SearchNeeds {
        groups: true,
        missing: true,
        ..SearchNeeds::default()
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
        request.run_before(needs, &mut widest)?;
    }
    let repeats = repeats.then_some(widest.most);
    let mut extractor = Extractor {
        plan: SheetPlan::new(
            args,
            taker.names(query.pattern.groups()),
            (repeats, widest.cells),
            form,
        )?,
        sheet: RowWriter::new(form, options::at_most("--show", args.show.as_deref())?),
        taker,
        in_cells,
        picks: Vec::new(),
        names: Vec::new(),
        known: HashSet::new(),
        path: String::new(),
        rows: 0,
        matches: 0,
        lost_keys: 0,
        failed: None,
    };
    if form == SheetForm::Table {
        output.print(format!("{sentence}\n\n").as_bytes());
    }
    let searched = request.run_in_turn(needs, &mut extractor, output)?;
    if let Some(diagnostic) = extractor.failed.take() {
        return Err(diagnostic);
    }
    if form == SheetForm::Table {
        let table = extractor.sheet.end(output.paint(), output.width());
        output.print(table.as_bytes());
        if extractor.sheet.hidden > 0 {
            let more = counted(extractor.sheet.hidden, "more row");
            let text = format!("\n{more} not shown; add `--show all`, or `--as csv`.\n");
            output.print(text.as_bytes());
        }
        let rows = counted(extractor.rows, "row");
        let files = counted(searched.files.read, "file");
        output.print(format!("\n{rows} of {files}.\n").as_bytes());
        print_notes(&searched.notes, &searched.hints, output);
    }
    let mut status = searched.status(extractor.matches > 0);
    if extractor.lost_keys > 0 {
        let rows = counted(extractor.lost_keys, "row");
        let message = format!("{rows} with keys that the first one lacks: these are left out");
        let diagnostic = Diagnostic::trouble(message)
            .remedy("name the columns with `--select`, or write `--as jsonl`");
        status = status.max(output.complain(&diagnostic));
    }
    Ok(status)
}

/// Files whose form is known are read as tables where their columns are kept or chosen from.
fn request(args: &ExtractArgs, mut parts: Vec<Part>) -> Result<Request, Diagnostic> {
    let files = &args.files;
    let keeps = args.beside || args.chosen.is_some();
    let told = files.table.format.is_some() || files.table.delimiter.is_some();
    let mut open = parts
        .first_mut()
        .filter(|part| keeps && part.step.unit.is_none());
    if told && let Some(part) = open.take() {
        part.step.unit = Some("cell".into());
    }
    if open.is_none() {
        return Request::new(parts, files);
    }
    // How columns are read does not matter for which files are meant.
    let asked = options::query(parts.clone(), &TableArgs::default())?;
    let sources = options::listed(asked.paths, files, FileUse::Read)?;
    let is_table = |source: &&Source| Format::of_path(source.path()).is_some();
    let all = &sources.listing.sources;
    if !all.iter().any(|source| is_table(&source)) {
        let asked = options::query(parts, &files.table)?;
        return Request::over(asked.query, sources, files);
    }
    if let (Some(table), Some(text)) =
        (all.iter().find(is_table), all.iter().find(|s| !is_table(s)))
    {
        let (table, text) = (file_name(table), file_name(text));
        return Err(Diagnostic::wrong(format!(
            "{table} has columns and {text} has none, and one sheet cannot keep both"
        ))
        .remedy("name files of one kind, or add `--unit line` to read all of them as lines"));
    }
    if let Some(part) = parts.first_mut() {
        part.step.unit = Some("cell".into());
    }
    let asked = options::query(parts, &files.table)?;
    Request::over(asked.query, sources, files)
}

/// Takes out of units what goes into the sheet.
#[derive(Clone)]
struct Taker {
    /// The groups that are taken of each match; none takes what stands between the matches.
    groups: Vec<usize>,
    /// The values of each match in the current record.
    found: Vec<Vec<Value>>,
}

impl Taker {
    fn new(args: &ExtractArgs, groups: &Groups) -> Self {
        let whole = args.whole_match || groups.len() == 1;
        let first = if whole { 0 } else { 1 };
        Self {
            groups: match args.split {
                Some(_) => Vec::new(),
                None => (first..groups.len()).collect(),
            },
            found: Vec::new(),
        }
    }

    /// The names of the values taken of a match.
    fn names(&self, groups: &Groups) -> Vec<String> {
        let name = |group: &usize| match (*group, groups.name(*group)) {
            (0, _) => "whole_match".to_owned(),
            (_, Some(name)) => name.to_owned(),
            (n, None) => format!("group_{n}"),
        };
        match self.groups.is_empty() {
            true => vec!["part".to_owned()],
            false => self.groups.iter().map(name).collect(),
        }
    }

    fn unit(&mut self, seen: &SearchedUnit<'_>) {
        let bytes = seen.unit.bytes();
        let value = |span: Option<Span>| match span {
            Some(span) => Value::Text(bytes[span.range()].to_vec()),
            None => Value::None,
        };
        if !self.groups.is_empty() {
            for finding in seen.found.picked() {
                let values = self
                    .groups
                    .iter()
                    .map(|group| value(finding.groups.get(*group)));
                self.found.push(values.collect());
            }
        } else if seen.unit.in_scope {
            let mut at = 0;
            for finding in seen.found.picked() {
                let part = Span::new(at, finding.span.from);
                self.found.push(vec![value(Some(part))]);
                at = finding.span.to;
            }
            self.found
                .push(vec![value(Some(Span::new(at, bytes.len())))]);
        }
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

/// Which columns a sheet is to have.
struct SheetPlan {
    beside: bool,
    every: bool,
    yes_no: bool,
    /// The number of times the groups are repeated side by side.
    repeats: Option<usize>,
    /// Cells that the widest row has, where rows may be longer than the header.
    cells: usize,
    chosen: Option<ColumnList>,
    /// Each object keeps its own keys.
    own_keys: bool,
    /// No two columns may have one name.
    unique: bool,
    /// The names of the values taken of a match.
    names: Vec<String>,
}

/// The source of a value of the sheet.
#[derive(Clone, Debug, PartialEq)]
enum Pick {
    File,
    Record,
    /// The number of the match in its record.
    Match,
    /// True if there is a match.
    YesNo,
    /// All of the line.
    Text,
    Field(Column),
    /// Of which match, and which of its values.
    Found(usize, usize),
}

impl SheetPlan {
    fn new(
        args: &ExtractArgs,
        names: Vec<String>,
        (repeats, cells): (Option<usize>, usize),
        form: SheetForm,
    ) -> Result<Self, Diagnostic> {
        let parse = |text: &str| {
            text.parse()
                .map_err(|error| Diagnostic::fault("--select", text, &error))
        };
        Ok(Self {
            beside: args.beside,
            every: args.every,
            yes_no: args.yes_no,
            repeats,
            cells,
            chosen: args.chosen.as_deref().map(parse).transpose()?,
            own_keys: args.beside && args.chosen.is_none() && form == SheetForm::Jsonl,
            unique: form == SheetForm::Jsonl,
            names,
        })
    }

    /// The columns there are, each with its name: those of the record first.
    fn available(&self, row: Option<&Row<'_>>) -> Vec<(String, Pick)> {
        let mut all: Vec<(String, Pick)> = match row {
            None => vec![("text".into(), Pick::Text)],
            Some(row) if row.table().layout().has_pointers() => {
                let fields = row.fields().into_iter();
                let member = |(key, _): (std::sync::Arc<str>, Field<'_>)| {
                    let column = Column::of_key(&key);
                    (key.to_string(), Pick::Field(column))
                };
                fields.map(member).collect()
            }
            Some(row) => {
                let names = row.table().names().iter();
                let names = names.map(|name| name.to_string());
                let beyond = (row.table().names().len()..self.cells).map(|n| (n + 1).to_string());
                let column = |(number, name)| (name, Pick::Field(Column::Number(number)));
                (1..).zip(names.chain(beyond)).map(column).collect()
            }
        };
        all.extend([("file".into(), Pick::File), ("record".into(), Pick::Record)]);
        if self.every {
            all.push(("match".into(), Pick::Match));
        }
        if self.yes_no {
            all.push(("matches".into(), Pick::YesNo));
        } else {
            for repeat in 0..self.repeats.unwrap_or(1) {
                let names = self.names.iter().enumerate();
                all.extend(names.map(|(index, name)| {
                    let name = match self.repeats {
                        Some(_) => format!("{name}_{}", repeat + 1),
                        None => name.clone(),
                    };
                    (name, Pick::Found(repeat, index))
                }));
            }
        }
        all
    }

    /// The columns of the sheet.
    fn columns(&self, row: Option<&Row<'_>>) -> Result<Vec<(String, Pick)>, Diagnostic> {
        let all = self.available(row);
        let is_own = |pick: &Pick| matches!(pick, Pick::Field(_) | Pick::Text);
        let is_lead = |pick: &Pick| matches!(pick, Pick::File | Pick::Record | Pick::Match);
        let Some(chosen) = &self.chosen else {
            let wanted = |(_, pick): &(String, Pick)| match self.beside {
                true => !is_lead(pick),
                false => !is_own(pick),
            };
            let all = all.into_iter().filter(wanted).collect();
            return Ok(self.named_apart(all));
        };
        let all = self.named_apart(all);
        let own = all.iter().filter(|(_, pick)| is_own(pick)).count();
        let choose = |column: Column| {
            let found = match &column {
                Column::Number(number) => usize::try_from(number - 1)
                    .ok()
                    .filter(|n| *n < own)
                    .map(|n| all[n].clone()),
                Column::Pointer(pointer)
                    if row.is_some_and(|row| row.table().layout().has_pointers()) =>
                {
                    Some((pointer.clone(), Pick::Field(column.clone())))
                }
                Column::Name(name) | Column::Pointer(name) => {
                    all.iter().find(|(other, _)| other == name).cloned()
                }
            };
            found.ok_or_else(|| {
                let names: Vec<String> = all
                    .iter()
                    .map(|(name, _)| format!("`{}`", visible(name.as_bytes())))
                    .collect();
                Diagnostic::wrong(format!("--select: there is no column `{column}`"))
                    .remedy(format!("there are {}", names.join(", ")))
            })
        };
        let chosen = chosen.one_by_one(own as u64).into_iter().map(choose);
        let chosen = chosen.collect::<Result<_, _>>()?;
        Ok(self.named_apart(chosen))
    }

    /// The columns with names that lead to one each: what is added gives way to what is there, and
    /// in objects the later to the earlier.
    fn named_apart(&self, mut all: Vec<(String, Pick)>) -> Vec<(String, Pick)> {
        let stays = |pick: &Pick| !self.unique && matches!(pick, Pick::Field(_) | Pick::Text);
        let own = all.iter().filter(|(_, pick)| stays(pick));
        let mut taken: HashSet<String> = own.map(|(name, _)| name.clone()).collect();
        let mut tried: HashMap<String, u64> = HashMap::new();
        for (name, _) in all.iter_mut().filter(|(_, pick)| !stays(pick)) {
            if taken.contains(name) {
                let next = tried.entry(name.clone()).or_insert(1);
                let mut free = std::iter::repeat_with(|| {
                    *next += 1;
                    format!("{name}_{next}")
                });
                *name = free.find(|name| !taken.contains(name)).unwrap_or_default();
            }
            taken.insert(name.clone());
        }
        all
    }
}

/// Writes what is found into a sheet.
struct Extractor {
    plan: SheetPlan,
    sheet: RowWriter,
    taker: Taker,
    in_cells: bool,
    picks: Vec<Pick>,
    names: Vec<String>,
    /// The same names, to look one up.
    known: HashSet<String>,
    path: String,
    rows: u64,
    matches: u64,
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
    fn begin_file(&mut self, source: &Source) {
        self.path = source.path().to_string_lossy().into_owned();
    }

    fn unit(&mut self, _: &Source, seen: &SearchedUnit<'_>, page: &mut Page) {
        self.matches += seen.taken;
        self.taker.unit(seen);
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

impl Extractor {
    /// Names the columns, from the first record of a file.
    fn begin(&mut self, row: Option<&Row<'_>>, page: &mut Page) {
        match self.plan.columns(row) {
            Err(diagnostic) => self.failed = self.failed.take().or(Some(diagnostic)),
            Ok(columns) => {
                let (names, picks): (Vec<_>, Vec<_>) = columns.into_iter().unzip();
                self.picks = picks;
                if !self.sheet.has_begun() {
                    page.print(&self.sheet.begin(&names));
                } else if names != self.names && !self.plan.own_keys {
                    let message =
                        format!("{} has other columns than the files before it", self.path);
                    let diagnostic = Diagnostic::wrong(message)
                        .remedy("name those that all have with `--select`, or leave --beside out");
                    self.failed = self.failed.take().or(Some(diagnostic));
                }
                self.known = names.iter().cloned().collect();
                self.names = names;
            }
        }
    }

    fn record(&mut self, record: &Record<'_>, page: &mut Page) {
        let found = std::mem::take(&mut self.taker.found);
        let keeps_all = self.plan.beside || self.plan.yes_no;
        if !record.in_scope || self.failed.is_some() || (found.is_empty() && !keeps_all) {
            return;
        }
        let json = record
            .row
            .is_some_and(|row| row.table().layout().has_pointers());
        if !self.sheet.has_begun() || (json && self.plan.own_keys) {
            self.begin(record.row, page);
            if self.plan.own_keys {
                self.sheet.rename(&self.names);
            }
        } else if json && self.plan.beside && self.plan.chosen.is_none() {
            let keys = record.row.map(Row::fields).unwrap_or_default();
            let all_known = keys.iter().all(|(key, _)| self.known.contains(&**key));
            self.lost_keys += u64::from(!all_known);
        }
        if self.failed.is_some() {
            return;
        }
        let most = if self.plan.every {
            found.len().max(1)
        } else {
            1
        };
        for index in 0..most {
            let values: Vec<Value> = (self.picks.iter())
                .map(|pick| self.value(pick, record, &found, index))
                .collect();
            page.print(&self.sheet.row(&values));
            self.rows += 1;
        }
    }

    fn value(&self, pick: &Pick, record: &Record<'_>, found: &[Vec<Value>], index: usize) -> Value {
        let number = |n: u64| Value::Json(n.to_string());
        match pick {
            Pick::File => Value::Text(self.path.clone().into_bytes()),
            Pick::Record => number(record.number),
            Pick::Match if found.is_empty() => Value::None,
            Pick::Match => number(index as u64 + 1),
            Pick::YesNo => Value::Json((!found.is_empty()).to_string()),
            Pick::Text => Value::Text(record.text.to_vec()),
            Pick::Field(column) => match record.row.and_then(|row| row.field(column)) {
                Some(Field::Text(text)) => Value::Text(text.into_owned()),
                Some(Field::Json(raw)) => Value::Json(raw.to_owned()),
                None => Value::None,
            },
            Pick::Found(repeat, place) => {
                let values = found.get(index + repeat);
                values.map_or(Value::None, |values| values[*place].clone())
            }
        }
    }
}
