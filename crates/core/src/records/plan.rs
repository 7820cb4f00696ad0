//! Records of a plan.

use crate::plan::decision::Decision;
use crate::plan::modified::Modified;
use crate::records::field::{Base64, Coded, Field, Json, Optional, Ordinal, decoded, line};
use crate::records::json::push_text;
use crate::records::record;
use crate::rewrite::counts::{LeftOutCounts, StepCounts};
use crate::rewrite_file::RewriteText;
use crate::step::Step;
use serde::Deserialize;
use serde_json::{Value, json};
use std::borrow::Cow;

/// The version of the plan format.
pub const FORMAT: u32 = 1;

record! {
    /// The first record.
    PlanRecord<'a> = "plan" {
        /// The version of the format.
        format: u32,
        /// The rewrite, as a rewrite file has it.
        #[serde(default)]
        rewrite: Json<Cow<'a, RewriteText>>,
        /// The part of the data that each step must see as a whole, in order.
        #[serde(default)]
        reach: Vec<ReachRecord<'a>>,
        /// The run that it reverts; then there is no rewrite.
        #[serde(default)]
        undoes: Optional<Ordinal>,
    }
}

record! {
    /// The part of the data that a step must see as a whole.
    ReachRecord<'a> {
        /// The part: `line`, `file` or `run`.
        reach: Cow<'a, str>,
        /// The key that is the reason, where that is more than a line.
        #[serde(default)]
        because: Optional<Cow<'a, str>>,
    }
}

record! {
    /// A file, before its changes.
    FileRecord<'a> = "file" {
        /// The path as it was named or found, `-` for standard input.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The path that symbolic links on the way to it led to, absolute, where there are some.
        #[serde(default)]
        real: Optional<Cow<'a, str>>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        real_b64: Optional<Base64<'a>>,
        /// The length of the file in bytes.
        bytes: u64,
        /// The BLAKE3 hash of its bytes, in hexadecimal.
        #[serde(default)]
        hash: Option<Cow<'a, str>>,
        /// The name of its encoding.
        encoding: Cow<'a, str>,
        /// The packing of its text: `gzip` or `zstd`. Offsets of changes are those of the text.
        #[serde(default)]
        store: Optional<Cow<'a, str>>,
        /// The length of the text in bytes, where it is not the file.
        #[serde(default)]
        text_bytes: Optional<u64>,
        /// The line ends: `lf`, `crlf`, `mixed` or `none`.
        #[serde(default)]
        newline: Cow<'a, str>,
    }
}

record! {
    /// A changed unit, for a reader who wants to see it.
    UnitRecord<'a> = "unit" {
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it begins in, from 1.
        line: Ordinal,
        /// The column, where the unit is a cell.
        cell: Option<Cow<'a, str>>,
        /// The name of its row, with `--label`.
        #[serde(default)]
        label: Optional<Cow<'a, str>>,
        /// The text before.
        was: Cow<'a, str>,
        /// The text after.
        now: Cow<'a, str>,
    }
}

record! {
    /// In the place of a unit, in a plan that is only kept as the last preview: by it a change is found again.
    AroundRecord<'a> = "around" {
        /// The first 128 bits of the BLAKE3 hash of the text before, in hexadecimal.
        hash: Cow<'a, str>,
    }
}

record! {
    /// A change of the file before it.
    ChangeRecord<'a> = "change" {
        /// FILE.CHANGE, both from 1.
        id: ChangeId,
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it begins in, from 1.
        line: Ordinal,
        /// The column, where all of it is one cell.
        cell: Option<Cow<'a, str>>,
        /// The name of its row, with `--label`.
        #[serde(default)]
        label: Optional<Cow<'a, str>>,
        /// The first byte on disk, from 0.
        from: u64,
        /// One past the last byte.
        to: u64,
        /// The old text.
        before: Cow<'a, str>,
        /// The old bytes, where they are not the text in UTF-8.
        #[serde(default)]
        before_b64: Optional<Base64<'a>>,
        /// The new text.
        after: Cow<'a, str>,
        /// The new bytes, where they are not the text in UTF-8.
        #[serde(default)]
        after_b64: Optional<Base64<'a>>,
        /// The steps that made it, from 1.
        #[serde(default)]
        steps: Vec<Ordinal>,
        /// The groups of its match.
        #[serde(default)]
        groups: Vec<GroupText<'a>>,
        /// Always `open`: decisions are records of their own.
        #[serde(default)]
        decision: Decision,
    }
}

