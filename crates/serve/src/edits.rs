//! The changes of a rewrite as an edit of the workspace.

use crate::below::sources_below;
use crate::documents::Documents;
use crate::paths::{path_of, uri_of};
use crate::positions::Lines;
use crate::protocol::Client;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::stop::Stop;
use brisk_quill_engine::host::Host;
use brisk_quill_engine::in_memory::{MemoryChange, MemoryText, changes_in};
use brisk_quill_files::source::Source;
use serde_json::{Map, Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;

/// Texts that are looked at in one request, in bytes.
const BYTES_MOST: u64 = 256 << 20;
/// Changes in one edit.
const CHANGES_MOST: usize = 100_000;
/// Kinds of changes that are distinguished.
const KINDS_MOST: usize = 200;
/// Characters of a text that a label shows.
const SHOWN: usize = 40;

/// The changes of some texts.
pub struct Edit {
    files: Vec<FileEdit>,
    /// Files that are not UTF-8, or cannot be read, and are left alone.
    pub left_alone: usize,
    /// Units that could not be computed.
    pub problems: usize,
}

struct FileEdit {
    uri: String,
    text: Arc<str>,
    /// The version of an open document.
    version: Option<i64>,
    changes: Vec<MemoryChange>,
}

/// Why there is no edit.
#[derive(Debug)]
pub enum EditFault {
    Cancelled,
    /// A sentence for the user.
    Told(String),
}

/// The changes of an open text alone.
pub fn edit_of(
    rewrite: &Rewrite,
    uri: &str,
    documents: &Documents,
    stop: &Stop,
) -> Result<Edit, EditFault> {
    let document = documents.get(uri);
    let text = document.and_then(|document| document.text.clone());
    let Some((document, text)) = document.zip(text) else {
        let told = "this text is not open, or larger than 64 MiB".to_owned();
        return Err(EditFault::Told(told));
    };
    // A text without a name yet has no form of columns.
    let path = path_of(uri).unwrap_or_else(|| "-".into());
    edits(
        rewrite,
        vec![(
            uri.to_owned(),
            Some(document.version),
            MemoryText { path, text },
        )],
        0,
        stop,
    )
}

/// The changes of all texts below a folder: of open ones, as they are in the editor.
pub fn edit_below(
    rewrite: &Rewrite,
    host: &Host,
    (except, documents): (&Path, &Documents),
    stop: &Stop,
) -> Result<Edit, EditFault> {
    let told = |error: &dyn std::fmt::Display| EditFault::Told(error.to_string());
    let sources = sources_below(host);
    let sources = sources.map_err(|error| told(&error))?;
    let (mut texts, mut left_alone, mut bytes) = (Vec::new(), 0, 0);
    for source in &sources.listing.sources {
        if stop.is_set() {
            return Err(EditFault::Cancelled);
        }
        let Source::File(file) = source else {
            continue;
        };
        let path = file.place().into_owned();
        if path == except || (rewrite.only_cells() && !rewrite.is_table(&path)) {
            continue;
        }
        let uri = uri_of(&path);
        if let Some(document) = documents.get(&uri) {
            if let Some(text) = document.text.clone() {
                texts.push((uri, Some(document.version), MemoryText { path, text }));
            }
            continue;
        }
        let read = std::fs::read(&path)
            .ok()
            .and_then(|bytes| String::from_utf8(bytes).ok());
        let Some(text) = read.filter(|text| !text.contains('\0')) else {
            left_alone += 1;
            continue;
        };
        bytes += text.len() as u64;
        if bytes > BYTES_MOST {
            let told =
                "there is more than 256 MiB of text below this folder: use `bquill preview` there";
            return Err(EditFault::Told(told.to_owned()));
        }
        texts.push((
            uri,
            None,
            MemoryText {
                path,
                text: text.into(),
            },
        ));
    }
    edits(rewrite, texts, left_alone, stop)
}

fn edits(
    rewrite: &Rewrite,
    texts: Vec<(String, Option<i64>, MemoryText)>,
    left_alone: usize,
    stop: &Stop,
) -> Result<Edit, EditFault> {
    let all: Vec<MemoryText> = texts.iter().map(|(.., text)| text.clone()).collect();
    let outcomes = changes_in(rewrite, &all, stop).ok_or(EditFault::Cancelled)?;
    let mut edit = Edit {
        files: Vec::new(),
        left_alone,
        problems: 0,
    };
    for ((uri, version, text), outcome) in texts.into_iter().zip(outcomes) {
        edit.problems += outcome.problems.len();
        if !outcome.changes.is_empty() {
            edit.files.push(FileEdit {
                uri,
                text: text.text,
                version,
                changes: outcome.changes,
            });
        }
    }
    match edit.changes() > CHANGES_MOST {
        true => Err(EditFault::Told(format!(
            "{} are more than an editor can show: use `bquill review`",
            counted(edit.changes() as u64, "change")
        ))),
        false => Ok(edit),
    }
}

impl Edit {
    /// The number of changes.
    pub fn changes(&self) -> usize {
        self.files.iter().map(|file| file.changes.len()).sum()
    }

    /// "5 changes in 3 files".
    pub fn summary(&self) -> String {
        let changes = counted(self.changes() as u64, "change");
        format!("{changes} in {}", counted(self.files.len() as u64, "file"))
    }

    /// True if every text is still the one that the changes were computed from.
    pub fn is_current(&self, documents: &Documents) -> bool {
        self.files.iter().all(|file| {
            let open = documents.get(&file.uri);
            match (file.version, open) {
                (Some(version), Some(open)) => open.version == version,
                (None, None) => path_of(&file.uri)
                    .and_then(|path| std::fs::read(path).ok())
                    .is_some_and(|bytes| bytes == file.text.as_bytes()),
                _ => false,
            }
        })
    }

    /// The edit in the shape of the protocol, as far as the client knows it.
    pub fn to_json(&self, client: &Client) -> Value {
        let mut kinds = Kinds::of(self);
        let mut annotations = Map::new();
        let mut by_file = Map::new();
        let mut documents = Vec::new();
        for file in &self.files {
            let lines = Lines::new(&file.text, client.encoding);
            let edits = file.changes.iter().map(|change| {
                let mut edit = json!({"range": lines.range(change.span), "newText": change.after});
                if client.annotations && client.versions {
                    let (id, label, count) =
                        kinds.id(&file.text[change.span.range()], &change.after);
                    let annotation = || {
                        json!({
                            "label": label,
                            "needsConfirmation": true,
                            "description": counted(count as u64, "change"),
                        })
                    };
                    annotations.entry(id.clone()).or_insert_with(annotation);
                    edit["annotationId"] = id.into();
                }
                edit
            });
            let edits: Vec<Value> = edits.collect();
            match client.versions {
                true => documents.push(json!({
                    "textDocument": {"uri": file.uri, "version": file.version},
                    "edits": edits,
                })),
                false => drop(by_file.insert(file.uri.clone(), edits.into())),
            }
        }
        match client.versions {
            true if client.annotations => {
                json!({"documentChanges": documents, "changeAnnotations": annotations})
            }
            true => json!({"documentChanges": documents}),
            false => json!({"changes": by_file}),
        }
    }

    /// The names of the files, for a question.
    pub fn files(&self) -> BTreeSet<String> {
        let name = |file: &FileEdit| file.uri.rsplit('/').next().unwrap_or_default().to_owned();
        self.files.iter().map(name).collect()
    }
}

/// The kinds of changes: the same text that becomes the same text. Of too many, all are one.
struct Kinds {
    counts: BTreeMap<(String, String), (usize, usize)>,
    all: usize,
}

impl Kinds {
    fn of(edit: &Edit) -> Self {
        let mut counts: BTreeMap<(String, String), (usize, usize)> = BTreeMap::new();
        for file in &edit.files {
            for change in &file.changes {
                let key = (
                    file.text[change.span.range()].to_owned(),
                    change.after.clone(),
                );
                let number = counts.len();
                counts.entry(key).or_insert((number, 0)).1 += 1;
            }
        }
        Self {
            counts,
            all: edit.changes(),
        }
    }

    /// The id of a change's kind, its label, and the number of changes of it.
    fn id(&mut self, before: &str, after: &str) -> (String, String, usize) {
        let key = (before.to_owned(), after.to_owned());
        match self
            .counts
            .get(&key)
            .filter(|_| self.counts.len() <= KINDS_MOST)
        {
            Some((number, count)) => (format!("kind-{number}"), label(before, after), *count),
            None => ("all".to_owned(), "all changes".to_owned(), self.all),
        }
    }
}

fn label(before: &str, after: &str) -> String {
    let shown = |text: &str| {
        let text = brisk_quill_core::escape::visible(text.as_bytes());
        match text.chars().count() > SHOWN {
            true => format!("{}…", text.chars().take(SHOWN - 1).collect::<String>()),
            false => text,
        }
    };
    match (before, after) {
        ("", after) => format!("`{}` comes in", shown(after)),
        (before, "") => format!("`{}` goes", shown(before)),
        (before, after) => format!("`{}` becomes `{}`", shown(before), shown(after)),
    }
}
