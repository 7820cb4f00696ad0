//! Kinds of changes: those with the same text before and after, counted.

use crate::collector::FileHunk;
use crate::renew::source_of;
use brisk_quill_core::inventory::Inventory;
use brisk_quill_core::span::Span;
use brisk_quill_core::word::is_within_word;
use brisk_quill_files::plan_file::PlanDoc;
use brisk_quill_files::source::Source;
use std::io;

/// Kinds that are distinguished.
const KINDS_MOST: usize = 100_000;
/// Bytes kept around a match within a word.
const AROUND: usize = 16;

/// Counts the kinds of changes.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct KindCollector {
    seen: Inventory<(Vec<u8>, Vec<u8>), FirstOfKind>,
}

/// A kind of changes.
pub struct Kind {
    /// The old text.
    pub before: Vec<u8>,
    /// The new text.
    pub after: Vec<u8>,
    /// Changes of this kind.
    pub count: u64,
    /// The first change of the kind.
    pub first: FirstOfKind,
}

/// The first change of a kind, and those of it that look odd.
pub struct FirstOfKind {
    /// The file.
    pub source: Source,
    /// The line, from 1.
    pub line: u64,
    /// The column, where it is a cell.
    pub cell: Option<String>,
    /// Changes of the kind that lie within a word.
    pub within_words: u64,
    /// The first of those, with a little of its line around it.
    pub odd: Option<Vec<u8>>,
}

/// The kinds of all changes, the most frequent first.
///
#[doc = include_str!("../doc/rewriting.md")]
pub struct Kinds {
    /// Each kind that is distinguished.
    pub kinds: Vec<Kind>,
    /// All changes.
    pub changes: u64,
    /// Changes of further kinds, which are not distinguished.
    pub others: u64,
}

impl Default for KindCollector {
    fn default() -> Self {
        Self {
            seen: Inventory::new(KINDS_MOST),
        }
    }
}

impl KindCollector {
    /// Tells all kinds apart, to be absorbed by another.
    #[must_use]
    pub fn without_limit(self) -> Self {
        let seen = self.seen.without_limit();
        Self { seen }
    }

    /// Adds the kinds of what follows: the next file, or the next part of one.
    pub fn absorb(&mut self, next: Self) {
        self.seen.absorb(next.seen, |first, next| {
            first.within_words += next.within_words;
            first.odd = first.odd.take().or(next.odd);
        });
    }

    /// Counts the changes of a hunk of `source`.
    pub fn hunk(&mut self, source: &Source, found: &FileHunk<'_>) {
        for edit in &found.edits {
            let text = &edit.text;
            let kind = (text.before.to_vec(), text.after.to_vec());
            self.seen.add(kind.clone(), || FirstOfKind {
                source: source.clone(),
                line: text.line,
                cell: text.cell.map(|cell| cell.name.to_string()),
                within_words: 0,
                odd: None,
            });
            let was = found.hunk.was;
            if text.cell.is_none()
                && is_within_word(
                    &was[..text.span.from],
                    &was[text.span.range()],
                    &was[text.span.to..],
                )
                && let Some(first) = self.seen.first_mut(&kind)
            {
                first.within_words += 1;
                first.odd.get_or_insert_with(|| around(was, text.span));
            }
        }
    }

    /// Counts the changes of a plan that would be written: what is accepted and modified, or all
    /// while nothing is decided. Words around them are not looked at.
    ///
    /// # Errors
    ///
    /// When the plan cannot be read again.
    pub fn plan(&mut self, doc: &PlanDoc) -> io::Result<()> {
        let plan = &doc.index;
        let all = plan.is_undecided(&plan.counts());
        doc.each(|index, change| {
            if !all && !plan.entries[index].decision.writes() {
                return Ok(());
            }
            let written = plan.written(index, &change).map_err(io::Error::other)?;
            let kind = (written.before.into_owned(), written.after.into_owned());
            self.seen.add(kind, || FirstOfKind {
                source: source_of(&plan.files[plan.file_of(index)].path),
                line: change.line.0,
                cell: change.cell.as_deref().map(str::to_owned),
                within_words: 0,
                odd: None,
            });
            Ok(())
        })
    }

    /// The kinds of all that was counted.
    pub fn into_kinds(self) -> Kinds {
        let (changes, others) = (self.seen.total, self.seen.others);
        let rows = self.seen.into_order().into_iter();
        let mut kinds: Vec<Kind> = rows
            .map(|((before, after), count, first)| Kind {
                before,
                after,
                count,
                first,
            })
            .collect();
        // Those that are as frequent stay in the order in which they were met.
        kinds.sort_by_key(|kind| std::cmp::Reverse(kind.count));
        Kinds {
            kinds,
            changes,
            others,
        }
    }
}

/// A match with a little of the line around it.
fn around(line: &[u8], span: Span) -> Vec<u8> {
    let from = span.from.saturating_sub(AROUND);
    let to = (span.to + AROUND).min(line.len());
    line[from..to].trim_ascii().to_vec()
}
