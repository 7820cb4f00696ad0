//! Worked examples for a rewrite, from what it changes.

use crate::draft::request::DraftStep;
use crate::kept_hunk::KeptHunk;
use crate::tables::move_tables;
use brisk_quill_core::columns::layout::{Columns, Format, Layout};
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::shapes::{Shape, Shapes};
use brisk_quill_core::step::Step;
use brisk_quill_files::source::Source;
use brisk_quill_files::store::text_file::TextFile;
use std::collections::HashSet;
use std::io::BufRead;
use std::path::{Component, Path, PathBuf};

/// The most worked examples that a file is given.
const MOST: usize = 8;

/// Changes of a file among which examples are looked for.
pub const LOOKED_AT: usize = 400;

/// The longest text that makes an example, in bytes.
const LONGEST: usize = 400;

/// Worked examples: one for each shape that what is changed has.
///
/// ```
/// use brisk_quill_core::rewrite_file::RewriteText;
/// use brisk_quill_core::template::tables::NoTables;
/// use brisk_quill_engine::worked_examples::{Examples, rewrite_file};
/// let text = RewriteText::parse("[[step]]\nmatch = 'quay'\nwith = 'pier'\n").expect("a rewrite");
/// let rewrite = text.build(&mut NoTables).expect("steps");
/// let file = rewrite_file("piers.toml".as_ref(), (&text, &rewrite), Examples::default());
/// assert!(file.contains("quay"));
/// ```
pub struct Examples {
    shapes: Shapes,
    seen: HashSet<Vec<Shape>>,
    all: Vec<Example>,
}

impl Default for Examples {
    fn default() -> Self {
        Self {
            shapes: Shapes::new(),
            seen: HashSet::new(),
            all: Vec::new(),
        }
    }
}

impl Examples {
    /// Adds those changed lines of a file that come out the same on their own, behind the header
    /// where there is one.
    pub fn file(&mut self, rewrite: &Rewrite, source: &Source, hunks: &[KeptHunk]) {
        let format = Format::of_path(source.path());
        let alone = rewrite.for_examples(format);
        let Some(header) = header(columns(rewrite.steps()), source) else {
            return;
        };
        for hunk in hunks {
            if self.all.len() == MOST {
                return;
            }
            let changed = hunk.edits.iter().map(|edit| &hunk.was[edit.span.range()]);
            let shapes: Vec<Shape> = changed.map(|text| self.shapes.of(text)).collect();
            if self.seen.contains(&shapes) {
                continue;
            }
            if let Some(mut example) = example(&alone, &header, hunk) {
                let usual = rewrite.for_examples(None);
                if let Some((was, now)) = example.pair()
                    && !comes_out(&usual, was, now)
                {
                    example.format = format.map(|format| format.name().to_owned());
                }
                self.seen.insert(shapes);
                self.all.push(example);
            }
        }
    }
}

fn example(rewrite: &Rewrite, header: &str, hunk: &KeptHunk) -> Option<Example> {
    let was = String::from_utf8(hunk.was.clone()).ok()?;
    let now = String::from_utf8(hunk.now().0).ok()?;
    let ending = if was.ends_with("\r\n") { "\r\n" } else { "\n" };
    let (was, now) = match (was.strip_suffix(ending), now.strip_suffix(ending)) {
        (Some(was), Some(now)) => (was, now),
        _ => (&*was, &*now),
    };
    let (was, now) = (format!("{header}{was}"), format!("{header}{now}"));
    let holds = was.len() <= LONGEST && comes_out(rewrite, &was, &now);
    holds.then(|| Example::change(&was, &now))
}

/// The header of a table with its line end, nothing for any other text; `None` where it cannot
/// be had.
fn header<'c>(mut all: impl Iterator<Item = &'c Columns>, source: &Source) -> Option<String> {
    let path = source.path();
    let has_header = |columns: &Columns| {
        let json = columns
            .options
            .layout(path)
            .is_some_and(Layout::has_pointers);
        columns.options.header && !json
    };
    if !all.any(has_header) {
        return Some(String::new());
    }
    let Source::File(path) = source else {
        return None;
    };
    let mut line = String::new();
    let mut head = vec![0; LONGEST];
    let text = TextFile::open(&path.place()).ok()?;
    let length = text.bytes().min(LONGEST as u64) as usize;
    text.read_exact_at(&mut head[..length], 0).ok()?;
    (&head[..length]).read_line(&mut line).ok()?;
    let line = line.trim_start_matches('\u{FEFF}');
    line.ends_with('\n')
        .then(|| format!("{}\n", line.trim_end_matches(['\r', '\n'])))
}

