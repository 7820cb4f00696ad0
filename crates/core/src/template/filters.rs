//! The filters that a reference's text may be passed through, from left to right.
//!
//! Note to the maintainer: a filter is one [`Filter`] in the list of its file: its name, its
//! arguments, its sentence, its examples, and the function that reads its arguments and gives its
//! [`Effect`]. The help, `explain`, the reference page and the test of the examples follow from
//! that.

pub(crate) mod argument;
mod characters;
mod choices;
mod dates;
pub mod filter;
mod letters;
mod numbers;
mod words;

use crate::pattern::groups::Groups;
use crate::template::filters::argument::{Argument, Arguments, CallError, Quoted};
use crate::template::filters::filter::{Effect, Filter, Setting, Unfit, Value};
use crate::template::tables::Tables;
use std::fmt;
use std::sync::Arc;

/// All filters, those of a kind together.
///
/// ```
/// let mut all = brisk_quill_core::template::filters::all();
/// assert!(all.any(|filter| filter.name == "upper"));
/// ```
pub fn all() -> impl Iterator<Item = &'static Filter> + Clone {
    let lists = [
        letters::FILTERS,
        characters::FILTERS,
        choices::FILTERS,
        numbers::FILTERS,
        dates::FILTERS,
    ];
    lists.into_iter().flatten()
}

/// A value that a filter cannot work on.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{filter}: {reason}")]
pub struct FilterProblem {
    /// The name of the filter.
    pub filter: &'static str,
    /// The fault in the value, which is quoted.
    pub reason: String,
}

impl FilterProblem {
    /// A filter, or a template, gives a text over its limit.
    pub(super) fn too_long(filter: &'static str) -> Self {
        Self {
            filter,
            reason: "gives a text that is over 1 MiB longer than the match".into(),
        }
    }

    fn of_value(filter: &'static str, value: &[u8], reason: &str) -> Self {
        Self {
            filter,
            reason: format!("`{}` {reason}", crate::escape::visible(value)),
        }
    }
}

/// A filter with its arguments.
#[derive(Clone)]
pub(crate) struct Call {
    filter: &'static Filter,
    arguments: Vec<Argument>,
    effect: Arc<Effect>,
}

impl Call {
    /// The filter `name` with these arguments.
    pub(super) fn new(
        name: &str,
        mut arguments: Vec<Argument>,
        groups: &Groups,
        tables: &mut dyn Tables,
    ) -> Result<Self, CallError> {
        let filter = all().find(|filter| filter.name == name);
        let filter = filter.ok_or(CallError::Unknown)?;
        let takes_else = filter.arguments.contains("else");
        let mut reading = Arguments::new(&arguments, takes_else, groups, tables)?;
        let effect = Arc::new((filter.read)(&mut reading)?);
        if reading.has_more() {
            return Err(CallError::Arguments);
        }
        for argument in &mut arguments {
            argument.name_by_number(groups);
        }
        Ok(Self {
            filter,
            arguments,
            effect,
        })
    }

    /// The path of its table, as it is written.
    pub(super) fn table_path(&self) -> Option<&str> {
        self.effect
            .of_table
            .then(|| self.arguments[0].text.as_str())
    }

    /// Writes the path of its table in another way.
    pub(super) fn move_table(&mut self, place: impl Fn(&str) -> String) {
        if self.effect.of_table {
            let path = &mut self.arguments[0];
            (path.text, path.quoted) = (place(&path.text), true);
        }
    }

    /// A clause that says what it does with its arguments.
    pub(crate) fn words(&self) -> String {
        let words = self.effect.words.as_deref();
        let words = words.unwrap_or(self.filter.does);
        match self.table_path() {
            Some(path) => format!("looked up in the table {}{words}", Quoted(path)),
            None => words.to_owned(),
        }
    }

    /// True if it writes a group besides the whole match.
    pub(super) fn needs_groups(&self) -> bool {
        let is_group = |argument: &Argument| argument.group().is_some_and(|name| name != "0");
        self.arguments.iter().any(is_group)
    }

    /// True if there are values that it cannot work on.
    pub(super) fn can_fail(&self) -> bool {
        self.effect.can_fail
    }

    fn run(&self, value: &Value<'_>) -> Result<String, FilterProblem> {
        let name = self.filter.name;
        let growth = self.effect.growth.as_ref();
        let growth = growth.map_or(0, |growth| growth(value.text));
        // What is too long is not even made.
        if value.text.len().saturating_add(growth) > value.setting.most {
            return Err(FilterProblem::too_long(name));
        }
        let made = (self.effect.apply)(value);
        made.map_err(|Unfit(reason)| FilterProblem::of_value(name, value.text.as_bytes(), &reason))
    }
}

impl fmt::Debug for Call {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Call({self})")
    }
}

impl fmt::Display for Call {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.filter.name)?;
        self.arguments
            .iter()
            .try_for_each(|argument| write!(f, " {argument}"))
    }
}

/// Passes a value through filters; `None` is a group that took no part, and empty.
pub(super) fn run(
    calls: &[Call],
    value: Option<&[u8]>,
    setting: &Setting<'_>,
) -> Result<String, FilterProblem> {
    let took_part = value.is_some();
    let value = value.unwrap_or_default();
    let stray = |_| {
        let filter = calls
            .first()
            .map_or("the template", |call| call.filter.name);
        let reason = "holds bytes that are not UTF-8, and filters work on characters";
        FilterProblem::of_value(filter, value, reason)
    };
    let mut text = std::str::from_utf8(value).map_err(stray)?.to_owned();
    for call in calls {
        text = call.run(&Value {
            text: &text,
            took_part,
            setting,
        })?;
    }
    match text.len() > setting.most {
        true => Err(FilterProblem::too_long("the template")),
        false => Ok(text),
    }
}
