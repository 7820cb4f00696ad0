//! Hunks kept in memory, to be shown.

use crate::collector::{Collector, Events, FileHunk};
use brisk_quill_core::edits::{CellEdit, RowFacts, StepSet};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_core::span::Span;
use brisk_quill_core::unit::lines;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;

/// One file with its changes.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct FileReport<'a> {
    /// The file.
    pub source: &'a Source,
    /// Facts about it.
    pub facts: &'a Facts,
    /// As many hunks as were asked for.
    pub hunks: &'a [KeptHunk],
    /// All problems.
    pub problems: &'a [Problem],
    /// All units that do not match what they must.
    pub unmet: &'a [Unmet],
}

/// Neighbouring lines that change.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct KeptHunk {
    /// Number of the first line, from 1.
    pub line: u64,
    /// The lines as they were, with their ends.
    pub was: Vec<u8>,
    /// The changes, in order.
    pub edits: Vec<KeptEdit>,
    /// The neighbours left alone.
    pub around: Neighbours,
    /// The lines after each step, where those were asked for.
    pub stages: Vec<Vec<u8>>,
}

/// One change.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct KeptEdit {
    /// In the hunk's `was`.
    pub span: Span,
    /// The line it begins in, from 1.
    pub line: u64,
    /// The new bytes.
    pub after: Vec<u8>,
    /// The steps that made it.
    pub steps: StepSet,
    /// The cell, where all of it is one.
    pub cell: Option<KeptCell>,
    /// The row it is about, where that is to be named or shown.
    pub row: Option<RowFacts>,
}

impl KeptEdit {
    /// The name of its row, where rows are to be named.
    pub fn label(&self) -> Option<&str> {
        self.row.as_ref()?.label.as_deref()
    }
}

/// The value of a cell, before and after.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct KeptCell {
    /// The name of its column.
    pub name: String,
    /// The value before.
    pub was: Vec<u8>,
    /// The value after.
    pub now: Vec<u8>,
    /// The parts of the value before that change.
    pub was_marks: Vec<Span>,
    /// The parts of the value after that are new.
    pub now_marks: Vec<Span>,
    /// The value after each step, where those were asked for.
    pub stages: Vec<Vec<u8>>,
}

impl KeptCell {
    pub(crate) fn new(cell: &CellEdit, stages: Vec<Vec<u8>>) -> Self {
        let mut now_marks = Vec::new();
        let (mut at, mut length) = (0, 0);
        for edit in &cell.edits {
            let from = length + edit.span.from - at;
            now_marks.push(Span::new(from, from + edit.text.len()));
            (at, length) = (edit.span.to, from + edit.text.len());
        }
        Self {
            name: cell.name.to_string(),
            now: cell.now(),
            was: cell.value.to_vec(),
            was_marks: cell.edits.iter().map(|edit| edit.span).collect(),
            now_marks,
            stages,
        }
    }
}

/// Whole lines before and after a hunk, with their ends.
///
/// ```
/// use brisk_quill_core::span::Span;
/// use brisk_quill_engine::kept_hunk::Neighbours;
/// let around = Neighbours::of(b"one\ntwo\nthree\n", Span::new(4, 8), 1);
/// assert_eq!((&*around.before[0], &*around.after[0]), (&b"one\n"[..], &b"three\n"[..]));
/// ```
#[derive(Clone, Default)]
pub struct Neighbours {
    /// Lines before it.
    pub before: Vec<Vec<u8>>,
    /// Lines after it.
    pub after: Vec<Vec<u8>>,
}

impl KeptHunk {
    fn new(found: &FileHunk<'_>, keep: &HunkLimits) -> Self {
        let hunk = found.hunk;
        let edits = found.edits.iter().map(|edit| KeptEdit {
            span: edit.text.span,
            line: edit.text.line,
            after: edit.text.after.to_vec(),
            steps: edit.text.steps,
            row: edit.text.row.cloned(),
            cell: (edit.text.cell).map(|cell| KeptCell::new(cell, hunk.cell_stages(&edit.text))),
        });
        Self {
            line: hunk.line,
            was: hunk.was.to_vec(),
            edits: edits.collect(),
            around: Neighbours::of(hunk.text, hunk.place, keep.context),
            stages: hunk.stages(),
        }
    }

    /// The same in bytes on disk.
    fn on_disk(found: &FileHunk<'_>, keep: &HunkLimits) -> Self {
        let (hunk, map) = (found.hunk, found.map);
        let mut shown = Self::new(found, keep);
        let start = map.place(hunk.from);
        // A hunk is in memory, so offsets in it fit.
        let local = |offset: u64| (offset - start) as usize;
        for (edit, disk) in shown.edits.iter_mut().zip(&found.edits) {
            edit.span = Span::new(local(disk.from), local(disk.to));
            edit.after = disk.after.to_vec();
        }
        shown.was = map.raw(hunk.from, hunk.was).to_vec();
        let mut before = hunk.from;
        for line in shown.around.before.iter_mut().rev() {
            before -= line.len() as u64;
            *line = map.raw(before, line).to_vec();
        }
        let mut after = hunk.from + hunk.was.len() as u64;
        for line in &mut shown.around.after {
            let length = line.len() as u64;
            *line = map.raw(after, line).to_vec();
            after += length;
        }
        shown
    }

