//! Records of `history` and `review`.

use crate::records::field::{Base64, Json, Optional, Ordinal};
use crate::records::record;
use serde_json::Value;
use std::borrow::Cow;

record! {
    /// A run in the journal.
    RunRecord<'a> = "run" {
        /// The number, from 1.
        run: Ordinal,
        /// When it began, in seconds since 1970 in UTC; `null` where it never said.
        at: Option<u64>,
        /// The folder it was made in.
        folder: Option<Cow<'a, str>>,
        /// The state it is in.
        state: Cow<'a, str>,
        /// The runs that reverted it.
        reverted_by: Vec<Ordinal>,
        /// The run that it reverts.
        undoes: Option<Ordinal>,
        /// Files that it changes.
        files: u64,
        /// Changes in them.
        changes: u64,
        /// The rewrite, as a rewrite file has it.
        rewrite: Option<Json<Value>>,
        /// The paths of its files, as they were named.
        paths: Vec<Cow<'a, str>>,
        /// The bytes of each path, `null` where it is UTF-8; left out where all are.
        #[serde(default)]
        paths_b64: Optional<Vec<Option<Base64<'a>>>>,
        /// The bytes of the folder, where they are not UTF-8.
        #[serde(default)]
        folder_b64: Optional<Base64<'a>>,
    }
}

record! {
    /// A run that was just made, with `--json` of `apply` and `undo`.
    MadeRecord = "made" {
        /// The number, from 1.
        run: Ordinal,
        /// The run that it reverts.
        undoes: Option<Ordinal>,
        /// Files that hold new bytes.
        files: u64,
        /// Changes in them.
        changes: u64,
        /// True if it can be undone.
        can_undo: bool,
    }
}

record! {
    /// A change that a run made.
    RunChangeRecord<'a> = "change" {
        /// The number of its file among the paths of the run, from 1.
        file: Ordinal,
        /// The line it began in, from 1.
        line: Ordinal,
        /// The first byte, from 0.
        from: u64,
        /// One past the last byte.
        to: u64,
        /// The old text.
        before: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        before_b64: Optional<Base64<'a>>,
        /// The new text.
        after: Cow<'a, str>,
        /// The bytes, where they are not UTF-8.
        #[serde(default)]
        after_b64: Optional<Base64<'a>>,
    }
}

record! {
    /// The decisions about a plan, counted.
    DecisionsRecord = "decisions" {
        /// Changes of the plan.
        changes: u64,
        /// The changes that are to be written.
        accepted: u64,
        /// The changes that are to be written with other text.
        modified: u64,
        /// The changes that are not to be written.
        refused: u64,
        /// The changes that are not decided.
        open: u64,
        /// The changes that reviewers decided differently about.
        conflicts: u64,
    }
}
