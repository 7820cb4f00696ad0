//! The examples of a command line: pairs, files with pairs, and copies that were edited by hand.

use crate::args::definitions::InferArgs;
use crate::commands::infer::units::{Distinct, Unit, Units};
use crate::diagnostic::Diagnostic;
use crate::options;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::example::Example;
use brisk_quill_core::infer::refusal::Refusal;
use brisk_quill_core::infer::task::{EXAMPLES_MOST, Pair};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::span::Span;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::template::tables::Tables;
use brisk_quill_engine::tables::FileTables;
use brisk_quill_files::error::system_words;
use brisk_quill_files::fs::open::read_all;
use std::collections::HashMap;
use std::path::Path;

/// Lines that an edited copy may differ in, at most.
const EDITS_MOST: usize = 2000;
/// The largest rewrite file with examples, in bytes.
const FILE_MOST: u64 = 64 << 20;
/// Examples that are nowhere in the data which are named, at most.
const NAMED_MOST: usize = 3;

/// Examples, with what is to be said of them.
#[derive(Debug, Default)]
pub struct Examples {
    pub pairs: Vec<Pair>,
    /// The last line that was edited by hand, from 1.
    pub edited_to: Option<u64>,
    pub notes: Vec<String>,
    /// Texts before that are nowhere in the data.
    missing: Vec<String>,
}

/// The examples that the options name; `edited` are the units of the edited copy.
pub fn named(
    args: &InferArgs,
    (units, distinct): (&Units, &[Distinct<'_>]),
    edited: Option<&Units>,
    cells: bool,
) -> Result<Examples, Diagnostic> {
    let mut examples = Examples::default();
    if let (Some(file), Some(edited)) = (&args.edited, edited) {
        let edits = edits(file, &units.all, &edited.all)?;
        examples.edited_to = edits.iter().filter_map(|pair| pair.line).max();
        examples.pairs.extend(edits);
    }
    let mut pairs = Vec::new();
    if let Some(file) = &args.examples {
        pairs.extend(of_file(file)?);
    }
    for pair in args.example.chunks(2) {
        pairs.push(Pair::new(pair[0].clone(), pair[1].clone()));
    }
    pairs.extend(
        args.untouched
            .iter()
            .map(|text| Pair::new(text.clone(), text.clone())),
    );
    if pairs.len() > EXAMPLES_MOST {
        return Err(Diagnostic::wrong(Refusal::TooMany(pairs.len()).to_string())
            .remedy("give some that differ in kind; two or three say most"));
    }
    let texts = distinct.iter().map(|one| (one.text, one));
    let texts: HashMap<&str, &Distinct<'_>> = texts.collect();
    for pair in pairs {
        match texts.get(&pair.before[..]) {
            // A text that stands there once tells its line.
            Some(whole) => examples.pairs.push(Pair {
                line: Some(whole.line).filter(|_| whole.count == 1),
                ..pair
            }),
            None => examples.place(pair, units, cells),
        }
    }
    examples.note_missing();
    Ok(examples)
}

impl Examples {
    /// Adds an example that is no unit as a whole, as the line that it stands in where it is a part of one.
    fn place(&mut self, pair: Pair, units: &Units, cells: bool) {
        match place_of(&pair.before, units) {
            Some((unit, at)) if !cells && !pair.is_untouched() => {
                let (head, rest) = unit.text.split_at(at);
                let (from, length) = (head.chars().count(), pair.before.chars().count());
                self.pairs.push(Pair {
                    before: unit.text.clone(),
                    after: format!("{head}{}{}", pair.after, &rest[pair.before.len()..]),
                    line: None,
                    part: Some(Span::new(from, from + length)),
                });
            }
            Some(_) => self.pairs.push(pair),
            None => {
                if !units.all.is_empty() {
                    self.missing.push(visible(pair.before.as_bytes()));
                }
                self.pairs.push(pair);
            }
        }
    }

    /// Says which texts are nowhere in the data, the first few by name.
    fn note_missing(&mut self) {
        let named = self.missing.iter().take(NAMED_MOST);
        self.notes.extend(named.map(|text| {
            format!("`{text}` is nowhere in the data; it counts as an example all the same")
        }));
        let more = self.missing.len().saturating_sub(NAMED_MOST);
        if more > 0 {
            let (more, verb) = (
                counted(more as u64, "more example"),
                if more == 1 { "is" } else { "are" },
            );
            self.notes
                .push(format!("{more} {verb} nowhere in the data"));
        }
    }
}

/// The first unit that holds a text, and where it begins there, in bytes: as words of its own if it stands so anywhere, else within
/// a word, but never within a number.
fn place_of<'u>(text: &str, units: &'u Units) -> Option<(&'u Unit, usize)> {
    let places = |unit: &'u Unit, cut: fn(char, char) -> bool| {
        let mut places = unit.text.match_indices(text).map(|(at, _)| at);
        places.find(|at| {
            let (head, tail) = (&unit.text[..*at], &unit.text[at + text.len()..]);
            let joined =
                |a: Option<char>, b: Option<char>| a.zip(b).is_some_and(|(a, b)| cut(a, b));
            let (first, last) = (text.chars().next(), text.chars().next_back());
            !joined(head.chars().next_back(), first) && !joined(last, tail.chars().next())
        })
    };
    let find = |cut| {
        let mut each = units.all.iter();
        each.find_map(|unit| places(unit, cut).map(|at| (unit, at)))
    };
    let found = || {
        find(|a, b| a.is_alphanumeric() && b.is_alphanumeric())
            .or_else(|| find(|a, b| a.is_ascii_digit() && b.is_ascii_digit()))
    };
    (!text.is_empty()).then(found).flatten()
}

