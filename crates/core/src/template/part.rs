//! Parts of a template: plain text and references.

use crate::columns::list::Column;
use crate::span::Span;
use crate::template::filters::Call;

/// A part of a template.
#[derive(Clone, Debug)]
pub(crate) enum Part {
    Text(String),
    Reference { subject: Subject, calls: Vec<Call> },
}

/// The source of a reference's text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Subject {
    /// A group; 0 is the whole match.
    Group(usize),
    /// A text of the template's own.
    Text(String),
    /// The number of the line.
    Line,
    /// The path of the file.
    File,
    /// The name of the file without its folder and its extension.
    Stem,
    /// The number of the match among those taken in the run.
    Number,
    /// The number of the row.
    Row,
    /// Another column of the row.
    Cell(Column),
}

impl Subject {
    /// The name after the `@`; `None` for a group.
    pub(crate) fn at_name(&self) -> Option<&'static str> {
        Some(match self {
            Self::Group(_) | Self::Text(_) => return None,
            Self::Line => "line",
            Self::File => "file",
            Self::Stem => "stem",
            Self::Number => "number",
            Self::Row => "row",
            Self::Cell(_) => "cell",
        })
    }
}

/// Something in a template that is allowed but often not meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TemplateNote {
    /// The group that was understood.
    pub group: usize,
    /// The digits that follow it as plain text.
    pub digits: String,
    /// The place of the reference and the digits in the template.
    pub span: Span,
}

/// Adds plain text, keeping neighbouring text in one part.
pub(crate) fn push_text(parts: &mut Vec<Part>, text: &str) {
    match parts.last_mut() {
        Some(Part::Text(last)) => last.push_str(text),
        _ if text.is_empty() => {}
        _ => parts.push(Part::Text(text.to_owned())),
    }
}
