//! Examples: read from files, taken from a copy that was edited by hand, and placed in the data.

use crate::data::units::{Distinct, Unit, Units};
use crate::task::Pair;
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite_file::{RewriteFileError, RewriteText};
use brisk_quill_core::span::Span;
use brisk_quill_core::template::tables::{TableError, Tables};
use brisk_quill_engine::rewrite_loading::read_text;
use brisk_quill_engine::tables::FileTables;
use std::collections::HashMap;
use std::path::Path;

/// The most units that an edited copy may differ in.
const EDITS_MOST: usize = 2000;

/// Examples with their places in the data.
#[derive(Debug, Default)]
pub struct Examples {
    /// The examples.
    pub pairs: Vec<Pair>,
    /// The last line that was edited by hand, from 1.
    pub edited_to: Option<u64>,
    /// The old texts that occur nowhere in the data.
    pub missing: Vec<String>,
}

/// Why the examples of a file cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum ExampleFileError {
    /// The rewrite file cannot be read.
    #[error(transparent)]
    Read(#[from] brisk_quill_engine::rewrite_loading::ReadError),
    /// The file is not a rewrite file.
    #[error(transparent)]
    Rewrite(#[from] RewriteFileError),
    /// The rewrite file holds no examples.
    #[error("it holds no examples")]
    NoExamples,
    /// The file is not a table of two columns.
    #[error(transparent)]
    Table(#[from] TableError),
}

/// Why a copy is not one that was edited by hand.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum EditedError {
    /// The edited copy has more units, or fewer.
    #[error("it has {by} units more or fewer than its original")]
    Length {
        /// The difference.
        by: u64,
        /// The copy has more.
        more: bool,
    },
    /// Nothing was changed.
    #[error("it is the same as its original")]
    Same,
    /// Too much differs.
    #[error("it seems to be another file: {changed} of {all} units differ")]
    AnotherFile {
        /// Units that differ.
        changed: usize,
        /// All units.
        all: usize,
    },
    /// Units are in other places, and none is new.
    #[error("its lines were moved, and none was changed")]
    Moved,
}

impl Examples {
    /// The units that were edited by hand in a copy; `after` are its units, `before` those of the original.
    ///
    /// # Errors
    ///
    /// When it is not the same file with some units edited.
    pub fn of_edited(before: &Units, after: &Units) -> Result<Self, EditedError> {
        let pairs = edits(&before.all, &after.all)?;
        Ok(Self {
            edited_to: pairs.iter().filter_map(|pair| pair.line).max(),
            pairs,
            missing: Vec::new(),
        })
    }

    /// Adds examples, each with its place in the data. One that is a part of a line becomes an example of that
    /// line, unless the units are `cells`.
    pub fn add(
        &mut self,
        pairs: Vec<Pair>,
        (units, distinct): (&Units, &[Distinct<'_>]),
        cells: bool,
    ) {
        let texts = distinct.iter().map(|one| (one.text, one));
        let texts: HashMap<&str, &Distinct<'_>> = texts.collect();
        for pair in pairs {
            match texts.get(&pair.before[..]) {
                // The line of a text is known where it occurs once.
                Some(whole) => self.pairs.push(Pair {
                    line: Some(whole.line).filter(|_| whole.count == 1),
                    ..pair
                }),
                None => self.place(pair, units, cells),
            }
        }
    }

    /// Adds an example that is not a whole unit.
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
                    self.missing.push(pair.before.clone());
                }
                self.pairs.push(pair);
            }
        }
    }
}

/// The first unit that contains a text, and the place of it there, in bytes: preferably as words of its own,
/// else within a word, but never within a number.
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

/// The examples of a rewrite file, which ends in `.toml`, or of a table with two columns.
///
/// # Errors
///
/// When the file is neither, or holds no examples.
pub fn of_file(path: &Path) -> Result<Vec<Pair>, ExampleFileError> {
    let mut pairs = Vec::new();
    if path
        .extension()
        .is_some_and(|extension| extension == "toml")
    {
        let file = RewriteText::parse(&read_text(path)?)?;
        let of_steps = file.step.iter().flat_map(|step| &step.example);
        let all = of_steps.chain(&file.example).filter_map(Example::pair);
        pairs.extend(all.map(|(before, after)| Pair::new(before, after)));
        if pairs.is_empty() {
            return Err(ExampleFileError::NoExamples);
        }
    } else {
        let table = FileTables::new(Path::new("")).table(&path.to_string_lossy())?;
        let all = table.pairs();
        pairs.extend(all.map(|(before, after)| Pair::new(before, after)));
    }
    Ok(pairs)
}

fn edits(before: &[Unit], after: &[Unit]) -> Result<Vec<Pair>, EditedError> {
    if before.len() != after.len() {
        return Err(EditedError::Length {
            by: before.len().abs_diff(after.len()) as u64,
            more: after.len() > before.len(),
        });
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
        return Err(EditedError::Same);
    }
    if edits.len() > EDITS_MOST || 2 * edits.len() > before.len() && edits.len() > 8 {
        let (changed, all) = (edits.len(), before.len());
        return Err(EditedError::AnotherFile { changed, all });
    }
    let mut texts: HashMap<&str, i64> = HashMap::new();
    for pair in &edits {
        *texts.entry(&pair.before).or_default() += 1;
        *texts.entry(&pair.after).or_default() -= 1;
    }
    // A text that was moved is missing in one place and new in another.
    if edits.len() > 1 && texts.values().all(|count| *count == 0) {
        return Err(EditedError::Moved);
    }
    Ok(edits)
}
