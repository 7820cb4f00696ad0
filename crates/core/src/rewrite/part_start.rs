//! Starts of the parts of a text.

use crate::unit::{ending_before, line_ends};

/// The start of a part of a text: a line.
///
/// ```
/// use brisk_quill_core::rewrite::part_start::PartStart;
/// let second = PartStart::of_text(0).behind(b"quay 1\nquay 2\n");
/// assert_eq!((second.offset, second.line), (14, 3));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PartStart {
    /// The offset in the file, in bytes from 0.
    pub offset: u64,
    /// The number of its first line, from 1.
    pub line: u64,
    /// The line end before it; `\n` at the start of the text.
    pub(crate) ending: &'static [u8],
}

impl PartStart {
    /// The start of a text that lies `offset` bytes into its file.
    pub fn of_text(offset: u64) -> Self {
        Self {
            offset,
            line: 1,
            ending: b"\n",
        }
    }

    /// Behind a part of whole lines that begins here.
    #[must_use]
    pub fn behind(self, lines: &[u8]) -> Self {
        Self {
            offset: self.offset + lines.len() as u64,
            line: self.line + line_ends(lines),
            ending: ending_before(lines, self.ending),
        }
    }
}
