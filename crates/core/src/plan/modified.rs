//! Text that is written instead of what a rewrite made.

/// The new text of a modified change, as it is on disk.
///
/// ```
/// use brisk_quill_core::plan::modified::Modified;
/// assert_eq!(Modified::of(b"B-7".to_vec()).wider, None);
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Modified {
    /// The text.
    pub text: Vec<u8>,
    /// The range that it comes to, where that is not the one of the change.
    pub wider: Option<Wider>,
}

/// A range around that of a change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Wider {
    /// The bytes that it begins before the change.
    pub left: u64,
    /// All bytes that are there now.
    pub before: Vec<u8>,
}

impl Modified {
    /// A text in the place of the change.
    pub fn of(text: Vec<u8>) -> Self {
        Self { text, wider: None }
    }
}
