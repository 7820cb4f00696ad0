//! The work that an inference may do.

use brisk_quill_core::stop::Stop;

/// The work of one inference.
const WORK_MOST: i64 = 2_000_000;

/// Work that is left: about one for each character looked at, and a share for each pattern written.
#[derive(Debug)]
pub(super) struct Budget {
    left: i64,
    /// A part of it was spent before all was tried with it.
    cut_short: bool,
    stop: Stop,
}

impl Budget {
    /// The work that one inference may do, about half a second; none is left once it is stopped.
    pub fn full(stop: &Stop) -> Self {
        Self::share(stop, 1)
    }

    /// The same for one of this many inferences that are a part of one.
    pub fn share(stop: &Stop, parts: usize) -> Self {
        Self {
            left: WORK_MOST / parts.max(1) as i64,
            cut_short: false,
            stop: stop.clone(),
        }
    }

    /// Takes off what was done.
    pub fn spend(&mut self, work: usize) {
        self.left -= work as i64;
    }

    /// True if none is left.
    pub fn is_spent(&self) -> bool {
        self.left <= 0 || self.stop.is_set()
    }

    /// Does something with a share of what is left, at most, so that some is left for what is tried next.
    pub fn with_share<T>(&mut self, share: f64, work: impl FnOnce(&mut Self) -> T) -> T {
        let given = (self.left as f64 * share) as i64;
        let mut part = Self {
            left: given,
            cut_short: false,
            stop: self.stop.clone(),
        };
        let done = work(&mut part);
        self.left -= given - part.left;
        self.cut_short |= part.was_cut_short();
        done
    }

    /// True if it, or a share of it, was spent before all was tried.
    pub fn was_cut_short(&self) -> bool {
        self.cut_short || self.is_spent()
    }
}
