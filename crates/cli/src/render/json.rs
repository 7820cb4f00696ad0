//! JSON Lines: one record a line, in the order the reference page gives.

use super::find::FoundUnit;
use super::report::{FileReport, ShownCell, ShownEdit, ShownPassage};
use super::table::{FindTotals, RewriteTotals};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::plan::FORMAT;
use brisk_quill_core::{
    GroupText, Groups, LeftOutCounts, Problem, Rewrite, RewriteText, StepCounts,
};
use brisk_quill_files::{Facts, Source};
use serde::Serialize;

/// Units longer than this are left out of `unit` records, in bytes.
const UNIT_MOST: usize = 4 << 10;

/// Bytes as text; where they are not UTF-8, the bytes travel beside the shown text.
struct Text {
    shown: String,
    base64: Option<String>,
}

impl Text {
    fn of(bytes: &[u8]) -> Self {
        match std::str::from_utf8(bytes) {
            Ok(text) => Self {
                shown: text.to_owned(),
                base64: None,
            },
            Err(_) => Self {
                shown: String::from_utf8_lossy(bytes).into_owned(),
                base64: Some(BASE64.encode(bytes)),
            },
        }
    }
}

fn path_text(source: &Source) -> Text {
    Text::of(source.path().as_os_str().as_encoded_bytes())
}

pub(super) fn push(out: &mut Vec<u8>, record: &impl Serialize) {
    serde_json::to_writer(&mut *out, record).expect("records hold only strings and numbers");
    out.push(b'\n');
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
        path: &'a str,
        #[serde(skip_serializing_if = "Option::is_none")]
        path_b64: &'a Option<String>,
        bytes: u64,
        hash: Option<String>,
        encoding: &'a str,
        newline: &'a str,
    },
    Unit {
        path: &'a str,
        line: u64,
        cell: Option<&'a str>,
        was: &'a str,
        now: &'a str,
    },
    Change {
        id: String,
        path: &'a str,
        #[serde(skip_serializing_if = "Option::is_none")]
        path_b64: &'a Option<String>,
        line: u64,
        cell: Option<&'a str>,
        from: u64,
        to: u64,
        before: String,
        #[serde(skip_serializing_if = "Option::is_none")]
        before_b64: Option<String>,
        after: String,
        #[serde(skip_serializing_if = "Option::is_none")]
        after_b64: Option<String>,
        steps: Vec<usize>,
        groups: Vec<GroupRecord<'a>>,
        decision: &'a str,
    },
    Match {
        path: &'a str,
        #[serde(skip_serializing_if = "Option::is_none")]
        path_b64: &'a Option<String>,
        line: u64,
        cell: Option<&'a str>,
        from: u64,
        to: u64,
        text: String,
        #[serde(skip_serializing_if = "Option::is_none")]
        text_b64: Option<String>,
        groups: Vec<GroupRecord<'a>>,
    },
    Missing {
        path: &'a str,
        #[serde(skip_serializing_if = "Option::is_none")]
        path_b64: &'a Option<String>,
        line: u64,
        cell: Option<&'a str>,
        text: String,
        #[serde(skip_serializing_if = "Option::is_none")]
        text_b64: Option<String>,
    },
    Offender {
        path: &'a str,
        #[serde(skip_serializing_if = "Option::is_none")]
        path_b64: &'a Option<String>,
        line: u64,
        cell: Option<&'a str>,
        text: String,
        #[serde(skip_serializing_if = "Option::is_none")]
        text_b64: Option<String>,
    },
    Note {
        path: &'a str,
        line: u64,
        message: &'a str,
    },
    Hint {
        name: &'a str,
        message: &'a str,
    },
    Problem {
        path: &'a str,
        line: Option<u64>,
        message: String,
    },
    Unmet {
        path: &'a str,
        line: u64,
        text: &'a str,
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
        changes: Option<u64>,
        #[serde(skip_serializing_if = "Option::is_none")]
        unchanged: Option<u64>,
        left_out: LeftOutRecord,
        #[serde(skip_serializing_if = "Option::is_none")]
        lines_added: Option<u64>,
        #[serde(skip_serializing_if = "Option::is_none")]
        lines_removed: Option<u64>,
        problems: u64,
        #[serde(skip_serializing_if = "Vec::is_empty")]
        per_step: Vec<StepRecord>,
    },
}

