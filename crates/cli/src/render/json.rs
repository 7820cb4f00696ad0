//! JSON Lines: one record a line, in the order the reference page gives.

pub mod line;
#[cfg(test)]
mod tests;

use crate::render::find::FoundUnit;
use crate::render::json::line::{JsonPath, Line, Text, lossy, path_text, push_number};
use crate::render::report::FileReport;
use crate::render::table::{FindTotals, RewriteTotals};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::edits::{CellEdit, GroupTexts};
use brisk_quill_core::escape::is_hidden;
use brisk_quill_core::pattern::Groups;
use brisk_quill_core::plan::FORMAT;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::hunk::{Extent, Hunk};
use brisk_quill_core::rewrite::{LeftOutCounts, Rewrite, StepCounts};
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_files::discover::Source;
use brisk_quill_files::evaluate::{FileEdit, FileHunk};
use brisk_quill_files::read::Facts;
use line::key;
use serde::Serialize;
use std::borrow::Cow;
use std::io;
use std::os::unix::ffi::OsStrExt;

/// Units longer than this are left out of `unit` records, in bytes.
const UNIT_MOST: usize = 4 << 10;

pub(super) fn push(out: &mut Vec<u8>, record: &impl Serialize) {
    push_json(out, record);
    out.push(b'\n');
}

/// Writes a value in which no character drives or confuses a terminal: such characters are
/// written by their numbers.
fn push_json(out: &mut Vec<u8>, value: &(impl Serialize + ?Sized)) {
    let mut serializer = serde_json::Serializer::with_formatter(out, ByNumber);
    let written = value.serialize(&mut serializer);
    written.expect("records hold only strings and numbers");
}

/// Writes characters by their numbers that a terminal obeys or hides.
struct ByNumber;

impl serde_json::ser::Formatter for ByNumber {
    fn write_string_fragment<W: ?Sized + io::Write>(
        &mut self,
        out: &mut W,
        fragment: &str,
    ) -> io::Result<()> {
        let mut done = 0;
        for (at, c) in fragment.char_indices() {
            if !is_hidden(c) && c != '\x7F' {
                continue;
            }
            out.write_all(&fragment.as_bytes()[done..at])?;
            for unit in c.encode_utf16(&mut [0; 2]) {
                write!(out, "\\u{unit:04x}")?;
            }
            done = at + c.len_utf8();
        }
        out.write_all(&fragment.as_bytes()[done..])
    }
}

/// A record on a line.
pub fn json_line(record: &impl Serialize) -> Vec<u8> {
    let mut out = Vec::new();
    push(&mut out, record);
    out
}

#[derive(Serialize)]
#[serde(tag = "record", rename_all = "lowercase")]
enum Record<'a> {
    Plan {
        format: u32,
        rewrite: &'a RewriteText,
    },
    File {
        #[serde(flatten)]
        path: PathRecord<'a>,
        #[serde(skip_serializing_if = "Option::is_none")]
        real: Option<&'a str>,
        #[serde(skip_serializing_if = "Option::is_none")]
        real_b64: Option<&'a str>,
        bytes: u64,
        hash: Option<String>,
        encoding: &'a str,
        newline: &'a str,
    },
    Missing(UnitRecord<'a>),
    Offender(UnitRecord<'a>),
    Note {
        #[serde(flatten)]
        path: PathRecord<'a>,
        line: u64,
        message: &'a str,
    },
    Hint {
        name: &'a str,
        message: &'a str,
    },
    Problem {
        #[serde(flatten)]
        path: PathRecord<'a>,
        line: Option<u64>,
        message: String,
    },
    Unmet {
        #[serde(flatten)]
        path: PathRecord<'a>,
        line: u64,
        text: Cow<'a, str>,
        #[serde(skip_serializing_if = "Option::is_none")]
        text_b64: Option<String>,
    },
    Totals {
        files: u64,
        #[serde(skip_serializing_if = "Option::is_none")]
        files_changed: Option<u64>,
        #[serde(skip_serializing_if = "Option::is_none")]
        files_matching: Option<u64>,
        files_skipped: u64,
        matches: u64,
        #[serde(skip_serializing_if = "Option::is_none")]
        changed: Option<u64>,
        #[serde(skip_serializing_if = "Option::is_none")]
        unchanged: Option<u64>,
        #[serde(skip_serializing_if = "Option::is_none")]
        failed: Option<u64>,
        left_out: LeftOutRecord,
        #[serde(skip_serializing_if = "Option::is_none")]
        changes: Option<u64>,
        #[serde(skip_serializing_if = "Option::is_none")]
        lines_added: Option<u64>,
        #[serde(skip_serializing_if = "Option::is_none")]
        lines_removed: Option<u64>,
        problems: u64,
        #[serde(skip_serializing_if = "Vec::is_empty")]
        per_step: Vec<StepRecord>,
    },
}

/// The path of a file, and its bytes where they are not UTF-8.
#[derive(Serialize)]
struct PathRecord<'a> {
    path: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    path_b64: Option<String>,
}

