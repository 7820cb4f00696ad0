//! Text whose pieces carry labels; what a label looks like is decided by who paints it.
//!
//! It is also the gate for whatever a person is shown: text from files, names and requests of others becomes
//! a [`Labelled`] before it is printed, and what becomes one drives no terminal.

use brisk_quill_core::escape::push_gated;
use std::fmt;
use std::ops::Range;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// The label of a piece of output.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// The name of a file.
    Path,
    /// Line numbers and labels.
    Quiet,
    /// A match.
    Match,
    /// A line that leads the eye.
    Guide,
    /// The name of a hint.
    Hint,
    /// The fault, and its place.
    Problem,
    /// Text that goes.
    Was,
    /// Text that comes.
    Now,
    /// An edge of a marked part, which is always shown.
    Edge,
    /// An edge of a marked part that stands out by itself where there are colours.
    PlainEdge,
}

/// Text in pieces, each with a label or without.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Labelled {
    text: String,
    /// The labels of pieces as ranges of bytes, in order and disjoint; what lies between has none.
    labels: Vec<(Range<usize>, Role)>,
}

impl Labelled {
    /// Appends text without a label.
    pub fn push_str(&mut self, text: &str) {
        push_gated(&mut self.text, text);
    }

    /// Appends a character without a label.
    pub fn push(&mut self, c: char) {
        self.push_str(c.encode_utf8(&mut [0; 4]));
    }

    /// Appends text with a label.
    pub fn put(&mut self, role: Role, text: &str) {
        if text.is_empty() {
            return;
        }
        let from = self.text.len();
        push_gated(&mut self.text, text);
        self.labels.push((from..self.text.len(), role));
    }

    /// Appends text with its labels.
    pub fn append(&mut self, other: &Self) {
        let before = self.text.len();
        self.text.push_str(&other.text);
        let moved = |(range, role): &(Range<usize>, Role)| {
            (range.start + before..range.end + before, *role)
        };
        self.labels.extend(other.labels.iter().map(moved));
    }

    /// The same in lines of at most `width` columns, broken between words; what follows stands two columns further in. A line
    /// with a mark of its place below it stays whole, and so does a command, which may be copied.
    pub fn wrapped(&self, width: usize) -> Self {
        let mut out = Self::default();
        let mut lines = self.text.split_inclusive('\n').peekable();
        let mut at = 0;
        while let Some(line) = lines.next() {
            let is_placed = |next: &&str| next.trim_start().starts_with(PLACE);
            let is_command = line.trim_start().starts_with("bquill ");
            let whole = is_command || lines.peek().is_some_and(is_placed);
            let indent = line.len() - line.trim_start_matches(' ').len() + 2;
            let part = at..at + line.len();
            at = part.end;
            match whole {
                true => self.copy(part, &mut out),
                false => self.copy_in_rows(
                    part,
                    [width, width.saturating_sub(indent)],
                    indent,
                    &mut out,
                ),
            }
        }
        out
    }

    /// The same as one line that stands to the right of something else: its rows have at most `width` columns, and each but
    /// the first begins with `indent` blanks.
    pub fn hanging(&self, width: usize, indent: usize) -> Self {
        let mut out = Self::default();
        self.copy_in_rows(0..self.text.len(), [width, width], indent, &mut out);
        out
    }

    /// Appends a part of the text to `out` in rows of at most this many columns: the first, and each other.
    fn copy_in_rows(
        &self,
        part: Range<usize>,
        [first, others]: [usize; 2],
        indent: usize,
        out: &mut Self,
    ) {
        let (mut from, mut room) = (part.start, first);
        while let Some(cut) = break_in(&self.text[from..part.end], room) {
            self.copy(from..from + cut, out);
            out.push_str(&format!("\n{:indent$}", ""));
            let rest = &self.text[from + cut..part.end];
            from = part.end - rest.trim_start_matches(' ').len();
            room = others;
        }
        self.copy(from..part.end, out);
    }

