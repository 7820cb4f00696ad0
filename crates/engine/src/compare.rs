//! Two tries compared: the changes of an earlier plan and those of a new evaluation.

use crate::context::beside;
use brisk_quill_core::plan::text_of;
use brisk_quill_core::rewrite::hunk::Hunk;
use brisk_quill_core::span::Span;
use brisk_quill_files::edit::FileEdit;
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::io;
use std::path::PathBuf;

/// Bytes kept of the text beside a change.
const BESIDE_MOST: usize = 400;

/// A change, as far as it is compared.
///
#[doc = include_str!("../doc/plans.md")]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ComparedChange {
    /// The first byte, from 0.
    pub from: u64,
    /// One past the last byte.
    pub to: u64,
    /// The line it begins in, from 1.
    pub line: u64,
    /// The old bytes.
    pub before: Vec<u8>,
    /// The new bytes.
    pub after: Vec<u8>,
    /// The column, where it is a cell.
    pub cell: Option<String>,
    /// The name of its row, where rows are named.
    pub label: Option<String>,
    /// The text of its line before and behind it, as far as it is shown; empty for a cell.
    pub beside: (Vec<u8>, Vec<u8>),
}

impl ComparedChange {
    /// A change in a hunk of this evaluation.
    pub fn new(edit: &FileEdit<'_>, hunk: &Hunk<'_>) -> Self {
        let text = &edit.text;
        let beside = match text.cell {
            Some(_) => (Vec::new(), Vec::new()),
            None => line_beside(hunk.was, text.span),
        };
        Self {
            from: edit.from,
            to: edit.to,
            line: text.line,
            before: edit.before.to_vec(),
            after: edit.after.to_vec(),
            cell: text.cell.map(|cell| cell.name.to_string()),
            label: text
                .row
                .and_then(|row| row.label.as_deref().map(str::to_owned)),
            beside,
        }
    }
}

/// The text of its line before and behind a part of a text.
fn line_beside(text: &[u8], part: Span) -> (Vec<u8>, Vec<u8>) {
    let (head, tail) = (&text[..part.from], &text[part.to..]);
    let from = memchr::memrchr(b'\n', head).map_or(0, |at| at + 1);
    let to = memchr::memchr(b'\n', tail).unwrap_or(tail.len());
    let to = if head.len() < text.len() && text[..part.to].ends_with(b"\n") {
        0
    } else {
        to
    };
    let from = from.max(head.len().saturating_sub(BESIDE_MOST));
    (head[from..].to_vec(), tail[..to.min(BESIDE_MOST)].to_vec())
}

/// A file of the earlier plan.
struct OldFile {
    hash: String,
    /// The number of its first change in the plan, from 0.
    first: usize,
    changes: Vec<ComparedChange>,
}

/// A change that is not the same in both.
///
#[doc = include_str!("../doc/plans.md")]
pub struct Difference {
    /// The file.
    pub path: Vec<u8>,
    /// The change of last time.
    pub last: Option<ComparedChange>,
    /// The change of this time.
    pub this: Option<ComparedChange>,
}

/// Compares the changes of this evaluation with those of an earlier plan.
///
#[doc = include_str!("../doc/plans.md")]
pub struct Comparison {
    doc: PlanDoc,
    old: BTreeMap<Vec<u8>, OldFile>,
    most: usize,
    found: Compared,
}

/// The changes that both have in common, and those that differ.
///
/// ```
/// use brisk_quill_engine::compare::Compared;
/// let found = Compared { only_last: 1, different: 2, ..Compared::default() };
/// assert_eq!(found.total(), 3);
/// ```
#[derive(Default)]
pub struct Compared {
    /// Changes that are the same.
    pub same: u64,
    /// Changes of last time alone.
    pub only_last: u64,
    /// Changes of this time alone.
    pub only_this: u64,
    /// Places where both change something, but not the same.
    pub different: u64,
    /// The first differences.
    pub differences: Vec<Difference>,
    /// Files that are not what they were, and are not compared.
    pub other_files: Vec<PathBuf>,
}

impl Compared {
    /// All differences.
    pub fn total(&self) -> u64 {
        self.only_last + self.only_this + self.different
    }
}

