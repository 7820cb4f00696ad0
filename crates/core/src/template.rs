//! The replacement text with its references to groups.
//!
//! A [`Template`] is parsed once against the groups of its pattern, so that a reference to a
//! group that does not exist is an error before any text is looked at.

mod parse;

pub use parse::{TemplateError, TemplateErrorKind};

use crate::{Groups, Span};
use std::fmt;

/// A parsed replacement text.
///
/// ```
/// use brisk_quill_core::{MatchOptions, Pattern, Template};
/// let pattern = Pattern::new(r"(?P<name>\w+) (\d+)", &MatchOptions::default())?;
/// let template = Template::parse("${2}: $name", pattern.groups())?;
/// assert_eq!(template.to_string(), "${2}: ${1}");
/// # Ok::<(), brisk_quill_core::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Template {
    source: String,
    parts: Vec<Part>,
    notes: Vec<TemplateNote>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Part {
    Text(String),
    Group(usize),
}

/// Something in a template that is allowed but often not meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TemplateNote {
    /// The group that was understood.
    pub group: usize,
    /// The digits that follow it as plain text.
    pub digits: String,
    /// Where the reference and the digits stand in the template.
    pub span: Span,
}

impl Template {
    /// Parses `text` for a pattern with these groups.
    ///
    /// # Errors
    ///
    /// An unknown group or escape, a lone `$`, or braces that are not closed.
    pub fn parse(text: &str, groups: &Groups) -> Result<Self, TemplateError> {
        parse::template(text, groups)
    }

    /// The template that writes exactly `text`: no sign in it has a meaning.
    pub fn literal(text: &str) -> Self {
        let mut parts = Vec::new();
        push_text(&mut parts, text);
        Self {
            source: text.to_owned(),
            parts,
            notes: Vec::new(),
        }
    }

    /// The template as it was written.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// Whether expanding it needs any group besides the whole match.
    pub fn needs_groups(&self) -> bool {
        self.parts
            .iter()
            .any(|part| matches!(part, Part::Group(n) if *n > 0))
    }

    /// What is allowed in it but often not meant.
    pub fn notes(&self) -> &[TemplateNote] {
        &self.notes
    }

    /// Appends the replacement for a match to `out`.
    ///
    /// `groups` holds the spans in `unit`, the whole match first; a group that took no part
    /// writes nothing.
    pub fn expand(&self, unit: &[u8], groups: &[Option<Span>], out: &mut Vec<u8>) {
        for part in &self.parts {
            match part {
                Part::Text(text) => out.extend_from_slice(text.as_bytes()),
                Part::Group(number) => {
                    if let Some(span) = groups[*number] {
                        out.extend_from_slice(&unit[span.range()]);
                    }
                }
            }
        }
    }
}

/// Adds plain text, keeping neighbouring text in one part.
fn push_text(parts: &mut Vec<Part>, text: &str) {
    match parts.last_mut() {
        Some(Part::Text(last)) => last.push_str(text),
        _ if text.is_empty() => {}
        _ => parts.push(Part::Text(text.to_owned())),
    }
}

/// The canonical form: parsed again, it gives the same template.
impl fmt::Display for Template {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for part in &self.parts {
            match part {
                Part::Group(number) => write!(f, "${{{number}}}")?,
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
