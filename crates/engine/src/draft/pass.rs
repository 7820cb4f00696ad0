//! One pass over the files of a draft: rows from a place on, and all that is counted.

use crate::collector::{Collector, Events, FileHunk, SearchedUnit};
use crate::draft::places::{PLACES_MOST, Place};
use crate::draft::row::{Row, RowPlace};
use brisk_quill_core::problem::Problem;
use brisk_quill_files::source::Source;
use foldhash::fast::FixedState;
use std::collections::HashSet;
use std::hash::BuildHasher;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Kinds of changes that are distinguished.
pub const KINDS_MOST: usize = 1_000_000;
/// Things in a collector that are handed on before the end of its file.
const FULL: usize = 8192;
/// Problems of one file that are kept.
const PROBLEMS_MOST: usize = 100;
/// Bytes of text that rows may hold, for each row that is wanted.
const BYTES_A_ROW: usize = 4 << 10;

/// The events that become rows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RowsOf {
    /// Lines or cells that change.
    Changes,
    /// Units with matches.
    Matches,
    /// All units.
    Units,
}

/// The things that a pass gathers, and the place from which on.
pub struct PassPlan<'p> {
    sources: &'p [Source],
    /// The events that become rows.
    pub rows_of: RowsOf,
    /// The first place whose row is kept.
    from: RowPlace,
    /// Rows, and bytes of their texts, that may still be kept.
    room: AtomicUsize,
    byte_room: AtomicUsize,
    /// Places that may still be kept.
    place_room: AtomicUsize,
    /// Only rows with a change or match that begins at one of these offsets, by file.
    only: Option<&'p [Vec<u64>]>,
    /// Counts and places are wanted, and not rows alone.
    counts: bool,
}

impl<'p> PassPlan<'p> {
    /// A pass that keeps this many `rows`, from a place on.
    pub fn new(sources: &'p [Source], rows_of: RowsOf, (from, rows): (RowPlace, usize)) -> Self {
        Self {
            sources,
            rows_of,
            from,
            room: AtomicUsize::new(rows),
            byte_room: AtomicUsize::new(rows * BYTES_A_ROW),
            place_room: AtomicUsize::new(PLACES_MOST),
            only: None,
            counts: false,
        }
    }

    /// Counts too, and keeps places.
    pub fn counting(self) -> Self {
        Self {
            counts: true,
            ..self
        }
    }

    /// Keeps only rows with something at these offsets of each file, which are in order.
    pub fn only(self, only: &'p [Vec<u64>]) -> Self {
        Self {
            only: Some(only),
            ..self
        }
    }

    /// Rows that may still be kept.
    pub fn room(&self) -> usize {
        match self.byte_room.load(Ordering::Relaxed) {
            0 => 0,
            _ => self.room.load(Ordering::Relaxed),
        }
    }

    /// A collector for a file.
    pub fn collector<'c>(&'c self, source: &Source) -> PassCollector<'c> {
        // The sources are in order of path, and so is a part of them.
        let file = self.sources.binary_search(source).unwrap_or(0);
        PassCollector {
            plan: self,
            file,
            found: FileFound::default(),
            places_left: self.place_room.load(Ordering::Relaxed),
        }
    }

    /// Takes as many of `rows` as there is room for.
    pub fn take_rows(&self, mut rows: Vec<Row>) -> Vec<Row> {
        let mut bytes = self.byte_room.load(Ordering::Relaxed);
        let fits = rows.iter().take_while(|row| {
            let fits = bytes > 0;
            bytes = bytes.saturating_sub(row.bytes());
            fits
        });
        let kept = fits.count().min(self.room());
        rows.truncate(kept);
        self.byte_room.store(bytes, Ordering::Relaxed);
        self.room.fetch_sub(kept, Ordering::Relaxed);
        rows
    }

    /// Keeps places as long as there is room; false once there is none.
    pub fn take_places(&self, places: usize) -> bool {
        let left = self.place_room.load(Ordering::Relaxed);
        let fits = places <= left;
        self.place_room
            .store(left.saturating_sub(places), Ordering::Relaxed);
        fits
    }
}

/// The results of a file, or of what has been read of it.
#[derive(Default)]
pub struct FileFound {
    /// Rows from the place that is asked for.
    pub rows: Vec<Row>,
    /// The number of rows before those.
    pub before: u64,
    /// The offsets of all its rows.
    pub ats: Vec<u64>,
    /// The places.
    pub places: Vec<Place>,
    /// Hashes of the kinds of its changes.
    pub kinds: HashSet<u64>,
    /// Matches that were taken; known of a search alone.
    pub matches: u64,
    /// The changes.
    pub changes: u64,
    /// The first problems.
    pub problems: Vec<Problem>,
}

