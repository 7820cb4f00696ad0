//! The filters that a reference's text may be passed through, from left to right.

mod dates;
mod letters;
mod words;

use crate::decimal::{NumberFault, Written};
use crate::pattern::groups::Groups;
use std::cell::Cell;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;
use unicode_segmentation::UnicodeSegmentation;

/// Every filter: its name, its arguments, and what it does.
pub(crate) const NAMES: &[(&str, &str, &str)] = &[
    ("upper", "", "in capital letters"),
    ("lower", "", "in small letters"),
    (
        "title",
        "",
        "each word with a capital first letter, the rest small",
    ),
    (
        "capital",
        "",
        "with a capital first letter, the rest as it is",
    ),
    ("plain", "", "with the accents taken off its letters"),
    ("trim", "", "without white space at its ends"),
    ("collapse", "", "each run of white space as one space"),
    ("take", "N", "only the first N characters"),
    ("drop", "N", "without the first N characters"),
    ("take-last", "N", "only the last N characters"),
    ("drop-last", "N", "without the last N characters"),
    (
        "pad",
        "N [CHAR]",
        "filled on the left to N characters, with 0 or CHAR",
    ),
    (
        "pad-right",
        "N [CHAR]",
        "filled on the right to N characters, with a space or CHAR",
    ),
    ("swap", "A B", "with every A replaced by B"),
    (
        "map",
        "TABLE [else TEXT]",
        "looked up in the two-column file TABLE",
    ),
    ("default", "TEXT", "where it is empty, TEXT"),
    (
        "if",
        "TEXT [else TEXT]",
        "TEXT where the group took part, else the other TEXT or nothing",
    ),
    ("add", "N", "plus N"),
    ("multiply", "N", "multiplied by N"),
    ("round", "N", "rounded to N digits after the point"),
    ("code", "", "as code points"),
    (
        "date",
        "FROM TO",
        "a date or time, read as FROM and written as TO",
    ),
];

/// A two-column table for `map`: old, new.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Table {
    entries: BTreeMap<String, String>,
}

impl Table {
    /// Adds a pair.
    ///
    /// # Errors
    ///
    /// The text that the same old one has already, where that is another.
    pub fn add(&mut self, old: String, new: String) -> Result<(), &str> {
        use std::collections::btree_map::Entry;
        match self.entries.entry(old) {
            Entry::Vacant(place) => {
                place.insert(new);
            }
            Entry::Occupied(there) if *there.get() == new => {}
            Entry::Occupied(there) => return Err(there.into_mut()),
        }
        Ok(())
    }
}

/// Gives the tables that templates name.
pub trait Tables {
    /// The table called `path`.
    ///
    /// # Errors
    ///
    /// Why there is none, in words.
    fn table(&mut self, path: &str) -> Result<Arc<Table>, String>;
}

/// No tables at all.
pub struct NoTables;

impl Tables for NoTables {
    fn table(&mut self, _: &str) -> Result<Arc<Table>, String> {
        Err("tables cannot be read here".into())
    }
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
}

/// One argument as it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Argument {
    pub text: String,
    /// It stood between quotes, so it is neither `else` nor a group.
    pub quoted: bool,
}

/// A text that a filter may write: plain, or a group of the match.
#[derive(Clone, Debug)]
enum Operand {
    Text(String),
    Group(usize),
}

impl Operand {
    fn new(argument: &Argument, groups: &Groups) -> Result<Self, CallError> {
        match argument.group() {
            None => Ok(Self::Text(argument.text.clone())),
            Some(name) => {
                let number = name.parse().ok().filter(|number| *number < groups.len());
                let number = number.or_else(|| groups.number_of(name));
                let unknown = || CallError::Group(name.to_owned());
                number.map(Self::Group).ok_or_else(unknown)
            }
        }
    }
}

impl Argument {
    /// The number or name of the group that it refers to.
    fn group(&self) -> Option<&str> {
        let name = self.text.strip_prefix('$').filter(|_| !self.quoted)?;
        let is_name = |c: char| c == '_' || c.is_alphanumeric();
        (!name.is_empty() && name.chars().all(is_name)).then_some(name)
    }
}

impl fmt::Display for Operand {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Text(text) => Quoted(text).fmt(f),
            Self::Group(number) => write!(f, "${number}"),
        }
    }
}

