//! The replacement text with its references to groups.
//!
//! A [`Template`] is parsed once against the groups of its pattern, so that a reference to a
//! group that does not exist, or a filter with the wrong arguments, is an error before any text
//! is looked at.
//!
//! A new filter is one entry: see [`filters`].

pub mod error;
pub mod filters;
pub mod parse;
pub mod part;
pub mod tables;

use crate::columns::list::Column;
use crate::columns::row::Row;
use crate::pattern::groups::Groups;
use crate::pattern::matches::GroupSpans;
use crate::span::Span;
use crate::template::error::TemplateError;
use crate::template::filters::argument::QuotedText;
use crate::template::filters::filter::Setting;
use crate::template::filters::{Call, FilterProblem};
use crate::template::part::{Part, Subject, TemplateNote, push_text};
use crate::template::tables::{NoTables, Tables};
use std::borrow::Cow;
use std::cell::Cell;
use std::fmt;
use std::path::Path;

/// A parsed replacement text.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::template::Template;
/// let pattern = Pattern::new(r"(?P<name>\w+) (\d+)", &MatchOptions::default())?;
/// let template = Template::parse("${2|pad 3}: $name", pattern.groups())?;
/// assert_eq!(template.to_string(), "${2 | pad 3}: ${1}");
/// # Ok::<(), brisk_quill_core::error::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Template {
    source: String,
    parts: Vec<Part>,
    notes: Vec<TemplateNote>,
    /// The place of the first reference to a row or a cell.
    of_row: Option<Span>,
}

/// The context in which a template is expanded.
#[derive(Clone, Copy, Debug)]
pub struct MatchContext<'t> {
    /// The unit the match lies in.
    pub unit: &'t [u8],
    /// The groups of the match as spans of the unit, the whole match first; `None` took no part.
    pub groups: GroupSpans<'t>,
    /// The number of the unit's line in the text the step sees, from 1.
    pub line: u64,
    /// The path of the file, `-` for standard input.
    pub file: &'t Path,
    /// The number of the match among those taken in the run, from 1.
    pub count: u64,
    /// The row it lies in, where there are rows.
    pub row: Option<&'t Row<'t>>,
}

impl Template {
    /// Parses `text` for a pattern with these groups, without tables for `map`.
    ///
    /// # Errors
    ///
    /// An unknown group, filter or escape, a lone `$`, or braces that are not closed.
    pub fn parse(text: &str, groups: &Groups) -> Result<Self, TemplateError> {
        Self::parse_with(text, groups, &mut NoTables)
    }

    /// Parses `text`; the tables of `map` come from `tables`.
    ///
    /// # Errors
    ///
    /// As [`Template::parse`], and when a table cannot be had.
    pub fn parse_with(
        text: &str,
        groups: &Groups,
        tables: &mut dyn Tables,
    ) -> Result<Self, TemplateError> {
        let parsed = parse::template(text, groups, tables)?;
        Ok(Self {
            source: text.to_owned(),
            parts: parsed.parts,
            notes: parsed.notes,
            of_row: parsed.of_row,
        })
    }

    /// The template that writes exactly `text`: no sign in it has a meaning.
    pub fn literal(text: &str) -> Self {
        let mut parts = Vec::new();
        push_text(&mut parts, text);
        Self {
            source: text.to_owned(),
            parts,
            notes: Vec::new(),
            of_row: None,
        }
    }

    /// The template as it was written.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// True if expanding it needs any group besides the whole match.
    pub fn needs_groups(&self) -> bool {
        self.parts.iter().any(|part| match part {
            Part::Reference { subject, calls } => {
                matches!(subject, Subject::Group(n) if *n > 0)
                    || calls.iter().any(Call::needs_groups)
            }
            Part::Text(_) => false,
        })
    }

    /// True if it writes anything but its own text.
    pub fn refers(&self) -> bool {
        let is_reference = |part: &Part| matches!(part, Part::Reference { .. });
        self.parts.iter().any(is_reference)
    }

    /// The groups that it refers to, in order, those in arguments of filters left out; 0 is the whole match.
    pub fn groups(&self) -> impl Iterator<Item = usize> {
        self.parts.iter().filter_map(|part| match part {
            Part::Reference {
                subject: Subject::Group(number),
                ..
            } => Some(*number),
            Part::Reference { .. } | Part::Text(_) => None,
        })
    }

