//! `preview --against`: what two previews have in common, and what only one of them has.

use crate::commands::plans;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::render::grid::{Align, Grid};
use crate::render::highlight::one_line_of;
use crate::render::numbers::{counted, number};
use brisk_quill_core::escape::visible;
use brisk_quill_files::discover::Source;
use brisk_quill_files::evaluate::FileEdit;
use brisk_quill_files::read::Facts;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::path::Path;

/// A change, as far as it is compared.
#[derive(Clone)]
pub struct Known {
    from: u64,
    to: u64,
    line: u64,
    before: Vec<u8>,
    after: Vec<u8>,
}

impl From<&FileEdit<'_>> for Known {
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
    changes: Vec<Known>,
}

/// Compares the changes of this preview with those of an earlier one.
pub struct Comparison {
    old: BTreeMap<Vec<u8>, OldFile>,
    same: u64,
    /// How, where, was, earlier, now.
    differences: Vec<[String; 5]>,
    show: usize,
    counts: [u64; 3],
    /// Files that are not what they were.
    other_files: Vec<String>,
}

/// In which way a change differs.
#[derive(Clone, Copy)]
enum How {
    OnlyLast,
    OnlyThis,
    Different,
}

impl How {
    fn name(self) -> &'static str {
        match self {
            Self::OnlyLast => "only last time",
            Self::OnlyThis => "only this time",
            Self::Different => "different",
        }
    }
}

impl Comparison {
    /// With the plan in `file`; `last` is the last preview. At most `show` differences are
    /// shown.
    pub fn new(file: &Path, show: usize) -> Result<Self, Diagnostic> {
        let doc = plans::open(Some(file))?;
        let mut old: BTreeMap<Vec<u8>, OldFile> = BTreeMap::new();
        for of in &doc.index.files {
            let file = OldFile {
                hash: of.hash.clone(),
                changes: Vec::new(),
            };
            old.insert(of.path.clone(), file);
        }
        let read = doc.each(|index, change| {
            let text = change.text().map_err(std::io::Error::other)?;
            let path = &doc.index.files[doc.index.file_of(index)].path;
            if let Some(file) = old.get_mut(path) {
                file.changes.push(Known {
                    from: change.from,
                    to: change.to,
                    line: change.line,
                    before: text.before.into_owned(),
                    after: text.after.into_owned(),
                });
            }
            Ok(())
        });
        read.map_err(|error| {
            Diagnostic::trouble(format!("cannot read the earlier plan: {error}"))
        })?;
        Ok(Self {
            old,
            same: 0,
            differences: Vec::new(),
            show,
            counts: [0; 3],
            other_files: Vec::new(),
        })
    }

    /// Compares what was found in a file.
    pub fn file(&mut self, source: &Source, facts: &Facts, now: Vec<Known>) {
        let path = source.path().as_os_str().as_encoded_bytes();
        let before = match self.old.remove(path) {
            None => Vec::new(),
            Some(file) => {
                let hash = facts.hash.map(|hash| hash.to_hex().to_string());
                if hash.as_ref() != Some(&file.hash) {
                    return self.other_files.push(visible(path));
                }
                file.changes
            }
        };
        self.merge(&visible(path), before, now);
    }

    /// Both lists are sorted and disjoint.
    fn merge(&mut self, path: &str, before: Vec<Known>, now: Vec<Known>) {
        let (mut before, mut now) = (before.into_iter().peekable(), now.into_iter().peekable());
        loop {
            let order = match (before.peek(), now.peek()) {
                (None, None) => return,
                (Some(_), None) => Ordering::Less,
                (None, Some(_)) => Ordering::Greater,
                (Some(old), Some(new)) if (old.from, old.to) == (new.from, new.to) => {
                    Ordering::Equal
                }
                (Some(old), Some(new)) if old.to <= new.from => Ordering::Less,
                (Some(old), Some(new)) if new.to <= old.from => Ordering::Greater,
                // They overlap.
                _ => Ordering::Equal,
            };
            let (old, new) = match order {
                Ordering::Less => (before.next(), None),
                Ordering::Greater => (None, now.next()),
                Ordering::Equal => (before.next(), now.next()),
            };
            match (old, new) {
                (Some(old), None) => self.differ(path, How::OnlyLast, &old, Some(&old), None),
                (None, Some(new)) => self.differ(path, How::OnlyThis, &new, None, Some(&new)),
                (Some(old), Some(new)) if old.before == new.before && old.after == new.after => {
                    self.same += 1;
                }
                (Some(old), Some(new)) => {
                    self.differ(path, How::Different, &old, Some(&old), Some(&new));
                }
                (None, None) => return,
            }
        }
    }

    fn differ(
        &mut self,
        path: &str,
        how: How,
        at: &Known,
        old: Option<&Known>,
        new: Option<&Known>,
    ) {
        self.counts[how as usize] += 1;
        if self.differences.len() >= self.show {
            return;
        }
        let text = |change: Option<&Known>| match change {
            None => "–".to_owned(),
            Some(change) if change.after.is_empty() => "(nothing)".to_owned(),
            Some(change) => one_line_of(&change.after, 60),
        };
        self.differences.push([
            how.name().to_owned(),
            format!("{path}, line {}", at.line),
            one_line_of(&at.before, 60),
            text(old),
            text(new),
        ]);
    }

    /// Prints what differs, and the counts.
    pub fn print(mut self, output: &mut Output) {
        for (path, file) in std::mem::take(&mut self.old) {
            self.merge(&visible(&path), file.changes, Vec::new());
        }
        let [only_last, only_this, different] = self.counts;
        let all = only_last + only_this + different;
        output.print(b"\n");
        if all > 0 {
            let heads = ["", "where", "was", "last time", "this time"];
            let mut grid = Grid::new(heads.map(|head| (head, Align::Left)));
            for row in self.differences.iter() {
                grid.add(row.to_vec());
            }
            output.print(grid.text(output.paint(), output.width()).as_bytes());
            let hidden = all - self.differences.len() as u64;
            if hidden > 0 {
                let more = counted(hidden, "more difference");
                output.print(format!("\n{more} not shown; add `--show all`.\n").as_bytes());
            }
            output.print(b"\n");
        }
        for (name, count) in [
            ("the same", self.same),
            ("only last time", only_last),
            ("only this time", only_this),
            ("different", different),
        ] {
            output.print(format!("  {name:<14} {:>8}\n", number(count)).as_bytes());
        }
        for path in &self.other_files {
            let text = format!("\nnote: {path} is not what it was, and is not compared\n");
            output.print(text.as_bytes());
        }
    }
}
