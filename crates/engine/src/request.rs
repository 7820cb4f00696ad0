//! Requests: the work, and what is needed of it.

use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::stop::Stop;

/// The work to be done on each file.
///
#[doc = include_str!("../doc/rewriting.md")]
#[derive(Clone)]
pub enum Work<'r> {
    /// The matches of a query are reported.
    Search {
        /// The pattern with its scope and pick.
        query: &'r Query,
        /// Needs besides the matches that are taken.
        needs: SearchNeeds,
    },
    /// The changes of a rewrite are reported.
    Rewrite {
        /// The steps.
        rewrite: &'r Rewrite,
        /// The options of the evaluation. Totals are counted by the session.
        options: RunOptions,
    },
}

/// Needs of a search besides the matches that are taken.
///
/// ```
/// use brisk_quill_engine::request::SearchNeeds;
/// let needs = SearchNeeds { groups: true, ..SearchNeeds::default() };
/// assert!(needs.groups && !needs.missing);
/// ```
#[derive(Clone, Copy, Debug, Default)]
pub struct SearchNeeds {
    /// The groups of each match.
    pub groups: bool,
    /// Units in scope without a match.
    pub missing: bool,
    /// All of a text around each unit.
    pub whole_texts: bool,
}

impl<'r> Work<'r> {
    /// True if texts are rewritten, and not only searched.
    pub(crate) fn is_rewrite(&self) -> bool {
        match self {
            Self::Search { .. } => false,
            Self::Rewrite { .. } => true,
        }
    }

    /// The same work, whose searches end within a unit once `stop` is set.
    pub(crate) fn stopped_by(&self, stop: &Stop) -> StoppableWork {
        match self {
            Self::Search { query, needs } => {
                StoppableWork::Search(Box::new(query.stopped_by(stop)), *needs)
            }
            Self::Rewrite { rewrite, options } => {
                StoppableWork::Rewrite(rewrite.stopped_by(stop), options.clone())
            }
        }
    }
}

/// Work that can be stopped within a unit.
pub(crate) enum StoppableWork {
    Search(Box<Query>, SearchNeeds),
    Rewrite(Rewrite, RunOptions),
}

impl StoppableWork {
    /// The work.
    pub fn work(&self) -> Work<'_> {
        match self {
            Self::Search(query, needs) => Work::Search {
                query,
                needs: *needs,
            },
            Self::Rewrite(rewrite, options) => Work::Rewrite {
                rewrite,
                options: options.clone(),
            },
        }
    }
}