/// The examples of a rewrite file, or of a table with two columns.
fn of_file(path: &Path) -> Result<Vec<Pair>, Diagnostic> {
    let shown = visible_path(path);
    let is_rewrite = path
        .extension()
        .is_some_and(|extension| extension == "toml");
    if is_rewrite {
        let text = read_all(path, FILE_MOST).map_err(|error| {
            Diagnostic::trouble(format!("cannot read {shown}: {}", system_words(&error)))
        })?;
        let text = String::from_utf8(text)
            .map_err(|_| Diagnostic::wrong(format!("{shown} is not UTF-8")))?;
        let file = RewriteText::parse(&text)
            .map_err(|error| Diagnostic::wrong(format!("{shown}: {error}")))?;
        let all = file
            .step
            .iter()
            .flat_map(|step| &step.example)
            .chain(&file.example);
        let pairs: Vec<Pair> = all
            .filter_map(Example::pair)
            .map(|(before, after)| Pair::new(before, after))
            .collect();
        return match pairs.is_empty() {
            true => Err(
                Diagnostic::wrong(format!("{shown} holds no examples")).remedy(
                    "write some below `[[step.example]]`: `before` and `after`, or `untouched`",
                ),
            ),
            false => Ok(pairs),
        };
    }
    let mut tables = FileTables::new(Path::new(""));
    let table = tables.table(&path.to_string_lossy()).map_err(|error| {
        Diagnostic::wrong(format!("--examples: {error}")).remedy(
            "give a table with two columns, before and after, or a rewrite file ending in `.toml`",
        )
    })?;
    let pairs = table.pairs();
    Ok(pairs
        .map(|(before, after)| Pair::new(before, after))
        .collect())
}

/// The units that a hand has changed in a copy.
fn edits(file: &Path, before: &[Unit], after: &[Unit]) -> Result<Vec<Pair>, Diagnostic> {
    let shown = visible_path(file);
    let in_place =
        "an edited copy has every line where it was; change lines, and add, remove or move none";
    if before.len() != after.len() {
        let difference = before.len().abs_diff(after.len()) as u64;
        let what = if after.len() > before.len() {
            "more"
        } else {
            "fewer"
        };
        let units = counted(difference, "unit");
        return Err(
            Diagnostic::wrong(format!("{shown} has {units} {what} than its original"))
                .remedy(in_place),
        );
    }
    let differ = before
        .iter()
        .zip(after)
        .filter(|(before, after)| before.text != after.text);
    let edits: Vec<Pair> = differ
        .map(|(before, after)| Pair {
            before: before.text.clone(),
            after: after.text.clone(),
            line: Some(before.line),
            part: None,
        })
        .collect();
    if edits.is_empty() {
        return Err(
            Diagnostic::no(format!("{shown} is the same as its original"))
                .remedy("change two or three lines or cells in it as you want them all"),
        );
    }
    if edits.len() > EDITS_MOST || 2 * edits.len() > before.len() && edits.len() > 8 {
        let (changed, all) = (edits.len(), before.len());
        return Err(Diagnostic::wrong(format!(
            "{shown} seems to be another file: {changed} of {all} units differ"
        ))
        .remedy("name the file that it is a copy of"));
    }
    let mut texts: HashMap<&str, i64> = HashMap::new();
    for pair in &edits {
        *texts.entry(&pair.before).or_default() += 1;
        *texts.entry(&pair.after).or_default() -= 1;
    }
    // What moves is gone in one place and there in another.
    if edits.len() > 1 && texts.values().all(|count| *count == 0) {
        return Err(Diagnostic::wrong(format!(
            "in {shown} lines were moved, and none was changed"
        ))
        .remedy(in_place));
    }
    Ok(edits)
}

