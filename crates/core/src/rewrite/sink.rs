//! The receiver of what a rewrite makes of a text.

use crate::columns::row::Row;
use crate::problem::Problem;
use crate::query::findings::Findings;
use crate::query::note::Note;
use crate::query::table_end::TableEnd;
use crate::query::unit_view::UnitView;
use crate::rewrite::hunk::Hunk;
use crate::rewrite::seen::SeenUnit;

/// A unit that does not match what it must after the rewrite.
///
/// ```
/// use brisk_quill_core::rewrite::sink::Unmet;
/// let unmet = Unmet { line: 3, text: b"closed".to_vec() };
/// assert_eq!(unmet.line, 3);
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unmet {
    /// The line it begins in, from 1, in the original text.
    pub line: u64,
    /// The text after the rewrite.
    pub text: Vec<u8>,
}

/// Takes what an evaluation finds, in order of place.
///
/// ```
/// use brisk_quill_core::problem::Problem;
/// use brisk_quill_core::rewrite::hunk::Hunk;
/// use brisk_quill_core::rewrite::options::RunOptions;
/// use brisk_quill_core::rewrite::sink::Sink;
/// use brisk_quill_core::rewrite::{Rewrite, Run};
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
///
/// #[derive(Default)]
/// struct Offsets(Vec<u64>);
///
/// impl Sink for Offsets {
///     fn hunk(&mut self, hunk: &Hunk<'_>) {
///         self.0.extend(hunk.edits().map(|edit| edit.from));
///     }
///     fn problem(&mut self, problem: Problem) {
///         panic!("{problem:?}");
///     }
/// }
///
/// let spec = StepSpec {
///     pattern: Some("quay".into()),
///     with: Some("pier".into()),
///     ..StepSpec::default()
/// };
/// let rewrite = Rewrite::new(vec![spec.build(&mut NoTables).expect("a step")]);
/// let mut run = Run::new(&rewrite, &RunOptions::default());
/// let mut text = run.text("notice.txt", 0);
/// let mut sink = Offsets::default();
/// // A text may come in pieces of any size.
/// text.push(b"old qu", &mut sink);
/// text.push(b"ay, new quay\n", &mut sink);
/// assert_eq!(text.finish(&mut sink).changes, 2);
/// assert_eq!(sink.0, [4, 14]);
/// ```
pub trait Sink {
    /// Lines that change, with every change in them.
    fn hunk(&mut self, hunk: &Hunk<'_>) {
        let _ = hunk;
    }

    /// A unit with matches, of which this many were taken, or one without any where those are wanted: of a rewrite
    /// that only [shows](crate::rewrite::Rewrite::showing).
    fn unit(&mut self, unit: &UnitView<'_>, found: &Findings<'_>, taken: u64) {
        let _ = (unit, found, taken);
    }

    /// So many units in scope without a match, where those are
    /// [counted](crate::query::unit_view::Unmatched::Counted).
    fn passed(&mut self, units: u64) {
        let _ = units;
    }

    /// A row of a table, the header too, after those of its cells that hold something: of a rewrite that only shows.
    fn row(&mut self, row: &Row<'_>) {
        let _ = row;
    }

    /// A unit that was left alone because something went wrong.
    fn problem(&mut self, problem: Problem);

    /// A unit that does not match what it must.
    fn unmet(&mut self, unmet: Unmet) {
        let _ = unmet;
    }

    /// A unit that a step (counted from 0) has looked at, in a run with a
    /// [`Watch`](crate::rewrite::options::Watch).
    fn seen(&mut self, step: usize, seen: &SeenUnit<'_>) {
        let _ = (step, seen);
    }

    /// The end of a [part](crate::rewrite::Run::part) of a text with columns, as far as a step knows it; one for each step
    /// that looks at cells, in order.
    fn part_end(&mut self, end: TableEnd) {
        let _ = end;
    }

    /// Something that a step (counted from 0) has to report the text.
    fn note(&mut self, step: usize, note: Note) {
        let _ = (step, note);
    }
}
