//! A line of text being typed: a cursor among what a reader sees as characters.

use unicode_segmentation::UnicodeSegmentation;

/// The effect of an action in an input line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Edit {
    Insert(String),
    Backspace,
    Delete,
    Left,
    Right,
    Home,
    End,
}

/// Text with a cursor.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Editor {
    before: String,
    after: String,
}

impl Editor {
    /// The cursor stands behind the text.
    pub fn new(text: &str) -> Self {
        Self {
            before: text.to_owned(),
            after: String::new(),
        }
    }

    pub fn text(&self) -> String {
        format!("{}{}", self.before, self.after)
    }

    /// The text before the cursor, under it, and after it.
    pub fn parts(&self) -> (&str, &str, &str) {
        let under = self.after.graphemes(true).next().unwrap_or_default();
        (&self.before, under, &self.after[under.len()..])
    }

    pub fn edit(&mut self, edit: Edit) {
        match edit {
            Edit::Insert(text) => self.before.push_str(&text),
            Edit::Backspace => {
                let length = self.last_before();
                self.before.truncate(length);
            }
            Edit::Delete => {
                let length = self.parts().1.len();
                self.after.drain(..length);
            }
            Edit::Left => {
                let moved = self.before.split_off(self.last_before());
                self.after.insert_str(0, &moved);
            }
            Edit::Right => {
                let length = self.parts().1.len();
                let moved: String = self.after.drain(..length).collect();
                self.before.push_str(&moved);
            }
            Edit::Home => {
                self.after.insert_str(0, &self.before);
                self.before.clear();
            }
            Edit::End => {
                let moved = std::mem::take(&mut self.after);
                self.before.push_str(&moved);
            }
        }
    }

    /// The start of the character before the cursor.
    fn last_before(&self) -> usize {
        let last = self.before.grapheme_indices(true).next_back();
        last.map_or(0, |(at, _)| at)
    }
}
