//! Runs for a reader.

use crate::render::highlight::{one_line_of, shortened};
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::number;
use brisk_quill_files::journal::records::{ChangeRecord, Intent};
use brisk_quill_files::journal::run_record::RunRecord;
use unicode_width::UnicodeWidthStr as _;

/// A run as a list shows it.
pub struct HistoryRow<'r> {
    pub record: &'r RunRecord,
    pub state: &'r str,
    pub when: String,
}

/// The widest that a folder is shown; its end says most.
const FOLDER: usize = 24;

/// Runs, one a line below a head; one that was reverted is marked, and its line is quiet.
pub fn history_list(rows: &[HistoryRow<'_>], width: usize) -> Labelled {
    let mut out = Labelled::default();
    if rows.is_empty() {
        return out;
    }
    // A sixth of a narrow line, so that something is left for what was done.
    let folder = (width / 6).clamp(10, FOLDER);
    let cells: Vec<Cells> = rows.iter().map(|row| Cells::of(row, folder)).collect();
    let head = Cells {
        columns: ["run", "when (UTC)", "state", "changes", "files", "folder"].map(str::to_owned),
        how: "what".to_owned(),
    };
    let widths = std::array::from_fn(|column| {
        let all = cells.iter().chain([&head]);
        let widest = all.map(|cells| cells.columns[column].width()).max();
        widest.unwrap_or(0).max(if column == 0 { 5 } else { 0 })
    });
    out.put(Role::Quiet, &head.line(' ', widths, width));
    for (row, cells) in rows.iter().zip(&cells) {
        let is_gone = row.state.starts_with("reverted") || row.state == "rolled back";
        let mark = if is_gone { '×' } else { ' ' };
        let line = cells.line(mark, widths, width);
        match is_gone {
            true => out.put(Role::Quiet, &line),
            false => out.push_str(&line),
        }
    }
    out
}

/// A line of the list, not yet laid out.
struct Cells {
    /// Number, time, state, changes, files and folder.
    columns: [String; 6],
    how: String,
}

/// The columns that hold numbers, from 0.
const NUMBERS: [usize; 3] = [0, 3, 4];

impl Cells {
    fn of(row: &HistoryRow<'_>, folder_most: usize) -> Self {
        let when = row.when.strip_suffix(" UTC").unwrap_or(&row.when);
        let (run, state) = (row.record.run.to_string(), row.state.to_owned());
        let Some(intent) = &row.record.intent else {
            let [changes, files, folder] = [const { String::new() }; 3];
            return Self {
                columns: [run, when.to_owned(), state, changes, files, folder],
                how: "before it had said what it would do".to_owned(),
            };
        };
        let changes: u64 = intent.targets.iter().map(|target| target.changes).sum();
        let folder = shortened(&visible_path(&intent.folder.path()), 0, folder_most - 1);
        let (changes, files) = (number(changes), number(intent.targets.len() as u64));
        Self {
            columns: [run, when.to_owned(), state, changes, files, folder],
            how: match intent.undoes {
                Some(other) => format!("reverts run {other}"),
                None => rewrite_words(&intent.rewrite),
            },
        }
    }

    /// The line, cut at the width of the terminal.
    fn line(&self, mark: char, widths: [usize; 6], width: usize) -> String {
        let mut line = mark.to_string();
        for (column, (text, width)) in self.columns.iter().zip(widths).enumerate() {
            let room = width.saturating_sub(text.width());
            let gap = if column == 0 { " " } else { "  " };
            line.push_str(&match NUMBERS.contains(&column) {
                true => format!("{gap}{:room$}{text}", ""),
                false => format!("{gap}{text}{:room$}", ""),
            });
        }
        line.push_str("  ");
        line.push_str(&self.how);
        let mut line = one_line_of(line.as_bytes(), width);
        line.push('\n');
        line
    }
}

/// A rewrite in few words: its title, or its patterns.
fn rewrite_words(rewrite: &serde_json::Value) -> String {
    if let Some(title) = rewrite["title"].as_str() {
        return title.to_owned();
    }
    let steps = rewrite["step"]
        .as_array()
        .map(Vec::as_slice)
        .unwrap_or_default();
    let words = steps.iter().map(|step| {
        let pattern = step["match"].as_str().unwrap_or("characters");
        match step["with"].as_str() {
            Some(with) => format!("`{pattern}` becomes `{with}`"),
            None => format!("`{pattern}`"),
        }
    });
    words.collect::<Vec<_>>().join(", then ")
}

/// The changes of a run.
pub fn history_was_now(intent: &Intent, changes: &[ChangeRecord], width: usize) -> Labelled {
    let mut out = Labelled::default();
    let mut file = None;
    for record in changes {
        if file != Some(record.file) {
            file = Some(record.file);
            let named = intent
                .targets
                .get(record.file)
                .map(|target| target.named.path());
            let name = named.unwrap_or_default();
            out.push('\n');
            out.put(Role::Path, &visible_path(&name));
            out.push('\n');
        }
        let change = record.change();
        let sides = [
            ("was", &change.before, Role::Was),
            ("now", &change.after, Role::Now),
        ];
        for (label, bytes, role) in sides {
            let line = if label == "was" {
                record.line.to_string()
            } else {
                String::new()
            };
            out.put(Role::Quiet, &format!("{line:>4}  {label}  "));
            let text = one_line_of(bytes, width.saturating_sub(11).max(20));
            match text.is_empty() {
                true => out.put(Role::Edge, "‹›"),
                false => {
                    out.put(Role::PlainEdge, "‹");
                    out.put(role, &text);
                    out.put(Role::PlainEdge, "›");
                }
            }
            out.push('\n');
        }
    }
    out
}
