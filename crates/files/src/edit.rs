//! A change of a file that is being evaluated.

use brisk_quill_core::rewrite::hunk::HunkEdit;
use std::borrow::Cow;

/// A change as text and on disk.
pub struct FileEdit<'p> {
    /// As text.
    pub text: HunkEdit<'p>,
    /// First byte on disk, from 0.
    pub from: u64,
    /// One past the last byte.
    pub to: u64,
    /// The bytes that are there.
    pub before: &'p [u8],
    /// The bytes that will.
    pub after: Cow<'p, [u8]>,
}