impl<'a> PathRecord<'a> {
    fn of(source: &'a Source) -> Self {
        let text = path_text(source);
        Self {
            path: text.shown,
            path_b64: text.base64,
        }
    }
}

/// A unit that a verb lists.
#[derive(Serialize)]
struct UnitRecord<'a> {
    #[serde(flatten)]
    path: PathRecord<'a>,
    line: u64,
    cell: Option<&'a str>,
    text: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    text_b64: Option<String>,
}

impl<'a> UnitRecord<'a> {
    fn of(source: &'a Source, unit: &'a FoundUnit) -> Self {
        let text = Text::of(&unit.text);
        Self {
            path: PathRecord::of(source),
            line: unit.line,
            cell: unit.cell.as_deref(),
            text: text.shown,
            text_b64: text.base64,
        }
    }
}

#[derive(Serialize)]
struct LeftOutRecord {
    pick: u64,
    limit: u64,
    scope: u64,
}

impl From<LeftOutCounts> for LeftOutRecord {
    fn from(counts: LeftOutCounts) -> Self {
        Self {
            pick: counts.pick,
            limit: counts.limit,
            scope: counts.scope,
        }
    }
}

#[derive(Serialize)]
struct StepRecord {
    step: usize,
    matches: u64,
    changed: u64,
    unchanged: u64,
    failed: u64,
    left_out: LeftOutRecord,
}

impl StepRecord {
    fn new(index: usize, counts: &StepCounts) -> Self {
        Self {
            step: index + 1,
            matches: counts.matches,
            changed: counts.edits,
            unchanged: counts.unchanged,
            failed: counts.failed,
            left_out: counts.left_out.into(),
        }
    }
}

/// Stands where the id of a change belongs, which is known only once what lies before it is. No
/// record holds this byte otherwise.
pub const CHANGE_ID: u8 = 0;

/// The records of a preview.
#[derive(Clone, Copy)]
pub struct JsonPlan<'a> {
    pub text: &'a RewriteText,
    pub rewrite: &'a Rewrite,
}

