//! Events of a search or an evaluation, and what gathers them.

use brisk_quill_core::columns::row::Row;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::findings::Findings;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::rewrite::hunk::Hunk;
use brisk_quill_core::rewrite::seen::SeenUnit;
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_files::edit::FileEdit;
use brisk_quill_files::source::Source;
use brisk_quill_files::store::store_of::Packing;
use brisk_quill_files::text_map::TextMap;
use smallvec::SmallVec;

/// A unit with what was found in it.
///
#[doc = include_str!("../doc/searching.md")]
pub struct SearchedUnit<'u> {
    /// The unit where it lies.
    pub unit: &'u UnitView<'u>,
    /// The matches, those that were left out too.
    pub found: &'u Findings<'u>,
    /// The way to the bytes of the text, where it was decoded.
    pub map: &'u dyn TextMap,
    /// Matches in it that were taken.
    pub taken: u64,
}

/// A hunk with its changes as they are on disk.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct FileHunk<'h> {
    /// The lines, as text.
    pub hunk: &'h Hunk<'h>,
    /// The changes in it, in order.
    pub edits: SmallVec<[FileEdit<'h>; 1]>,
    /// The way to the bytes of the text, where it was decoded.
    pub map: &'h dyn TextMap,
}

/// Receives the events of one file after another, in order of place.
///
/// A search reports units and rows, an evaluation hunks and unmet units; both report problems.
/// What is reported of a file that fails in the middle is void.
///
#[doc = include_str!("../doc/rewriting.md")]
pub trait Events {
    /// The events that follow belong to `source`. Called only for a collector that sees all files in
    /// turn; see [`Session::run_in_turn`](crate::session::Session::run_in_turn).
    fn begin_file(&mut self, source: &Source) {
        let _ = source;
    }

    /// A unit with matches, or one in scope without any where those were asked for.
    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        let _ = unit;
    }

    /// So many units in scope without a match, where those are counted.
    fn passed(&mut self, units: u64) {
        let _ = units;
    }

    /// A row of a table, the header too, behind those of its cells that hold something.
    fn row(&mut self, row: &Row<'_>) {
        let _ = row;
    }

    /// Lines that change.
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        let _ = hunk;
    }

    /// A unit that was left alone because something went wrong.
    fn problem(&mut self, problem: Problem);

    /// A unit that does not match what it must.
    fn unmet(&mut self, unmet: Unmet) {
        let _ = unmet;
    }

    /// A unit that step `step`, from 0, has looked at; only where [units are
    /// shown](crate::session::Session::showing_units), or hints are looked out for.
    fn seen(&mut self, step: usize, seen: &SeenUnit<'_>) {
        let _ = (step, seen);
    }

    /// True if units without a match are to be [seen](Events::seen), too, where a hint may be about
    /// them.
    fn wants_others(&self) -> bool {
        false
    }

    /// True if the bytes of the file are wanted too. Such a file is evaluated on one thread:
    /// copying is bound by memory, and parts go through more of it.
    fn wants_bytes(&self) -> bool {
        false
    }

    /// True if the numbers of rows are wanted at once. Such a file is looked at on one thread: a part does not know how
    /// many sound rows come before it; [that comes later](Collector::after_rows).
    fn numbers_rows(&self) -> bool {
        false
    }

    /// The bytes that follow are packed in this way in the file.
    fn packed(&mut self, packing: &Packing) {
        let _ = packing;
    }

    /// The next bytes of the text, before decoding, where they are wanted; every change in them has been reported
    /// before. It is called at least once for each file that is read.
    fn bytes(&mut self, raw: &[u8]) {
        let _ = raw;
    }
}

impl<E: Events> Events for &mut E {
    fn begin_file(&mut self, source: &Source) {
        (**self).begin_file(source);
    }

    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        (**self).unit(unit);
    }

    fn passed(&mut self, units: u64) {
        (**self).passed(units);
    }

    fn row(&mut self, row: &Row<'_>) {
        (**self).row(row);
    }

    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        (**self).hunk(hunk);
    }

    fn problem(&mut self, problem: Problem) {
        (**self).problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        (**self).unmet(unmet);
    }

    fn seen(&mut self, step: usize, seen: &SeenUnit<'_>) {
        (**self).seen(step, seen);
    }

    fn wants_others(&self) -> bool {
        (**self).wants_others()
    }

    fn wants_bytes(&self) -> bool {
        (**self).wants_bytes()
    }

    fn numbers_rows(&self) -> bool {
        (**self).numbers_rows()
    }

    fn packed(&mut self, packing: &Packing) {
        (**self).packed(packing);
    }

    fn bytes(&mut self, raw: &[u8]) {
        (**self).bytes(raw);
    }
}

/// Gathers the events of one file, on any thread, until its turn comes.
///
#[doc = include_str!("../doc/searching.md")]
pub trait Collector: Events + Send + Sized {
    /// True if it holds so much that it should be handed over before the end of its file.
    fn is_full(&self) -> bool {
        false
    }

    /// The same collector for a part of a file, to be [joined](Collector::join) by the one before.
    #[must_use]
    fn for_part(self) -> Self {
        self
    }

    /// Rows are counted from the start of a part from now on; [`Collector::after_rows`] says how many come before them.
    fn number_later(&mut self) {}

    /// Says how many rows of the file come before the part, which is about to be joined, or before the rows that follow.
    fn after_rows(&mut self, rows: u64) {
        let _ = rows;
    }

    /// Adds what was gathered in the part that follows.
    fn join(&mut self, part: Self);
}

/// Drops every event: for passes that only count.
pub struct NullCollector;

impl Events for NullCollector {
    fn problem(&mut self, _: Problem) {}
}

impl Collector for NullCollector {
    fn join(&mut self, _: Self) {}
}
