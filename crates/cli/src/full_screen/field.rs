//! Text being typed: a cursor among what a reader sees as characters, and all edits to go back on.

use unicode_segmentation::UnicodeSegmentation;

/// The effect of a key in a field.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Edit {
    Insert(String),
    Backspace,
    Delete,
    /// Deletes back to the start of the word before the cursor.
    DeleteWord,
    /// Deletes all before the cursor.
    DeleteToStart,
    Left,
    Right,
    WordLeft,
    WordRight,
    Home,
    End,
    /// To the line above, or below, in the same column where that is as long.
    LineUp,
    LineDown,
    LineStart,
    LineEnd,
    Undo,
    Redo,
}

/// Text with a cursor.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Field {
    text: String,
    /// The cursor precedes this byte.
    at: usize,
    done: Vec<Change>,
    undone: Vec<Change>,
}

/// A change of the text.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Change {
    at: usize,
    removed: String,
    inserted: String,
}

impl Field {
    /// The cursor follows the text.
    pub fn new(text: &str) -> Self {
        Self {
            text: text.to_owned(),
            at: text.len(),
            ..Self::default()
        }
    }

    pub fn text(&self) -> &str {
        &self.text
    }

    /// The cursor precedes this byte of the text.
    pub fn cursor(&self) -> usize {
        self.at
    }

    /// The text before the cursor, under it, and after it.
    pub fn parts(&self) -> (&str, &str, &str) {
        let (before, after) = self.text.split_at(self.at);
        let under = after.graphemes(true).next().unwrap_or_default();
        (before, under, &after[under.len()..])
    }

    /// Puts another text in the place of all of it, which can be undone.
    pub fn set(&mut self, text: &str) {
        if text != self.text {
            self.change(0..self.text.len(), text);
        }
    }

    pub fn edit(&mut self, edit: Edit) {
        match edit {
            Edit::Insert(text) => self.change(self.at..self.at, &text),
            Edit::Backspace => self.change(self.before()..self.at, ""),
            Edit::Delete => self.change(self.at..self.after(), ""),
            Edit::DeleteWord => self.change(self.word_before()..self.at, ""),
            Edit::DeleteToStart => self.change(0..self.at, ""),
            Edit::Left => self.at = self.before(),
            Edit::Right => self.at = self.after(),
            Edit::WordLeft => self.at = self.word_before(),
            Edit::WordRight => self.at = self.word_after(),
            Edit::Home => self.at = 0,
            Edit::End => self.at = self.text.len(),
            Edit::LineUp => {
                if let Some(end) = self.line_start(self.at).checked_sub(1) {
                    self.at = self.same_column(end);
                }
            }
            Edit::LineDown => {
                let end = self.line_end(self.at);
                if end < self.text.len() {
                    self.at = self.same_column(self.line_end(end + 1));
                }
            }
            Edit::LineStart => self.at = self.line_start(self.at),
            Edit::LineEnd => self.at = self.line_end(self.at),
            Edit::Undo => {
                if let Some(change) = self.done.pop() {
                    let inserted = change.at..change.at + change.inserted.len();
                    self.text.replace_range(inserted, &change.removed);
                    self.at = change.at + change.removed.len();
                    self.undone.push(change);
                }
            }
            Edit::Redo => {
                if let Some(change) = self.undone.pop() {
                    let removed = change.at..change.at + change.removed.len();
                    self.text.replace_range(removed, &change.inserted);
                    self.at = change.at + change.inserted.len();
                    self.done.push(change);
                }
            }
        }
    }

    fn change(&mut self, range: std::ops::Range<usize>, inserted: &str) {
        if range.is_empty() && inserted.is_empty() {
            return;
        }
        let change = Change {
            at: range.start,
            removed: self.text[range.clone()].to_owned(),
            inserted: inserted.to_owned(),
        };
        self.text.replace_range(range, inserted);
        self.at = change.at + inserted.len();
        self.done.push(change);
        self.undone.clear();
    }

    /// The start of the line that `at` lies in.
    fn line_start(&self, at: usize) -> usize {
        self.text[..at].rfind('\n').map_or(0, |at| at + 1)
    }

    /// The end of the line that `at` lies in.
    fn line_end(&self, at: usize) -> usize {
        let end = self.text[at..].find('\n');
        end.map_or(self.text.len(), |length| at + length)
    }

