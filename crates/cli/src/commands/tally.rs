//! `tally`: how often each value occurs.

use crate::args::definitions::TallyArgs;
use crate::args::split::Part;
use crate::commands::notes::{print_hint_records, print_note_records, print_notes};
use crate::commands::search::{Request, Searched, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use crate::render::grid::{Align, Grid};
use crate::render::names::path_name;
use crate::render::sentence::tally_sentence;
use crate::status::Status;
use brisk_quill_core::columns::list::Column;
use brisk_quill_core::describe::shown;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number, share};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::records::field::{Base64, Coded, Optional, line as record_line};
use brisk_quill_core::records::find::{TallyTotalsRecord, ValueRecord};
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::span::Span;
use brisk_quill_core::tally::{Tally, TallyKey, TallyRow};
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records;
use brisk_quill_files::source::Source;
use std::borrow::Cow;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

pub fn run(args: &TallyArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    let by = By::of(args.by.as_deref())?;
    let request = match &by {
        By::Row | By::Cell(_) => Request::of_rows(parts, &args.files, matches!(by, By::Cell(_)))?,
        By::Nothing | By::File => Request::new(parts, &args.files)?,
    };
    let mut request = request.after(&args.texts, output)?;
    if let (By::Cell(column), Some(columns)) = (&by, &mut request.query.columns) {
        columns.also.push(column.clone());
    }
    let groups = request.query.pattern.groups().clone();
    let group = |option, text: &Option<String>| {
        let text = text.as_deref();
        text.map(|text| options::group(option, text, &groups))
            .transpose()
    };
    let value = group("--group", &args.group)?.unwrap_or(0);
    let sum = group("--sum", &args.sum)?;
    let top = options::at_most("--show", args.show.as_deref())?;
    let sentence = tally_sentence(&request.query, &request.sources.listing.sources, value);
    let mut counter = Counter {
        tally: Tally::default(),
        value,
        sum,
        by: by.clone(),
        path: None,
        json: args.json,
    };
    let options = RunOptions {
        groups: true,
        ..RunOptions::default()
    };
    let searched = request.run(options, &mut counter, output)?;
    let tally = counter.tally;
    let (total, others, no_numbers) = (tally.total(), tally.others(), tally.no_numbers);
    let rows = tally.into_rows();
    let too_long = rows.iter().filter(|row| row.too_long).count() as u64;
    if args.json {
        print_records(&rows, total, &searched, no_numbers, output);
    } else {
        output.prose(&format!("{sentence}\n\n"));
        print_table(&rows, total, top, (sum.is_some(), &by), output);
        let values = counted((rows.len()) as u64, "value");
        let files = counted(searched.files.read, "file");
        let text = format!("\n{values} in {} in {files}.\n", counted(total, "match"));
        output.say(&text);
        if groups.len() == 2 && args.group.is_none() && sum.is_none() {
            output.say("`--group 1` counts the text of the group alone.\n");
        }
        if others > 0 {
            let text = format!("{} of further values are not told apart.\n", number(others));
            output.say(&text);
        }
        print_notes(&searched.notes, &searched.hints, output);
    }
    let status = searched.status(total > 0);
    Ok(status.max(complain_of_sums(too_long, no_numbers, output)))
}

/// Tells of the values whose numbers could not be summed: those with too many digits, and the texts
/// that are not numbers.
fn complain_of_sums(too_long: u64, no_numbers: u64, output: &mut Output) -> Status {
    let mut status = Status::Fine;
    if too_long > 0 {
        let what = counted(too_long, "value");
        let diagnostic =
            Diagnostic::trouble(format!("`--sum`: {what} with numbers of too many digits"))
                .remedy("narrow the group; 28 digits can be calculated with");
        status = status.max(output.complain(&diagnostic));
    }
    if no_numbers > 0 {
        let what = counted(no_numbers, "text");
        let diagnostic =
            Diagnostic::trouble(format!("`--sum`: {what} in that group are not numbers"))
                .remedy("narrow the group, or see them with `shapes --match`");
        status = status.max(output.complain(&diagnostic));
    }
    status
}

fn print_table(
    rows: &[TallyRow],
    total: u64,
    top: usize,
    (sums, by): (bool, &By),
    output: &mut Output,
) {
    let mut heads = vec![
        ("count".to_owned(), Align::Right),
        ("share".to_owned(), Align::Right),
    ];
    if sums {
        heads.push(("sum".to_owned(), Align::Right));
    }
    match by {
        By::Nothing => {}
        By::File => heads.push(("file".to_owned(), Align::Left)),
        By::Row => {
            heads.push(("file".to_owned(), Align::Left));
            heads.push(("row".to_owned(), Align::Right));
        }
        By::Cell(column) => heads.push((shown(column), Align::Left)),
    }
    heads.push(("value".to_owned(), Align::Left));
    let mut grid = Grid::new(heads);
    for row in rows.iter().take(top) {
        let mut cells = vec![number(row.count), share(row.count, total)];
        if sums {
            cells.push(row.sum.clone().unwrap_or_else(|| "–".into()));
        }
        match &row.key {
            None => {}
            Some(TallyKey::File(path)) => cells.push(path_name(path)),
            Some(TallyKey::Row(path, row)) => cells.extend([path_name(path), number(*row)]),
            Some(TallyKey::Cell(value)) => cells.push(shown_value(value)),
        }
        cells.push(match row.value.as_deref() {
            None => "(took no part)".into(),
            Some(value) => shown_value(value),
        });
        grid.add(cells);
    }
    output.draw(&grid.text(output.width()));
    if let Some(more) = rows.len().checked_sub(top).filter(|more| *more > 0) {
        let counts: u64 = rows[top..].iter().map(|row| row.count).sum();
        let more = counted(more as u64, "more value");
        let text = format!(
            "\n{more} ({}); add `--show all`.\n",
            counted(counts, "match")
        );
        output.say(&text);
    }
}