record! {
    /// A group of a match.
    GroupText<'a> {
        /// The number, from 1.
        number: Ordinal,
        /// The name, where it has one.
        name: Option<Cow<'a, str>>,
        /// The text; `null` where it took no part in the match.
        text: Option<Cow<'a, str>>,
    }
}

record! {
    /// A decision about a change: appended to a plan as it is made, or saved by a reviewer for it.
    DecisionRecord<'a> = "decision" {
        /// FILE.CHANGE, both from 1.
        id: ChangeId,
        /// The decision.
        decision: Decision,
        /// The text that is written instead, where the change is modified.
        #[serde(default)]
        after: Optional<Cow<'a, str>>,
        /// The bytes on disk, where they are not the text in UTF-8.
        #[serde(default)]
        after_b64: Optional<Base64<'a>>,
        /// The old text of all that it comes to, where that is more than the change.
        #[serde(default)]
        before: Optional<Cow<'a, str>>,
        /// The bytes on disk, where they are not the text in UTF-8.
        #[serde(default)]
        before_b64: Optional<Base64<'a>>,
        /// The bytes that this begins before the change; where it is there, so is `before`.
        #[serde(default)]
        left: Optional<u64>,
        /// The BLAKE3 hash of the plan without its decisions, in hexadecimal; in a file of decisions.
        #[serde(default)]
        plan: Optional<Cow<'a, str>>,
        /// The name of the reviewer.
        #[serde(default)]
        by: Optional<Cow<'a, str>>,
        /// The reviewer's remark.
        #[serde(default)]
        remark: Optional<Cow<'a, str>>,
    }
}

record! {
    /// A unit that was left alone, or a file that cannot be read.
    ProblemRecord<'a> = "problem" {
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it begins in, from 1; `null` for the whole file.
        line: Option<Ordinal>,
        /// The reason.
        message: Cow<'a, str>,
    }
}

record! {
    /// A unit that would not match what `--ensure` asks.
    UnmetRecord<'a> = "unmet" {
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it begins in, from 1.
        line: Ordinal,
        /// The text after the rewrite.
        text: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        text_b64: Optional<Base64<'a>>,
    }
}

record! {
    /// Something worth knowing about a file.
    NoteRecord<'a> = "note" {
        /// The path of the file.
        path: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line it is about, from 1.
        line: Ordinal,
        /// The note.
        message: Cow<'a, str>,
    }
}

record! {
    /// Something that often means a mistake.
    HintRecord<'a> = "hint" {
        /// The name of its kind.
        name: Cow<'a, str>,
        /// One sentence without its full stop.
        message: Cow<'a, str>,
        /// The path of the file of the first place that it is about; `null` where it is about the
        /// request alone.
        path: Option<Cow<'a, str>>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        path_b64: Optional<Base64<'a>>,
        /// The line of that place, from 1.
        line: Option<Ordinal>,
        /// The number of places that it is about.
        #[serde(default)]
        count: u64,
        /// The remedy; `null` where that is for the reader to find out.
        remedy: Option<Cow<'a, str>>,
    }
}

record! {
    /// After all files; only decisions follow.
    TotalsRecord = "totals" {
        /// Files that were read.
        #[serde(default)]
        files: u64,
        /// Files with at least one change.
        #[serde(default)]
        files_changed: u64,
        /// Files that were not read.
        #[serde(default)]
        files_skipped: u64,
        /// Matches that were taken: the sum of changed, unchanged and failed.
        #[serde(default)]
        matches: u64,
        /// Matches whose text becomes another.
        #[serde(default)]
        changed: u64,
        /// Matches whose new text equals the old.
        #[serde(default)]
        unchanged: u64,
        /// Matches whose new text cannot be made or written.
        #[serde(default)]
        failed: u64,
        /// Matches that were not taken.
        #[serde(default)]
        left_out: LeftOutRecord,
        /// Changes, after the steps are composed.
        #[serde(default)]
        changes: u64,
        /// Lines added, summed over the hunks that grow.
        #[serde(default)]
        lines_added: u64,
        /// Lines removed, summed over the hunks that shrink.
        #[serde(default)]
        lines_removed: u64,
        /// Units left alone, and files that could not be read.
        #[serde(default)]
        problems: u64,
        /// The counts of each step, in order.
        #[serde(default)]
        per_step: Vec<StepRecord>,
    }
}

