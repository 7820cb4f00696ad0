//! Why a template is refused, and the remedies.

use crate::fault::Fault;
use crate::nearest::alike;
use crate::pattern::groups::Groups;
use crate::span::Span;
use crate::template::filters;
use crate::template::filters::argument::CallError;

/// Why a template was refused, and where.
///
/// ```
/// use brisk_quill_core::fault::Fault;
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::template::Template;
/// let pattern = Pattern::new(r"(\d+)", &MatchOptions::default()).expect("a pattern");
/// let error = Template::parse("B-$2", pattern.groups()).expect_err("one group");
/// assert_eq!(error.to_string(), "the pattern has no group 2");
/// assert_eq!(error.span().map(|span| span.range()), Some(2..4));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{kind}")]
pub struct TemplateError {
    pub(super) kind: TemplateErrorKind,
    pub(super) span: Span,
    pub(super) remedy: String,
}

/// The exact mistake in a template.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum TemplateErrorKind {
    /// A group the pattern does not have.
    #[error("the pattern has no group {0}")]
    UnknownGroup(String),
    /// A `$` that begins no reference.
    #[error("a `$` must be followed by a group")]
    LoneDollar,
    /// A backslash and a sign that mean nothing together.
    #[error("`{0}` is not an escape of a template")]
    UnknownEscape(String),
    /// `\u{…}` without a character of that code.
    #[error("this is not a character")]
    NoSuchCharacter,
    /// `${` without `}`.
    #[error("this brace is never closed")]
    Unclosed,
    /// Braces around something that is not a reference.
    #[error("`{0}` is not a reference")]
    BadReference(String),
    /// A reference to a column where there are none.
    #[error("`@{0}` needs columns, and this request has none")]
    NoColumns(String),
    /// A filter that there is not.
    #[error("there is no filter `{0}`")]
    UnknownFilter(String),
    /// A filter with arguments that it does not take.
    #[error("`{0}` does not take these arguments")]
    Arguments(String),
    /// An argument with a fault of its own.
    #[error("{0}")]
    Argument(String),
    /// Quotes that are not closed.
    #[error("this quote is never closed")]
    UnclosedQuote,
}

impl TemplateError {
    /// The exact mistake.
    pub fn kind(&self) -> &TemplateErrorKind {
        &self.kind
    }
}

impl Fault for TemplateError {
    fn span(&self) -> Option<Span> {
        Some(self.span)
    }

    fn remedy(&self) -> Option<String> {
        Some(self.remedy.clone())
    }
}

/// A reference to a row, or a cell, where there is none.
pub(super) fn no_columns(source: &str, span: Span) -> TemplateError {
    let name = source[span.range()].trim_start_matches('@');
    TemplateError {
        kind: TemplateErrorKind::NoColumns(name.to_owned()),
        span,
        remedy: "say with `--columns` where the pattern is tried; without columns there are \
                 `@line` and the groups of the pattern"
            .into(),
    }
}

/// A filter called `name` that was refused; `spans` are those of the name and of the whole call.
pub(super) fn refused_call(
    error: CallError,
    name: &str,
    (name_span, call): (Span, Span),
    groups: &Groups,
) -> TemplateError {
    let filter = filters::all().find(|filter| filter.name == name);
    let (kind, span, remedy) = match error {
        CallError::Unknown => (
            TemplateErrorKind::UnknownFilter(name.to_owned()),
            name_span,
            filter_remedy(name),
        ),
        CallError::Arguments => (
            TemplateErrorKind::Arguments(name.to_owned()),
            call,
            match filter.map_or("", |filter| filter.arguments) {
                "" => format!("`{name}` takes none"),
                takes => format!("write `{name} {takes}`"),
            },
        ),
        CallError::Argument(message) => (
            TemplateErrorKind::Argument(message),
            call,
            format!("correct the argument of `{name}`"),
        ),
        CallError::NoGroup(text) => (
            TemplateErrorKind::Argument(format!(
                "`{name}` takes plain text, and `{text}` is a group"
            )),
            call,
            format!("write `'{text}'` between quotes if that text is meant"),
        ),
        CallError::Group(group) => (
            TemplateErrorKind::UnknownGroup(group.clone()),
            call,
            group_remedy(&group, groups),
        ),
    };
    TemplateError { kind, span, remedy }
}

/// `${` at `start` without `}`.
pub(super) fn unclosed(start: usize) -> TemplateError {
    TemplateError {
        kind: TemplateErrorKind::Unclosed,
        span: Span::new(start, start + 2),
        remedy: "close it with `}`, or write `$$` for a dollar sign".into(),
    }
}

/// The remedy for an unknown filter.
fn filter_remedy(wanted: &str) -> String {
    let names = filters::all().map(|filter| filter.name);
    match alike(wanted, names.clone()) {
        Some(name) => format!("did you mean `{name}`? `bquill explain` lists all filters"),
        None => format!("there are {}", names.collect::<Vec<_>>().join(", ")),
    }
}

/// The remedy for an unknown group.
pub(super) fn group_remedy(wanted: &str, groups: &Groups) -> String {
    if let Some(name) = alike(wanted, groups.names()) {
        return format!("did you mean `${name}`?");
    }
    match groups.len() - 1 {
        0 => "put parentheses in the pattern around the text to reuse, \
              or use `$0` for the whole match"
            .into(),
        1 => "there is one group: use `$1`, or `$0` for the whole match".into(),
        n => format!("there are groups 1 to {n}, and `$0` for the whole match"),
    }
}