    /// The texts between its references, in order.
    pub fn texts(&self) -> impl Iterator<Item = &str> {
        self.parts.iter().filter_map(|part| match part {
            Part::Text(text) => Some(text.as_str()),
            Part::Reference { .. } => None,
        })
    }

    /// True if an argument of a filter in it is a group besides the whole match.
    pub fn has_groups_in_filters(&self) -> bool {
        self.parts.iter().any(|part| match part {
            Part::Reference { calls, .. } => calls.iter().any(Call::needs_groups),
            Part::Text(_) => false,
        })
    }

    /// True if it passes anything through filters.
    pub fn has_filters(&self) -> bool {
        self.parts
            .iter()
            .any(|part| matches!(part, Part::Reference { calls, .. } if !calls.is_empty()))
    }

    /// True if it writes how many matches have been taken before.
    pub fn counts(&self) -> bool {
        self.refers_to(&Subject::Number)
    }

    /// True if it writes the number of the line.
    pub(crate) fn writes_line(&self) -> bool {
        self.refers_to(&Subject::Line)
    }

    fn refers_to(&self, wanted: &Subject) -> bool {
        let is_wanted =
            |part: &Part| matches!(part, Part::Reference { subject, .. } if subject == wanted);
        self.parts.iter().any(is_wanted)
    }

    /// True if a filter in it may meet a value that it cannot work on.
    pub(crate) fn can_fail(&self) -> bool {
        self.parts.iter().any(|part| match part {
            Part::Reference { calls, .. } => calls.iter().any(Call::can_fail),
            Part::Text(_) => false,
        })
    }

    /// The columns it takes text from.
    pub(crate) fn columns(&self) -> impl Iterator<Item = &Column> {
        self.parts.iter().filter_map(|part| match part {
            Part::Reference {
                subject: Subject::Cell(column),
                ..
            } => Some(column),
            _ => None,
        })
    }

    /// Makes sure that it asks for no row or cell.
    ///
    /// # Errors
    ///
    /// When it does.
    pub(crate) fn without_rows(&self) -> Result<(), TemplateError> {
        self.of_row
            .map_or(Ok(()), |span| Err(error::no_columns(&self.source, span)))
    }

    /// Constructs in it that are allowed but often not meant.
    pub fn notes(&self) -> &[TemplateNote] {
        &self.notes
    }

    /// The template of one part alone.
    pub(crate) fn of_part(part: &Part) -> Self {
        Self {
            source: String::new(),
            parts: vec![part.clone()],
            notes: Vec::new(),
            of_row: None,
        }
    }

    pub(crate) fn parts(&self) -> &[Part] {
        &self.parts
    }

    /// The paths of the tables it looks values up in, as they are written.
    pub fn table_paths(&self) -> impl Iterator<Item = &str> {
        let calls = self.parts.iter().flat_map(|part| match part {
            Part::Reference { calls, .. } => calls.as_slice(),
            Part::Text(_) => &[],
        });
        calls.filter_map(Call::table_path)
    }

    /// The same template with the path of each table rewritten by `place`.
    #[must_use]
    pub fn with_table_paths(&self, place: impl Fn(&str) -> String) -> Self {
        let mut moved = self.clone();
        for part in &mut moved.parts {
            if let Part::Reference { calls, .. } = part {
                calls.iter_mut().for_each(|call| call.move_table(&place));
            }
        }
        moved.source = moved.to_string();
        moved
    }

    /// Appends the replacement for a match to `out`.
    ///
    /// # Errors
    ///
    /// When a filter cannot work on its value, or the text would be over 1 MiB longer than the
    /// match; `out` is of no use then.
    pub fn expand(
        &self,
        context: &MatchContext<'_>,
        out: &mut Vec<u8>,
    ) -> Result<Expanded, FilterProblem> {
        self.expand_noting(context, out, None)
    }

    /// Each reference in it, in canonical form, with the text that it writes for a match.
    pub fn references(
        &self,
        context: &MatchContext<'_>,
    ) -> Vec<(String, Result<Vec<u8>, FilterProblem>)> {
        let is_reference = |part: &&Part| matches!(part, Part::Reference { .. });
        let written = |part: &Part| {
            let alone = Self::of_part(part);
            let mut text = Vec::new();
            let done = alone.expand(context, &mut text);
            (alone.to_string(), done.map(|_| text))
        };
        self.parts
            .iter()
            .filter(is_reference)
            .map(written)
            .collect()
    }

