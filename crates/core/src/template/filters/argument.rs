//! Arguments of filters, as they are written and as they are read.

use crate::decimal::Written;
use crate::pattern::groups::Groups;
use crate::template::tables::{Table, Tables};
use std::fmt;
use std::slice::Iter;
use std::sync::Arc;

/// One argument as it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Argument {
    pub text: String,
    /// True if it stood between quotes, so it is neither `else` nor a group.
    pub quoted: bool,
}

impl Argument {
    /// The number or name of the group that it refers to.
    pub(super) fn group(&self) -> Option<&str> {
        let name = self.text.strip_prefix('$').filter(|_| !self.quoted)?;
        let is_name = |c: char| c == '_' || c.is_alphanumeric();
        (!name.is_empty() && name.chars().all(is_name)).then_some(name)
    }

    /// Writes a group by its number, where there is such a group.
    pub(super) fn name_by_number(&mut self, groups: &Groups) {
        let number = self.group().and_then(|name| groups.number_of(name));
        if let Some(number) = number {
            self.text = format!("${number}");
        }
    }

    pub(super) fn is_else(&self) -> bool {
        self.text == "else" && !self.quoted
    }
}

/// In the form that is parsed again to the same.
impl fmt::Display for Argument {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.group().is_some() || self.is_else() {
            true => f.write_str(&self.text),
            false => Quoted(&self.text).fmt(f),
        }
    }
}

/// A text as an argument that is neither `else` nor a group.
pub(super) struct Quoted<'t>(pub &'t str);

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

/// A text between quotes, in any case.
pub(in crate::template) struct QuotedText<'t>(pub &'t str);

impl fmt::Display for QuotedText<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = Quoted(self.0).to_string();
        match text.starts_with('\'') {
            true => f.write_str(&text),
            false => write!(f, "'{text}'"),
        }
    }
}

/// A text that a filter may write: plain, or a group of the match.
#[derive(Clone, Debug)]
pub(super) enum Operand {
    /// Plain text.
    Text(String),
    /// The number of a group, from 0.
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

    /// The name in a sentence.
    pub fn words(&self) -> String {
        match self {
            Self::Text(text) => Quoted(text).to_string(),
            Self::Group(0) => "the whole match".into(),
            Self::Group(number) => format!("group {number}"),
        }
    }
}

/// Why a filter was refused.
pub(crate) enum CallError {
    /// No filter has this name.
    Unknown,
    /// The filter takes other arguments.
    Arguments,
    /// An argument has a fault of its own: this, in words.
    Argument(String),
    /// The pattern has no such group.
    Group(String),
    /// A group where the filter takes plain text.
    NoGroup(String),
}

/// The arguments of one filter, read from left to right.
pub(super) struct Arguments<'a> {
    rest: Iter<'a, Argument>,
    otherwise: Option<&'a Argument>,
    groups: &'a Groups,
    tables: &'a mut dyn Tables,
}

impl<'a> Arguments<'a> {
    /// The arguments of a filter; `takes_else` says that it knows the word `else`.
    pub fn new(
        all: &'a [Argument],
        takes_else: bool,
        groups: &'a Groups,
        tables: &'a mut dyn Tables,
    ) -> Result<Self, CallError> {
        let word = all.iter().position(Argument::is_else);
        let (plain, otherwise) = match word.filter(|_| takes_else) {
            None => (all, None),
            Some(at) => match &all[at..] {
                [_, text] => (&all[..at], Some(text)),
                _ => return Err(CallError::Arguments),
            },
        };
        Ok(Self {
            rest: plain.iter(),
            otherwise,
            groups,
            tables,
        })
    }

    pub fn has_more(&self) -> bool {
        !self.rest.as_slice().is_empty()
    }

    /// The next one, which is plain text.
    pub fn text(&mut self) -> Result<&'a str, CallError> {
        let argument = self.rest.next().ok_or(CallError::Arguments)?;
        match argument.group() {
            Some(_) => Err(CallError::NoGroup(argument.text.clone())),
            None => Ok(&argument.text),
        }
    }

    /// The next one, as `read` understands it.
    pub fn read<T>(&mut self, read: impl FnOnce(&'a str) -> Option<T>) -> Result<T, CallError> {
        read(self.text()?).ok_or(CallError::Arguments)
    }

    /// The next one, a number of characters.
    pub fn count(&mut self) -> Result<usize, CallError> {
        self.read(|text| text.parse().ok())
    }

    /// The next one, a decimal number.
    pub fn number(&mut self) -> Result<Written, CallError> {
        self.read(|text| Written::read(text).ok())
    }

    /// The next one, the path of a table; and the table.
    pub fn table(&mut self) -> Result<Arc<Table>, CallError> {
        let path = self.text()?;
        let table = self.tables.table(path);
        table.map_err(|error| CallError::Argument(error.to_string()))
    }

    /// The next one, a text or a group.
    pub fn operand(&mut self) -> Result<Operand, CallError> {
        let argument = self.rest.next().ok_or(CallError::Arguments)?;
        Operand::new(argument, self.groups)
    }

    /// The one behind `else`.
    pub fn otherwise(&self) -> Result<Option<Operand>, CallError> {
        let read = |argument| Operand::new(argument, self.groups);
        self.otherwise.map(read).transpose()
    }
}
