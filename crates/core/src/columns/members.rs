//! Members of an object of JSON.

use crate::columns::fault::RowFault;
use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::HashMap;

/// Objects with more members than this have their keys put in an index.
const INDEX_FROM: usize = 24;

/// Members that most objects do not exceed.
const USUAL: usize = 12;

/// The members of an object.
#[derive(Debug, Default)]
pub(crate) struct Members<'t> {
    pairs: Vec<(Cow<'t, str>, &'t str)>,
    /// The first member of each key, and whether there is a second.
    index: OnceCell<HashMap<String, (usize, bool)>>,
}

impl<'t> Members<'t> {
    /// Adds a member with its value as it is written.
    pub fn push(&mut self, key: Cow<'t, str>, value: &'t str) {
        if self.pairs.capacity() == 0 {
            self.pairs.reserve(USUAL);
        }
        self.pairs.push((key, value));
    }

    /// Takes all members out, and keeps their memory for others.
    pub fn clear(&mut self) {
        self.pairs.clear();
        self.index.take();
    }

    /// The keys with their values as they are written, in order.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &'t str)> {
        self.pairs.iter().map(|(key, value)| (&**key, *value))
    }

    pub fn is_empty(&self) -> bool {
        self.pairs.is_empty()
    }

    /// The value of a key, as it is written.
    pub fn get(&self, key: &str) -> Result<Option<&'t str>, RowFault> {
        let (first, is_twice) = match self.pairs.len() > INDEX_FROM {
            true => match self.index().get(key) {
                Some((first, is_twice)) => (Some(*first), *is_twice),
                None => (None, false),
            },
            false => {
                let mut found = (0..).zip(&self.pairs).filter(|(_, (name, _))| name == key);
                (found.next().map(|(index, _)| index), found.next().is_some())
            }
        };
        match is_twice {
            false => Ok(first.map(|index: usize| self.pairs[index].1)),
            true => Err(RowFault::KeyTwice(key.to_owned())),
        }
    }

    fn index(&self) -> &HashMap<String, (usize, bool)> {
        self.index.get_or_init(|| {
            let mut index = HashMap::with_capacity(self.pairs.len());
            for (at, (key, _)) in self.pairs.iter().enumerate() {
                let met = index.entry(key.to_string());
                met.and_modify(|(_, is_twice)| *is_twice = true)
                    .or_insert((at, false));
            }
            index
        })
    }
}
