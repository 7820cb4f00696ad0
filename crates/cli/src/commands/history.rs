//! `history`: the runs that have been made.

use crate::args::{HistoryArgs, ShowArgs};
use crate::commands::journal_run;
use crate::commands::pass::file_diagnostic;
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::Output;
use crate::render::history::{history_row, history_was_now};
use crate::render::json::json_line;
use crate::render::numbers::counted;
use crate::status::Status;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::escape::visible_path;
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::{Journal, RunRecord};
use brisk_quill_files::recover::clean;
use std::collections::{BTreeMap, HashSet};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

/// From this size on the journal is mentioned, in bytes.
const LARGE: u64 = 1 << 30;

pub fn run(args: &HistoryArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let journal = journal_run::journal()?;
    if let Some(runs) = &args.forget {
        return forget(runs, args.older_than, &journal, output);
    }
    match args.run {
        Some(run) => one(run, args, &journal, output),
        None => all(args, &journal, output),
    }
}

fn load(journal: &Journal<'_>, run: u64) -> Result<RunRecord, Diagnostic> {
    journal.load(run).map_err(|error| file_diagnostic(&error))
}

fn numbers(journal: &Journal<'_>) -> Result<Vec<u64>, Diagnostic> {
    journal.numbers().map_err(|error| file_diagnostic(&error))
}

fn all(
    args: &HistoryArgs,
    journal: &Journal<'_>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let numbers = numbers(journal)?;
    let mut status = Status::Fine;
    let records: Vec<_> = numbers.iter().map(|run| load(journal, *run)).collect();
    let reverts = Reverts::of(records.iter().flatten());
    for record in records {
        match record {
            Ok(record) if args.json => output.print(&json_line(&summary(&record, &reverts))),
            Ok(record) => {
                let intent = record.intent.as_ref();
                let when = intent.map_or_else(String::new, |intent| journal_run::moment(intent.at));
                let row = history_row(&record, reverts.state(&record), &when, output.width());
                output.print(row.as_bytes());
            }
            // A damaged run does not hide the others.
            Err(diagnostic) => status = status.max(output.complain(&diagnostic)),
        }
    }
    if numbers.is_empty() && !args.json {
        output.print(b"No run has been made.\n");
    }
    let size = journal.size();
    if size > LARGE && !args.json {
        let gib = size >> 30;
        let note = format!(
            "note: the journal takes {gib} GiB; `--forget --older-than DAYS` frees space\n"
        );
        output.note(&note);
    }
    Ok(status)
}

/// What of each run has been reverted by later ones.
#[derive(Default)]
struct Reverts {
    runs: BTreeMap<u64, Reverted>,
}

#[derive(Default)]
struct Reverted {
    undoes: Option<u64>,
    /// The files whose bytes are the old ones again.
    files: HashSet<PathBuf>,
    /// The runs that reverted it, or brought it back.
    by: Vec<u64>,
}

impl Reverts {
    /// From all runs, in order.
    fn of<'r>(records: impl Iterator<Item = &'r RunRecord>) -> Self {
        let mut reverts = Self::default();
        for record in records {
            let Some(intent) = record
                .intent
                .as_ref()
                .filter(|_| record.state.is_complete())
            else {
                continue;
            };
            let run = Reverted {
                undoes: intent.undoes,
                ..Reverted::default()
            };
            reverts.runs.insert(record.run, run);
            let files: Vec<PathBuf> = intent.targets.iter().map(|t| t.named.path()).collect();
            let (mut undone, mut reverted) = (intent.undoes, true);
            // Reverting what reverts a run brings that one back, and so on.
            while let Some(run) = undone {
                let Some(run) = reverts.runs.get_mut(&run) else {
                    break;
                };
                for file in &files {
                    match reverted {
                        true => _ = run.files.insert(file.clone()),
                        false => _ = run.files.remove(file),
                    }
                }
                run.by.push(record.run);
                (undone, reverted) = (run.undoes, !reverted);
            }
        }
        reverts
    }

    /// The state of a run.
    fn state(&self, record: &RunRecord) -> &'static str {
        let files = self.runs.get(&record.run).map_or(0, |run| run.files.len());
        match record
            .intent
            .as_ref()
            .map_or(0, |intent| intent.targets.len())
        {
            _ if files == 0 => record.state.name(),
            all if files == all => "reverted",
            _ => "reverted in part",
        }
    }

    /// The runs that reverted a run, or brought it back, in order.
    fn by(&self, record: &RunRecord) -> &[u64] {
        self.runs.get(&record.run).map_or(&[], |run| &run.by)
    }
}

fn summary(record: &RunRecord, reverts: &Reverts) -> serde_json::Value {
    let intent = record.intent.as_ref();
    let targets = intent
        .map(|intent| intent.targets.as_slice())
        .unwrap_or_default();
    let path = |path: &Path| path.to_string_lossy().into_owned();
    let paths: Vec<PathBuf> = targets.iter().map(|target| target.named.path()).collect();
    let mut run = serde_json::json!({
        "record": "run",
        "run": record.run,
        "at": intent.map(|intent| intent.at),
        "folder": intent.map(|intent| path(&intent.folder.path())),
        "state": reverts.state(record),
        "reverted_by": reverts.by(record),
        "undoes": intent.and_then(|intent| intent.undoes),
        "files": targets.len(),
        "changes": targets.iter().map(|target| target.changes).sum::<u64>(),
        "rewrite": intent.map(|intent| &intent.rewrite),
        "paths": paths.iter().map(|named| path(named)).collect::<Vec<_>>(),
    });
    // Where a path is not UTF-8, its bytes travel beside it.
    let coded: Vec<Option<String>> = paths.iter().map(|path| coded(bytes_of(path))).collect();
    if coded.iter().any(Option::is_some) {
        run["paths_b64"] = serde_json::json!(coded);
    }
    let folder = intent.map(|intent| intent.folder.path());
    if let Some(folder) = folder.and_then(|folder| self::coded(bytes_of(&folder))) {
        run["folder_b64"] = folder.into();
    }
    run
}

