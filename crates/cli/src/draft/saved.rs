//! The state of a draft on disk, for one that was not closed.

use crate::draft::action::{Focus, ListView};
use crate::draft::request::{FieldName, StepText};
use crate::draft::worker::DraftText;
use crate::host::host;
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_engine::host::put;
use brisk_quill_files::fs::open::read_all;
use brisk_quill_files::temporary::Temporaries;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;
use std::sync::Arc;
use std::{fs, io};

/// The largest draft that is read, in bytes.
const DRAFT_MOST: u64 = 64 << 20;

/// All that a draft goes on with.
#[derive(Clone, Debug)]
pub struct Saved {
    /// The purpose, and the examples of all steps together, which a rewrite file may hold.
    pub title: Option<String>,
    pub whole: Vec<Example>,
    pub steps: Vec<StepText>,
    pub examples: Vec<Vec<Example>>,
    pub step: usize,
    pub focus: Focus,
    pub view: ListView,
    pub tries: Vec<DraftText>,
    pub sample: SampleText,
}

/// A text that is looked at in the place of the files.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct SampleText {
    pub text: String,
    pub is_on: bool,
}

impl Default for Saved {
    fn default() -> Self {
        Self {
            title: None,
            whole: Vec::new(),
            steps: Vec::new(),
            examples: Vec::new(),
            step: 0,
            focus: Focus::Field(FieldName::Pattern),
            view: ListView::Changes,
            tries: Vec::new(),
            sample: SampleText::default(),
        }
    }
}

impl Saved {
    /// A rewrite without steps: its purpose, and the examples of all steps together.
    pub fn without_steps(&self) -> RewriteText {
        RewriteText {
            title: self.title.clone(),
            example: self.whole.clone(),
            ..RewriteText::default()
        }
    }
}

/// The form of the file.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Record {
    paths: Vec<PathBuf>,
    title: Option<String>,
    whole: Vec<Example>,
    steps: Vec<StepText>,
    examples: Vec<Vec<Example>>,
    step: usize,
    focus: Focus,
    view: ListView,
    tries: Vec<(usize, Vec<StepText>)>,
    #[serde(default)]
    sample: SampleText,
}

/// The draft of this folder that was not closed, and its paths; `None` where there is none that can
/// be read.
pub fn load() -> Option<(Saved, Vec<PathBuf>)> {
    let text = read_all(&host().draft()?, DRAFT_MOST).ok()?;
    let Record {
        paths,
        title,
        whole,
        steps,
        examples,
        step,
        focus,
        view,
        tries,
        sample,
    } = serde_json::from_slice(&text).ok()?;
    let tries = tries.into_iter();
    let saved = Saved {
        title,
        whole,
        steps,
        examples,
        step,
        focus,
        view,
        tries: tries
            .map(|(step, steps)| DraftText { steps, step })
            .collect(),
        sample,
    };
    Some((saved, paths))
}

/// Keeps a draft for this folder.
///
/// # Errors
///
/// When it cannot be written; the one that was kept before stays.
pub fn keep(saved: Saved, paths: &[PathBuf], temporaries: &Arc<Temporaries>) -> io::Result<()> {
    let Saved {
        title,
        whole,
        steps,
        examples,
        step,
        focus,
        view,
        tries,
        sample,
    } = saved;
    let tries = tries.into_iter();
    let record = Record {
        paths: paths.to_vec(),
        title,
        whole,
        steps,
        examples,
        step,
        focus,
        view,
        tries: tries.map(|text| (text.step, text.steps)).collect(),
        sample,
    };
    let Some(place) = host().draft() else {
        return Err(io::Error::other("there is no folder for it"));
    };
    put(&place, &serde_json::to_vec(&record)?, temporaries)
}

/// Forgets the draft of this folder: it was closed.
pub fn forget() {
    if let Some(place) = host().draft() {
        // That there is none is as good.
        let _ = fs::remove_file(place);
    }
}
