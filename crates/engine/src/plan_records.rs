//! Records of a plan, made from what was found.

use crate::collector::FileHunk;
use crate::file_note::FileNote;
use crate::hints::hint::Hint;
use crate::summary::Summary;
use brisk_quill_core::edits::{CellEdit, GroupTexts, StepSet};
use brisk_quill_core::problem::Problem;
use brisk_quill_core::records::field::{Base64, Coded, Json, Optional, Ordinal, line, push};
use brisk_quill_core::records::json::lossy;
use brisk_quill_core::records::plan::{
    ChangeId, FORMAT, FileRecord, HintRecord, LeftOutRecord, NoteRecord, PlanRecord, ProblemRecord,
    ReachRecord, StepRecord, TotalsRecord, UnitRecord, UnmetRecord,
};
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::hunk::{Extent, Hunk, HunkEdit};
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_files::change::Change;
use brisk_quill_files::edit::FileEdit;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::short_plan::{self, DiskText, EntryKind, ShortChange};
use brisk_quill_files::source::Source;
use std::borrow::Cow;
use std::os::unix::ffi::OsStrExt;

/// Units longer than this are left out of `unit` records, in bytes.
const UNIT_MOST: usize = 4 << 10;

/// The path of a file as its records say it.
///
/// ```
/// use brisk_quill_engine::plan_records::RecordPath;
/// use brisk_quill_files::source::Source;
/// let source = Source::file("notices/01.md");
/// assert_eq!(RecordPath::of(&source).fields().0, "notices/01.md");
/// ```
pub struct RecordPath<'a> {
    path: Cow<'a, str>,
    base64: Optional<Base64<'a>>,
}

impl<'a> RecordPath<'a> {
    /// The path of `source`.
    pub fn of(source: &'a Source) -> Self {
        let Coded { text, base64 } = Coded::of_path(source.path().as_os_str().as_bytes());
        Self { path: text, base64 }
    }

    /// The two fields, `path` and `path_b64`.
    pub fn fields(&self) -> (Cow<'_, str>, Optional<Base64<'_>>) {
        let base64 = self.base64.0.as_ref();
        (
            Cow::Borrowed(&self.path),
            Optional(base64.map(|coded| Base64(Cow::Borrowed(&coded.0)))),
        )
    }
}

/// The first record.
pub fn head(text: &RewriteText, rewrite: &Rewrite) -> Vec<u8> {
    line(&PlanRecord {
        format: FORMAT,
        rewrite: Json(Cow::Borrowed(text)),
        reach: rewrite.steps().iter().map(ReachRecord::new).collect(),
        undoes: Optional(None),
    })
}

/// The first record of a plan that reverts a run.
pub fn undoing_head(run: u64) -> Vec<u8> {
    line(&PlanRecord {
        format: FORMAT,
        rewrite: Json(Cow::Owned(RewriteText::default())),
        reach: Vec::new(),
        undoes: Optional(Some(Ordinal(run))),
    })
}

/// The record of a change that no rewrite made, with the id that it has.
pub fn plain_change(path: &RecordPath<'_>, id: String, change: &Change) -> Vec<u8> {
    let plain = |text| DiskText { text, disk: None };
    let change = ShortChange {
        line: change.line,
        cell: None,
        label: None,
        from: change.from,
        to: change.to,
        before: plain(&change.before),
        after: plain(&change.after),
        steps: StepSet::default(),
    };
    let mut out = Vec::new();
    let id = ChangeId::Known(id);
    change.push_record(&mut out, id, path.fields(), |_| None, std::iter::empty());
    out
}

/// The record before the changes of a file.
pub fn file(source: &Source, facts: &Facts) -> Vec<u8> {
    let path = RecordPath::of(source);
    let (path, path_b64) = path.fields();
    let real = facts.real.as_ref().map(|real| real.as_os_str().as_bytes());
    let (real, real_b64) = match real.map(Coded::of) {
        Some(Coded { text, base64 }) => (Some(text), base64),
        None => (None, Optional(None)),
    };
    line(&FileRecord {
        path,
        path_b64,
        real: Optional(real),
        real_b64,
        bytes: facts.bytes,
        hash: facts.hash.map(|hash| hash.to_hex().to_string().into()),
        encoding: facts.encoding.into(),
        store: Optional(facts.store.name().map(Into::into)),
        text_bytes: Optional((!facts.store.is_plain()).then_some(facts.text_bytes)),
        newline: facts.newline.name().into(),
    })
}

