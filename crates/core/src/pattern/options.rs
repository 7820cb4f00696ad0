//! Options of patterns.

/// The way a pattern is read.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// let options = MatchOptions { literal: true, ..MatchOptions::default() };
/// let pattern = Pattern::new("1.93", &options).expect("plain text");
/// assert_eq!(pattern.finder().is_match(b"1,93"), Ok(false));
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct MatchOptions {
    /// Letter case does not matter.
    pub ignore_case: bool,
    /// No word character may stand right before or right after a match.
    pub whole_word: bool,
    /// The pattern is plain text: no sign in it has a meaning.
    pub literal: bool,
    /// A match must span the whole unit.
    pub entire: bool,
    /// `^` and `$` match at every line of the unit, and not only at its ends.
    ///
    /// `$` then precedes `\n`, before `\r\n`, and also before a lone `\r`.
    pub multi_line: bool,
}