/// Gathers what is found in one file.
pub struct PassCollector<'c> {
    plan: &'c PassPlan<'c>,
    file: usize,
    /// The results so far.
    pub found: FileFound,
    places_left: usize,
}

impl PassCollector<'_> {
    /// Keeps rows, if their place is behind the one that is asked for.
    fn rows(&mut self, place: RowPlace, count: usize, make: impl FnOnce(usize) -> Vec<Row>) {
        if place < self.plan.from {
            self.found.before += count as u64;
        } else if self.found.rows.len() < self.plan.room() {
            // Of several rows of one line, some may lie before.
            let is_before = |row: &Row| row.place < self.plan.from;
            let (before, rows): (Vec<_>, Vec<_>) = make(self.file).into_iter().partition(is_before);
            self.found.before += before.len() as u64;
            self.found.rows.extend(rows);
        }
    }

    fn place(&mut self, place: Place) {
        if self.found.places.len() <= self.places_left {
            self.found.places.push(place);
        }
    }

    /// True if something at one of these offsets is wanted.
    fn is_wanted(&self, mut offsets: impl Iterator<Item = u64>) -> bool {
        self.plan.only.is_none_or(|only| {
            let wanted = only.get(self.file);
            wanted.is_some_and(|wanted| offsets.any(|at| wanted.binary_search(&at).is_ok()))
        })
    }
}

impl Events for PassCollector<'_> {
    fn unit(&mut self, unit: &SearchedUnit<'_>) {
        self.found.matches += unit.taken;
        let offsets = unit.unit.offsets();
        let on_disk = |at: usize| unit.map.place(offsets.of(at));
        if self.plan.counts {
            for finding in unit.found.picked() {
                let (from, to) = (on_disk(finding.span.from), on_disk(finding.span.to));
                self.place(Place { from, to, text: 0 });
            }
        }
        let is_row = match self.plan.rows_of {
            RowsOf::Units => true,
            RowsOf::Matches | RowsOf::Changes => unit.taken > 0,
        };
        let mut starts = unit
            .found
            .picked()
            .map(|finding| on_disk(finding.span.from));
        if !is_row || !self.is_wanted(&mut starts) {
            return;
        }
        let at = on_disk(0);
        if self.plan.counts {
            self.found.ats.push(at);
        }
        let file = self.file;
        self.rows(RowPlace { file, at }, 1, |file| {
            vec![Row::of_unit(file, unit)]
        });
    }

    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        self.found.changes += hunk.edits.len() as u64;
        if self.plan.counts {
            for edit in &hunk.edits {
                let kind = (edit.text.before, edit.text.after);
                let kind = FixedState::default().hash_one(kind);
                let (from, to) = (edit.from, edit.to);
                self.place(Place {
                    from,
                    to,
                    text: kind,
                });
                if self.found.kinds.len() < KINDS_MOST {
                    self.found.kinds.insert(kind);
                }
            }
        }
        if self.plan.rows_of != RowsOf::Changes
            || !self.is_wanted(hunk.edits.iter().map(|edit| edit.from))
        {
            return;
        }
        let is_cells = hunk.edits.iter().all(|edit| edit.text.cell.is_some());
        let line = hunk.map.place(hunk.hunk.from);
        let (last, count) = match is_cells {
            true => (
                hunk.edits.last().map_or(line, |edit| edit.from),
                hunk.edits.len(),
            ),
            false => (line, 1),
        };
        if self.plan.counts {
            match is_cells {
                true => self
                    .found
                    .ats
                    .extend(hunk.edits.iter().map(|edit| edit.from)),
                false => self.found.ats.push(line),
            }
        }
        let file = self.file;
        self.rows(RowPlace { file, at: last }, count, |file| {
            Row::of_hunk(file, hunk)
        });
    }

    fn problem(&mut self, problem: Problem) {
        if self.found.problems.len() < PROBLEMS_MOST {
            self.found.problems.push(problem);
        }
    }
}

impl Collector for PassCollector<'_> {
    fn is_full(&self) -> bool {
        let FileFound {
            rows, places, ats, ..
        } = &self.found;
        rows.len() + places.len() + ats.len() > FULL
    }

    fn join(&mut self, part: Self) {
        self.found.absorb(part.found);
    }
}

impl FileFound {
    /// Adds what was found further on in the same file.
    pub fn absorb(&mut self, next: Self) {
        self.rows.extend(next.rows);
        self.before += next.before;
        self.ats.extend(next.ats);
        self.problems.extend(next.problems);
        self.places.extend(next.places);
        if self.kinds.is_empty() {
            self.kinds = next.kinds;
        } else {
            self.kinds.extend(next.kinds);
        }
        self.matches += next.matches;
        self.changes += next.changes;
    }
}
