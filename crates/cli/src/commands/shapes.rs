//! `shapes`: what forms the values take.

use crate::args::definitions::ShapesArgs;
use crate::args::split::Part;
use crate::commands::notes::{print_hint_records, print_note_records, print_notes};
use crate::commands::search::{Request, Searched, Seer, Split};
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::{Output, Page};
use crate::render::grid::{Align, Grid};
use crate::render::names::file_name;
use crate::render::sentence::shapes_sentence;
use crate::status::Status;
use brisk_quill_core::escape::{push_visible_char, visible};
use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::numbers::{counted, number, share};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::records::field::{Coded, Ordinal, line as record_line};
use brisk_quill_core::records::shapes::{CharRecord, ShapeRecord, ShapesTotalsRecord};
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::shapes::{Shape, Shapes, unusual};
use brisk_quill_core::span::Span;
use brisk_quill_core::unit::line_ends;
use brisk_quill_engine::collector::SearchedUnit;
use brisk_quill_engine::plan_records::{self, RecordPath};
use brisk_quill_files::source::Source;
use std::borrow::Cow;

/// Shapes that are distinguished.
const SHAPES_MOST: usize = 100_000;
/// Bytes kept of an example.
const EXAMPLE_MOST: usize = 200;

pub fn run(args: &ShapesArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    let of_file = parts.iter().any(|part| part.step.pattern_file.is_some());
    let of_matches = of_file || args.matches.is_some();
    let picks = parts.iter().any(|part| part.step.pick.is_some());
    if picks && !of_matches {
        return Err(
            Diagnostic::wrong("`--pick` is about matches, and these are whole values")
                .remedy("add `--match PATTERN`"),
        );
    }
    let show = options::at_most("--show", args.show.as_deref())?;
    let mut request = match of_file {
        true => Request::new(parts, &args.files)?,
        false => {
            let pattern = args.matches.as_deref().unwrap_or_default();
            Request::with_pattern(parts, pattern, &args.files)?
        }
    };
    request = request.after(&args.texts, output)?;
    let things = if args.chars {
        "unusual characters"
    } else {
        "shapes"
    };
    let sources = &request.sources.listing.sources;
    let sentence = shapes_sentence(&request.query, sources, things);
    let several = sources.len() > 1;
    if !of_matches {
        // No pattern matches between all characters; one match finds a unit as well.
        let start = Pattern::new(r"\A", &MatchOptions::default());
        request.query.pattern = start.expect("a pattern");
    }
    let mut looker = Looker {
        shapes: Shapes::new(),
        seen: Inventory::new(SHAPES_MOST),
        values: 0,
        of_matches,
        chars: args.chars,
        coarse: args.coarse,
        source: Source::STDIN,
        json: args.json,
    };
    let searched = request.run(RunOptions::default(), &mut looker, output)?;
    let Looker { seen, values, .. } = looker;
    let found = values > 0;
    let listed = Listed {
        rows: seen,
        values,
        show,
        several,
        args,
    };
    match args.json {
        true => listed.print_records(&searched, output),
        false => {
            output.prose(&format!("{sentence}\n\n"));
            listed.print_table(output);
            print_notes(&searched.notes, &searched.hints, output);
        }
    }
    Ok(searched.status(found))
}

/// The item that is counted: a shape or a character, of one column or of whole units.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
struct Thing {
    column: Option<String>,
    form: Form,
}

#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum Form {
    Shape(Shape),
    Char(char),
    Byte(u8),
}

impl Form {
    fn shown(&self) -> String {
        match self {
            Self::Shape(shape) => match shape.to_string() {
                empty if empty.is_empty() => "(empty)".into(),
                text => visible(text.as_bytes()),
            },
            Self::Char(c) => {
                let mut out = String::new();
                push_visible_char(&mut out, *c);
                out
            }
            Self::Byte(byte) => format!("‹{byte:02X}›"),
        }
    }