fn bytes_of(path: &Path) -> &[u8] {
    path.as_os_str().as_bytes()
}

/// Bytes in base64, where they are not UTF-8.
fn coded(bytes: &[u8]) -> Option<String> {
    std::str::from_utf8(bytes)
        .is_err()
        .then(|| BASE64.encode(bytes))
}

fn one(
    run: u64,
    args: &HistoryArgs,
    journal: &Journal<'_>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let record = journal_run::run(journal, run)?;
    let records = numbers(journal)?.into_iter().map(|run| journal.load(run));
    let records: Vec<_> = records.flatten().collect();
    let reverts = Reverts::of(records.iter());
    let show = ShowArgs {
        show: args.show.clone(),
        context: 0,
    };
    let shown = options::shown(&show)?;
    let all = match record.commit {
        Some(_) => Some(
            journal
                .changes(run)
                .map_err(|error| file_diagnostic(&error))?,
        ),
        None => None,
    };
    let mut all = all.into_iter().flatten();
    if args.json {
        output.print(&json_line(&summary(&record, &reverts)));
        for found in all {
            let found = found.map_err(|error| file_diagnostic(&error))?;
            let change = found.change();
            let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
            let mut record = serde_json::json!({
                "record": "change", "file": found.file + 1, "line": found.line,
                "from": found.from, "to": found.to,
                "before": text(&change.before), "after": text(&change.after),
            });
            for (key, bytes) in [("before_b64", &change.before), ("after_b64", &change.after)] {
                if let Some(coded) = coded(bytes) {
                    record[key] = coded.into();
                }
            }
            output.print(&json_line(&record));
        }
        return Ok(Status::Fine);
    }
    let changes: Result<Vec<_>, _> = all.by_ref().take(shown).collect();
    let changes = changes.map_err(|error| file_diagnostic(&error))?;
    let intent = record.intent.as_ref();
    let when = intent.map_or_else(String::new, |intent| journal_run::moment(intent.at));
    let row = history_row(&record, reverts.state(&record), &when, output.width());
    output.print(row.as_bytes());
    if let Some(intent) = intent {
        let folder = visible_path(&intent.folder.path());
        output.print(format!("in {folder}\n").as_bytes());
        let text = history_was_now(intent, &changes, output.paint(), output.width());
        output.print(text.as_bytes());
    }
    let hidden = all.try_fold(0, |n, found| found.map(|_| n + 1));
    let hidden = hidden.map_err(|error| file_diagnostic(&error))?;
    if hidden > 0 {
        let more = counted(hidden, "more change");
        output.print(format!("\n{more} not shown; add `--show all`.\n").as_bytes());
    }
    Ok(Status::Fine)
}

fn forget(
    runs: &[u64],
    older_than: Option<u64>,
    journal: &Journal<'_>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    if runs.is_empty() && older_than.is_none() {
        return Err(Diagnostic::wrong("--forget does not say which runs")
            .remedy("name them, or add `--older-than DAYS`"));
    }
    let there = numbers(journal)?;
    if let Some(run) = runs.iter().find(|run| !there.contains(run)) {
        return Err(Diagnostic::no(format!("there is no run {run}"))
            .remedy("nothing has been forgotten; `bquill history` lists the runs"));
    }
    let _lock = journal.lock().map_err(|error| file_diagnostic(&error))?;
    let now = SystemTime::now()
        .duration_since(UNIX_EPOCH)
        .map_or(0, |since| since.as_secs());
    let limit = older_than.map(|days| now.saturating_sub(days.saturating_mul(86_400)));
    let mut forgotten = 0;
    for run in numbers(journal)? {
        let named = runs.contains(&run);
        match journal.load(run) {
            Ok(record) => {
                let at = record.intent.as_ref().map_or(0, |intent| intent.at);
                if !(named || limit.is_some_and(|limit| at < limit)) {
                    continue;
                }
                if !record.state.is_finished() {
                    let diagnostic =
                        Diagnostic::trouble(format!("run {run} was interrupted, and is kept"));
                    let remedy = "`bquill recover` completes it or rolls it back";
                    output.complain(&diagnostic.remedy(remedy));
                    continue;
                }
                journal_run::tell_left(&clean(&RealFs, journal, &record), output);
            }
            // What cannot be read can at least be given up.
            Err(_) if named => {}
            Err(error) => {
                output.complain(&file_diagnostic(&error));
                continue;
            }
        }
        journal
            .forget(run)
            .map_err(|error| file_diagnostic(&error))?;
        forgotten += 1;
    }
    output.print(format!("Forgot {}.\n", counted(forgotten, "run")).as_bytes());
    Ok(if forgotten > 0 {
        Status::Fine
    } else {
        Status::No
    })
}