impl JsonPlan<'_> {
    /// The first record.
    pub fn head(&self) -> Vec<u8> {
        json_line(&Record::Plan {
            format: FORMAT,
            rewrite: self.text,
        })
    }

    /// What stands before the changes of a file.
    pub fn file(&self, source: &Source, facts: &Facts) -> Vec<u8> {
        let real = facts
            .real
            .as_ref()
            .map(|real| Text::of(real.as_os_str().as_bytes()));
        json_line(&Record::File {
            path: PathRecord::of(source),
            real: real.as_ref().map(|real| &*real.shown),
            real_b64: real.as_ref().and_then(|real| real.base64.as_deref()),
            bytes: facts.bytes,
            hash: facts.hash.map(|hash| hash.to_hex().to_string()),
            encoding: facts.encoding,
            newline: facts.newline.name(),
        })
    }

    /// Adds the changes of a hunk, with [`CHANGE_ID`] for their ids.
    pub fn hunk(&self, out: &mut Vec<u8>, path: &JsonPath, found: &FileHunk<'_>) {
        let cells = found.edits.iter().all(|edit| edit.text.cell.is_some());
        if !cells {
            push_unit(out, path, found.hunk);
        }
        for edit in &found.edits {
            if let Some(cell) = edit.text.cell.filter(|_| cells) {
                push_cell(out, path, edit.text.line, cell);
            }
            self.push_change(out, path, edit);
        }
    }

    /// What stands behind the changes of a file.
    pub fn troubles(&self, report: &FileReport<'_>) -> Vec<u8> {
        let mut out = Vec::new();
        for problem in report.problems {
            push_problem(&mut out, report.source, problem);
        }
        for unmet in report.unmet {
            let text = Text::of(&unmet.text);
            let record = Record::Unmet {
                path: PathRecord::of(report.source),
                line: unmet.line,
                text: text.shown,
                text_b64: text.base64,
            };
            push(&mut out, &record);
        }
        out
    }

    fn push_change(&self, out: &mut Vec<u8>, path: &JsonPath, edit: &FileEdit<'_>) {
        let text = &edit.text;
        let (mut before, mut after) = (Text::of(text.before), Text::of(text.after));
        if edit.before != text.before || *edit.after != *text.after {
            // On disk, they are not the text itself.
            before.base64 = Some(BASE64.encode(edit.before));
            after.base64 = Some(BASE64.encode(&edit.after));
        }
        let names = text.steps.iter().next();
        let names = names.map(|step| self.rewrite.steps()[step].query.pattern.groups());
        let mut line = Line::begin(out, "{\"record\":\"change\"");
        let id = line.key(key!("id"));
        id.extend_from_slice(&[b'"', CHANGE_ID, b'"']);
        line.place(&path.0, text.line, text.cell.map(|cell| &*cell.name));
        line.number(key!("from"), edit.from);
        line.number(key!("to"), edit.to);
        line.bytes([key!("before"), key!("before_b64")], &before);
        line.bytes([key!("after"), key!("after_b64")], &after);
        let steps = line.key(key!("steps"));
        for (index, step) in text.steps.iter().enumerate() {
            steps.push(if index == 0 { b'[' } else { b',' });
            push_number(steps, step as u64 + 1);
        }
        steps.push(b']');
        line.groups(names, text.groups.into_iter().flat_map(GroupTexts::iter));
        line.text(key!("decision"), "open");
        line.end();
    }

    /// A hint about the template of a step.
    pub fn hint(&self, name: &str, message: &str) -> Vec<u8> {
        json_line(&Record::Hint { name, message })
    }

    /// The last record.
    pub fn totals(&self, totals: &RewriteTotals) -> Vec<u8> {
        let counts = &totals.counts;
        let steps = counts.all_steps();
        let per_step = counts.steps.iter().enumerate();
        let record = Record::Totals {
            files: totals.files.read,
            files_changed: Some(totals.changed),
            files_matching: None,
            files_skipped: totals.files.skipped(),
            matches: steps.matches,
            changed: Some(steps.edits),
            unchanged: Some(steps.unchanged),
            failed: Some(steps.failed),
            left_out: steps.left_out.into(),
            changes: Some(counts.changes),
            lines_added: Some(counts.lines_added),
            lines_removed: Some(counts.lines_removed),
            problems: counts.problems + totals.files.unreadable,
            per_step: per_step.map(|(i, step)| StepRecord::new(i, step)).collect(),
        };
        json_line(&record)
    }
}

/// Something to know about a file.
pub fn json_note(source: &Source, line: u64, message: &str) -> Vec<u8> {
    json_line(&Record::Note {
        path: PathRecord::of(source),
        line,
        message,
    })
}

