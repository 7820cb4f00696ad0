//! A part of the data that stands for all of it.

use crate::tokens::shape;
use std::collections::HashMap;

/// The most texts kept.
pub const TEXTS_MOST: usize = 200;
/// The most characters of a text that is kept.
const LENGTH_MOST: usize = 1000;
/// Texts of one shape that are kept, at most, once there are many.
const OF_SHAPE_MOST: usize = 12;

/// A text of the data.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SampleText {
    /// The text.
    pub text: String,
    /// The number of its line, from 1.
    pub line: u64,
    /// True if it was left alone by a hand that changed a later one.
    pub passed_over: bool,
}

/// Texts of the data, in order: the first of each shape, and more of the shapes while there is room.
///
/// ```
/// use brisk_quill_infer::sample::Sample;
/// let mut sample = Sample::default();
/// for line in 1..=1000 {
///     sample.add(&format!("berth {line}"), line, false);
/// }
/// sample.add("roads", 1001, false);
/// assert!(!sample.is_complete());
/// assert!(sample.texts().any(|text| text.text == "roads"));
/// ```
#[derive(Clone, Debug, Default)]
pub struct Sample {
    texts: Vec<SampleText>,
    of_shape: HashMap<String, usize>,
    seen: u64,
}

impl Sample {
    /// Takes a text of the data into account; `line` from 1.
    pub fn add(&mut self, text: &str, line: u64, passed_over: bool) {
        self.seen += 1;
        if text.len() > 4 * LENGTH_MOST || text.chars().count() > LENGTH_MOST {
            return;
        }
        let chars: Vec<char> = text.chars().collect();
        let count = self.of_shape.entry(shape(&chars)).or_default();
        *count += 1;
        if self.texts.len() >= TEXTS_MOST {
            if *count > 1 {
                return;
            }
            // A shape that is new takes the place of the last text of a common one.
            let is_common = |known: &SampleText| {
                let chars: Vec<char> = known.text.chars().collect();
                self.of_shape
                    .get(&shape(&chars))
                    .is_some_and(|count| *count > OF_SHAPE_MOST)
            };
            match self.texts.iter().rposition(is_common) {
                Some(at) => self.texts.remove(at),
                None => return,
            };
        }
        self.texts.push(SampleText {
            text: text.to_owned(),
            line,
            passed_over,
        });
    }

    /// The texts that were kept, in order.
    pub fn texts(&self) -> impl ExactSizeIterator<Item = &SampleText> {
        self.texts.iter()
    }

    /// True if every text was kept.
    pub fn is_complete(&self) -> bool {
        self.texts.len() as u64 == self.seen
    }
}