    /// The code and the name of a character.
    fn named(&self) -> (String, String) {
        match self {
            Self::Shape(_) => Default::default(),
            Self::Char(c) => (format!("U+{:04X}", u32::from(*c)), char_name(*c).to_owned()),
            Self::Byte(byte) => (format!("{byte:02X}"), "a byte that is not UTF-8".into()),
        }
    }
}

/// The name of a character in the Unicode Standard; of one in a script that is not listed, what it is.
fn char_name(c: char) -> &'static str {
    const NAMES: &str = include_str!("shapes/char_names.txt");
    let code = format!("{:04X} ", u32::from(c));
    let name = NAMES.lines().find_map(|line| line.strip_prefix(&code));
    name.unwrap_or(match c {
        c if c.is_control() => "a control character",
        c if c.is_alphabetic() => "a letter of another script",
        c if c.is_numeric() => "a digit or number of another script",
        _ => "a sign",
    })
}

/// The first value with a thing.
#[derive(Clone)]
struct First {
    example: Vec<u8>,
    source: Source,
    line: u64,
}

#[derive(Clone)]
struct Looker {
    shapes: Shapes,
    seen: Inventory<Thing, First>,
    values: u64,
    of_matches: bool,
    chars: bool,
    /// Runs are folded.
    coarse: bool,
    source: Source,
    json: bool,
}

impl Looker {
    fn value(&mut self, unit: &UnitView<'_>, span: Span) {
        self.values += 1;
        let value = &unit.bytes()[span.range()];
        let column = unit.cell.map(|cell| cell.column());
        let line = |at: usize| unit.line + line_ends(&unit.bytes()[..at]);
        let source = &self.source;
        let first = |at: usize| First {
            example: value[..value.len().min(EXAMPLE_MOST)].to_vec(),
            source: source.clone(),
            line: line(at),
        };
        if !self.chars {
            let shape = self.shapes.of(value);
            let form = Form::Shape(if self.coarse { shape.coarse() } else { shape });
            return self.seen.add(Thing { column, form }, || first(span.from));
        }
        for (place, sign) in unusual(value) {
            let form = match sign {
                Ok(c) => Form::Char(c),
                Err(byte) => Form::Byte(byte),
            };
            let column = column.clone();
            let at = span.from + place.from;
            self.seen.add(Thing { column, form }, || first(at));
        }
    }
}

impl Seer for Looker {
    fn begin_file(&mut self, source: &Source) {
        self.source = source.clone();
    }

    fn unit(&mut self, _: &Source, seen: &SearchedUnit<'_>, _: &mut Page) {
        if self.of_matches {
            for finding in seen.found.picked() {
                self.value(seen.unit, finding.span);
            }
        } else if seen.unit.in_scope {
            self.value(seen.unit, Span::new(0, seen.unit.bytes().len()));
        }
    }

    fn problem(&mut self, source: &Source, problem: &Problem, page: &mut Page) {
        if self.json {
            page.data(&plan_records::problem(source, problem));
        }
    }
}

impl Split for Looker {
    fn absorb(&mut self, file: Self) {
        self.values += file.values;
        self.seen.absorb(file.seen, |_, _| {});
    }

    fn for_part(self) -> Self {
        let seen = self.seen.without_limit();
        Self { seen, ..self }
    }
}

/// The rows shown from either end, of `all`: the rarest are worth a look too.
fn ends(all: usize, show: usize) -> (usize, usize) {
    if all <= show {
        return (all, 0);
    }
    let tail = show / 4;
    (show - tail, tail)
}

/// A list of counts, to be printed.
struct Listed<'a> {
    rows: Inventory<Thing, First>,
    values: u64,
    show: usize,
    several: bool,
    args: &'a ShapesArgs,
}

