//! The connection between readers and other threads: cancellation and progress.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Watches readers from another thread.
#[derive(Debug, Default)]
pub struct CancelToken {
    stopped: Arc<AtomicBool>,
    bytes: AtomicU64,
}

impl CancelToken {
    /// Asks all reading to stop; it ends with
    /// [`FileErrorKind::Interrupted`](crate::error::FileErrorKind::Interrupted).
    pub fn stop(&self) {
        self.stopped.store(true, Ordering::Relaxed);
    }

    /// True if it has been asked to.
    pub fn is_stopped(&self) -> bool {
        self.stopped.load(Ordering::Relaxed)
    }

    /// The flag that [`CancelToken::stop`] sets, for those who can set no more than a flag.
    pub fn flag(&self) -> Arc<AtomicBool> {
        Arc::clone(&self.stopped)
    }

    /// Bytes read so far.
    pub fn bytes(&self) -> u64 {
        self.bytes.load(Ordering::Relaxed)
    }

    pub(crate) fn has_read(&self, bytes: u64) {
        self.bytes.fetch_add(bytes, Ordering::Relaxed);
    }
}