    /// The changed lines as they become, and where the new text lies in them.
    pub fn now(&self) -> (Vec<u8>, Vec<Span>) {
        let (mut text, mut marks) = (Vec::new(), Vec::new());
        let mut at = 0;
        for edit in &self.edits {
            text.extend_from_slice(&self.was[at..edit.span.from]);
            let from = text.len();
            text.extend_from_slice(&edit.after);
            marks.push(Span::new(from, text.len()));
            at = edit.span.to;
        }
        text.extend_from_slice(&self.was[at..]);
        (text, marks)
    }

    /// True if all that changes in it are cells.
    pub fn is_cells(&self) -> bool {
        self.edits.iter().all(|edit| edit.cell.is_some())
    }

    /// The number of lines it had.
    pub fn height(&self) -> u64 {
        lines(&self.was).count() as u64
    }
}

impl Neighbours {
    /// At most `most` lines on either side of `place`, which is whole lines of `text`.
    pub fn of(text: &[u8], place: Span, most: usize) -> Self {
        if most == 0 {
            return Self::default();
        }
        let (head, tail) = (&text[..place.from], &text[place.to..]);
        let after = lines(tail).take(most);
        Self {
            before: last_lines(head, most),
            after: after.map(|l| tail[l.whole().range()].to_vec()).collect(),
        }
    }
}

/// The last lines of a text that ends in a line end, without looking at more of it than needed.
fn last_lines(text: &[u8], most: usize) -> Vec<Vec<u8>> {
    let mut start = text.len();
    for _ in 0..most {
        let Some(before) = start.checked_sub(1) else {
            break;
        };
        let end = text[..before].iter().rposition(|b| *b == b'\n');
        start = end.map_or(0, |at| at + 1);
    }
    let tail = &text[start..];
    lines(tail)
        .map(|l| tail[l.whole().range()].to_vec())
        .collect()
}

/// Limits on what is kept of a file.
///
#[doc = include_str!("../doc/rewriting.md")]
#[derive(Clone, Copy, Default)]
pub struct HunkLimits {
    /// Hunks are kept until they hold this many changes.
    pub changes: usize,
    /// Lines around each.
    pub context: usize,
    /// In bytes on disk and not as text.
    pub on_disk: bool,
}

/// Keeps what is found in one file, as far as it is to be shown.
///
/// ```
/// use brisk_quill_core::rewrite::Rewrite;
/// use brisk_quill_core::step_spec::StepSpec;
/// use brisk_quill_core::template::tables::NoTables;
/// use brisk_quill_engine::host::Host;
/// use brisk_quill_engine::kept_hunk::{HunkCollector, HunkLimits};
/// use brisk_quill_engine::request::Work;
/// use brisk_quill_engine::session::Session;
/// use brisk_quill_engine::sources::Sources;
/// use brisk_quill_files::discover::Search;
/// use std::ops::ControlFlow;
///
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("notice.txt"), "closed\nberth 4\n")?;
/// let host = Host::new(folder.path().to_owned());
/// let sources = Sources::find(&host, vec![".".into()], Search::default())?;
/// let spec = StepSpec {
///     pattern: Some(r"berth (\d)".into()),
///     with: Some("B-$1".into()),
///     ..StepSpec::default()
/// };
/// let rewrite = Rewrite::new(vec![spec.build(&mut NoTables)?]);
/// let work = Work::new(&rewrite);
/// let limits = HunkLimits { changes: 40, ..HunkLimits::default() };
/// Session::default().run(&work, &sources, |_| HunkCollector::new(limits), |taken| {
///     let hunk = &taken.found.hunks[0];
///     assert_eq!((hunk.line, hunk.now().0), (2, b"B-4\n".to_vec()));
///     ControlFlow::Continue(())
/// })?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Default)]
pub struct HunkCollector {
    keep: HunkLimits,
    /// Changes in the hunks kept.
    kept: usize,
    /// The first hunks.
    pub hunks: Vec<KeptHunk>,
    /// All problems.
    pub problems: Vec<Problem>,
    /// All units that do not match what they must.
    pub unmet: Vec<Unmet>,
}

impl HunkCollector {
    /// A collector that keeps no more than `keep` says.
    pub fn new(keep: HunkLimits) -> Self {
        Self {
            keep,
            ..Self::default()
        }
    }
}

impl Events for HunkCollector {
    fn hunk(&mut self, found: &FileHunk<'_>) {
        if self.kept < self.keep.changes {
            self.kept += found.edits.len();
            self.hunks.push(if self.keep.on_disk {
                KeptHunk::on_disk(found, &self.keep)
            } else {
                KeptHunk::new(found, &self.keep)
            });
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push(unmet);
    }
}

impl Collector for HunkCollector {
    fn join(&mut self, part: Self) {
        for hunk in part.hunks {
            if self.kept < self.keep.changes {
                self.kept += hunk.edits.len();
                self.hunks.push(hunk);
            }
        }
        self.problems.extend(part.problems);
        self.unmet.extend(part.unmet);
    }
}
