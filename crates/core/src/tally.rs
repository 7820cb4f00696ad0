//! How often each value occurs, and what numbers beside it add up to.

use crate::decimal::Written;
use std::collections::HashMap;
use std::sync::Arc;

/// Values that are held apart; more of them are counted together.
const MOST: usize = 1_000_000;

/// A file, where files are counted apart, and a value.
type Key = (Option<Arc<str>>, Option<Box<[u8]>>);

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
#[derive(Clone, Debug, Default)]
pub struct Tally {
    seen: HashMap<Key, (u64, Sum)>,
    /// All that was counted.
    pub total: u64,
    /// Those of values too many to be held apart.
    pub others: u64,
    /// What was to be added up and is no number.
    pub no_numbers: u64,
}

/// What numbers add up to.
#[derive(Clone, Copy, Debug, Default)]
enum Sum {
    #[default]
    Nothing,
    Number(Written),
    /// More digits than are calculated with.
    TooLong,
}

/// One value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TallyRow {
    /// The file it is counted in, where files are counted apart.
    pub file: Option<Arc<str>>,
    /// The value; `None` is a group that took no part.
    pub value: Option<Box<[u8]>>,
    /// How often it occurs.
    pub count: u64,
    /// What the numbers beside it add up to; `None` where there are none, or it has too many
    /// digits.
    pub sum: Option<String>,
}

impl Tally {
    /// Counts a value, and adds the number beside it.
    pub fn add(&mut self, file: Option<&Arc<str>>, value: Option<&[u8]>, number: Option<&[u8]>) {
        self.total += 1;
        let key = (file.cloned(), value.map(Box::from));
        if self.seen.len() >= MOST && !self.seen.contains_key(&key) {
            self.others += 1;
            return;
        }
        let (count, sum) = self.seen.entry(key).or_default();
        *count += 1;
        let Some(number) = number else {
            return;
        };
        match Written::read(&String::from_utf8_lossy(number)) {
            None => self.no_numbers += 1,
            Some(number) => {
                *sum = match *sum {
                    Sum::Nothing => Sum::Number(number),
                    Sum::Number(sum) => sum.add(number).map_or(Sum::TooLong, Sum::Number),
                    Sum::TooLong => Sum::TooLong,
                }
            }
        }
    }

    /// The values file by file, the most frequent first; those that are as frequent stand in
    /// their own order.
    pub fn into_rows(self) -> Vec<TallyRow> {
        let rows = self.seen.into_iter();
        let rows = rows.map(|((file, value), (count, sum))| TallyRow {
            file,
            value,
            count,
            sum: match sum {
                Sum::Number(number) => Some(number.text()),
                Sum::Nothing | Sum::TooLong => None,
            },
        });
        let mut rows: Vec<TallyRow> = rows.collect();
        rows.sort_by(|a, b| {
            let files = a.file.cmp(&b.file);
            files
                .then(b.count.cmp(&a.count))
                .then_with(|| a.value.cmp(&b.value))
        });
        rows
    }
}
