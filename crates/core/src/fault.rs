//! Evidence that errors about the user's text carry.

use crate::span::Span;

/// An error about a place in the user's text.
///
/// ```
/// use brisk_quill_core::fault::Fault;
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// let error = Pattern::new("berth (", &MatchOptions::default()).expect_err("no end");
/// assert_eq!(error.span().map(|span| span.range()), Some(6..7));
/// assert!(error.remedy().is_some());
/// ```
pub trait Fault: std::error::Error {
    /// The bytes at fault in the text that was parsed, from 0, end excluded.
    fn span(&self) -> Option<Span>;
    /// The remedy, as one sentence.
    fn remedy(&self) -> Option<String>;
}