    /// The same as [`Template::expand`]; notes in `copies` what was copied of the unit: where it begins in `out`, and its
    /// span in the unit.
    pub(crate) fn expand_noting(
        &self,
        context: &MatchContext<'_>,
        out: &mut Vec<u8>,
        mut copies: Option<&mut Vec<(usize, Span)>>,
    ) -> Result<Expanded, FilterProblem> {
        // Most texts are short.
        out.reserve(32);
        let matched = context.groups.get(0);
        let matched = matched.map_or(0, |span| span.range().len());
        let most = out.len() + matched + TEXT_MOST;
        let thousands = Cell::new(false);
        let setting = Setting {
            most: matched + TEXT_MOST,
            // A match holds only valid UTF-8.
            group: &|number| {
                let text = context.value(&Subject::Group(number)).unwrap_or_default();
                String::from_utf8_lossy(&text).into_owned()
            },
            thousands: &thousands,
        };
        for part in &self.parts {
            match part {
                Part::Text(text) => out.extend_from_slice(text.as_bytes()),
                Part::Reference { subject, calls } => {
                    let value = context.value(subject);
                    if let (Some(copies), Subject::Group(number), []) =
                        (&mut copies, subject, &calls[..])
                    {
                        let span = context.groups.get(*number);
                        copies.extend(span.map(|span| (out.len(), span)));
                    }
                    if calls.is_empty() {
                        out.extend_from_slice(value.as_deref().unwrap_or_default());
                    } else {
                        let text = filters::run(calls, value.as_deref(), &setting)?;
                        out.extend_from_slice(text.as_bytes());
                    }
                }
            }
            if out.len() > most {
                return Err(FilterProblem::too_long("the template"));
            }
        }
        Ok(Expanded {
            maybe_thousands: thousands.get(),
        })
    }
}

/// Facts about a text that a template has written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Expanded {
    /// A number was calculated with whose comma may stand between thousands, as in `1,000`.
    pub maybe_thousands: bool,
}

impl<'t> MatchContext<'t> {
    /// The bytes of a subject; `None` is a group that took no part, or a cell that is absent.
    fn value(&self, subject: &Subject) -> Option<Cow<'t, [u8]>> {
        let number = |number: u64| Cow::from(number.to_string().into_bytes());
        Some(match subject {
            Subject::Group(number) => Cow::from(&self.unit[self.groups.get(*number)?.range()]),
            Subject::Text(text) => Cow::from(text.as_bytes().to_vec()),
            Subject::Line => number(self.line),
            Subject::File => Cow::from(self.file.as_os_str().as_encoded_bytes()),
            Subject::Stem => {
                let stem = self.file.file_stem().unwrap_or_default();
                Cow::from(stem.as_encoded_bytes())
            }
            Subject::Number => number(self.count),
            Subject::Row => number(self.row?.number?),
            Subject::Cell(column) => self.row?.value(column)?,
        })
    }
}

/// The most bytes by which the text for a match may be longer than the match.
const TEXT_MOST: usize = 1 << 20;

/// The canonical form: parsed again, it gives the same template.
impl fmt::Display for Template {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for part in &self.parts {
            match part {
                Part::Reference { subject, calls } => {
                    match (subject, subject.at_name()) {
                        (Subject::Group(number), _) => write!(f, "${{{number}")?,
                        (Subject::Text(text), _) => write!(f, "${{{}", QuotedText(text))?,
                        (Subject::Cell(column), _) => {
                            write!(f, "${{@cell {}", parse::ColumnWord(column))?;
                        }
                        (_, name) => write!(f, "${{@{}", name.unwrap_or_default())?,
                    }
                    for call in calls {
                        write!(f, " | {call}")?;
                    }
                    f.write_str("}")?;
                }
                Part::Text(text) => {
                    for c in text.chars() {
                        match c {
                            '$' => f.write_str("$$")?,
                            '\\' => f.write_str("\\\\")?,
                            '\n' => f.write_str("\\n")?,
                            '\r' => f.write_str("\\r")?,
                            '\t' => f.write_str("\\t")?,
                            c if c.is_control() => write!(f, "\\u{{{:X}}}", c as u32)?,
                            c => write!(f, "{c}")?,
                        }
                    }
                }
            }
        }
        Ok(())
    }
}
