//! The table of counts that ends every answer.

use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::counts::LeftOutCounts;
use brisk_quill_core::step::Step;
use brisk_quill_core::step::actions::Action;
use brisk_quill_engine::summary::{FileCounts, Summary};

/// All that `find` counted.
#[derive(Clone, Copy, Debug, Default)]
pub struct FindTotals {
    pub files: FileCounts,
    /// Files with at least one match.
    pub matching: u64,
    /// Matches that were taken.
    pub matches: u64,
    /// The items shown: matches, or units in scope without one.
    pub units: u64,
    pub left_out: LeftOutCounts,
    pub problems: u64,
    /// True if units without a match are shown.
    missing: bool,
    /// The unit that the pattern is tried on.
    pub unit: &'static str,
    /// Blocks of lines, where the query looks in them.
    blocks: Option<u64>,
}

/// The counts of a rewrite, one a line: those that are zero, or equal to the one before, are left
/// out. Empty where errors have said that there is nothing to count.
pub fn rewrite_totals(summary: &Summary, rewrite: &Rewrite) -> String {
    let counts = &summary.counts;
    let steps = counts.all_steps();
    if steps.matches + counts.changes == 0 && all_failed(summary.files, counts.problems) {
        return String::new();
    }
    let mut rows = Rows::default();
    rows.files(summary.files);
    if summary.changed != summary.files.read {
        rows.noted("files changed", summary.changed, String::new());
    }
    let in_blocks = |step: &Step| !step.query.scope.blocks.is_empty();
    if rewrite.steps().iter().any(in_blocks) {
        rows.blocks(steps.blocks);
    }
    if steps.matches != counts.changes || steps.matches == 0 {
        rows.add("matches", steps.matches);
    }
    // What goes are lines without a match, so no change is made of one.
    let keeps = |step: &Step| matches!(step.action, Action::DropOtherLines | Action::DropOtherRows);
    let keeps = rewrite.steps().iter().all(keeps);
    let of = match steps.edits == counts.changes || keeps {
        true => String::new(),
        false => format!("made of {}", counted(steps.edits, "match")),
    };
    rows.noted("changes", counts.changes, of);
    rows.noted(
        "unchanged",
        steps.unchanged,
        match keeps {
            true => "matches in lines that stay".into(),
            false => "matches whose new text equals the old".into(),
        },
    );
    rows.noted(
        "failed",
        steps.failed,
        "matches whose new text cannot be made or written".into(),
    );
    rows.noted("left out", steps.left_out.total(), left_out(steps.left_out));
    rows.noted("lines added", counts.lines_added, String::new());
    rows.noted("lines removed", counts.lines_removed, String::new());
    rows.noted("problems", counts.problems, "left alone".into());
    rows.noted(
        "not ensured",
        counts.unmet,
        "would not match --ensure".into(),
    );
    if counts.steps.len() > 1 {
        for (index, step) in counts.steps.iter().enumerate() {
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

/// True if errors have said why nothing was found: a table of zeros would not add to them. Of several files, some may have
/// been looked at all the same.
fn all_failed(files: FileCounts, problems: u64) -> bool {
    problems > 0 && files.read <= 1 || files.read == 0 && files.unreadable > 0
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

    /// The number of blocks of lines that have begun.
    pub fn set_blocks(&mut self, blocks: u64) {
        if let Some(sum) = &mut self.blocks {
            *sum = blocks;
        }
    }

    /// As text, one count a line; empty where errors have said that there is nothing to count.
    pub fn text(&self) -> String {
        if self.matches + self.units == 0 && all_failed(self.files, self.problems) {
            return String::new();
        }
        let mut rows = Rows::default();
        rows.files(self.files);
        if let Some(blocks) = self.blocks {
            rows.blocks(blocks);
        }
        let matching = match self.matching == self.files.read {
            true => 0,
            false => self.matching,
        };
        if self.missing {
            rows.noted(
                &format!("files with such {}s", self.unit),
                matching,
                String::new(),
            );
            rows.add("without a match", self.units);
        } else {
            rows.noted("files with matches", matching, String::new());
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

/// The width of a usual name, in columns.
const USUAL: usize = "files changed".len();

#[derive(Default)]
struct Rows {
    rows: Vec<(String, String, String)>,
}

impl Rows {
    fn files(&mut self, files: FileCounts) {
        self.add("files read", files.read);
        let why = reasons(&[
            (files.binary, "binary"),
            (files.unreadable, "could not be read"),
            (files.no_table, "without columns"),
        ]);
        self.noted("files skipped", files.skipped(), why);
    }

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
        // As wide as a usual name, whichever rows there are.
        let (names, numbers) = (names.unwrap_or(0).max(USUAL), numbers.unwrap_or(0));
        let mut text = String::new();
        for (name, n, note) in &self.rows {
            let row = format!("  {name:names$}  {n:>numbers$}   {note}");
            text.push_str(row.trim_end());
            text.push('\n');
        }
        text
    }
}
