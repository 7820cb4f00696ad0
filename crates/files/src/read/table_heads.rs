//! The first lines of tables of other programs, for reads of no more than these.
//!
//! A database or a workbook must be read as a whole before its first row is known, so a second look at a few rows
//! would cost as much as the first.

use crate::read::text_cache::{CachedText, Identity};
use crate::source::Source;
use crate::store::store_of::StoreOf;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

/// Bytes kept of all of them.
const BYTES_MOST: usize = 8 << 20;

/// The beginnings that are kept.
#[derive(Debug, Default)]
pub(super) struct TableHeads {
    heads: Mutex<HashMap<PathBuf, Head>>,
}

#[derive(Debug)]
struct Head {
    identity: Identity,
    store: StoreOf,
    text: Arc<Vec<u8>>,
    /// True if the text goes on.
    goes_on: bool,
}

impl TableHeads {
    /// Keeps how the text of a source begins, as long as there is room.
    pub fn keep(&self, source: &Source, store: StoreOf, (text, goes_on): (&[u8], bool)) {
        let Some(identity) = identity(source) else {
            return;
        };
        let mut heads = self.heads.lock().unwrap_or_else(PoisonError::into_inner);
        heads.remove(source.path());
        let kept: usize = heads.values().map(|head| head.text.len()).sum();
        if kept + text.len() <= BYTES_MOST {
            let head = Head {
                identity,
                store,
                text: Arc::new(text.to_vec()),
                goes_on,
            };
            heads.insert(source.path().to_owned(), head);
        }
    }

    /// The store of a source and the first `most` bytes of its text, where these are kept and it has not changed.
    pub fn open(&self, source: &Source, most: u64) -> Option<(StoreOf, CachedText)> {
        let heads = self.heads.lock().unwrap_or_else(PoisonError::into_inner);
        let head = heads.get(source.path())?;
        let is_enough = !head.goes_on || head.text.len() as u64 >= most;
        let is_same = || identity(source) == Some(head.identity);
        (is_enough && is_same()).then(|| (head.store, CachedText::new(&head.text)))
    }
}

fn identity(source: &Source) -> Option<Identity> {
    match source {
        Source::Stdin(_) => None,
        Source::File(path) => Some(Identity::of(&path.place().metadata().ok()?)),
    }
}
