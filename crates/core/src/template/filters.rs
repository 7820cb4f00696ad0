//! What a reference's text may be passed through, from left to right.

use crate::decimal::Written;
use jiff::fmt::strtime::{self, BrokenDownTime};
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;
use unicode_normalization::UnicodeNormalization;
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
    ("plain", "", "without accents"),
    ("trim", "", "without white space at its ends"),
    ("squeeze", "", "each run of white space as one space"),
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
    ("swap", "A B", "every A in it replaced by B"),
    (
        "map",
        "TABLE [else TEXT]",
        "looked up in the two-column file TABLE",
    ),
    ("default", "TEXT", "where it is empty TEXT"),
    ("if", "TEXT [else TEXT]", "where the group took part TEXT"),
    ("add", "N", "plus N"),
    ("times", "N", "times N"),
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
    /// A table of these pairs; of two with the same old text the first holds.
    pub fn new(pairs: impl IntoIterator<Item = (String, String)>) -> Self {
        let mut entries = BTreeMap::new();
        for (old, new) in pairs {
            entries.entry(old).or_insert(new);
        }
        Self { entries }
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
    /// What is wrong with the value, which it quotes.
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
    /// It stood between quotes, so it is no `else`.
    pub quoted: bool,
}

/// A filter with its arguments.
#[derive(Clone, Debug)]
pub(crate) struct Call {
    name: &'static str,
    arguments: Vec<String>,
    otherwise: Option<String>,
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
    Squeeze,
    Take(usize),
    Drop(usize),
    TakeLast(usize),
    DropLast(usize),
    Pad(usize, String),
    PadRight(usize, String),
    Swap(String, String),
    Map(Arc<Table>),
    Default(String),
    If(String),
    Add(Written),
    Times(Written),
    Round(u32),
    Code,
    Date(String, String),
}

/// Why a filter was refused.
pub(super) enum CallError {
    /// There is no filter of this name.
    Unknown,
    /// It takes other arguments: these.
    Arguments(&'static str, &'static str),
    /// An argument has a fault of its own.
    Argument(String),
}

impl Call {
    /// The filter `name` with these arguments.
    pub(super) fn new(
        name: &str,
        arguments: Vec<Argument>,
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
            otherwise = Some(text.text.clone());
            plain.truncate(at);
        }
        let arguments: Vec<String> = plain.into_iter().map(|a| a.text).collect();
        let filter = Filter::new(name, &arguments, tables)
            .and_then(|filter| filter.ok_or(CallError::Arguments(name, takes)))?;
        Ok(Self {
            name,
            arguments,
            otherwise,
            filter,
        })
    }

    /// What it does, in words.
    pub(crate) fn words(&self) -> String {
        let known = NAMES.iter().find(|(name, ..)| *name == self.name);
        let (_, takes, does) = known.copied().unwrap_or_default();
        let mut words = does
            .replace("0 or CHAR", "CHAR")
            .replace("a space or CHAR", "CHAR");
        let given = self.arguments.iter().map(|text| Quoted(text).to_string());
        let fill = if self.name == "pad" { "0" } else { "a space" };
        let given = given.chain([fill.to_owned()]);
        let places = takes.split([' ', '[', ']']).filter(|word| !word.is_empty());
        // Backwards, so that no argument is taken for a place.
        for (place, text) in places.zip(given).collect::<Vec<_>>().into_iter().rev() {
            if let Some(at) = words.rfind(place).filter(|_| place != "else") {
                words.replace_range(at..at + place.len(), &text);
            }
        }
        if let Some(text) = &self.otherwise {
            words.push_str(&format!(", else {}", Quoted(text)));
        }
        words
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
        for argument in &self.arguments {
            write!(f, " {}", Quoted(argument))?;
        }
        if let Some(text) = &self.otherwise {
            write!(f, " else {}", Quoted(text))?;
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
            ("squeeze", []) => Some(Self::Squeeze),
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
            ("default", [text]) => Some(Self::Default((*text).into())),
            ("if", [text]) => Some(Self::If((*text).into())),
            ("add", [n]) => Written::read(n).map(Self::Add),
            ("times", [n]) => Written::read(n).map(Self::Times),
            ("round", [n]) => n.parse().ok().filter(|n| *n <= 20).map(Self::Round),
            ("map", [path]) => Some(Self::Map(tables.table(path).map_err(CallError::Argument)?)),
            ("date", [from, to]) => {
                check_form(from)
                    .and_then(|()| check_form(to))
                    .map_err(CallError::Argument)?;
                Some(Self::Date((*from).into(), (*to).into()))
            }
            _ => None,
        })
    }
}

/// The most characters to which a text is filled.
const PAD_MOST: usize = 100_000;

/// Whether a form of dates can be used at all.
fn check_form(form: &str) -> Result<(), String> {
    let moment = jiff::civil::date(2026, 11, 23).at(6, 30, 0, 0);
    let moment = moment
        .to_zoned(jiff::tz::TimeZone::UTC)
        .map_err(|e| e.to_string())?;
    let tried = strtime::format(form, &moment);
    tried
        .map(drop)
        .map_err(|error| format!("`{form}` is no form of dates: {error}"))
}