/// Appends the changes of a hunk as records, with pending ids.
pub fn push_hunk(
    out: &mut Vec<u8>,
    rewrite: &Rewrite,
    path: &RecordPath<'_>,
    found: &FileHunk<'_>,
) {
    let cells = are_cells(found);
    if !cells {
        push_unit(out, path, found.hunk);
    }
    for edit in &found.edits {
        if let Some(cell) = edit.text.cell.filter(|_| cells) {
            push_cell(out, path, &edit.text, cell);
        }
        let first = edit.text.steps.iter().next();
        let names = first.map(|step| rewrite.steps()[step].query.pattern.groups());
        let name = |number: usize| names?.name(number);
        let groups = groups_of(edit);
        short_change(edit).push_record(out, ChangeId::Pending, path.fields(), name, groups);
    }
}

/// Appends the changes of a hunk in short form.
pub fn push_short_hunk(out: &mut Vec<u8>, found: &FileHunk<'_>) {
    let cells = are_cells(found);
    if !cells && found.hunk.extent == Extent::Whole {
        push_around(out, found.hunk.was);
    }
    for edit in &found.edits {
        if let Some(cell) = edit.text.cell.filter(|_| cells) {
            push_around(out, &cell.value);
        }
        short_change(edit).put(out, groups_of(edit));
    }
}

/// True if all of a hunk is changes of cells, each to be shown by its value.
fn are_cells(found: &FileHunk<'_>) -> bool {
    found.edits.iter().all(|edit| edit.text.cell.is_some())
}

fn short_change<'e>(edit: &'e FileEdit<'_>) -> ShortChange<'e> {
    let text = &edit.text;
    let is_other = edit.before != text.before || *edit.after != *text.after;
    ShortChange {
        line: text.line,
        cell: text.cell.map(|cell| &*cell.name),
        label: label_of(text),
        from: edit.from,
        to: edit.to,
        before: DiskText {
            text: text.before,
            disk: is_other.then_some(edit.before),
        },
        after: DiskText {
            text: text.after,
            disk: is_other.then_some(&edit.after),
        },
        steps: text.steps,
    }
}

/// The groups of the match of a change, from 1.
fn groups_of<'e>(edit: &'e FileEdit<'_>) -> impl Iterator<Item = Option<&'e [u8]>> {
    let groups = edit.text.groups.into_iter();
    groups.flat_map(GroupTexts::iter).skip(1)
}

/// The part of a unit that is kept where the unit is not wanted.
fn push_around(out: &mut Vec<u8>, was: &[u8]) {
    if was.len() <= UNIT_MOST {
        let (was, _) = without_common_ending(was, was);
        short_plan::push_plain(out, EntryKind::Around, was);
    }
}

fn push_unit(out: &mut Vec<u8>, path: &RecordPath<'_>, hunk: &Hunk<'_>) {
    if hunk.was.len() > UNIT_MOST || hunk.extent != Extent::Whole {
        return;
    }
    let now = hunk.now();
    if now.len() > UNIT_MOST {
        return;
    }
    let (was, now) = without_common_ending(hunk.was, &now);
    let label = hunk.edits().find_map(|edit| label_of(&edit));
    push_was_now(out, path, (hunk.line, None, label), (was, now));
}

/// A changed cell: its value before and after.
fn push_cell(out: &mut Vec<u8>, path: &RecordPath<'_>, edit: &HunkEdit<'_>, cell: &CellEdit) {
    let now = cell.now();
    if cell.value.len() <= UNIT_MOST && now.len() <= UNIT_MOST {
        let place = (edit.line, Some(&*cell.name), label_of(edit));
        push_was_now(out, path, place, (&cell.value, &now));
    }
}

