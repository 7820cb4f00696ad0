//! The records of a plan, as far as a reader needs them.

use crate::plan::{Decision, PlanFault};
use crate::rewrite_file::RewriteText;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// A record of a plan.
#[derive(Debug, Deserialize)]
#[serde(tag = "record", rename_all = "lowercase")]
pub(super) enum Record {
    Plan {
        format: u32,
        #[serde(default)]
        rewrite: RewriteText,
    },
    File(FileRecord),
    Change(ChangeRecord),
    Decision(DecisionRecord),
    /// The plan follows one that had been decided about.
    Judged,
    Totals {
        #[serde(default)]
        problems: u64,
    },
    /// Units, problems, notes and hints, which no reader needs.
    #[serde(other)]
    Other,
}

#[derive(Debug, Deserialize)]
pub(super) struct FileRecord {
    path: String,
    path_b64: Option<String>,
    real: Option<String>,
    real_b64: Option<String>,
    pub bytes: u64,
    pub hash: Option<String>,
    pub encoding: String,
}

/// A change as it is written in a plan.
#[derive(Clone, Debug, Deserialize)]
pub struct ChangeRecord {
    /// `FILE.CHANGE`, both from 1.
    pub id: String,
    path: String,
    path_b64: Option<String>,
    /// The line it begins in, from 1.
    pub line: u64,
    /// The column, where all of it is one cell.
    pub cell: Option<String>,
    /// First byte, from 0.
    pub from: u64,
    /// One past the last.
    pub to: u64,
    before: String,
    before_b64: Option<String>,
    after: String,
    after_b64: Option<String>,
    /// Which steps made it, from 1.
    #[serde(default)]
    pub steps: Vec<usize>,
    /// The groups of its match.
    #[serde(default)]
    pub groups: Vec<GroupText>,
    #[serde(default)]
    pub(super) decision: Decision,
}

/// A group of a match.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct GroupText {
    /// From 1.
    pub number: usize,
    /// Where it has one.
    pub name: Option<String>,
    /// `None` where it took no part.
    pub text: Option<String>,
}

/// The bytes of a change.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChangeText<'c> {
    /// The old bytes, as they are on disk.
    pub before: Cow<'c, [u8]>,
    /// The new ones.
    pub after: Cow<'c, [u8]>,
}

#[derive(Debug, Serialize, Deserialize)]
pub(super) struct DecisionRecord {
    pub id: String,
    pub decision: Decision,
    #[serde(skip_serializing_if = "Option::is_none")]
    after: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    after_b64: Option<String>,
}

pub(super) fn parse(line: &[u8]) -> Result<Record, PlanFault> {
    serde_json::from_slice(line).map_err(|error| PlanFault::NotARecord(error.to_string()))
}

/// Bytes: the text, unless others travel beside it.
fn bytes<'t>(
    text: &'t str,
    coded: Option<&str>,
    field: &'static str,
) -> Result<Cow<'t, [u8]>, PlanFault> {
    match coded {
        None => Ok(Cow::Borrowed(text.as_bytes())),
        Some(coded) => match BASE64.decode(coded) {
            Ok(bytes) => Ok(Cow::Owned(bytes)),
            Err(_) => Err(PlanFault::Field(field)),
        },
    }
}

impl FileRecord {
    pub fn path(&self) -> Result<Vec<u8>, PlanFault> {
        bytes(&self.path, self.path_b64.as_deref(), "path_b64").map(Cow::into_owned)
    }

    pub fn real(&self) -> Result<Option<Vec<u8>>, PlanFault> {
        let Some(real) = &self.real else {
            return Ok(None);
        };
        let real = bytes(real, self.real_b64.as_deref(), "real_b64")?;
        Ok(Some(real.into_owned()))
    }
}

impl ChangeRecord {
    /// Reads a line that was taken before.
    ///
    /// # Errors
    ///
    /// When it is not a change, which it was then.
    pub fn parse(line: &[u8]) -> Result<Self, PlanFault> {
        match parse(line)? {
            Record::Change(change) => Ok(change),
            _ => Err(PlanFault::NoFile),
        }
    }

    pub(super) fn path(&self) -> Result<Cow<'_, [u8]>, PlanFault> {
        bytes(&self.path, self.path_b64.as_deref(), "path_b64")
    }

    /// The bytes as they are on disk.
    ///
    /// # Errors
    ///
    /// When they are not written as they must be.
    pub fn text(&self) -> Result<ChangeText<'_>, PlanFault> {
        Ok(ChangeText {
            before: bytes(&self.before, self.before_b64.as_deref(), "before_b64")?,
            after: bytes(&self.after, self.after_b64.as_deref(), "after_b64")?,
        })
    }

    /// The old and the new text as they are to be shown.
    pub fn shown(&self) -> (&str, &str) {
        (&self.before, &self.after)
    }
}

impl DecisionRecord {
    pub fn after(&self) -> Result<Vec<u8>, PlanFault> {
        let text = self.after.as_deref().ok_or(PlanFault::Field("after"))?;
        bytes(text, self.after_b64.as_deref(), "after_b64").map(Cow::into_owned)
    }
}

pub(super) fn decision_line(id: &str, decision: Decision, after: Option<&[u8]>) -> Vec<u8> {
    #[derive(Serialize)]
    struct Line<'l> {
        record: &'static str,
        #[serde(flatten)]
        decision: &'l DecisionRecord,
    }
    let plain = after.map(|bytes| std::str::from_utf8(bytes).is_ok());
    let record = DecisionRecord {
        id: id.to_owned(),
        decision,
        after: after.map(|bytes| String::from_utf8_lossy(bytes).into_owned()),
        after_b64: after
            .filter(|_| plain == Some(false))
            .map(|bytes| BASE64.encode(bytes)),
    };
    let line = Line {
        record: "decision",
        decision: &record,
    };
    // Strings are all there is.
    let mut line = serde_json::to_vec(&line).expect("a decision has a form in JSON");
    line.push(b'\n');
    line
}
