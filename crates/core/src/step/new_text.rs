//! The new text of a cell that goes into another column.

use crate::edits::GroupTexts;

/// The new text of a cell on its way into another column.
pub(crate) struct NewText {
    pub text: Vec<u8>,
    pub groups: Option<GroupTexts>,
}

impl NewText {
    pub fn new(text: Vec<u8>, groups: Option<GroupTexts>) -> Self {
        Self { text, groups }
    }

    pub fn text(&self) -> &[u8] {
        &self.text
    }
}
