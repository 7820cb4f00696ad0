//! Work on many files at a time, and on the parts of a large one, its results taken in order.

mod handover;
pub mod in_order;
pub mod in_parts;

use std::num::NonZeroUsize;
use std::thread::available_parallelism;

/// The number of threads that work at a time.
///
/// ```
/// use brisk_quill_engine::schedule::Threads;
/// let two = Threads::new(std::num::NonZeroUsize::new(2));
/// assert_eq!((two.over(1), two.over(100), two.within_file()), (1, 2, 2));
/// ```
#[derive(Clone, Copy, Debug, Default)]
pub struct Threads {
    asked: Option<NonZeroUsize>,
}

impl Threads {
    /// As many as were asked for, else as many as there are processors.
    pub fn new(asked: Option<NonZeroUsize>) -> Self {
        Self { asked }
    }

    /// Threads for this many files.
    pub fn over(self, files: usize) -> usize {
        match files {
            // Counting processors takes longer than looking at a small file.
            0 | 1 => 1,
            _ => self.within_file(),
        }
    }

    /// Threads for the parts of a large file.
    pub fn within_file(self) -> usize {
        let asked = self.asked.or_else(|| available_parallelism().ok());
        asked.map_or(1, usize::from)
    }
}