record! {
    /// Matches that were not taken, by reason.
    LeftOutRecord {
        /// The pick took others.
        pick: u64,
        /// The limit was reached.
        limit: u64,
        /// Matches that are out of scope.
        scope: u64,
    }
}

record! {
    /// The counts of one step.
    StepRecord {
        /// The number, from 1.
        step: Ordinal,
        /// Matches that were taken: the sum of changed, unchanged and failed.
        matches: u64,
        /// Matches whose text becomes another.
        changed: u64,
        /// Matches whose new text equals the old.
        unchanged: u64,
        /// Matches whose new text cannot be made or written.
        failed: u64,
        /// Matches that were not taken.
        left_out: LeftOutRecord,
    }
}

/// The line that says of a plan that it follows one that had been decided about: what is open is
/// not written, even while nothing is decided.
pub const JUDGED_LINE: &[u8] = b"{\"record\":\"judged\"}\n";

/// A record of a plan, as far as a reader needs it.
#[derive(Debug, Deserialize)]
#[serde(tag = "record", rename_all = "lowercase")]
pub enum AnyRecord {
    /// See [`PlanRecord`].
    Plan(PlanRecord<'static>),
    /// See [`FileRecord`].
    File(FileRecord<'static>),
    /// See [`ChangeRecord`].
    Change(ChangeRecord<'static>),
    /// See [`DecisionRecord`].
    Decision(DecisionRecord<'static>),
    /// See [`JUDGED_LINE`].
    Judged,
    /// See [`TotalsRecord`].
    Totals(TotalsRecord),
    /// See [`HintRecord`].
    Hint(HintRecord<'static>),
    /// Units and what is in their place, problems, notes, and what a later version adds: no reader needs them.
    #[serde(other)]
    Other,
}

/// The id of a change: FILE.CHANGE, both from 1.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
#[serde(from = "String")]
pub enum ChangeId {
    /// The number is known only once what lies before the change is: [`PENDING_ID`] is written.
    Pending,
    /// The number is known.
    Known(String),
}

/// The byte that is written for a [`ChangeId::Pending`]. No record holds this byte otherwise.
pub const PENDING_ID: u8 = 0;

impl From<String> for ChangeId {
    fn from(id: String) -> Self {
        Self::Known(id)
    }
}

impl ChangeId {
    /// The id, empty where it is pending.
    pub fn as_str(&self) -> &str {
        match self {
            Self::Pending => "",
            Self::Known(id) => id,
        }
    }
}

impl Field for ChangeId {
    fn put_value(&self, out: &mut Vec<u8>) {
        match self {
            Self::Pending => out.extend_from_slice(&[b'"', PENDING_ID, b'"']),
            Self::Known(id) => push_text(out, id),
        }
    }

    fn schema() -> Value {
        json!({"type": "string", "pattern": "^[1-9][0-9]*\\.[1-9][0-9]*$"})
    }
}

impl Field for Decision {
    fn put_value(&self, out: &mut Vec<u8>) {
        push_text(out, self.name());
    }

    fn schema() -> Value {
        json!({"enum": Decision::ALL.map(Decision::name)})
    }
}

impl FileRecord<'_> {
    /// The bytes of its path; `None` where they are not base64.
    pub fn path_bytes(&self) -> Option<Cow<'_, [u8]>> {
        decoded(&self.path, &self.path_b64)
    }

    /// The bytes of the path that links led to, where there is one; `None` where they are not base64.
    pub fn real_bytes(&self) -> Option<Option<Vec<u8>>> {
        match &self.real.0 {
            None => Some(None),
            Some(real) => Some(Some(decoded(real, &self.real_b64)?.into_owned())),
        }
    }
}

/// The bytes of a change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChangeText<'c> {
    /// The old bytes, as they are on disk.
    pub before: Cow<'c, [u8]>,
    /// The new ones.
    pub after: Cow<'c, [u8]>,
}

impl ChangeRecord<'_> {
    /// The bytes of its path; `None` where they are not base64.
    pub fn path_bytes(&self) -> Option<Cow<'_, [u8]>> {
        decoded(&self.path, &self.path_b64)
    }

