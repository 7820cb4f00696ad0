//! `--pairs`: each text of a table becomes the one beside it.

use crate::describe::QueryWords;
use crate::escape::visible;
use crate::numbers::counted;
use crate::pattern::Pattern;
use crate::pattern::options::MatchOptions;
use crate::pattern::texts::fold;
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::EditMaker;
use crate::step_spec::values::{StepFault, compiled_texts, senseless};
use crate::template::tables::Tables;
use foldhash::fast::RandomState;
use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Old texts with their new ones.
#[derive(Clone, Debug)]
pub struct Pairs {
    /// The path of the table, as it is written.
    pub path: String,
    pairs: Arc<[Pair]>,
    /// The pair of each old text, its letter case folded where that does not matter.
    of_old: Arc<HashMap<String, usize, RandomState>>,
    folds: bool,
    /// The old and the new text of the first row, where that reads like the names of columns.
    names: Option<(String, String)>,
}

#[derive(Debug)]
struct Pair {
    old: String,
    new: String,
    /// A match of it has been met, in whatever text.
    met: AtomicBool,
}

impl Pairs {
    /// The number of pairs.
    pub fn len(&self) -> usize {
        self.pairs.len()
    }

    /// The old and the new text of the first row, where that reads like the names of columns.
    pub fn names(&self) -> Option<(&str, &str)> {
        let (old, new) = self.names.as_ref()?;
        Some((old, new))
    }

    /// True if there is none.
    pub fn is_empty(&self) -> bool {
        self.pairs.is_empty()
    }

    /// The old texts that no text has held so far, in order.
    pub fn never_met(&self) -> impl Iterator<Item = &str> {
        let pairs = self.pairs.iter();
        let unmet = pairs.filter(|pair| !pair.met.load(Ordering::Relaxed));
        unmet.map(|pair| pair.old.as_str())
    }

    /// The new texts that are not old ones too, in the order of the old ones.
    pub fn new_texts(&self) -> impl Iterator<Item = &str> {
        let is_other = |pair: &&Pair| self.pair_of(pair.new.as_bytes()).is_none();
        self.pairs
            .iter()
            .filter(is_other)
            .map(|pair| pair.new.as_str())
    }

    /// True if a text is one of the new ones.
    pub fn writes(&self, text: &str) -> bool {
        self.pairs.iter().any(|pair| pair.new == text)
    }

    fn pair_of(&self, old: &[u8]) -> Option<&Pair> {
        let old = String::from_utf8_lossy(old);
        let key = if self.folds {
            Cow::from(fold(&old))
        } else {
            old
        };
        self.of_old.get(&*key).map(|index| &self.pairs[*index])
    }
}

/// The pairs of the table at `path`, and the pattern of their old texts.
pub(crate) fn build(
    path: &str,
    options: &MatchOptions,
    tables: &mut dyn Tables,
) -> Result<(Pairs, Pattern), StepFault> {
    const REMEDY: &str = "write a table of two columns, old and new, a pair on each line";
    let table = tables.table(path);
    let table = table.map_err(|error| senseless(error.to_string(), REMEDY))?;
    let shown = visible(path.as_bytes());
    let mut of_old = HashMap::default();
    let mut pairs = Vec::new();
    for (old, new) in table.pairs() {
        if old.is_empty() {
            let message = format!(
                "the table {shown} has an empty old text, for `{}`",
                visible(new.as_bytes())
            );
            return Err(senseless(message, "give it a text, or take the line out"));
        }
        let key = if options.ignore_case {
            fold(old)
        } else {
            old.to_owned()
        };
        let index = *of_old.entry(key).or_insert(pairs.len());
        if let Some(Pair {
            old: first,
            new: other,
            ..
        }) = pairs.get(index)
        {
            let [first, other, old, new] =
                [first, other, old, new].map(|text| visible(text.as_bytes()));
            if other == new {
                continue;
            }
            let message = format!(
                "in any letter case, the table {shown} has `{other}` for `{first}` and `{new}` for `{old}`"
            );
            return Err(senseless(
                message,
                "keep one of the lines, or leave ignore-case out",
            ));
        }
        pairs.push(Pair {
            old: old.to_owned(),
            new: new.to_owned(),
            met: AtomicBool::new(false),
        });
    }
    let olds: Vec<&str> = pairs.iter().map(|pair: &Pair| pair.old.as_str()).collect();
    let pattern = compiled_texts(path, &olds, options)?;
    let pairs = Pairs {
        path: path.to_owned(),
        pairs: pairs.into(),
        of_old: Arc::new(of_old),
        folds: options.ignore_case,
        names: table
            .names()
            .map(|(old, new)| (old.to_owned(), new.to_owned())),
    };
    Ok((pairs, pattern))
}

/// "each of 12 texts in the table `names.csv` becomes the one beside it, in every line"
pub(crate) fn describe(words: &QueryWords, pairs: &Pairs) -> String {
    let (texts, table) = (
        counted(pairs.len() as u64, "text"),
        visible(pairs.path.as_bytes()),
    );
    let (how, place) = (&words.how, &words.place);
    format!("each of {texts} in the table `{table}`{how} becomes the one beside it, {place}")
}

pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
    pairs: &Pairs,
) -> Result<(), ProblemKind> {
    maker.edit_matches(unit, found, &|maker, unit, finding, text| {
        let old = &unit.bytes()[finding.span.range()];
        match pairs.pair_of(old) {
            Some(pair) => {
                pair.met.store(true, Ordering::Relaxed);
                maker.put(unit, finding, pair.new.as_bytes(), text)
            }
            None => maker.put(unit, finding, old, text),
        }
    })
}
