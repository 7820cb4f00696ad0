//! Forms of matches that are known already.

use brisk_quill_core::inventory::Inventory;
use foldhash::fast::RandomState;
use std::collections::HashSet;
use std::sync::{Arc, Mutex, PoisonError};

/// Forms that have been met in files before, of which the first is kept already.
#[derive(Debug, Default)]
pub struct Known {
    keys: HashSet<u64, RandomState>,
    /// There is no room for others.
    is_full: bool,
}

impl Known {
    /// True if a form has been met.
    pub fn holds(&self, key: u64) -> bool {
        self.keys.contains(&key)
    }

    /// True if no other form will be distinguished.
    pub fn is_full(&self) -> bool {
        self.is_full
    }
}

/// A copy of the forms known so far, for the files that follow. It saves work and changes no result.
#[derive(Debug, Default)]
pub struct KnownSoFar(Mutex<Arc<Known>>);

impl KnownSoFar {
    /// The forms known now.
    pub fn so_far(&self) -> Arc<Known> {
        Arc::clone(&self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// Learns all forms, each time that there are twice as many, or no more will come.
    pub fn learn<F>(&self, forms: &Inventory<u64, F>) {
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let is_news = forms.is_full() && !known.is_full;
        if is_news || forms.len() > 2 * known.keys.len() {
            *known = Arc::new(Known {
                keys: forms.keys().copied().collect(),
                is_full: forms.is_full(),
            });
        }
    }
}
