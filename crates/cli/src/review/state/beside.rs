//! The text around a change that is being modified: the change is widened into it.

use brisk_quill_core::plan::modified::{Modified, Wider};
use unicode_segmentation::UnicodeSegmentation;

/// The text of the line before and behind a change, up to other changes, and how much of it the change
/// takes in.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Beside {
    /// All text before it that it can take in.
    pub before: String,
    /// All text behind it that it can take in.
    pub after: String,
    /// Bytes that it takes in of the end of the one, and of the start of the other.
    pub taken: (usize, usize),
    /// The same when the typing began.
    pub at_first: (usize, usize),
}

impl Beside {
    /// The text around a change of this many bytes, which may be wider already.
    pub fn new((before, after): (String, String), bytes: usize, wider: Option<&Wider>) -> Self {
        let taken = wider.and_then(|wider| {
            let left = usize::try_from(wider.left).ok()?;
            let right = wider.before.len().checked_sub(left + bytes)?;
            (left <= before.len() && right <= after.len()).then_some((left, right))
        });
        let taken = taken.unwrap_or_default();
        Self {
            before,
            after,
            taken,
            at_first: taken,
        }
    }

    /// The text before the change that it takes in.
    fn left(&self) -> &str {
        &self.before[self.before.len() - self.taken.0..]
    }

    /// The text behind the change that it takes in.
    fn right(&self) -> &str {
        &self.after[..self.taken.1]
    }

    /// Takes in one more character before the change.
    pub fn widen_left(&mut self) -> Option<String> {
        let rest = &self.before[..self.before.len() - self.taken.0];
        let next = rest.graphemes(true).next_back()?.to_owned();
        self.taken.0 += next.len();
        Some(next)
    }

    /// Takes in one more character behind the change.
    pub fn widen_right(&mut self) -> Option<String> {
        let next = self.after[self.taken.1..]
            .graphemes(true)
            .next()?
            .to_owned();
        self.taken.1 += next.len();
        Some(next)
    }

    /// The bytes that were taken in since the typing began.
    pub fn since(&self) -> (usize, usize) {
        (
            self.taken.0.saturating_sub(self.at_first.0),
            self.taken.1.saturating_sub(self.at_first.1),
        )
    }

    /// The new text `value` of a change from `old` bytes; what it took in and left as it is, it does not
    /// hold.
    pub fn modified(&self, old: &[u8], value: &str) -> Modified {
        let (mut left, mut right, mut value) = (self.left(), self.right(), value);
        let common = |a: &str, b: &str| {
            let same = a.chars().zip(b.chars()).take_while(|(a, b)| a == b);
            same.map(|(c, _)| c.len_utf8()).sum::<usize>()
        };
        let head = common(left, value);
        (left, value) = (&left[head..], &value[head..]);
        let same = right.chars().rev().zip(value.chars().rev());
        let tail: usize = same
            .take_while(|(a, b)| a == b)
            .map(|(c, _)| c.len_utf8())
            .sum();
        right = &right[..right.len() - tail];
        value = &value[..value.len() - tail];
        let wider = Wider {
            left: left.len() as u64,
            before: [left.as_bytes(), old, right.as_bytes()].concat(),
        };
        Modified {
            text: value.as_bytes().to_vec(),
            wider: (!left.is_empty() || !right.is_empty()).then_some(wider),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn beside(taken: (usize, usize)) -> Beside {
        Beside {
            before: "lies at ".into(),
            after: " and 9".into(),
            taken,
            at_first: (0, 0),
        }
    }

    /// Text taken in and not changed is not a part of the change.
    #[test]
    fn only_what_changes_is_written() {
        for (taken, value, text, wider) in [
            ((0, 0), "B-7", "B-7", None),
            ((3, 0), "at B-7", "B-7", None),
            ((3, 4), "at B-7 and", "B-7", None),
            ((3, 0), "by B-7", "by B-7", Some((3, "at berth 7"))),
            ((8, 0), "lies by B-7", "by B-7", Some((3, "at berth 7"))),
            ((0, 4), "B-7, ", "B-7, ", Some((0, "berth 7 and"))),
            ((0, 4), "B-7 or", "B-7 or", Some((0, "berth 7 and"))),
            ((1, 1), "B-7", "B-7", Some((1, " berth 7 "))),
        ] {
            let modified = beside(taken).modified(b"berth 7", value);
            let wider = wider.map(|(left, before): (u64, &str)| Wider {
                left,
                before: before.into(),
            });
            assert_eq!(
                modified,
                Modified {
                    text: text.into(),
                    wider
                },
                "{taken:?} {value}"
            );
        }
    }

    #[test]
    fn it_widens_to_the_ends_of_the_line() {
        let mut beside = beside((0, 0));
        let left: Vec<String> = std::iter::from_fn(|| beside.widen_left()).collect();
        assert_eq!(left.concat(), " ta seil");
        assert_eq!(beside.widen_right().as_deref(), Some(" "));
        assert_eq!(beside.since(), (8, 1));
    }
}