/// A filter with its arguments.
#[derive(Clone, Debug)]
pub(crate) struct Call {
    name: &'static str,
    /// But for the texts that it may write.
    arguments: Vec<String>,
    otherwise: Option<Operand>,
    filter: Filter,
}

#[derive(Clone, Debug)]
enum Filter {
    Upper,
    Lower,
    Title,
    Capital,
    Plain,
    Trim,
    Collapse,
    Take(usize),
    Drop(usize),
    TakeLast(usize),
    DropLast(usize),
    Pad(usize, String),
    PadRight(usize, String),
    Swap(String, String),
    Map(Arc<Table>),
    Default(Operand),
    If(Operand),
    Add(Written),
    Multiply(Written),
    Round(u32),
    Code,
    Date(String, String),
}

/// Why a filter was refused.
pub(super) enum CallError {
    /// There is not a filter of this name.
    Unknown,
    /// It takes other arguments: these.
    Arguments(&'static str, &'static str),
    /// An argument has a fault of its own.
    Argument(String),
    /// The pattern has no such group.
    Group(String),
    /// A group where the filter takes plain text.
    NoGroup(&'static str, String),
}

impl Call {
    /// The filter `name` with these arguments.
    pub(super) fn new(
        name: &str,
        arguments: Vec<Argument>,
        groups: &Groups,
        tables: &mut dyn Tables,
    ) -> Result<Self, CallError> {
        let known = NAMES.iter().find(|(known, ..)| *known == name);
        let (name, takes, _) = *known.ok_or(CallError::Unknown)?;
        let is_else = |argument: &Argument| argument.text == "else" && !argument.quoted;
        let mut plain = arguments;
        let mut otherwise = None;
        if let Some(at) = plain
            .iter()
            .position(is_else)
            .filter(|_| takes.contains("else"))
        {
            let [_, text] = &plain[at..] else {
                return Err(CallError::Arguments(name, takes));
            };
            otherwise = Some(Operand::new(text, groups)?);
            plain.truncate(at);
        }
        let operand = match (name, &plain[..]) {
            ("default" | "if", [text]) => Some(Operand::new(text, groups)?),
            _ => None,
        };
        if let Some(group) = plain
            .iter()
            .find(|a| operand.is_none() && a.group().is_some())
        {
            return Err(CallError::NoGroup(name, group.text.clone()));
        }
        let arguments: Vec<String> = match operand {
            Some(_) => Vec::new(),
            None => plain.into_iter().map(|a| a.text).collect(),
        };
        let filter = match (name, operand) {
            ("default", Some(text)) => Filter::Default(text),
            ("if", Some(text)) => Filter::If(text),
            _ => Filter::new(name, &arguments, tables)?.ok_or(CallError::Arguments(name, takes))?,
        };
        Ok(Self {
            name,
            arguments,
            otherwise,
            filter,
        })
    }

    /// The path of its table, as it is written.
    pub(super) fn table_path(&self) -> Option<&str> {
        matches!(self.filter, Filter::Map(_)).then(|| self.arguments[0].as_str())
    }

    pub(super) fn move_table(&mut self, place: impl Fn(&str) -> String) {
        if matches!(self.filter, Filter::Map(_)) {
            self.arguments[0] = place(&self.arguments[0]);
        }
    }
}

impl fmt::Display for Call {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name)?;
        if let Filter::Default(text) | Filter::If(text) = &self.filter {
            write!(f, " {text}")?;
        }
        for argument in &self.arguments {
            write!(f, " {}", Quoted(argument))?;
        }
        if let Some(text) = &self.otherwise {
            write!(f, " else {text}")?;
        }
        Ok(())
    }
}

/// An argument as it must be written.
struct Quoted<'t>(&'t str);

impl fmt::Display for Quoted<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let plain = |c: char| c.is_alphanumeric() || "-+.,_/%:".contains(c);
        if !self.0.is_empty() && self.0 != "else" && self.0.chars().all(plain) {
            return f.write_str(self.0);
        }
        f.write_str("'")?;
        for c in self.0.chars() {
            match c {
                '\'' | '\\' => write!(f, "\\{c}")?,
                '\n' => f.write_str("\\n")?,
                '\r' => f.write_str("\\r")?,
                '\t' => f.write_str("\\t")?,
                c if c.is_control() => write!(f, "\\u{{{:X}}}", c as u32)?,
                c => write!(f, "{c}")?,
            }
        }
        f.write_str("'")
    }
}

