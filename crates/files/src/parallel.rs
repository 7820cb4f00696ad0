//! The same work on many items, several at a time.

use crate::error::FileError;
use std::sync::atomic::{AtomicUsize, Ordering};

/// The result of a thread that has ended; a panic in it goes on here.
pub(crate) fn done<T>(joined: std::thread::Result<T>) -> T {
    joined.unwrap_or_else(|panic| std::panic::resume_unwind(panic))
}

/// Does `work` on every item, on at most `threads` threads; stops each at its first failure and
/// gives one of them.
pub(crate) fn on_each<T: Sync>(
    items: &[T],
    threads: usize,
    work: impl Fn(&T) -> Result<(), FileError> + Sync,
) -> Result<(), FileError> {
    let next = AtomicUsize::new(0);
    let take_turns = || {
        while let Some(item) = items.get(next.fetch_add(1, Ordering::Relaxed)) {
            work(item)?;
        }
        Ok(())
    };
    std::thread::scope(|scope| {
        let threads = 0..threads.min(items.len());
        let threads: Vec<_> = threads.map(|_| scope.spawn(take_turns)).collect();
        threads
            .into_iter()
            .try_for_each(|thread| done(thread.join()))
    })
}
