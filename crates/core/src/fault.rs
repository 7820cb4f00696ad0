//! Evidence that errors about the user's text carry.

use crate::span::Span;

/// An error about a place in the user's text.
pub trait Fault: std::error::Error {
    /// The bytes at fault in the text that was parsed, from 0, end excluded.
    fn span(&self) -> Option<Span>;
    /// The remedy, as one sentence.
    fn remedy(&self) -> Option<String>;
}