impl Filter {
    /// `Ok(None)` where the arguments are too many, too few, or no numbers.
    fn new(
        name: &str,
        arguments: &[String],
        tables: &mut dyn Tables,
    ) -> Result<Option<Self>, CallError> {
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        let count = |text: &str| text.parse::<usize>().ok();
        if let ("pad" | "pad-right", [n, ..]) = (name, &arguments[..])
            && count(n).is_some_and(|n| n > PAD_MOST)
        {
            let message = format!("`{name}` fills to at most {PAD_MOST} characters, not to {n}");
            return Err(CallError::Argument(message));
        }
        let fill = |text: &str| (text.graphemes(true).count() == 1).then(|| text.to_owned());
        Ok(match (name, &arguments[..]) {
            ("upper", []) => Some(Self::Upper),
            ("lower", []) => Some(Self::Lower),
            ("title", []) => Some(Self::Title),
            ("capital", []) => Some(Self::Capital),
            ("plain", []) => Some(Self::Plain),
            ("trim", []) => Some(Self::Trim),
            ("collapse", []) => Some(Self::Collapse),
            ("code", []) => Some(Self::Code),
            ("take", [n]) => count(n).map(Self::Take),
            ("drop", [n]) => count(n).map(Self::Drop),
            ("take-last", [n]) => count(n).map(Self::TakeLast),
            ("drop-last", [n]) => count(n).map(Self::DropLast),
            ("pad", [n]) => count(n).map(|n| Self::Pad(n, "0".into())),
            ("pad", [n, c]) => count(n).zip(fill(c)).map(|(n, c)| Self::Pad(n, c)),
            ("pad-right", [n]) => count(n).map(|n| Self::PadRight(n, " ".into())),
            ("pad-right", [n, c]) => count(n).zip(fill(c)).map(|(n, c)| Self::PadRight(n, c)),
            ("swap", [a, b]) if !a.is_empty() => Some(Self::Swap((*a).into(), (*b).into())),
            ("add", [n]) => Written::read(n).ok().map(Self::Add),
            ("multiply", [n]) => Written::read(n).ok().map(Self::Multiply),
            ("round", [n]) => n.parse().ok().filter(|n| *n <= 20).map(Self::Round),
            ("map", [path]) => Some(Self::Map(tables.table(path).map_err(CallError::Argument)?)),
            ("date", [from, to]) => {
                dates::check_form(from)
                    .and_then(|()| dates::check_form(to))
                    .map_err(CallError::Argument)?;
                Some(Self::Date((*from).into(), (*to).into()))
            }
            _ => None,
        })
    }
}

/// The most characters to which a text is filled.
const PAD_MOST: usize = 100_000;

/// The match that filters work for.
pub(super) struct Setting<'s> {
    /// The most bytes that a text may have on the way.
    pub most: usize,
    /// The text of a group; empty where it took no part.
    pub group: &'s dyn Fn(usize) -> String,
    /// Set where a number was read whose comma may stand between thousands.
    pub thousands: &'s Cell<bool>,
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
        let filter = calls.first().map_or("the template", |call| call.name);
        let reason = "holds bytes that are not UTF-8, and filters work on characters";
        problem(filter, value, reason)
    };
    let mut text = std::str::from_utf8(value).map_err(stray)?.to_owned();
    for call in calls {
        // What is too long is not even made.
        if text.len().saturating_add(call.growth(&text)) > setting.most {
            return Err(FilterProblem::too_long(call.name));
        }
        text = call.run(text, took_part, setting)?;
    }
    match text.len() > setting.most {
        true => Err(FilterProblem::too_long("the template")),
        false => Ok(text),
    }
}

fn problem(filter: &'static str, value: &[u8], reason: &str) -> FilterProblem {
    FilterProblem {
        filter,
        reason: format!("`{}` {reason}", crate::escape::visible(value)),
    }
}

impl Call {
    /// The bytes by which the text grows, for filters that can make it much longer.
    fn growth(&self, text: &str) -> usize {
        match &self.filter {
            Filter::Pad(n, fill) | Filter::PadRight(n, fill) => {
                let missing = n.saturating_sub(text.graphemes(true).count());
                missing.saturating_mul(fill.len())
            }
            Filter::Swap(a, b) => {
                let more = b.len().saturating_sub(a.len());
                text.matches(a.as_str()).count().saturating_mul(more)
            }
            _ => 0,
        }
    }