impl Listed<'_> {
    fn print_table(self, output: &mut Output) {
        let args = self.args;
        let (others, kinds) = (self.rows.others, self.rows.len());
        let mut rows = self.rows.into_rows();
        // Each column has shapes of its own.
        rows.sort_by(|a, b| a.0.column.cmp(&b.0.column));
        let columns: Vec<&[(Thing, u64, First)]> =
            rows.chunk_by(|a, b| a.0.column == b.0.column).collect();
        let mut grid = Grid::new(heads(args, columns.len() > 1));
        let mut hidden = 0;
        for rows in &columns {
            let total = rows.iter().map(|(_, count, _)| count).sum();
            let (head, tail) = ends(rows.len(), self.show);
            hidden += rows.len() - head - tail;
            let shown = rows[..head].iter().chain(&rows[rows.len() - tail..]);
            for (thing, count, first) in shown {
                let mut cells = vec![number(*count), share(*count, total)];
                if columns.len() > 1 {
                    cells.push(visible(
                        thing.column.as_deref().unwrap_or_default().as_bytes(),
                    ));
                }
                cells.extend(cells_of(&thing.form, first, args.pattern));
                cells.push(match self.several {
                    true => format!("{}, line {}", file_name(&first.source), first.line),
                    false => format!("line {}", first.line),
                });
                grid.add(cells);
            }
        }
        output.draw(&grid.text(output.width()));
        if hidden > 0 {
            let text = format!(
                "\n{} between the most frequent and the rarest not shown; add `--show all`.\n",
                number(hidden as u64)
            );
            output.prose(&text);
        }
        let noun = if args.chars {
            "unusual character"
        } else {
            "shape"
        };
        let (kinds, values) = (counted(kinds as u64, noun), counted(self.values, "value"));
        output.say(&format!("\n{kinds} in {values}.\n"));
        if others > 0 {
            let text = format!("{} of further kinds are not told apart.\n", number(others));
            output.say(&text);
        }
    }

    fn print_records(self, searched: &Searched, output: &mut Output) {
        let kinds = self.rows.len();
        for (thing, count, first) in self.rows.into_rows() {
            let path = RecordPath::of(&first.source);
            let (path, path_b64) = path.fields();
            let Coded { text, base64 } = Coded::of(&first.example);
            let cell = thing.column.as_deref().map(Cow::Borrowed);
            let line = Ordinal(first.line);
            output.data(&match &thing.form {
                Form::Shape(shape) => record_line(&ShapeRecord {
                    cell,
                    shape: shape.to_string().into(),
                    pattern: shape.pattern().map(Cow::Owned),
                    count,
                    example: text,
                    example_b64: base64,
                    path,
                    path_b64,
                    line,
                }),
                form @ (Form::Char(_) | Form::Byte(_)) => {
                    let (code, name) = form.named();
                    record_line(&CharRecord {
                        cell,
                        code: code.into(),
                        name: name.into(),
                        count,
                        example: text,
                        example_b64: base64,
                        path,
                        path_b64,
                        line,
                    })
                }
            });
        }
        print_note_records(&searched.notes, output);
        print_hint_records(&searched.hints, output);
        output.data(&record_line(&ShapesTotalsRecord {
            files: searched.files.read,
            files_skipped: searched.files.skipped(),
            values: self.values,
            shapes: kinds as u64,
            problems: searched.problems + searched.files.unreadable,
        }));
    }
}

/// The heads of the table; `several` columns are named.
fn heads(args: &ShapesArgs, several: bool) -> Vec<(&'static str, Align)> {
    let mut heads = vec![("count", Align::Right), ("share", Align::Right)];
    let of_form: &[&str] = match (args.chars, args.pattern) {
        (true, _) => &["sign", "code", "name"],
        (_, true) => &["pattern", "first"],
        (_, false) => &["shape", "first"],
    };
    let left = [several.then_some("column")].into_iter().flatten();
    let left = left.chain(of_form.iter().copied()).chain(["where"]);
    heads.extend(left.map(|name| (name, Align::Left)));
    heads
}

/// The cells that say what a form is.
fn cells_of(form: &Form, first: &First, as_pattern: bool) -> Vec<String> {
    match form {
        Form::Shape(shape) if as_pattern => {
            let pattern = shape.pattern().unwrap_or_else(|| "(none)".into());
            vec![visible(pattern.as_bytes()), visible(&first.example)]
        }
        form @ Form::Shape(_) => vec![form.shown(), visible(&first.example)],
        form => {
            let (code, name) = form.named();
            vec![form.shown(), code, name]
        }
    }
}
