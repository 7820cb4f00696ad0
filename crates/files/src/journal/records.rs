//! The records of the journal.

use crate::change::Change;
use crate::copy_name::is_copy_name;
use crate::fs::FileId;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::escape::visible_path;
#[cfg(doc)]
use brisk_quill_core::relocate::AROUND;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use std::ffi::{OsStr, OsString};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Component, Path, PathBuf};

/// The version of the journal's records.
pub(crate) const VERSION: u32 = 2;

/// A path as text, or in base64 where it is not UTF-8.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum PathText {
    /// In UTF-8.
    Text(String),
    /// In base64.
    Bytes {
        /// The bytes.
        b64: String,
    },
}

impl From<&Path> for PathText {
    fn from(path: &Path) -> Self {
        match path.to_str() {
            Some(text) => Self::Text(text.to_owned()),
            None => Self::Bytes {
                b64: BASE64.encode(path.as_os_str().as_bytes()),
            },
        }
    }
}

impl PathText {
    /// The path.
    pub fn path(&self) -> PathBuf {
        match self {
            Self::Text(text) => text.into(),
            Self::Bytes { b64 } => {
                let bytes = BASE64.decode(b64).unwrap_or_default();
                OsString::from_vec(bytes).into()
            }
        }
    }
}

/// One file of a run.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Target {
    /// The path, absolute, links followed.
    pub path: PathText,
    /// As the user named it.
    pub named: PathText,
    /// The folder it lies in.
    pub folder: FileId,
    /// Which file it was.
    pub id: FileId,
    /// When its bytes were last written, in seconds and nanoseconds since 1970.
    pub written: (i64, i64),
    /// The permission bits.
    pub mode: u32,
    /// The numbers of its owner and its group.
    pub owner: (u32, u32),
    /// The name of the new copy beside it, which no one can guess; `None` where the file is
    /// written in place.
    pub staged: Option<String>,
    /// The bytes before, as a BLAKE3 hash in hexadecimal.
    pub before: String,
    /// The length before.
    pub bytes: u64,
    /// The number of its changes.
    pub changes: u64,
    /// The name of its store, where its text is not the file; its changes are recorded as those of the
    /// file.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub store: Option<String>,
}

impl Target {
    /// True if a run can have written this: a name that leads elsewhere would be exchanged for the
    /// file, or removed.
    fn is_sound(&self) -> bool {
        let path = self.path.path();
        let is_plain =
            |part: Component<'_>| matches!(part, Component::RootDir | Component::Normal(_));
        let is_copy = |name: &String| is_copy_name(OsStr::new(name));
        path.is_absolute()
            && path.file_name().is_some()
            && path.components().all(is_plain)
            && self.staged.as_ref().is_none_or(is_copy)
    }
}

/// The intent of a run; written before anything else is touched.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Intent {
    /// The version of the records.
    pub version: u32,
    /// When, in seconds since 1970.
    pub at: u64,
    /// In which folder.
    pub folder: PathText,
    /// The rewrite, as in a plan.
    pub rewrite: serde_json::Value,
    /// The run that this one undoes.
    pub undoes: Option<u64>,
    /// The files.
    pub targets: Vec<Target>,
}

impl Intent {
    /// True if a run can have written this.
    pub(super) fn check(&self) -> Result<(), String> {
        let (mut names, mut paths) = (HashSet::new(), HashSet::new());
        for target in &self.targets {
            let path = target.path.path();
            let has_own_copy = target.staged.as_ref().is_none_or(|name| names.insert(name));
            if !(target.is_sound() && has_own_copy && paths.insert(path.clone())) {
                let path = visible_path(&path);
                return Err(format!("no run can be about {path} in this way"));
            }
        }
        Ok(())
    }
}

/// The decision: all copies are on the disk. What follows goes forward, or all the way back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Commit {
    /// The hash and the length of each file after, in order of the targets.
    pub after: Vec<(String, u64)>,
}

/// A record of a run's log.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "record", rename_all = "lowercase")]
pub enum Record {
    /// See [`Intent`].
    Intent(Intent),
    /// The copies beside the targets exist, and are still empty.
    Made {
        /// Which files they are, in order of the targets; `None` for targets without one.
        ids: Vec<Option<FileId>>,
    },
    /// A file is written in place after all: its copy cannot be made like it.
    InPlace {
        /// The number among the targets, from 0.
        file: usize,
    },
    /// See [`Commit`].
    Commit(Commit),
    /// A file is about to be overwritten where it stands.
    Overwrite {
        /// The number among the targets, from 0.
        file: usize,
    },
    /// The run goes back.
    Back,
    /// Everything is written.
    Done,
    /// Everything is as it was, but for files that another program came to.
    Undone {
        /// The numbers of the files among the targets, from 0.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        left: Vec<usize>,
    },
    /// Files that were left over have been removed.
    Clean,
    /// The run was closed as it stood.
    Abandoned,
}

/// The state of a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RunState {
    /// Nothing has been decided.
    Begun,
    /// The run goes forward.
    Committed,
    /// The run goes back.
    Back,
    /// The run is complete; what was replaced is still there.
    Done,
    /// The run is complete, and nothing is left over.
    Clean,
    /// Everything is as it was.
    RolledBack,
    /// The run was closed as it stood: each file holds what it held then.
    Abandoned,
}

impl RunState {
    /// True if all files of the run were written.
    pub fn is_complete(self) -> bool {
        matches!(self, Self::Done | Self::Clean)
    }

    /// True if nothing is left to do to the files.
    pub fn is_finished(self) -> bool {
        match self {
            Self::Begun | Self::Committed | Self::Back => false,
            Self::Done | Self::Clean | Self::RolledBack | Self::Abandoned => true,
        }
    }

    /// In a word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Begun | Self::Committed | Self::Back => "interrupted",
            Self::Done | Self::Clean => "done",
            Self::RolledBack => "rolled back",
            Self::Abandoned => "abandoned",
        }
    }
}

/// One change of one file, with what is needed to go back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ChangeRecord {
    /// The number of the file among the targets, from 0.
    pub file: usize,
    /// The line it begins in, from 1.
    pub line: u64,
    /// First byte replaced, from 0, in the file before.
    pub from: u64,
    /// One past the last.
    pub to: u64,
    /// The old bytes, in base64.
    before: String,
    /// The new bytes, in base64.
    after: String,
    /// The bytes before it in the file after, in base64: at most [`AROUND`].
    #[serde(default)]
    left: String,
    /// The bytes behind it there, likewise.
    #[serde(default)]
    right: String,
}

/// Sealed records are encoded here.
fn decode(text: &str) -> Vec<u8> {
    BASE64.decode(text).unwrap_or_default()
}

impl ChangeRecord {
    /// The record of a change of the file numbered `file`, and of the bytes around it in the file
    /// after.
    pub fn new(file: usize, change: &Change, (left, right): (&[u8], &[u8])) -> Self {
        Self {
            file,
            line: change.line,
            from: change.from,
            to: change.to,
            before: BASE64.encode(&change.before),
            after: BASE64.encode(&change.after),
            left: BASE64.encode(left),
            right: BASE64.encode(right),
        }
    }

    /// The bytes before and behind it in the file after, as far as they are known.
    pub fn around(&self) -> (Vec<u8>, Vec<u8>) {
        (decode(&self.left), decode(&self.right))
    }

    /// The change.
    pub fn change(&self) -> Change {
        Change {
            line: self.line,
            from: self.from,
            to: self.to,
            before: decode(&self.before),
            after: decode(&self.after),
        }
    }
}