/// The columns that steps look at.
fn columns(steps: &[Step]) -> impl Iterator<Item = &Columns> {
    steps.iter().filter_map(|step| step.query.columns.as_ref())
}

/// The text that is wanted in the place of another.
///
/// ```
/// use brisk_quill_engine::worked_examples::WantedText;
/// assert_ne!(WantedText::AsItBecomes, WantedText::Untouched);
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum WantedText {
    /// The one that it becomes now.
    AsItBecomes,
    /// The text stays as it is.
    Untouched,
    /// This.
    Text(String),
}

/// The reason for which a text is not made an example.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ExampleFault {
    /// The text is not valid UTF-8.
    #[error("it is not valid UTF-8")]
    NotUtf8,
    /// The table has no header that could stand above it.
    #[error("the header of its table cannot be read")]
    NoHeader,
    /// The text does not change on its own.
    #[error("nothing changes in it, or only because of the lines around it")]
    Unchanged,
}

/// The example that some lines of a file make: for a rewrite of one step, or for a search, of which
/// nothing becomes yet.
///
/// # Errors
///
/// When they cannot be an example.
pub fn example_of(
    draft: &DraftStep,
    source: &Source,
    was: &[u8],
    wanted: &WantedText,
) -> Result<Example, ExampleFault> {
    let columns = draft.query().columns.iter();
    let header = header(columns, source).ok_or(ExampleFault::NoHeader)?;
    let was = std::str::from_utf8(was).map_err(|_| ExampleFault::NotUtf8)?;
    let was = was.strip_suffix('\n').unwrap_or(was);
    let was = was.strip_suffix('\r').unwrap_or(was);
    // A row may be the header itself.
    let header = match header.trim_end() == was {
        true => String::new(),
        false => header,
    };
    let before = format!("{header}{was}");
    // Where the form of the columns is not said, the name of the file says it.
    let format = Format::of_path(source.path()).filter(|_| draft.query().columns.is_some());
    let example = match wanted {
        WantedText::Untouched => Example {
            untouched: Some(before),
            ..Example::default()
        },
        WantedText::Text(text) => Example::change(&before, &format!("{header}{text}")),
        WantedText::AsItBecomes => {
            let alone = draft.rewrite().for_examples(format);
            let outcome = rewrite_text(&alone, before.as_bytes());
            let after = String::from_utf8(outcome.text).map_err(|_| ExampleFault::NotUtf8)?;
            if after == before || !outcome.problems.is_empty() {
                return Err(ExampleFault::Unchanged);
            }
            Example::change(&before, &after)
        }
    };
    let is_usual = format.is_none_or(|format| format == Format::Csv);
    Ok(Example {
        format: format
            .filter(|_| !is_usual)
            .map(|format| format.name().to_owned()),
        ..example
    })
}

fn comes_out(rewrite: &Rewrite, was: &str, now: &str) -> bool {
    let outcome = rewrite_text(rewrite, was.as_bytes());
    outcome.text == now.as_bytes() && outcome.problems.is_empty()
}

/// The text of the rewrite file `file`, with these examples unless it has its own.
pub fn rewrite_file(
    file: &Path,
    (text, rewrite): (&RewriteText, &Rewrite),
    examples: Examples,
) -> String {
    let mut text = text.clone();
    let from = file.parent().unwrap_or(Path::new(""));
    for (words, step) in text.step.iter_mut().zip(rewrite.steps()) {
        // Paths of tables are relative to the rewrite file, and were relative to the current folder.
        move_tables(words, step, |table| match from.as_os_str().is_empty() {
            true => table.to_owned(),
            false => relative(from, Path::new(table)),
        });
    }
    if text.example.is_empty() {
        text.example = examples.all;
    }
    text.to_toml()
}

/// `path`, seen from the folder `from`.
fn relative(from: &Path, path: &Path) -> String {
    let plain = from
        .components()
        .all(|part| matches!(part, Component::Normal(_) | Component::CurDir));
    let seen = match path.is_absolute() {
        true => path.to_owned(),
        false if plain => {
            let up = from
                .components()
                .filter(|part| matches!(part, Component::Normal(_)));
            up.map(|_| "..").collect::<PathBuf>().join(path)
        }
        false => std::path::absolute(path).unwrap_or(path.to_owned()),
    };
    seen.to_string_lossy().into_owned()
}
