//! The table of counts that ends every answer.

use crate::render::numbers::{counted, number};
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::{Counts, LeftOutCounts, Rewrite};
use brisk_quill_core::step::Step;
use brisk_quill_files::read::Skipped;

/// What became of the files of a request.
#[derive(Clone, Copy, Debug, Default)]
pub struct FileCounts {
    /// Read to their end.
    pub read: u64,
    /// Looked binary.
    pub binary: u64,
    /// Could not be read.
    pub unreadable: u64,
    /// Met on the way, without columns.
    pub no_table: u64,
}

impl FileCounts {
    /// Counts a file that was not looked at.
    pub fn skip(&mut self, skipped: Skipped) {
        match skipped {
            Skipped::Binary => self.binary += 1,
        }
    }

    /// All that were not looked at.
    pub fn skipped(self) -> u64 {
        self.binary + self.unreadable + self.no_table
    }

    fn rows(self, rows: &mut Rows) {
        rows.add("files read", self.read);
        let why = reasons(&[
            (self.binary, "binary"),
            (self.unreadable, "could not be read"),
            (self.no_table, "without columns"),
        ]);
        rows.noted("files skipped", self.skipped(), why);
    }
}

/// All that a rewrite counted.
#[derive(Clone, Debug, Default)]
pub struct RewriteTotals {
    pub files: FileCounts,
    /// Files with at least one change.
    pub changed: u64,
    pub counts: Counts,
    /// Whether a step looks in blocks of lines.
    blocks: bool,
}

/// All that `find` counted.
#[derive(Clone, Copy, Debug, Default)]
pub struct FindTotals {
    pub files: FileCounts,
    /// Files with at least one match.
    pub matching: u64,
    /// Matches that were taken.
    pub matches: u64,
    /// What is shown: matches, or units in scope without one.
    pub units: u64,
    pub left_out: LeftOutCounts,
    pub problems: u64,
    /// Whether units without a match are shown.
    missing: bool,
    /// What the pattern is tried on.
    pub unit: &'static str,
    /// Blocks of lines, where the query looks in them.
    blocks: Option<u64>,
}

impl RewriteTotals {
    pub fn new(rewrite: &Rewrite) -> Self {
        let in_blocks = |step: &Step| !step.query.scope.blocks.is_empty();
        Self {
            blocks: rewrite.steps().iter().any(in_blocks),
            ..Self::default()
        }
    }

    /// As text, one count a line.
    pub fn text(&self) -> String {
        let mut rows = Rows::default();
        self.files.rows(&mut rows);
        rows.add("files changed", self.changed);
        let steps = self.counts.all_steps();
        if self.blocks {
            rows.blocks(steps.blocks);
        }
        rows.add("matches", steps.matches);
        let of = match steps.edits == self.counts.changes {
            true => String::new(),
            false => format!("made of {}", counted(steps.edits, "match")),
        };
        rows.always("changes", self.counts.changes, of);
        rows.noted(
            "unchanged",
            steps.unchanged,
            "matches whose new text equals the old".into(),
        );
        rows.noted(
            "failed",
            steps.failed,
            "matches whose new text cannot be made or written".into(),
        );
        rows.noted("left out", steps.left_out.total(), left_out(steps.left_out));
        rows.add("lines added", self.counts.lines_added);
        rows.add("lines removed", self.counts.lines_removed);
        rows.noted("problems", self.counts.problems, "left alone".into());
        rows.noted(
            "not ensured",
            self.counts.unmet,
            "would not match --ensure".into(),
        );
        if self.counts.steps.len() > 1 {
            for (index, step) in self.counts.steps.iter().enumerate() {
                let why = reasons(&[
                    (step.edits, "changed"),
                    (step.unchanged, "unchanged"),
                    (step.failed, "failed"),
                ]);
                let why = match step.left_out.total() {
                    0 => why,
                    more => format!("{why}; {} more left out", number(more)),
                };
                rows.always(&format!("step {} matches", index + 1), step.matches, why);
            }
        }
        rows.text()
    }
}

impl FindTotals {
    pub fn new(query: &Query, missing: bool) -> Self {
        Self {
            missing,
            unit: query.unit.name(),
            blocks: (!query.scope.blocks.is_empty()).then_some(0),
            ..Self::default()
        }
    }

    /// How many blocks of lines have begun.
    pub fn set_blocks(&mut self, blocks: u64) {
        if let Some(sum) = &mut self.blocks {
            *sum = blocks;
        }
    }

    /// As text, one count a line.
    pub fn text(&self) -> String {
        let mut rows = Rows::default();
        self.files.rows(&mut rows);
        if let Some(blocks) = self.blocks {
            rows.blocks(blocks);
        }
        if self.missing {
            rows.add(&format!("files with such {}s", self.unit), self.matching);
            rows.add("without a match", self.units);
        } else {
            rows.add("files with matches", self.matching);
        }
        rows.add("matches", self.matches);
        rows.noted("left out", self.left_out.total(), left_out(self.left_out));
        rows.noted("problems", self.problems, "left alone".into());
        rows.text()
    }
}

fn left_out(counts: LeftOutCounts) -> String {
    reasons(&[
        (counts.pick, "by pick"),
        (counts.limit, "by limit"),
        (counts.scope, "out of scope"),
    ])
}

/// "3 by pick, 2 by place"
fn reasons(parts: &[(u64, &str)]) -> String {
    let said = parts.iter().filter(|(n, _)| *n > 0);
    let said: Vec<String> = said
        .map(|(n, why)| format!("{} {why}", number(*n)))
        .collect();
    said.join(", ")
}

#[derive(Default)]
struct Rows {
    rows: Vec<(String, String, String)>,
}

impl Rows {
    fn add(&mut self, name: &str, n: u64) {
        self.always(name, n, String::new());
    }

    fn blocks(&mut self, n: u64) {
        let never = "the START of --between occurs nowhere";
        let note = if n == 0 { never } else { "" };
        self.always("blocks", n, note.into());
    }

    /// A row that is left out when there is nothing to count.
    fn noted(&mut self, name: &str, n: u64, note: String) {
        if n > 0 {
            self.always(name, n, note);
        }
    }

    fn always(&mut self, name: &str, n: u64, note: String) {
        self.rows.push((name.to_owned(), number(n), note));
    }

    fn text(&self) -> String {
        let widest = |of: fn(&(String, String, String)) -> usize| self.rows.iter().map(of).max();
        let (names, numbers) = (widest(|r| r.0.len()), widest(|r| r.1.len()));
        let (names, numbers) = (names.unwrap_or(0), numbers.unwrap_or(0));
        let mut text = String::new();
        for (name, n, note) in &self.rows {
            let row = format!("  {name:names$}  {n:>numbers$}   {note}");
            text.push_str(row.trim_end());
            text.push('\n');
        }
        text
    }
}
