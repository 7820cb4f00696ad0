//! Runs for a reader.

use crate::render::highlight::one_line_of;
use crate::render::labelled::{Labelled, Role};
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_files::journal::records::{ChangeRecord, Intent};
use brisk_quill_files::journal::run_record::RunRecord;
use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr as _};

/// A run as a list shows it.
pub struct HistoryRow<'r> {
    pub record: &'r RunRecord,
    pub state: &'r str,
    pub when: String,
}

/// The widest that a state is made room for: `reverted in part` is one.
const STATE: usize = 16;
/// The widest that a folder is shown; its end says most.
const FOLDER: usize = 24;

/// Runs, one a line below a head; one that was reverted is marked, and its line is quiet.
pub fn history_list(rows: &[HistoryRow<'_>], width: usize) -> Labelled {
    let mut out = Labelled::default();
    if rows.is_empty() {
        return out;
    }
    let cells: Vec<Cells> = rows.iter().map(Cells::of).collect();
    let head = Cells {
        run: "run".to_owned(),
        when: "when".to_owned(),
        state: "state".to_owned(),
        what: "changes".to_owned(),
        folder: "folder".to_owned(),
        how: "what".to_owned(),
    };
    let widest = |of: fn(&Cells) -> &str, most: usize| {
        let all = cells.iter().chain([&head]);
        all.map(|cells| of(cells).width().min(most))
            .max()
            .unwrap_or(0)
    };
    let widths = [
        widest(|cells| &cells.when, usize::MAX),
        widest(|cells| &cells.state, STATE),
        widest(|cells| &cells.what, usize::MAX),
        widest(|cells| &cells.folder, FOLDER),
    ];
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
    run: String,
    when: String,
    state: String,
    what: String,
    folder: String,
    how: String,
}

impl Cells {
    fn of(row: &HistoryRow<'_>) -> Self {
        let record = row.record;
        let mut cells = Self {
            run: record.run.to_string(),
            when: row.when.clone(),
            state: row.state.to_owned(),
            what: String::new(),
            folder: String::new(),
            how: "before it had said what it would do".to_owned(),
        };
        if let Some(intent) = &record.intent {
            let changes: u64 = intent.targets.iter().map(|target| target.changes).sum();
            let files = intent.targets.len() as u64;
            cells.what = format!(
                "{} in {}",
                counted(changes, "change"),
                counted(files, "file")
            );
            cells.folder = end_of(&visible_path(&intent.folder.path()), FOLDER);
            cells.how = match intent.undoes {
                Some(other) => format!("reverts run {other}"),
                None => rewrite_words(&intent.rewrite),
            };
        }
        cells
    }

    /// The line, cut at the width of the terminal.
    fn line(&self, mark: char, [when, state, what, folder]: [usize; 4], width: usize) -> String {
        let mut line = format!("{mark} {:>5}", self.run);
        let columns = [
            (&self.when, when),
            (&self.state, state),
            (&self.what, what),
            (&self.folder, folder),
        ];
        for (text, width) in columns {
            let room = width.saturating_sub(text.width());
            line.push_str(&format!("  {text}{:room$}", ""));
        }
        line.push_str("  ");
        line.push_str(&self.how);
        let mut line = one_line_of(line.as_bytes(), width);
        line.push('\n');
        line
    }
}

/// The end of a path that is too long, behind `…`.
fn end_of(path: &str, most: usize) -> String {
    if path.width() <= most {
        return path.to_owned();
    }
    let mut end = String::new();
    for c in path.chars().rev() {
        if end.width() + c.width().unwrap_or(0) + 1 > most {
            break;
        }
        end.insert(0, c);
    }
    format!("…{end}")
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
