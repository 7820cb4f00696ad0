//! Matches in one unit, and what became of them.

use crate::pattern::matches::{GroupSpans, Matches};
use crate::span::Span;

/// Why a match was not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LeftOut {
    /// The match is out of scope.
    Scope,
    /// The pick takes others.
    Pick,
    /// The limit was reached before it.
    Limit,
}

/// The outcome of a match.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MatchStatus {
    /// The match was taken; its number among those taken in the run, from 1.
    Picked(u64),
    /// The match was left out.
    LeftOut(LeftOut),
}

/// The matches in one unit.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// use brisk_quill_core::query::Query;
/// use brisk_quill_core::query::findings::Findings;
/// use brisk_quill_core::query::unit_view::UnitView;
/// use brisk_quill_core::problem::Problem;
/// use brisk_quill_core::rewrite::options::RunOptions;
/// use brisk_quill_core::rewrite::sink::Sink;
/// use brisk_quill_core::rewrite::{Rewrite, Run};
///
/// struct Columns(Vec<usize>);
///
/// impl Sink for Columns {
///     fn unit(&mut self, _: &UnitView<'_>, found: &Findings<'_>, _: u64) {
///         self.0.extend(found.picked().map(|finding| finding.span.from));
///     }
///     fn problem(&mut self, problem: Problem) {
///         panic!("{problem:?}");
///     }
/// }
///
/// let pattern = Pattern::new("quay", &MatchOptions::default()).expect("a pattern");
/// let search = Rewrite::showing(Query::new(pattern));
/// let mut run = Run::new(&search, &RunOptions::default());
/// let mut columns = Columns(Vec::new());
/// let mut text = run.text("-", 0);
/// text.push(b"old quay, new quay\n", &mut columns);
/// text.finish(&mut columns);
/// assert_eq!(columns.0, [4, 14]);
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Findings<'a> {
    pub(super) matches: &'a Matches,
    pub(super) verdict: Verdict<'a>,
}

/// The outcome of the matches in one unit.
#[derive(Clone, Copy, Debug)]
pub(super) enum Verdict<'a> {
    /// All were taken; the number of the first. Nearly always it is that simple, and nothing need
    /// be kept for each.
    All(u64),
    /// One for each match.
    Each(&'a [MatchStatus]),
}

impl Verdict<'_> {
    /// The outcome of match `index`, from 0.
    fn status(self, index: usize) -> MatchStatus {
        match self {
            Self::All(first) => MatchStatus::Picked(first + index as u64),
            Self::Each(status) => status[index],
        }
    }
}

/// One match; its spans count from the start of the unit.
#[derive(Clone, Copy, Debug)]
pub struct Finding<'a> {
    /// The match.
    pub span: Span,
    /// The groups, the whole match first; that one alone where groups were not asked for.
    pub groups: GroupSpans<'a>,
    /// The outcome for it.
    pub status: MatchStatus,
}

impl<'a> Findings<'a> {
    /// All matches, left to right.
    pub fn iter(&self) -> impl Iterator<Item = Finding<'a>> + use<'a> {
        let Self { matches, verdict } = *self;
        (0..matches.len()).map(move |index| Finding {
            span: matches.span(index),
            groups: matches.groups(index),
            status: verdict.status(index),
        })
    }

    /// The matches that were taken.
    pub fn picked(&self) -> impl Iterator<Item = Finding<'a>> + use<'a> {
        self.iter()
            .filter(|f| matches!(f.status, MatchStatus::Picked(_)))
    }

    /// The number of matches, taken or not.
    pub fn len(&self) -> usize {
        self.matches.len()
    }

    /// True if there is no match at all.
    pub fn is_empty(&self) -> bool {
        self.matches.is_empty()
    }
}