/// Passes a value through filters; `None` is a group that took no part, and empty. No text on the
/// way may be longer than `most` bytes.
pub(super) fn run(
    calls: &[Call],
    value: Option<String>,
    most: usize,
) -> Result<String, FilterProblem> {
    let took_part = value.is_some();
    let mut text = value.unwrap_or_default();
    for call in calls {
        // What is too long is not even made.
        if text.len().saturating_add(call.growth(&text)) > most {
            return Err(FilterProblem::too_long(call.name));
        }
        text = call.run(text, took_part)?;
    }
    match text.len() > most {
        true => Err(FilterProblem::too_long("the template")),
        false => Ok(text),
    }
}

impl Call {
    /// How many bytes longer the text becomes, for filters that can make it much longer.
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

    fn run(&self, text: String, took_part: bool) -> Result<String, FilterProblem> {
        let graphemes = || text.graphemes(true);
        let length = || graphemes().count();
        Ok(match &self.filter {
            Filter::Upper => text.to_uppercase(),
            Filter::Lower => text.to_lowercase(),
            Filter::Title => text
                .split_word_bounds()
                .map(|w| capital(&w.to_lowercase()))
                .collect(),
            Filter::Capital => capital(&text),
            Filter::Plain => text.nfd().filter(|c| !is_accent(*c)).nfc().collect(),
            Filter::Trim => text.trim().to_owned(),
            Filter::Squeeze => squeeze(&text),
            Filter::Take(n) => graphemes().take(*n).collect(),
            Filter::Drop(n) => graphemes().skip(*n).collect(),
            Filter::TakeLast(n) => graphemes().skip(length().saturating_sub(*n)).collect(),
            Filter::DropLast(n) => graphemes().take(length().saturating_sub(*n)).collect(),
            Filter::Pad(n, c) => pad(&text, c, n.saturating_sub(length())),
            Filter::PadRight(n, c) => format!("{text}{}", c.repeat(n.saturating_sub(length()))),
            Filter::Swap(a, b) => text.replace(a, b),
            Filter::Map(table) => match (table.entries.get(&text), &self.otherwise) {
                (Some(new), _) => new.clone(),
                (None, Some(otherwise)) => otherwise.clone(),
                (None, None) => return Err(self.problem(&text, "is not in the table")),
            },
            Filter::Default(other) if text.is_empty() => other.clone(),
            Filter::Default(_) => text,
            Filter::If(yes) if took_part => yes.clone(),
            Filter::If(_) => self.otherwise.clone().unwrap_or_default(),
            Filter::Add(n) => self.calculate(&text, |written| written.add(*n))?,
            Filter::Times(n) => self.calculate(&text, |written| written.times(*n))?,
            Filter::Round(n) => self.calculate(&text, |written| written.round(*n))?,
            Filter::Code => {
                let codes = text.chars().map(|c| format!("U+{:04X}", c as u32));
                codes.collect::<Vec<_>>().join(" ")
            }
            Filter::Date(from, to) => self.date(&text, from, to)?,
        })
    }

    fn calculate(
        &self,
        text: &str,
        sum: impl Fn(Written) -> Option<Written>,
    ) -> Result<String, FilterProblem> {
        let written = Written::read(text).ok_or_else(|| self.problem(text, "is no number"))?;
        let sum = sum(written).ok_or_else(|| self.problem(text, "gives too many digits"))?;
        Ok(sum.text())
    }

    fn date(&self, text: &str, from: &str, to: &str) -> Result<String, FilterProblem> {
        let fail = |error: jiff::Error| {
            self.problem(
                text,
                &format!("cannot be read as {from} and written as {to}: {error}"),
            )
        };
        let read = BrokenDownTime::parse(from, text).map_err(fail)?;
        // All three together must be a day that there is.
        if read.year().is_some() && read.month().is_some() && read.day().is_some() {
            read.to_date().map_err(fail)?;
        }
        read.to_string(to).map_err(fail)
    }

    fn problem(&self, value: &str, reason: &str) -> FilterProblem {
        FilterProblem {
            filter: self.name,
            reason: format!("`{}` {reason}", crate::escape::visible(value.as_bytes())),
        }
    }
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    let first: String = chars
        .next()
        .into_iter()
        .flat_map(char::to_uppercase)
        .collect();
    first + chars.as_str()
}

/// Combining marks that stand on letters of several scripts; those that belong to one script
/// are no accents.
fn is_accent(c: char) -> bool {
    matches!(c,
        '\u{300}'..='\u{36F}' | '\u{1AB0}'..='\u{1AFF}' | '\u{1DC0}'..='\u{1DFF}'
        | '\u{20D0}'..='\u{20FF}' | '\u{FE20}'..='\u{FE2F}')
}

fn squeeze(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut blank = false;
    for c in text.chars() {
        if !c.is_whitespace() {
            out.push(c);
        } else if !blank {
            out.push(' ');
        }
        blank = c.is_whitespace();
    }
    out
}

/// Fills on the left; zeros stand behind the sign of a number.
fn pad(text: &str, fill: &str, missing: usize) -> String {
    let signed = text
        .strip_prefix(['-', '+'])
        .filter(|rest| fill == "0" && rest.starts_with(|c: char| c.is_ascii_digit()));
    match signed {
        Some(rest) => format!("{}{}{rest}", &text[..1], fill.repeat(missing)),
        None => format!("{}{text}", fill.repeat(missing)),
    }
}