impl Comparison {
    /// A comparison with the plan `doc` that keeps at most this many differences.
    ///
    /// # Errors
    ///
    /// When the plan cannot be read.
    pub fn new(doc: PlanDoc, most: usize) -> io::Result<Self> {
        let mut old: BTreeMap<Vec<u8>, OldFile> = BTreeMap::new();
        for of in &doc.index.files {
            let file = OldFile {
                hash: of.hash.clone(),
                first: of.first,
                changes: Vec::new(),
            };
            old.insert(of.path.clone(), file);
        }
        doc.each(|index, change| {
            let text = text_of(&change).map_err(io::Error::other)?;
            let path = &doc.index.files[doc.index.file_of(index)].path;
            if let Some(file) = old.get_mut(path) {
                file.changes.push(ComparedChange {
                    from: change.from,
                    to: change.to,
                    line: change.line.0,
                    before: text.before.into_owned(),
                    after: text.after.into_owned(),
                    cell: change.cell.as_deref().map(str::to_owned),
                    label: change.label.0.as_deref().map(str::to_owned),
                    beside: (Vec::new(), Vec::new()),
                });
            }
            Ok(())
        })?;
        Ok(Self {
            doc,
            old,
            most,
            found: Compared::default(),
        })
    }

    /// Compares what was found in a file.
    pub fn file(&mut self, source: &Source, facts: &Facts, this: Vec<ComparedChange>) {
        let path = source.path().as_os_str().as_encoded_bytes();
        let (first, last) = match self.old.remove(path) {
            None => (0, Vec::new()),
            Some(file) => {
                let hash = facts.hash.map(|hash| hash.to_hex().to_string());
                if hash.as_ref() != Some(&file.hash) {
                    self.found.other_files.push(source.path().to_owned());
                    return;
                }
                (file.first, file.changes)
            }
        };
        self.merge(path, (first, last), this);
    }

    /// Compares the changes of last time, which are those of the plan from number `first` on, with those of this
    /// time.
    fn merge(
        &mut self,
        path: &[u8],
        (first, last): (usize, Vec<ComparedChange>),
        this: Vec<ComparedChange>,
    ) {
        let place = |(_, change): &(usize, ComparedChange)| (change.from, change.to);
        let this = this.into_iter().map(|change| (0, change));
        side_by_side((first..).zip(last), this, place, |last, this| {
            self.differ(path, last, this.map(|(_, this)| this));
        });
    }

    fn differ(
        &mut self,
        path: &[u8],
        last: Option<(usize, ComparedChange)>,
        this: Option<ComparedChange>,
    ) {
        let (number, last) = last.unzip();
        let count = match (&last, &this) {
            (Some(_), None) => &mut self.found.only_last,
            (None, Some(_)) => &mut self.found.only_this,
            (Some(old), Some(new)) if old.before == new.before && old.after == new.after => {
                self.found.same += 1;
                return;
            }
            _ => &mut self.found.different,
        };
        *count += 1;
        if self.found.differences.len() < self.most {
            let mut last = last;
            if let (Some(number), Some(last)) = (number, &mut last) {
                let place = |change: &ComparedChange| (change.from, change.to);
                last.beside = match &this {
                    Some(this) if place(this) == place(last) => this.beside.clone(),
                    _ => self.beside(number).unwrap_or_default(),
                };
            }
            self.found.differences.push(Difference {
                path: path.to_vec(),
                last,
                this,
            });
        }
    }

    /// The text of its line before and behind a change of the plan.
    fn beside(&self, number: usize) -> Option<(Vec<u8>, Vec<u8>)> {
        let change = self.doc.change(number).ok()?;
        if change.cell.is_some() {
            return None;
        }
        let (before, after) = beside(&self.doc, &self.doc.index, (number, &change))?;
        Some((before.into_bytes(), after.into_bytes()))
    }

    /// The results; files of the earlier plan that were not found now count as without changes.
    pub fn finish(mut self) -> Compared {
        for (path, file) in std::mem::take(&mut self.old) {
            self.merge(&path, (file.first, file.changes), Vec::new());
        }
        self.found
    }
}

/// Shows what two lists hold, in order of place: things whose places are the same or overlap
/// together. Both are in order and disjoint; `place` gives from, and one past the end.
pub(crate) fn side_by_side<T>(
    last: impl IntoIterator<Item = T>,
    this: impl IntoIterator<Item = T>,
    place: impl Fn(&T) -> (u64, u64),
    mut visit: impl FnMut(Option<T>, Option<T>),
) {
    let (mut last, mut this) = (last.into_iter().peekable(), this.into_iter().peekable());
    loop {
        let order = match (last.peek().map(&place), this.peek().map(&place)) {
            (None, None) => return,
            (Some(_), None) => Ordering::Less,
            (None, Some(_)) => Ordering::Greater,
            (Some(old), Some(new)) if old == new => Ordering::Equal,
            (Some(old), Some(new)) if old.1 <= new.0 => Ordering::Less,
            (Some(old), Some(new)) if new.1 <= old.0 => Ordering::Greater,
            // They overlap.
            (Some(_), Some(_)) => Ordering::Equal,
        };
        match order {
            Ordering::Less => visit(last.next(), None),
            Ordering::Greater => visit(None, this.next()),
            Ordering::Equal => visit(last.next(), this.next()),
        }
    }
}