/// The name of the row of a change.
fn label_of<'t>(edit: &HunkEdit<'t>) -> Option<&'t str> {
    edit.row?.label.as_deref()
}

fn push_was_now(
    out: &mut Vec<u8>,
    path: &RecordPath<'_>,
    (line, cell, label): (u64, Option<&str>, Option<&str>),
    (was, now): (&[u8], &[u8]),
) {
    let (path, path_b64) = path.fields();
    push(
        out,
        &UnitRecord {
            path,
            path_b64,
            line: Ordinal(line),
            cell: cell.map(Cow::Borrowed),
            label: Optional(label.map(Cow::Borrowed)),
            was: lossy(was),
            now: lossy(now),
        },
    );
}

/// Both without the line end that both have.
fn without_common_ending<'t>(was: &'t [u8], now: &'t [u8]) -> (&'t [u8], &'t [u8]) {
    for ending in [&b"\r\n"[..], b"\n"] {
        if let (Some(was), Some(now)) = (was.strip_suffix(ending), now.strip_suffix(ending)) {
            return (was, now);
        }
    }
    (was, now)
}

/// A problem in a file.
pub fn problem(source: &Source, problem: &Problem) -> Vec<u8> {
    let path = RecordPath::of(source);
    let (path, path_b64) = path.fields();
    line(&ProblemRecord {
        path,
        path_b64,
        line: problem.line.map(Ordinal),
        message: problem.kind.to_string().into(),
    })
}

/// A unit that would not match what it must.
pub fn unmet(source: &Source, unmet: &Unmet) -> Vec<u8> {
    let path = RecordPath::of(source);
    let (path, path_b64) = path.fields();
    let Coded { text, base64 } = Coded::of(&unmet.text);
    line(&UnmetRecord {
        path,
        path_b64,
        line: Ordinal(unmet.line),
        text,
        text_b64: base64,
    })
}

/// A note about a file.
pub fn note(note: &FileNote) -> Vec<u8> {
    let path = RecordPath::of(&note.source);
    let (path, path_b64) = path.fields();
    line(&NoteRecord {
        path,
        path_b64,
        line: Ordinal(note.line),
        message: Cow::Borrowed(&note.message),
    })
}

/// A hint.
pub fn hint(hint: &Hint) -> Vec<u8> {
    let path = hint
        .place
        .as_ref()
        .map(|place| RecordPath::of(&place.source));
    let fields = path.as_ref().map(RecordPath::fields);
    let (path, path_b64) = match fields {
        Some((path, path_b64)) => (Some(path), path_b64),
        None => (None, Optional(None)),
    };
    line(&HintRecord {
        name: hint.name.into(),
        message: Cow::Borrowed(&hint.message),
        path,
        path_b64,
        line: hint.place.as_ref().map(|place| Ordinal(place.line)),
        count: hint.count,
        remedy: hint.remedy.as_ref().map(|remedy| remedy.to_string().into()),
    })
}

/// The last record of a plan with this many changes in this many files.
pub fn plain_totals(files: u64, changes: u64) -> Vec<u8> {
    line(&TotalsRecord {
        files,
        files_changed: files,
        files_skipped: 0,
        matches: changes,
        changed: changes,
        unchanged: 0,
        failed: 0,
        left_out: LeftOutRecord::default(),
        changes,
        lines_added: 0,
        lines_removed: 0,
        problems: 0,
        per_step: Vec::new(),
    })
}

/// The last record.
pub fn totals(summary: &Summary) -> Vec<u8> {
    let counts = &summary.counts;
    let steps = counts.all_steps();
    let per_step = counts.steps.iter().enumerate();
    line(&TotalsRecord {
        files: summary.files.read,
        files_changed: summary.changed,
        files_skipped: summary.files.skipped(),
        matches: steps.matches,
        changed: steps.edits,
        unchanged: steps.unchanged,
        failed: steps.failed,
        left_out: steps.left_out.into(),
        changes: counts.changes,
        lines_added: counts.lines_added,
        lines_removed: counts.lines_removed,
        problems: counts.problems + summary.files.unreadable,
        per_step: per_step.map(|(i, step)| StepRecord::new(i, step)).collect(),
    })
}
