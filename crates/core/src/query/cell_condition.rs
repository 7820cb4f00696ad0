//! Conditions on the cells of a row.

use crate::columns::list::Column;
use crate::pattern::Pattern;
use crate::pattern::texts::fold;
use foldhash::fast::RandomState;
use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Only rows in which a cell is, or is not, as a test asks.
#[derive(Clone, Debug)]
pub struct CellCondition {
    /// The cell.
    pub column: Column,
    /// The test.
    pub test: CellTest,
    /// True if it must fail.
    pub lacks: bool,
}

/// A test of the value of a cell.
#[derive(Clone, Debug)]
pub enum CellTest {
    /// The cell holds a match.
    Match(Pattern),
    /// The cell is one of a list.
    Listed(ListedValues),
}

impl CellTest {
    /// The pattern, where it is a match that is asked for.
    pub(crate) fn pattern(&self) -> Option<&Pattern> {
        match self {
            Self::Match(pattern) => Some(pattern),
            Self::Listed(_) => None,
        }
    }
}

/// The way listed values are compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Comparing {
    /// Letter case does not matter.
    pub ignores_case: bool,
    /// Blanks at the ends do not matter.
    pub trims: bool,
}

impl Comparing {
    /// The form in which equal values are the same bytes.
    fn key<'v>(self, value: &'v [u8]) -> Cow<'v, [u8]> {
        let value = match self.trims {
            true => trimmed(value),
            false => value,
        };
        match (self.ignores_case, std::str::from_utf8(value)) {
            (false, _) => Cow::Borrowed(value),
            (true, Ok(text)) => Cow::Owned(fold(text).into_bytes()),
            (true, Err(_)) => Cow::Owned(value.to_ascii_lowercase()),
        }
    }
}

/// A value without the white space around it.
fn trimmed(value: &[u8]) -> &[u8] {
    match std::str::from_utf8(value) {
        Ok(text) => text.trim().as_bytes(),
        Err(_) => value.trim_ascii(),
    }
}

/// Values that a cell is compared with, as a whole.
#[derive(Clone, Debug)]
pub struct ListedValues {
    /// The path of the list, as it is written.
    pub path: String,
    comparing: Comparing,
    values: Arc<[Vec<u8>]>,
    of_key: Arc<HashMap<Vec<u8>, usize, RandomState>>,
    /// The values that a cell was equal to.
    met: Arc<[AtomicBool]>,
    /// A cell was compared with them.
    compared: Arc<AtomicBool>,
}

impl ListedValues {
    /// The list at `path`, which holds these values; of equal ones, the first counts.
    pub fn new(path: &str, values: Vec<Vec<u8>>, comparing: Comparing) -> Self {
        let mut of_key = HashMap::default();
        let mut distinct = Vec::new();
        for value in values {
            let key = comparing.key(&value).into_owned();
            of_key.entry(key).or_insert_with(|| {
                distinct.push(value);
                distinct.len() - 1
            });
        }
        Self {
            path: path.to_owned(),
            comparing,
            met: unmet(distinct.len()),
            compared: Arc::default(),
            values: distinct.into(),
            of_key: Arc::new(of_key),
        }
    }

    /// The same list, none of whose values has been met.
    #[must_use]
    pub(crate) fn afresh(&self) -> Self {
        Self {
            met: unmet(self.values.len()),
            compared: Arc::default(),
            ..self.clone()
        }
    }

    /// True if a value is in the list.
    pub fn holds(&self, value: &[u8]) -> bool {
        if !self.compared.load(Ordering::Relaxed) {
            self.compared.store(true, Ordering::Relaxed);
        }
        let index = self.of_key.get(&*self.comparing.key(value));
        if let Some(index) = index
            && !self.met[*index].load(Ordering::Relaxed)
        {
            self.met[*index].store(true, Ordering::Relaxed);
        }
        index.is_some()
    }

    /// The number of different values.
    pub fn len(&self) -> usize {
        self.values.len()
    }

    /// True if there is none.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// True if a cell was compared with them so far.
    pub fn was_compared(&self) -> bool {
        self.compared.load(Ordering::Relaxed)
    }

    /// The values that no cell was equal to so far, in the order of the list.
    pub fn never_met(&self) -> impl Iterator<Item = &[u8]> {
        let all = self.values.iter().zip(&*self.met);
        let unmet = all.filter(|(_, met)| !met.load(Ordering::Relaxed));
        unmet.map(|(value, _)| value.as_slice())
    }
}

fn unmet(values: usize) -> Arc<[AtomicBool]> {
    (0..values).map(|_| AtomicBool::new(false)).collect()
}