    /// True if there are values that it cannot work on.
    pub(super) fn can_fail(&self) -> bool {
        match &self.filter {
            Filter::Map(_) => self.otherwise.is_none(),
            // What is replaced by something longer may become too long.
            Filter::Swap(a, b) => b.len() > a.len(),
            Filter::Add(_) | Filter::Multiply(_) | Filter::Round(_) | Filter::Date(..) => true,
            Filter::Upper
            | Filter::Lower
            | Filter::Title
            | Filter::Capital
            | Filter::Plain
            | Filter::Trim
            | Filter::Collapse
            | Filter::Take(_)
            | Filter::Drop(_)
            | Filter::TakeLast(_)
            | Filter::DropLast(_)
            | Filter::Pad(..)
            | Filter::PadRight(..)
            | Filter::Default(_)
            | Filter::If(_)
            | Filter::Code => false,
        }
    }

    fn run(
        &self,
        text: String,
        took_part: bool,
        setting: &Setting<'_>,
    ) -> Result<String, FilterProblem> {
        let written = |operand: &Operand| match operand {
            Operand::Text(text) => text.clone(),
            Operand::Group(number) => (setting.group)(*number),
        };
        let graphemes = || text.graphemes(true);
        let length = || graphemes().count();
        Ok(match &self.filter {
            Filter::Upper => text.to_uppercase(),
            Filter::Lower => text.to_lowercase(),
            Filter::Title => letters::title(&text),
            Filter::Capital => letters::capital(&text),
            Filter::Plain => letters::plain(&text),
            Filter::Trim => text.trim().to_owned(),
            Filter::Collapse => letters::collapse(&text),
            Filter::Take(n) => graphemes().take(*n).collect(),
            Filter::Drop(n) => graphemes().skip(*n).collect(),
            Filter::TakeLast(n) => graphemes().skip(length().saturating_sub(*n)).collect(),
            Filter::DropLast(n) => graphemes().take(length().saturating_sub(*n)).collect(),
            Filter::Pad(n, c) => letters::pad(&text, c, n.saturating_sub(length())),
            Filter::PadRight(n, c) => format!("{text}{}", c.repeat(n.saturating_sub(length()))),
            Filter::Swap(a, b) => text.replace(a, b),
            Filter::Map(table) => match (table.entries.get(&text), &self.otherwise) {
                (Some(new), _) => new.clone(),
                (None, Some(otherwise)) => written(otherwise),
                (None, None) => return Err(self.problem(&text, "is not in the table")),
            },
            Filter::Default(other) if text.is_empty() => written(other),
            Filter::Default(_) => text,
            Filter::If(yes) if took_part => written(yes),
            Filter::If(_) => self.otherwise.as_ref().map(written).unwrap_or_default(),
            Filter::Add(n) => self.calculate(&text, setting, |number| number.add(*n))?,
            Filter::Multiply(n) => self.calculate(&text, setting, |number| number.multiply(*n))?,
            Filter::Round(n) => self.calculate(&text, setting, |number| number.round(*n))?,
            Filter::Code => {
                let codes = text.chars().map(|c| format!("U+{:04X}", c as u32));
                codes.collect::<Vec<_>>().join(" ")
            }
            Filter::Date(from, to) => {
                let done = dates::convert(&text, from, to);
                done.map_err(|reason| self.problem(&text, &reason))?
            }
        })
    }

    fn calculate(
        &self,
        text: &str,
        setting: &Setting<'_>,
        sum: impl Fn(Written) -> Option<Written>,
    ) -> Result<String, FilterProblem> {
        let number = Written::read(text).map_err(|fault| match fault {
            NumberFault::NoNumber => self.problem(text, "is not a number"),
            NumberFault::TooLong => {
                let most = Written::DIGITS_MOST;
                self.problem(
                    text,
                    &format!("has too many digits: at most {most} can be calculated with"),
                )
            }
        })?;
        if number.maybe_thousands() {
            setting.thousands.set(true);
        }
        let sum = sum(number).ok_or_else(|| self.problem(text, "gives too many digits"))?;
        Ok(sum.text())
    }

    fn problem(&self, value: &str, reason: &str) -> FilterProblem {
        problem(self.name, value.as_bytes(), reason)
    }
}
