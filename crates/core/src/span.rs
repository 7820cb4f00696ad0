//! Byte ranges.

/// A range of bytes: `from` counts from 0, `to` is excluded.
///
/// ```
/// use brisk_quill_core::span::Span;
/// let quay = Span::new(4, 8);
/// assert_eq!(&"the quay"[quay.range()], "quay");
/// assert_eq!(quay.shifted(10), Span::new(14, 18));
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Span {
    /// First byte, counted from 0.
    pub from: usize,
    /// One past the last byte.
    pub to: usize,
}

impl Span {
    /// The span `from..to`.
    pub fn new(from: usize, to: usize) -> Self {
        debug_assert!(from <= to);
        Self { from, to }
    }

    /// Number of bytes.
    pub fn len(self) -> usize {
        self.to - self.from
    }

    /// True if it holds no byte.
    pub fn is_empty(self) -> bool {
        self.from == self.to
    }

    /// As a range, for slicing.
    pub fn range(self) -> std::ops::Range<usize> {
        self.from..self.to
    }

    /// The same span, `by` bytes further on.
    pub fn shifted(self, by: usize) -> Self {
        Self::new(self.from + by, self.to + by)
    }
}
