//! Requests: the work, and what is needed of it.

use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::RunOptions;

/// The work to be done on each file: a rewrite, or a search, which is a rewrite that only
/// [shows](Rewrite::showing) what it finds.
///
#[doc = include_str!("../doc/rewriting.md")]
#[derive(Clone)]
pub struct Work<'r> {
    /// The steps.
    pub rewrite: &'r Rewrite,
    /// The options of the evaluation. Totals are counted by the session.
    pub options: RunOptions,
}

impl<'r> Work<'r> {
    /// The evaluation of `rewrite`, without any options.
    pub fn new(rewrite: &'r Rewrite) -> Self {
        Self {
            rewrite,
            options: RunOptions::default(),
        }
    }

    /// The same work with another form of its rewrite.
    pub(crate) fn of<'o>(&self, rewrite: &'o Rewrite) -> Work<'o> {
        Work {
            rewrite,
            options: self.options.clone(),
        }
    }
}