#[derive(Serialize)]
struct GroupRecord<'a> {
    number: usize,
    name: Option<&'a str>,
    text: Option<String>,
}

#[derive(Serialize)]
struct LeftOutRecord {
    pick: u64,
    limit: u64,
    place: u64,
}

impl From<LeftOutCounts> for LeftOutRecord {
    fn from(counts: LeftOutCounts) -> Self {
        Self {
            pick: counts.pick,
            limit: counts.limit,
            place: counts.place,
        }
    }
}

#[derive(Serialize)]
struct StepRecord {
    step: usize,
    matches: u64,
    changed: u64,
    unchanged: u64,
    left_out: LeftOutRecord,
    /// Left alone for a problem.
    #[serde(skip_serializing_if = "is_zero")]
    failed: u64,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde gives a reference")]
fn is_zero(n: &u64) -> bool {
    *n == 0
}

impl StepRecord {
    fn new(index: usize, counts: &StepCounts) -> Self {
        Self {
            step: index + 1,
            matches: counts.matches,
            changed: counts.edits,
            unchanged: counts.unchanged,
            left_out: counts.left_out.into(),
            failed: counts.failed,
        }
    }
}

/// The records of a preview.
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
        let path = path_text(source);
        json_line(&Record::File {
            path: &path.shown,
            path_b64: &path.base64,
            bytes: facts.bytes,
            hash: facts.hash.map(|hash| hash.to_hex().to_string()),
            encoding: facts.encoding,
            newline: facts.newline.name(),
        })
    }

    /// The changes of a passage; `file` is the number of the file, from 1, `changes` how many
    /// there are before it.
    pub fn passage(
        &self,
        source: &Source,
        passage: &ShownPassage,
        file: u64,
        changes: u64,
    ) -> Vec<u8> {
        let mut out = Vec::new();
        let path = path_text(source);
        if !passage.is_cells() {
            push_unit(&mut out, &path, passage);
        }
        for (number, edit) in (changes + 1..).zip(&passage.edits) {
            if let Some(cell) = edit.cell.as_ref().filter(|_| passage.is_cells()) {
                push_cell(&mut out, &path, edit.line, cell);
            }
            self.push_change(&mut out, &path, format!("{file}.{number}"), passage, edit);
        }
        out
    }

    /// What stands behind the changes of a file.
    pub fn troubles(&self, report: &FileReport<'_>) -> Vec<u8> {
        let mut out = Vec::new();
        let path = path_text(report.source);
        for problem in report.problems {
            push_problem(&mut out, &path.shown, problem);
        }
        for unmet in report.unmet {
            let text = Text::of(&unmet.text);
            let record = Record::Unmet {
                path: &path.shown,
                line: unmet.line,
                text: &text.shown,
            };
            push(&mut out, &record);
        }
        out
    }

    fn push_change(
        &self,
        out: &mut Vec<u8>,
        path: &Text,
        id: String,
        passage: &ShownPassage,
        edit: &ShownEdit,
    ) {
        let mut before = Text::of(&passage.was[edit.span.range()]);
        let mut after = Text::of(&edit.after);
        if let Some((old, new)) = &edit.raw {
            before.base64 = Some(BASE64.encode(old));
            after.base64 = Some(BASE64.encode(new));
        }
        let groups = edit.groups.as_deref().unwrap_or_default();
        let names = edit.steps.iter().next().map(|step| {
            let step = &self.rewrite.steps()[step];
            step.query.pattern.groups()
        });
        let record = Record::Change {
            id,
            path: &path.shown,
            path_b64: &path.base64,
            line: edit.line,
            cell: edit.cell.as_ref().map(|cell| cell.name.as_str()),
            from: edit.from,
            to: edit.to,
            before: before.shown,
            before_b64: before.base64,
            after: after.shown,
            after_b64: after.base64,
            steps: edit.steps.iter().map(|step| step + 1).collect(),
            groups: names.map_or_else(Vec::new, |names| group_records(names, groups)),
            decision: "open",
        };
        push(out, &record);
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
            changes: Some(counts.changes),
            unchanged: Some(steps.unchanged),
            left_out: steps.left_out.into(),
            lines_added: Some(counts.lines_added),
            lines_removed: Some(counts.lines_removed),
            problems: counts.problems + totals.files.unreadable,
            per_step: per_step.map(|(i, step)| StepRecord::new(i, step)).collect(),
        };
        json_line(&record)
    }
}

