//! One pass over one piece of text.

use crate::query::unit_view::{Visitor, Wanted};
use crate::span::Span;

/// One pass over one piece.
pub(super) struct Scan<'s> {
    pub text: &'s [u8],
    pub base: u64,
    /// Nothing follows: lines behind the last one that is looked at need not be counted.
    pub last: bool,
    pub wanted: Wanted,
    pub visitor: &'s mut dyn Visitor,
}

/// Which part of a unit the conditions leave.
#[derive(Clone, Copy)]
pub(super) enum Place<'p> {
    All,
    None,
    /// Sorted spans of whole lines, and where the text ends.
    Within(&'p [Span], usize),
}

impl Place<'_> {
    /// True if a match lies in place as a whole.
    pub fn holds(self, span: Span) -> bool {
        match self {
            Self::All => true,
            Self::None => false,
            Self::Within(places, end) => {
                let next = places.partition_point(|place| place.to < span.to);
                // An empty match at the end of a line end belongs to the line behind it.
                let fits = |place: &Span| {
                    let behind = span.is_empty() && span.to == place.to && span.to != end;
                    place.from <= span.from && span.to <= place.to && !behind
                };
                places[next..].iter().take(2).any(fits)
            }
        }
    }

    /// True if any of the span is in place.
    pub fn touches(self, span: Span) -> bool {
        match self {
            Self::All => true,
            Self::None => false,
            Self::Within(places, _) => {
                let next = places.partition_point(|place| place.to <= span.from);
                places
                    .get(next)
                    .is_some_and(|place| place.from < span.to.max(span.from + 1))
            }
        }
    }
}
