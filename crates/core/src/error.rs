//! Errors of parsing, and the evidence they carry.

use crate::address::parse::SpecError;
use crate::chars::CharsError;
use crate::columns::list::ColumnsError;
use crate::fault::Fault;
use crate::pattern::syntax::PatternError;
use crate::span::Span;
use crate::template::error::TemplateError;

/// Anything wrong with a request, before any text is looked at.
///
/// Each kind carries where in the user's words it lies ([`Fault::span`]) and what to do about it
/// ([`Fault::remedy`]); how that is drawn is not decided here.
#[derive(Debug, thiserror::Error, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Error {
    /// The pattern does not parse or cannot be used.
    #[error(transparent)]
    Pattern(#[from] PatternError),
    /// The template does not parse or does not fit its pattern.
    #[error(transparent)]
    Template(#[from] TemplateError),
    /// A SPEC of lines, picks or counts does not parse.
    #[error(transparent)]
    Spec(#[from] SpecError),
    /// A set of characters does not parse.
    #[error(transparent)]
    Chars(#[from] CharsError),
    /// A LIST of columns does not parse.
    #[error(transparent)]
    Columns(#[from] ColumnsError),
}

impl Fault for Error {
    fn span(&self) -> Option<Span> {
        match self {
            Self::Pattern(e) => e.span(),
            Self::Template(e) => e.span(),
            Self::Spec(e) => e.span(),
            Self::Chars(e) => e.span(),
            Self::Columns(e) => e.span(),
        }
    }

    fn remedy(&self) -> Option<String> {
        match self {
            Self::Pattern(e) => e.remedy(),
            Self::Template(e) => e.remedy(),
            Self::Spec(e) => e.remedy(),
            Self::Chars(e) => e.remedy(),
            Self::Columns(e) => e.remedy(),
        }
    }
}