    /// The place in the column of the cursor on another line, which ends at `end`.
    fn same_column(&self, end: usize) -> usize {
        let column = self.text[self.line_start(self.at)..self.at]
            .graphemes(true)
            .count();
        let start = self.line_start(end);
        let mut characters = self.text[start..end].grapheme_indices(true);
        characters.nth(column).map_or(end, |(at, _)| start + at)
    }

    /// The start of the character before the cursor.
    fn before(&self) -> usize {
        let last = self.text[..self.at].grapheme_indices(true).next_back();
        last.map_or(0, |(at, _)| at)
    }

    /// The end of the character under the cursor.
    fn after(&self) -> usize {
        self.at + self.parts().1.len()
    }

    fn word_before(&self) -> usize {
        let mut words = self.text[..self.at].unicode_word_indices();
        words.next_back().map_or(0, |(at, _)| at)
    }

    fn word_after(&self) -> usize {
        let mut words = self.text[self.at..].unicode_word_indices();
        let end = |(at, word): (usize, &str)| self.at + at + word.len();
        words.next().map_or(self.text.len(), end)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn edits() -> impl Strategy<Value = Edit> {
        prop_oneof![
            4 => "[a b\u{e9}\u{301}(]{1,3}".prop_map(Edit::Insert),
            1 => Just(Edit::Backspace),
            1 => Just(Edit::Delete),
            1 => Just(Edit::DeleteWord),
            1 => Just(Edit::DeleteToStart),
            1 => Just(Edit::Left),
            1 => Just(Edit::Right),
            1 => Just(Edit::WordLeft),
            1 => Just(Edit::WordRight),
            1 => Just(Edit::Home),
            1 => Just(Edit::End),
            1 => Just(Edit::Insert("\n".into())),
            1 => Just(Edit::LineUp),
            1 => Just(Edit::LineDown),
            1 => Just(Edit::LineStart),
            1 => Just(Edit::LineEnd),
        ]
    }

    proptest! {
        /// Undoing every edit gives the first text, redoing them all the last one.
        #[test]
        fn all_typing_can_be_undone(edits in prop::collection::vec(edits(), 0..40)) {
            let mut field = Field::new("berth");
            for edit in edits {
                field.edit(edit);
                let (before, under, after) = field.parts();
                prop_assert_eq!(format!("{before}{under}{after}"), field.text());
            }
            let last = field.text().to_owned();
            let changes = field.done.len();
            for _ in 0..changes + 1 {
                field.edit(Edit::Undo);
            }
            prop_assert_eq!(field.text(), "berth");
            for _ in 0..changes + 1 {
                field.edit(Edit::Redo);
            }
            prop_assert_eq!(field.text(), last);
        }
    }

    /// Edits a field, one after the other; after each stand the texts before and after the cursor.
    fn edited(text: &str, cases: &[(Edit, &str, &str)]) {
        let mut field = Field::new(text);
        for (edit, before, after) in cases {
            field.edit(edit.clone());
            let (at, text) = (field.cursor(), field.text());
            assert_eq!((&text[..at], &text[at..]), (*before, *after), "{edit:?}");
        }
    }

    /// Going down a line and up again leads back to a line, and to the end of a shorter one.
    #[test]
    fn lines_are_passed() {
        let cases = [
            (Edit::LineUp, "berth 4\nB", "\n\u{e9}\u{301}quay"),
            (Edit::LineUp, "b", "erth 4\nB\n\u{e9}\u{301}quay"),
            (Edit::LineUp, "b", "erth 4\nB\n\u{e9}\u{301}quay"),
            (Edit::LineEnd, "berth 4", "\nB\n\u{e9}\u{301}quay"),
            (Edit::LineDown, "berth 4\nB", "\n\u{e9}\u{301}quay"),
            (Edit::LineDown, "berth 4\nB\n\u{e9}\u{301}", "quay"),
            (Edit::LineDown, "berth 4\nB\n\u{e9}\u{301}", "quay"),
            (Edit::LineStart, "berth 4\nB\n", "\u{e9}\u{301}quay"),
        ];
        edited("berth 4\nB\n\u{e9}\u{301}quay", &cases);
    }

    #[test]
    fn words_are_passed() {
        let cases = [
            (Edit::WordLeft, "closed ", "berth"),
            (Edit::WordLeft, "", "closed berth"),
            (Edit::WordRight, "closed", " berth"),
            (Edit::DeleteWord, "", " berth"),
            (Edit::End, " berth", ""),
            (Edit::DeleteWord, " ", ""),
            (Edit::Undo, " berth", ""),
            (Edit::DeleteToStart, "", ""),
        ];
        edited("closed berth", &cases);
    }
}
