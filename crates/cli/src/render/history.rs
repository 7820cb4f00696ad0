//! Runs for a reader.

use crate::render::highlight::one_line_of;
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_files::journal::records::{ChangeRecord, Intent};
use brisk_quill_files::journal::run_record::RunRecord;

/// A run as a list shows it.
pub struct HistoryRow<'r> {
    pub record: &'r RunRecord,
    pub state: &'r str,
    pub when: String,
}

/// Runs, one a line below a head; one that was reverted is marked, and its line is quiet.
pub fn history_list(rows: &[HistoryRow<'_>], width: usize) -> Labelled {
    let mut out = Labelled::default();
    if rows.is_empty() {
        return out;
    }
    let state_width = rows.iter().map(|row| row.state.len()).fold(11, usize::max);
    let head = format!(
        "  {:>5}  {:<20}  {:<state_width$}  what\n",
        "run", "when", "state"
    );
    out.put(Role::Quiet, &head);
    for row in rows {
        let is_gone = row.state.starts_with("reverted") || row.state == "rolled back";
        let mark = if is_gone { '×' } else { ' ' };
        let text = format!("{mark} {}", one_row(row, state_width));
        let text = one_line_of(text.as_bytes(), width);
        match is_gone {
            true => out.put(Role::Quiet, &text),
            false => out.push_str(&text),
        }
        out.push('\n');
    }
    out
}

fn one_row(row: &HistoryRow<'_>, width: usize) -> String {
    let run = row.record.run;
    let state = row.state;
    let Some(intent) = &row.record.intent else {
        return format!(
            "{run:>5}  {:<20}  {state:<width$}  before it had said what it would do",
            ""
        );
    };
    let changes = intent.targets.iter().map(|target| target.changes).sum();
    let what = format!(
        "{} in {}",
        counted(changes, "change"),
        counted(intent.targets.len() as u64, "file")
    );
    let how = match intent.undoes {
        Some(other) => format!("reverts run {other}"),
        None => rewrite_words(&intent.rewrite),
    };
    format!("{run:>5}  {:<20}  {state:<width$}  {what}  {how}", row.when)
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