/// An edited copy is a file: a pipe without a writer would be waited for.
pub fn check_copy(file: &Path) -> Result<(), Diagnostic> {
    match file.metadata() {
        Ok(found) if !found.is_file() => {
            let shown = visible_path(file);
            Err(
                Diagnostic::trouble(format!("the edited copy {shown} is not a regular file"))
                    .remedy("copy the original, change some lines by hand, and name the copy"),
            )
        }
        _ => Ok(()),
    }
}

/// The file that `--edited` is a copy of.
pub fn original(args: &InferArgs, sources: usize) -> Result<(), Diagnostic> {
    match (&args.edited, sources) {
        (Some(_), 1) | (None, _) => Ok(()),
        (Some(file), _) => {
            let shown = visible_path(file);
            Err(Diagnostic::wrong(format!(
                "{shown} is a copy of one file, and several are named"
            ))
            .remedy(
                "name its original alone; go on from the last preview with other files afterwards",
            ))
        }
    }
}

/// Makes sure that there are examples.
pub fn check_some(args: &InferArgs) -> Result<(), Diagnostic> {
    let any = !args.example.is_empty() || !args.untouched.is_empty();
    match any || args.examples.is_some() || args.edited.is_some() {
        true => Ok(()),
        false => Err(Diagnostic::wrong("there are no examples to infer from").remedy(
            "add `--example BEFORE AFTER`, `--examples FILE`, or `--edited FILE` with a copy that you have changed by hand",
        )),
    }
}

/// Makes sure that the options of a step only say where: the rest is to be found.
pub fn check_where_only(step: &StepSpec) -> Result<(), Diagnostic> {
    let place = StepSpec {
        unit: step.unit.clone(),
        columns: step.columns.clone(),
        where_in: step.where_in.clone(),
        unless_in: step.unless_in.clone(),
        lines: step.lines.clone(),
        contains: step.contains.clone(),
        unless: step.unless.clone(),
        between: step.between.clone(),
        outside: step.outside.clone(),
        open_end: step.open_end,
        inner: step.inner,
        near: step.near.clone(),
        ..Default::default()
    };
    let known = crate::args::words::of_step(&place);
    let given = crate::args::words::of_step(step);
    let with = step.with.is_some().then(|| "--with".to_owned());
    let other = given
        .into_iter()
        .filter(|word| word.starts_with('-') && !known.contains(word));
    match with.into_iter().chain(other).next() {
        None => Ok(()),
        Some(option) => Err(Diagnostic::wrong(format!(
            "pattern and action are what is inferred, and `{option}` says some of it"
        ))
        .remedy(format!(
            "leave `{option}` out; or write the rewrite yourself with `preview`"
        ))),
    }
}

/// The examples as those of a rewrite file.
pub fn worked(pairs: &[Pair]) -> Vec<Example> {
    let example = |pair: &Pair| match pair.is_untouched() {
        true => Example {
            untouched: Some(pair.before.clone()),
            ..Example::default()
        },
        false => Example::change(&pair.before, &pair.after),
    };
    pairs.iter().map(example).collect()
}

/// The number of matches shown, as `--show` has it.
pub fn shown(args: &InferArgs) -> Result<usize, Diagnostic> {
    match &args.show {
        None => Ok(8),
        Some(show) => options::at_most("--show", Some(show)),
    }
}

/// Examples of cells as tables with one column, where one column alone is named.
pub fn in_column(pairs: &[Pair], place: &StepSpec) -> Vec<Example> {
    let name = place.columns.as_deref().unwrap_or_default();
    let is_name = |c: char| c.is_alphabetic() || c == '_' || c == ' ';
    if name.is_empty() || !name.chars().all(is_name) {
        return Vec::new();
    }
    let cell = |text: &str| match text.contains([',', '"', '\n', '\r']) || text.trim() != text {
        true => format!("\"{}\"", text.replace('"', "\"\"")),
        false => text.to_owned(),
    };
    let table = |text: &str| format!("{name}\n{}\n", cell(text));
    let example = |pair: &Pair| match pair.is_untouched() {
        true => Example {
            untouched: Some(table(&pair.before)),
            ..Example::default()
        },
        false => Example::change(&table(&pair.before), &table(&pair.after)),
    };
    pairs.iter().map(example).collect()
}
