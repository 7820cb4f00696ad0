//! A flag that ends a search within a unit.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Ends searches from another thread. By default no one can set it.
///
/// ```
/// use brisk_quill_core::stop::Stop;
/// use std::sync::Arc;
/// use std::sync::atomic::{AtomicBool, Ordering};
/// let flag = Arc::new(AtomicBool::new(false));
/// let stop = Stop::by(Arc::clone(&flag));
/// assert!(!stop.is_set());
/// flag.store(true, Ordering::Relaxed);
/// assert!(stop.is_set() && !Stop::default().is_set());
/// ```
#[derive(Clone, Debug, Default)]
pub struct Stop(Option<Arc<AtomicBool>>);

impl Stop {
    /// Is set as `flag` is.
    pub fn by(flag: Arc<AtomicBool>) -> Self {
        Self(Some(flag))
    }

    /// True if the search is to end.
    pub fn is_set(&self) -> bool {
        let flag = self.0.as_ref();
        flag.is_some_and(|flag| flag.load(Ordering::Relaxed))
    }
}
