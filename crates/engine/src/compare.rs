//! Two tries compared: the changes of an earlier plan and those of a new evaluation.

use brisk_quill_core::plan::text_of;
use brisk_quill_files::edit::FileEdit;
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::io;
use std::path::PathBuf;

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
}

impl From<&FileEdit<'_>> for ComparedChange {
    fn from(edit: &FileEdit<'_>) -> Self {
        Self {
            from: edit.from,
            to: edit.to,
            line: edit.text.line,
            before: edit.before.to_vec(),
            after: edit.after.to_vec(),
        }
    }
}

/// A file of the earlier plan.
struct OldFile {
    hash: String,
    changes: Vec<ComparedChange>,
}

/// A change that is not the same in both.
///
#[doc = include_str!("../doc/plans.md")]
pub struct Difference {
    /// Its file.
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
    /// A comparison with the plan in `doc` that keeps at most so many differences.
    ///
    /// # Errors
    ///
    /// When the plan cannot be read.
    pub fn new(doc: &PlanDoc, most: usize) -> io::Result<Self> {
        let mut old: BTreeMap<Vec<u8>, OldFile> = BTreeMap::new();
        for of in &doc.index.files {
            let file = OldFile {
                hash: of.hash.clone(),
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
                });
            }
            Ok(())
        })?;
        Ok(Self {
            old,
            most,
            found: Compared::default(),
        })
    }

    /// Compares what was found in a file.
    pub fn file(&mut self, source: &Source, facts: &Facts, this: Vec<ComparedChange>) {
        let path = source.path().as_os_str().as_encoded_bytes();
        let last = match self.old.remove(path) {
            None => Vec::new(),
            Some(file) => {
                let hash = facts.hash.map(|hash| hash.to_hex().to_string());
                if hash.as_ref() != Some(&file.hash) {
                    self.found.other_files.push(source.path().to_owned());
                    return;
                }
                file.changes
            }
        };
        self.merge(path, last, this);
    }

    fn merge(&mut self, path: &[u8], last: Vec<ComparedChange>, this: Vec<ComparedChange>) {
        let place = |change: &ComparedChange| (change.from, change.to);
        side_by_side(last, this, place, |last, this| {
            self.differ(path, last, this);
        });
    }

    fn differ(&mut self, path: &[u8], last: Option<ComparedChange>, this: Option<ComparedChange>) {
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
            self.found.differences.push(Difference {
                path: path.to_vec(),
                last,
                this,
            });
        }
    }

    /// The results; files of the earlier plan that were not found now count as without changes.
    pub fn finish(mut self) -> Compared {
        for (path, file) in std::mem::take(&mut self.old) {
            self.merge(&path, file.changes, Vec::new());
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
