//! Line and match selections resolved against totals.

use crate::address::{Item, Point, Spec};

/// A [`Spec`] resolved against a total: a plain set of numbers counted from 1.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Selection {
    ranges: Vec<Range>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Range {
    from: u64,
    /// Included.
    to: u64,
    by: u64,
}

impl Spec {
    /// The set this means where there are `total` lines or matches; `None` where the total is
    /// not known.
    ///
    /// A point beyond the end selects nothing; a range is cut to what there is.
    ///
    /// # Panics
    ///
    /// When `total` is `None` although [`Spec::needs_total`] says it is needed.
    pub fn resolve(&self, total: Option<u64>) -> Selection {
        let place = |point: Point| match point {
            // The smallest number is 1, so 0 stands for a place before the first.
            Point::Number(n) => n,
            Point::BeforeLast(n) => total
                .expect("the caller asks needs_total first")
                .saturating_sub(n),
        };
        let end = total.unwrap_or(u64::MAX);
        let ranges = self.items.iter().filter_map(|item| {
            let (from, to, by) = match *item {
                Item::Point(p) => (place(p), place(p), 1),
                Item::Range { from, to, by } => {
                    let to = match to {
                        None | Some(Point::BeforeLast(0)) => end,
                        Some(p) => place(p).min(end),
                    };
                    (from.map_or(1, place).max(1), to, by)
                }
            };
            (from >= 1 && from <= to && from <= end).then_some(Range { from, to, by })
        });
        Selection {
            ranges: ranges.collect(),
        }
    }
}

impl Selection {
    /// True if `n`, counted from 1, is in the set.
    pub fn contains(&self, n: u64) -> bool {
        self.ranges
            .iter()
            .any(|r| n >= r.from && n <= r.to && (n - r.from).is_multiple_of(r.by))
    }

    /// The largest number in the set, or `None` where it is empty.
    ///
    /// Nothing after it can be selected, so a search may stop there.
    pub fn greatest(&self) -> Option<u64> {
        self.ranges.iter().map(|r| r.to).max()
    }
}
