//! The notation for sets of numbers: which lines, which matches, how many.
//!
//! ```text
//! SPEC   = ITEM ("," ITEM)*
//! ITEM   = "all" | POINT | [POINT] ".." [POINT] ["by" N]
//! POINT  = NUMBER | "first" | "last" ["-" N]
//! COUNT  = NUMBER | [NUMBER] ".." [NUMBER]
//! ```
//!
//! Numbers of a SPEC count from 1, those of a COUNT from 0; both ends of a range are included;
//! blanks around signs do not matter. [`Spec`] is what was written, [`Selection`](resolve::Selection) what it means
//! for a text whose length is known.

pub mod parse;
pub mod resolve;

use std::fmt;

/// A set of lines or matches, as written: [the grammar](self).
///
/// ```
/// use brisk_quill_core::address::Spec;
/// let spec: Spec = "1, 4..last-1 by 2".parse()?;
/// assert_eq!(spec.to_string(), "1,4..last-1 by 2");
/// # Ok::<(), brisk_quill_core::address::parse::SpecError>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Spec {
    items: Vec<Item>,
}

/// One item of a [`Spec`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Item {
    Point(Point),
    /// Both ends included; `by` counts from the start of the range.
    Range {
        from: Option<Point>,
        to: Option<Point>,
        by: u64,
    },
}

/// One place of a [`Spec`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Point {
    /// Counted from 1.
    Number(u64),
    /// So many before the last one; 0 is the last.
    BeforeLast(u64),
}

impl Spec {
    /// Every line, or every match.
    pub fn all() -> Self {
        Self {
            items: vec![Item::Range {
                from: None,
                to: None,
                by: 1,
            }],
        }
    }

    /// True if the set holds everything, however much there is.
    pub fn is_all(&self) -> bool {
        *self == Self::all()
    }

    /// True if the number of lines or matches must be known to resolve it.
    ///
    /// A range that ends at `last` simply has no end.
    pub fn needs_total(&self) -> bool {
        let before_last = |p: Option<Point>| matches!(p, Some(Point::BeforeLast(_)));
        self.items.iter().any(|item| match *item {
            Item::Point(p) => before_last(Some(p)),
            Item::Range { from, to, .. } => {
                before_last(from) || (before_last(to) && to != Some(Point::BeforeLast(0)))
            }
        })
    }
}

impl fmt::Display for Spec {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.is_all() {
            return f.write_str("all");
        }
        for (i, item) in self.items.iter().enumerate() {
            if i > 0 {
                f.write_str(",")?;
            }
            item.fmt(f)?;
        }
        Ok(())
    }
}

impl fmt::Display for Item {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Point(p) => p.fmt(f),
            Self::Range { from, to, by } => {
                if let Some(p) = from {
                    p.fmt(f)?;
                }
                f.write_str("..")?;
                if let Some(p) = to {
                    p.fmt(f)?;
                }
                if *by != 1 {
                    write!(f, " by {by}")?;
                }
                Ok(())
            }
        }
    }
}

impl fmt::Display for Point {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Number(n) => write!(f, "{n}"),
            Self::BeforeLast(0) => f.write_str("last"),
            Self::BeforeLast(n) => write!(f, "last-{n}"),
        }
    }
}

/// A number, or a range of numbers with both ends included.
///
/// ```
/// use brisk_quill_core::address::Count;
/// let count: Count = "10..20".parse()?;
/// assert!(count.holds(20) && !count.holds(21));
/// # Ok::<(), brisk_quill_core::address::parse::SpecError>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Count {
    least: u64,
    most: Option<u64>,
}

impl Count {
    /// True if `n` is among the wanted numbers.
    pub fn holds(self, n: u64) -> bool {
        n >= self.least && self.most.is_none_or(|most| n <= most)
    }
}

impl fmt::Display for Count {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.least, self.most) {
            (least, Some(most)) if least == most => write!(f, "{least}"),
            (least, Some(most)) => write!(f, "{least}..{most}"),
            (least, None) => write!(f, "{least}.."),
        }
    }
}