/// Adds bytes to a record as text; where they are not UTF-8, also in base64.
pub fn put_bytes(record: &mut serde_json::Value, key: &str, bytes: &[u8]) {
    let text = Text::of(bytes);
    record[key] = text.shown.into();
    if let Some(base64) = text.base64 {
        record[format!("{key}_b64")] = base64.into();
    }
}

fn push_unit(out: &mut Vec<u8>, path: &JsonPath, hunk: &Hunk<'_>) {
    if hunk.was.len() > UNIT_MOST || hunk.extent != Extent::Whole {
        return;
    }
    let now = hunk.now();
    if now.len() > UNIT_MOST {
        return;
    }
    let (was, now) = without_common_ending(hunk.was, &now);
    push_was_now(out, path, hunk.line, None, (was, now));
}

/// A changed cell: its value before and after.
fn push_cell(out: &mut Vec<u8>, path: &JsonPath, line: u64, cell: &CellEdit) {
    let now = cell.now();
    if cell.value.len() <= UNIT_MOST && now.len() <= UNIT_MOST {
        push_was_now(out, path, line, Some(&cell.name), (&cell.value, &now));
    }
}

fn push_was_now(
    out: &mut Vec<u8>,
    path: &JsonPath,
    number: u64,
    cell: Option<&str>,
    (was, now): (&[u8], &[u8]),
) {
    let mut line = Line::begin(out, "{\"record\":\"unit\"");
    line.place(&path.0, number, cell);
    line.text(key!("was"), &lossy(was));
    line.text(key!("now"), &lossy(now));
    line.end();
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

/// A unit that is not as `check` asks.
pub fn json_offender(source: &Source, unit: &FoundUnit) -> Vec<u8> {
    json_line(&Record::Offender(UnitRecord::of(source, unit)))
}

/// A unit in scope without a match.
pub fn json_missing(source: &Source, unit: &FoundUnit) -> Vec<u8> {
    json_line(&Record::Missing(UnitRecord::of(source, unit)))
}

/// A problem in a file.
pub fn json_problem(source: &Source, problem: &Problem) -> Vec<u8> {
    let mut out = Vec::new();
    push_problem(&mut out, source, problem);
    out
}

/// A problem with a file; also one that could not be opened.
fn push_problem(out: &mut Vec<u8>, source: &Source, problem: &Problem) {
    let record = Record::Problem {
        path: PathRecord::of(source),
        line: problem.line,
        message: problem.kind.to_string(),
    };
    push(out, &record);
}

/// The records of `find`.
#[derive(Clone, Copy)]
pub struct JsonFind<'a> {
    pub groups: &'a Groups,
}

impl JsonFind<'_> {
    /// The matches of one unit; `locate` tells where its bytes lie in the file.
    pub fn unit(
        &self,
        source: &Source,
        unit: &FoundUnit,
        locate: &dyn Fn(usize) -> u64,
    ) -> Vec<u8> {
        let mut out = Vec::new();
        let path = JsonPath::of(source);
        for (span, groups) in unit.spans.iter().zip(&unit.groups) {
            let mut line = Line::begin(&mut out, "{\"record\":\"match\"");
            line.place(&path.0, unit.line, unit.cell.as_deref());
            line.number(key!("from"), locate(span.from));
            line.number(key!("to"), locate(span.to));
            line.bytes(
                [key!("text"), key!("text_b64")],
                &Text::of(&unit.text[span.range()]),
            );
            line.groups(Some(self.groups), unit.texts_of(groups));
            line.end();
        }
        out
    }

    /// The last record.
    pub fn totals(&self, totals: &FindTotals) -> Vec<u8> {
        let record = Record::Totals {
            files: totals.files.read,
            files_changed: None,
            files_matching: Some(totals.matching),
            files_skipped: totals.files.skipped(),
            matches: totals.matches,
            changed: None,
            unchanged: None,
            failed: None,
            left_out: totals.left_out.into(),
            changes: None,
            lines_added: None,
            lines_removed: None,
            problems: totals.problems + totals.files.unreadable,
            per_step: Vec::new(),
        };
        json_line(&record)
    }
}