/// Something to know about a file.
pub fn json_note(path: &str, line: u64, message: &str) -> Vec<u8> {
    json_line(&Record::Note {
        path,
        line,
        message,
    })
}

fn push_unit(out: &mut Vec<u8>, path: &Text, passage: &ShownPassage) {
    let (now, _) = passage.now();
    if passage.was.len() > UNIT_MOST || now.len() > UNIT_MOST {
        return;
    }
    let (was, now) = without_common_ending(&passage.was, &now);
    push_was_now(out, path, passage.line, None, (was, now));
}

/// A changed cell: its value before and after.
fn push_cell(out: &mut Vec<u8>, path: &Text, line: u64, cell: &ShownCell) {
    if cell.was.len() <= UNIT_MOST && cell.now.len() <= UNIT_MOST {
        push_was_now(out, path, line, Some(&cell.name), (&cell.was, &cell.now));
    }
}

fn push_was_now(
    out: &mut Vec<u8>,
    path: &Text,
    line: u64,
    cell: Option<&str>,
    (was, now): (&[u8], &[u8]),
) {
    let (was, now) = (Text::of(was), Text::of(now));
    let record = Record::Unit {
        path: &path.shown,
        line,
        cell,
        was: &was.shown,
        now: &now.shown,
    };
    push(out, &record);
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
    let (path, text) = (path_text(source), Text::of(&unit.text));
    json_line(&Record::Offender {
        path: &path.shown,
        path_b64: &path.base64,
        line: unit.line,
        cell: unit.cell.as_deref(),
        text: text.shown,
        text_b64: text.base64,
    })
}

/// A problem in a file.
pub fn json_problem(source: &Source, problem: &Problem) -> Vec<u8> {
    let mut out = Vec::new();
    push_problem(&mut out, &path_text(source).shown, problem);
    out
}

/// A problem with a file; also one that could not be opened.
fn push_problem(out: &mut Vec<u8>, path: &str, problem: &Problem) {
    let record = Record::Problem {
        path,
        line: problem.line,
        message: problem.kind.to_string(),
    };
    push(out, &record);
}

fn group_records<'a>(names: &'a Groups, groups: &[GroupText]) -> Vec<GroupRecord<'a>> {
    let each = groups.iter().enumerate().skip(1);
    each.map(|(number, text)| GroupRecord {
        number,
        name: names.name(number),
        text: text.as_deref().map(|text| Text::of(text).shown),
    })
    .collect()
}

/// The records of `find`.
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
        let path = path_text(source);
        for (span, groups) in unit.spans.iter().zip(&unit.groups) {
            let text = Text::of(&unit.text[span.range()]);
            let record = Record::Match {
                path: &path.shown,
                path_b64: &path.base64,
                line: unit.line,
                cell: unit.cell.as_deref(),
                from: locate(span.from),
                to: locate(span.to),
                text: text.shown,
                text_b64: text.base64,
                groups: group_records(self.groups, groups),
            };
            push(&mut out, &record);
        }
        out
    }

    /// A unit in scope without a match.
    pub fn missing(&self, source: &Source, unit: &FoundUnit) -> Vec<u8> {
        let (path, text) = (path_text(source), Text::of(&unit.text));
        let record = Record::Missing {
            path: &path.shown,
            path_b64: &path.base64,
            line: unit.line,
            cell: unit.cell.as_deref(),
            text: text.shown,
            text_b64: text.base64,
        };
        json_line(&record)
    }

    /// The last record.
    pub fn totals(&self, totals: &FindTotals) -> Vec<u8> {
        let record = Record::Totals {
            files: totals.files.read,
            files_changed: None,
            files_matching: Some(totals.matching),
            files_skipped: totals.files.skipped(),
            matches: totals.matches,
            changes: None,
            unchanged: None,
            left_out: totals.left_out.into(),
            lines_added: None,
            lines_removed: None,
            problems: totals.problems + totals.files.unreadable,
            per_step: Vec::new(),
        };
        json_line(&record)
    }
}
