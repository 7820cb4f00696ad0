//! The examples of a command line: pairs, files with pairs, and copies that were edited by hand.

use crate::args::definitions::InferArgs;
use crate::diagnostic::Diagnostic;
use crate::options;
use brisk_quill_core::escape::{visible, visible_path};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_infer::data::examples::{EditedError, ExampleFileError, Examples, of_file};
use brisk_quill_infer::data::units::{Distinct, Units};
use brisk_quill_infer::refusal::Refusal;
use brisk_quill_infer::task::{EXAMPLES_MOST, Pair};
use std::path::Path;

/// The most examples named that are nowhere in the data.
const NAMED_MOST: usize = 3;

/// The examples that the options name; `edited` are the units of the edited copy.
pub fn named(
    args: &InferArgs,
    data: (&Units, &[Distinct<'_>]),
    edited: Option<&Units>,
    cells: bool,
) -> Result<Examples, Diagnostic> {
    let mut examples = match (&args.edited, edited) {
        (Some(file), Some(edited)) => Examples::of_edited(data.0, edited)
            .map_err(|error| edited_diagnostic(&visible_path(file), &error))?,
        _ => Examples::default(),
    };
    let mut pairs = Vec::new();
    if let Some(file) = &args.examples {
        pairs.extend(of_file(file).map_err(|error| file_diagnostic(file, &error))?);
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
    examples.add(pairs, data, cells);
    Ok(examples)
}

/// Notes about the texts that are nowhere in the data, the first few by name.
pub fn missing(texts: &[String]) -> Vec<String> {
    let named = texts.iter().take(NAMED_MOST);
    let mut notes: Vec<String> = named
        .map(|text| {
            let text = visible(text.as_bytes());
            format!("`{text}` is nowhere in the data; it counts as an example all the same")
        })
        .collect();
    match texts.len().saturating_sub(NAMED_MOST) as u64 {
        0 => {}
        1 => notes.push("1 more example is nowhere in the data".to_owned()),
        more => notes.push(format!(
            "{} are nowhere in the data",
            counted(more, "more example")
        )),
    }
    notes
}

fn file_diagnostic(path: &Path, error: &ExampleFileError) -> Diagnostic {
    let shown = visible_path(path);
    match error {
        ExampleFileError::Read(error) => options::read_diagnostic("examples", error),
        ExampleFileError::Rewrite(error) => Diagnostic::wrong(format!("{shown}: {error}")),
        ExampleFileError::NoExamples => Diagnostic::wrong(format!("{shown} holds no examples"))
            .remedy("write some below `[[step.example]]`: `before` and `after`, or `untouched`"),
        ExampleFileError::Table(error) => Diagnostic::wrong(format!("`--examples`: {error}")).remedy(
            "give a table with two columns, before and after, or a rewrite file ending in `.toml`",
        ),
    }
}

fn edited_diagnostic(shown: &str, error: &EditedError) -> Diagnostic {
    let in_place =
        "an edited copy has every line where it was; change lines, and add, remove or move none";
    match *error {
        EditedError::Length { by, more } => {
            let what = if more { "more" } else { "fewer" };
            let units = counted(by, "unit");
            Diagnostic::wrong(format!("{shown} has {units} {what} than its original"))
                .remedy(in_place)
        }
        EditedError::Same => Diagnostic::no(format!("{shown} is the same as its original"))
            .remedy("change two or three lines or cells in it as you want them all"),
        EditedError::AnotherFile { changed, all } => Diagnostic::wrong(format!(
            "{shown} seems to be another file: {changed} of {all} units differ"
        ))
        .remedy("name the file that it is a copy of"),
        EditedError::Moved => {
            Diagnostic::wrong(format!("in {shown} lines were moved, and none was changed"))
                .remedy(in_place)
        }
    }
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
        where_listed: step.where_listed.clone(),
        unless_listed: step.unless_listed.clone(),
        trimmed: step.trimmed,
        lines: step.lines.clone(),
        contains: step.contains.clone(),
        unless: step.unless.clone(),
        between: step.between.clone(),
        outside: step.outside.clone(),
        open_end: step.open_end,
        inner: step.inner,
        near: step.near.clone(),
        table: step.table.clone(),
        label: step.label.clone(),
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

/// The number of matches shown, as `--show` has it.
pub fn shown(args: &InferArgs) -> Result<usize, Diagnostic> {
    match &args.show {
        None => Ok(8),
        Some(show) => options::at_most("--show", Some(show)),
    }
}
