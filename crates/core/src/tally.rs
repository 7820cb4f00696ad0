//! Occurrences of each value, and the sums of numbers beside it.

use crate::decimal::{NumberFault, Written};
use crate::inventory::Inventory;
use std::path::Path;
use std::sync::Arc;

/// Values that are held apart; more of them are counted together.
const MOST: usize = 1_000_000;

/// The thing that is counted apart, where there is one, and a value.
type Key = (Option<TallyKey>, Option<Box<[u8]>>);

/// A thing whose values are counted apart.
///
/// ```
/// use brisk_quill_core::tally::{Tally, TallyKey};
/// let mut tally = Tally::default();
/// tally.add(Some(&TallyKey::Cell((*b"open").into())), Some(b"quay"), None);
/// assert!(matches!(tally.into_rows()[0].key, Some(TallyKey::Cell(_))));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum TallyKey {
    /// A file.
    File(Arc<Path>),
    /// A line of a file, or a row of a table, from 1.
    Row(Arc<Path>, u64),
    /// The rows with a value in some column.
    Cell(Arc<[u8]>),
}

/// Counts values.
///
/// ```
/// use brisk_quill_core::tally::Tally;
/// let mut tally = Tally::default();
/// tally.add(None, Some(b"quay"), Some(b"4,20"));
/// tally.add(None, Some(b"quay"), Some(b"0,80"));
/// let rows = tally.into_rows();
/// assert_eq!((rows[0].count, rows[0].sum.as_deref()), (2, Some("5,00")));
/// ```
#[derive(Clone, Debug)]
pub struct Tally {
    seen: Inventory<Key, Sum>,
    /// Values to be added up that are not numbers.
    pub no_numbers: u64,
}

/// The sum of numbers.
#[derive(Clone, Copy, Debug, Default)]
enum Sum {
    #[default]
    Nothing,
    Number(Written),
    /// More digits than are calculated with.
    TooLong,
}

/// One value.
///
/// ```
/// use brisk_quill_core::tally::Tally;
/// let mut tally = Tally::default();
/// tally.add(None, Some(b"B-4"), None);
/// tally.add(None, Some(b"B-4"), None);
/// let rows = tally.into_rows();
/// assert_eq!((rows[0].value.as_deref(), rows[0].count), (Some(&b"B-4"[..]), 2));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TallyRow {
    /// The thing it is counted in, where things are counted apart.
    pub key: Option<TallyKey>,
    /// The value; `None` is a group that took no part.
    pub value: Option<Box<[u8]>>,
    /// The number of its occurrences.
    pub count: u64,
    /// The sum of the numbers beside it; `None` where there are none, or it has too many
    /// digits.
    pub sum: Option<String>,
    /// One of the numbers, or their sum, has too many digits.
    pub too_long: bool,
}

impl Default for Tally {
    fn default() -> Self {
        Self {
            seen: Inventory::new(MOST),
            no_numbers: 0,
        }
    }
}

impl Sum {
    fn add(&mut self, other: Self) {
        *self = match (*self, other) {
            (Self::Nothing, sum) | (sum, Self::Nothing) => sum,
            (Self::Number(one), Self::Number(two)) => {
                one.add(two).map_or(Self::TooLong, Self::Number)
            }
            (Self::TooLong, _) | (_, Self::TooLong) => Self::TooLong,
        };
    }
}

impl Tally {
    /// Holds all values apart: see [`Inventory::without_limit`].
    #[must_use]
    pub fn without_limit(self) -> Self {
        let seen = self.seen.without_limit();
        Self { seen, ..self }
    }

    /// Counts a value, and adds the number beside it.
    pub fn add(&mut self, key: Option<&TallyKey>, value: Option<&[u8]>, number: Option<&[u8]>) {
        let key = (key.cloned(), value.map(Box::from));
        let Some(number) = number else {
            return self.seen.add(key, Sum::default);
        };
        self.seen.add(key.clone(), Sum::default);
        let Some(sum) = self.seen.first_mut(&key) else {
            return;
        };
        match Written::read(&String::from_utf8_lossy(number)) {
            Err(NumberFault::NoNumber) => self.no_numbers += 1,
            Err(NumberFault::TooLong) => sum.add(Sum::TooLong),
            Ok(number) => sum.add(Sum::Number(number)),
        }
    }

    /// Takes in what was counted behind it.
    pub fn absorb(&mut self, behind: Self) {
        self.no_numbers += behind.no_numbers;
        self.seen.absorb(behind.seen, Sum::add);
    }

    /// All that was counted.
    pub fn total(&self) -> u64 {
        self.seen.total
    }

    /// Occurrences of values beyond the limit.
    pub fn others(&self) -> u64 {
        self.seen.others
    }

    /// The values key by key, the most frequent first; those that are as frequent are in
    /// their own order.
    pub fn into_rows(self) -> Vec<TallyRow> {
        let rows = self.seen.into_rows().into_iter();
        let rows = rows.map(|((key, value), count, sum)| TallyRow {
            key,
            value,
            count,
            too_long: matches!(sum, Sum::TooLong),
            sum: match sum {
                Sum::Number(number) => Some(number.text()),
                Sum::Nothing | Sum::TooLong => None,
            },
        });
        let mut rows: Vec<TallyRow> = rows.collect();
        rows.sort_by(|a, b| {
            let keys = a.key.cmp(&b.key);
            keys.then(b.count.cmp(&a.count))
                .then_with(|| a.value.cmp(&b.value))
        });
        rows
    }
}
