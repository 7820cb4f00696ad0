//! Values of JSON where they lie.

use crate::span::Span;

/// The kind of a value of JSON.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Text,
    Number,
    /// `true`, `null`, an object …
    Other,
}

/// A value that a pointer leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Token {
    /// The pointer, each `-` become the number of an element.
    pub pointer: String,
    /// The place in the record, its quotes included.
    pub span: Span,
    /// The kind.
    pub kind: Kind,
}

/// The kind of a value, by its first character.
pub(crate) fn kind(value: &str) -> Kind {
    match value.as_bytes().first() {
        Some(b'"') => Kind::Text,
        Some(b'-' | b'0'..=b'9') => Kind::Number,
        _ => Kind::Other,
    }
}