    /// Appends a part of the text to `out`, with its labels.
    fn copy(&self, part: Range<usize>, out: &mut Self) {
        let moved = |at: usize| at.clamp(part.start, part.end) - part.start + out.text.len();
        let labels = self.labels.iter();
        let within = labels.filter(|(range, _)| range.start < part.end && range.end > part.start);
        let labels: Vec<_> = within
            .map(|(range, role)| (moved(range.start)..moved(range.end), *role))
            .collect();
        out.text.push_str(&self.text[part]);
        out.labels.extend(labels);
    }

    /// True if it holds no text.
    pub fn is_empty(&self) -> bool {
        self.text.is_empty()
    }

    /// The pieces, in order, each with its label.
    pub fn pieces(&self) -> impl Iterator<Item = (Option<Role>, &str)> {
        let mut at = 0;
        let labelled = self.labels.iter().flat_map(move |(range, role)| {
            let before = at..range.start;
            at = range.end;
            [(None, before), (Some(*role), range.clone())]
        });
        let last = self.labels.last().map_or(0, |(range, _)| range.end);
        let all = labelled.chain([(None, last..self.text.len())]);
        let texts = all.map(|(role, range)| (role, &self.text[range]));
        texts.filter(|(_, text)| !text.is_empty())
    }
}

/// Begins a line that marks a place in the one above.
const PLACE: char = '‾';

/// The byte before which a line is broken to fit in `room` columns: at a blank, and where that can be, outside of what is
/// quoted; `None` where it fits, or has no blank.
fn break_in(line: &str, room: usize) -> Option<usize> {
    if line.trim_end().width() <= room {
        return None;
    }
    let words = line.len() - line.trim_start_matches(' ').len();
    let (mut used, mut is_quoted) = (0, false);
    let (mut outside, mut anywhere) = (None, None);
    for (at, c) in line.char_indices() {
        is_quoted ^= c == '`';
        if c == ' ' && at > words {
            anywhere = Some(at);
            outside = if is_quoted { outside } else { anywhere };
        }
        used += c.width().unwrap_or(0);
        if used > room && anywhere.is_some() {
            break;
        }
    }
    outside
        .or(anywhere)
        .filter(|at| !line[*at..].trim().is_empty())
}

impl From<&str> for Labelled {
    fn from(text: &str) -> Self {
        let mut labelled = Self::default();
        labelled.push_str(text);
        labelled
    }
}

impl fmt::Write for Labelled {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        self.push_str(text);
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lines_break_between_words() {
        for (text, width, wanted) in [
            ("In 16 files: a word.\n", 12, "In 16 files:\n  a word.\n"),
            (
                "  First in a.txt, line 4. Add it.\n",
                22,
                "  First in a.txt, line\n    4. Add it.\n",
            ),
            ("short\n", 5, "short\n"),
            (
                "a `b c d` becomes `e f`.",
                12,
                "a `b c d`\n  becomes\n  `e f`.",
            ),
            ("inseparable words\n", 5, "inseparable\n  words\n"),
            (
                "  pattern, character 9   ab cd\n      ‾\n",
                12,
                "  pattern, character 9   ab cd\n      ‾\n",
            ),
        ] {
            assert_eq!(Labelled::from(text).wrapped(width).text, wanted, "{text:?}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        /// Only blanks become line ends, words keep their labels, and no line is too long that has a blank to break at.
        #[test]
        fn words_stay(parts in prop::collection::vec(("[a-zé` ]{0,12}\n?", any::<bool>()), 0..8), width in 4usize..30) {
            let mut text = Labelled::default();
            for (part, is_marked) in &parts {
                match is_marked {
                    true => text.put(Role::Now, part),
                    false => text.push_str(part),
                }
            }
            let wrapped = text.wrapped(width);
            let words = |text: &Labelled| {
                let pieces = text.pieces().flat_map(|(role, piece)| {
                    let signs = piece.chars().filter(|c| !c.is_whitespace());
                    signs.map(move |c| (role, c)).collect::<Vec<_>>()
                });
                pieces.collect::<Vec<_>>()
            };
            prop_assert_eq!(words(&wrapped), words(&text));
            for line in wrapped.text.lines().filter(|line| line.trim_end().width() > width) {
                prop_assert!(!line.trim().contains(' '), "{:?}", line);
            }
        }
    }
}
