//! A pattern with its *where* and *which*: what `find` shows and what a step acts on.

mod walk;

pub use walk::{Finding, Findings, LeftOut, Standing, UnitView, Visitor};
pub(crate) use walk::{Walk, Wanted};

use crate::address::Spec;
use crate::pieces::{Pieces, PiecesSink};
use crate::{Pattern, Problem};

/// Which units a pattern is tried on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Scope {
    /// Only these lines, of the text the step sees.
    pub lines: Spec,
}

impl Default for Scope {
    fn default() -> Self {
        Self { lines: Spec::all() }
    }
}

/// Which matches are taken.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pick {
    /// Counted anew in each unit.
    pub spec: Spec,
}

impl Default for Pick {
    fn default() -> Self {
        Self { spec: Spec::all() }
    }
}

/// A pattern, where it may match, and which of its matches are taken.
#[derive(Clone, Debug)]
pub struct Query {
    /// What to match.
    pub pattern: Pattern,
    /// Where.
    pub scope: Scope,
    /// Which of the matches in scope.
    pub pick: Pick,
    /// At most so many matches are taken in a run over all texts.
    pub limit: Option<u64>,
}

impl Query {
    /// Every match of `pattern`, everywhere.
    pub fn new(pattern: Pattern) -> Self {
        Self {
            pattern,
            scope: Scope::default(),
            pick: Pick::default(),
            limit: None,
        }
    }

    /// Whether it can only be evaluated on a text that is there as a whole.
    pub(crate) fn needs_whole_text(&self) -> bool {
        self.scope.lines.needs_total()
    }
}

/// One query over one text after another.
///
/// ```
/// use brisk_quill_core::{Findings, Found, MatchOptions, Pattern, Query, UnitView, Visitor};
///
/// #[derive(Default)]
/// struct Count(u64);
/// impl Visitor for Count {
///     fn unit(&mut self, _: &UnitView<'_>, found: &Findings<'_>) {
///         self.0 += found.picked().count() as u64;
///     }
/// }
///
/// let query = Query::new(Pattern::new("quay", &MatchOptions::default())?);
/// let mut count = Count::default();
/// let mut found = Found::new(&query);
/// found.begin(0);
/// found.push(b"quay 1, quay 2\nqu", &mut count);
/// found.push(b"ay 3\n", &mut count);
/// found.finish(&mut count);
/// assert_eq!(count.0, 3);
/// # Ok::<(), brisk_quill_core::Error>(())
/// ```
#[derive(Debug)]
pub struct Found<'q> {
    walk: Walk<'q>,
    wanted: Wanted,
    pieces: Pieces,
    whole: bool,
}

impl<'q> Found<'q> {
    /// Looks for the matches of `query`; groups are not recorded and units without a match are
    /// not visited.
    pub fn new(query: &'q Query) -> Self {
        Self {
            walk: Walk::new(query),
            wanted: Wanted::default(),
            pieces: Pieces::default(),
            whole: query.needs_whole_text(),
        }
    }

    /// The groups of every match are wanted too.
    #[must_use]
    pub fn with_groups(mut self) -> Self {
        self.wanted.groups = true;
        self
    }

    /// Units in scope without a match are to be visited too.
    #[must_use]
    pub fn with_missing(mut self) -> Self {
        self.wanted.missing = true;
        self
    }

    /// Only whole texts are evaluated, so that a visitor sees all that surrounds a unit.
    #[must_use]
    pub fn in_one_piece(mut self) -> Self {
        self.whole = true;
        self
    }

    /// Begins a new text, which lies `start` bytes into its file; offsets are those in the file.
    pub fn begin(&mut self, start: u64) {
        self.walk.begin_text();
        self.pieces = Pieces::new(self.whole, start);
    }

    /// Takes the next bytes of the text; how they are cut does not matter.
    pub fn push(&mut self, bytes: &[u8], visitor: &mut dyn Visitor) {
        let mut sink = FoundPiece {
            walk: &mut self.walk,
            wanted: self.wanted,
            visitor,
        };
        self.pieces.push(bytes, &mut sink);
    }

    /// Ends the text.
    pub fn finish(&mut self, visitor: &mut dyn Visitor) {
        let mut sink = FoundPiece {
            walk: &mut self.walk,
            wanted: self.wanted,
            visitor,
        };
        self.pieces.finish(&mut sink);
    }
}

struct FoundPiece<'f, 'q> {
    walk: &'f mut Walk<'q>,
    wanted: Wanted,
    visitor: &'f mut dyn Visitor,
}

impl PiecesSink for FoundPiece<'_, '_> {
    fn piece(&mut self, text: &[u8], base: u64) {
        self.walk.piece(text, base, self.wanted, self.visitor);
    }

    fn overlong(&mut self, problem: Problem) {
        self.walk.pass_line();
        self.visitor.problem(problem);
    }
}