    /// The old bytes as they are on disk; `None` where they are not base64.
    pub fn before_bytes(&self) -> Option<Cow<'_, [u8]>> {
        decoded(&self.before, &self.before_b64)
    }

    /// The new bytes as they are on disk; `None` where they are not base64.
    pub fn after_bytes(&self) -> Option<Cow<'_, [u8]>> {
        decoded(&self.after, &self.after_b64)
    }
}

impl<'a> DecisionRecord<'a> {
    /// A decision, with the text of a modified change.
    pub fn new(id: &str, decision: Decision, modified: Option<&'a Modified>) -> Self {
        let coded = |bytes: Option<&'a [u8]>| match bytes.map(Coded::of) {
            None => (Optional(None), Optional(None)),
            Some(coded) => (Optional(Some(coded.text)), coded.base64),
        };
        let wider = modified.and_then(|modified| modified.wider.as_ref());
        let (after, after_b64) = coded(modified.map(|modified| &modified.text[..]));
        let (before, before_b64) = coded(wider.map(|wider| &wider.before[..]));
        Self {
            id: ChangeId::Known(id.to_owned()),
            decision,
            after,
            after_b64,
            before,
            before_b64,
            left: Optional(wider.map(|wider| wider.left)),
            plan: Optional(None),
            by: Optional(None),
            remark: Optional(None),
        }
    }

    /// The same, of a reviewer; an empty remark is none.
    #[must_use]
    pub fn of_reviewer(self, by: &'a str, remark: &'a str) -> Self {
        Self {
            by: Optional(Some(by.into())),
            remark: Optional(Some(remark.into()).filter(|_| !remark.is_empty())),
            ..self
        }
    }

    /// The text that is written instead, as it is on disk; `None` where there is none, or its
    /// bytes are not base64.
    pub fn after_bytes(&self) -> Option<Cow<'_, [u8]>> {
        decoded(self.after.0.as_deref()?, &self.after_b64)
    }

    /// The old text of all that it comes to; `None` where there is none, or its bytes are not base64.
    pub fn before_bytes(&self) -> Option<Cow<'_, [u8]>> {
        decoded(self.before.0.as_deref()?, &self.before_b64)
    }
}

/// The line that appends a decision to a plan, with the text of a modified change.
pub fn decision_line(id: &str, decision: Decision, modified: Option<&Modified>) -> Vec<u8> {
    line(&DecisionRecord::new(id, decision, modified))
}

impl Default for LeftOutRecord {
    fn default() -> Self {
        LeftOutCounts::default().into()
    }
}

impl From<LeftOutCounts> for LeftOutRecord {
    fn from(counts: LeftOutCounts) -> Self {
        let LeftOutCounts { pick, limit, scope } = counts;
        Self { pick, limit, scope }
    }
}

impl ReachRecord<'static> {
    /// The part that `step` must see.
    pub fn new(step: &Step) -> Self {
        let (reach, because) = step.reach();
        Self {
            reach: reach.name().into(),
            because: Optional(because.map(Cow::Borrowed)),
        }
    }
}

impl StepRecord {
    /// The counts of the step at `index`, from 0.
    pub fn new(index: usize, counts: &StepCounts) -> Self {
        Self {
            step: Ordinal(index as u64 + 1),
            matches: counts.matches,
            changed: counts.edits,
            unchanged: counts.unchanged,
            failed: counts.failed,
            left_out: counts.left_out.into(),
        }
    }
}