fn print_records(
    rows: &[TallyRow],
    total: u64,
    searched: &Searched,
    no_numbers: u64,
    output: &mut Output,
) {
    for row in rows {
        let (path, number, cell) = match &row.key {
            None => (None, None, None),
            Some(TallyKey::File(path)) => (Some(path), None, None),
            Some(TallyKey::Row(path, row)) => (Some(path), Some(*row), None),
            Some(TallyKey::Cell(value)) => (None, None, Some(value)),
        };
        let path = path.map(|path| path.as_os_str().as_bytes());
        let (path, path_b64) = optional(path.map(Coded::of_path));
        let (by, by_b64) = optional(cell.map(|value| Coded::of(value)));
        let (value, value_b64) = optional(row.value.as_deref().map(Coded::of));
        output.data(&record_line(&ValueRecord {
            path,
            path_b64,
            row: number,
            by,
            by_b64,
            value,
            value_b64,
            count: row.count,
            sum: row.sum.as_deref().map(Cow::Borrowed),
        }));
    }
    print_note_records(&searched.notes, output);
    print_hint_records(&searched.hints, output);
    output.data(&record_line(&TallyTotalsRecord {
        files: searched.files.read,
        files_skipped: searched.files.skipped(),
        matches: total,
        values: rows.len() as u64,
        no_numbers,
        problems: searched.problems + searched.files.unreadable,
    }));
}

/// The text and its bytes, where there are some.
fn optional(coded: Option<Coded<'_>>) -> (Option<Cow<'_, str>>, Optional<Base64<'_>>) {
    match coded {
        Some(Coded { text, base64 }) => (Some(text), base64),
        None => (None, Optional(None)),
    }
}

#[derive(Clone)]
struct Counter {
    tally: Tally,
    value: usize,
    sum: Option<usize>,
    by: By,
    path: Option<Arc<Path>>,
    json: bool,
}

/// The things whose values are counted apart.
#[derive(Clone)]
enum By {
    Nothing,
    File,
    Row,
    Cell(Column),
}

impl By {
    fn of(text: Option<&str>) -> Result<Self, Diagnostic> {
        Ok(match text {
            None => Self::Nothing,
            Some("file") => Self::File,
            Some("row") => Self::Row,
            Some(text) => Self::Cell(
                text.parse()
                    .map_err(|error| Diagnostic::fault("--by", text, &error))?,
            ),
        })
    }

    /// The thing that a unit of the file at `path` is counted in, where that matters.
    fn key(&self, path: Option<&Arc<Path>>, unit: &UnitView<'_>) -> Option<TallyKey> {
        Some(match self {
            Self::Nothing => return None,
            Self::File => TallyKey::File(path.cloned()?),
            Self::Row => {
                let row = unit.cell.and_then(|cell| cell.row().number);
                TallyKey::Row(path.cloned()?, row.unwrap_or(unit.line))
            }
            Self::Cell(column) => {
                let value = unit.cell.and_then(|cell| cell.row().value(column));
                TallyKey::Cell(Arc::from(&*value.unwrap_or_default()))
            }
        })
    }
}

/// A value in a table that is read.
fn shown_value(value: &[u8]) -> String {
    match value {
        b"" => "(empty)".into(),
        value => visible(value),
    }
}

impl Seer for Counter {
    fn numbers_rows(&self) -> bool {
        matches!(self.by, By::Row)
    }

    fn begin_file(&mut self, source: &Source) {
        let by_path = matches!(self.by, By::File | By::Row);
        self.path = by_path.then(|| source.path().into());
    }

    fn unit(&mut self, _: &Source, seen: &SearchedUnit<'_>, _: &mut Page) {
        let bytes = seen.unit.bytes();
        let key = self.by.key(self.path.as_ref(), seen.unit);
        let text = |span: Option<Span>| span.map(|span| &bytes[span.range()]);
        for finding in seen.found.picked() {
            let value = text(finding.groups.get(self.value));
            let number = self.sum.and_then(|group| text(finding.groups.get(group)));
            self.tally.add(key.as_ref(), value, number);
        }
    }

    fn problem(&mut self, source: &Source, problem: &Problem, page: &mut Page) {
        if self.json {
            page.data(&plan_records::problem(source, problem));
        }
    }
}

impl Split for Counter {
    fn absorb(&mut self, file: Self) {
        self.tally.absorb(file.tally);
    }

    fn for_part(self) -> Self {
        let tally = self.tally.without_limit();
        Self { tally, ..self }
    }
}
