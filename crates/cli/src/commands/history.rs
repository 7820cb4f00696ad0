//! `history`: the runs that have been made.

use crate::args::definitions::Context;
use crate::args::definitions::{HistoryArgs, ShowArgs};
use crate::commands::journal_run;
use crate::diagnostic::Diagnostic;
use crate::host::{current_folder, host};
use crate::options;
use crate::output::Output;
use crate::render::history::{HistoryRow, history_list, history_was_now};
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::records::field::{Coded, Json, Optional, Ordinal, line};
use brisk_quill_core::records::history::{RunChangeRecord, RunRecord as RunLine};
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::journal::records::ChangeRecord;
use brisk_quill_files::journal::reverts::Reverts;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::recover::copies::clean;
use std::os::unix::ffi::OsStrExt;
use std::path::PathBuf;

/// From this size on the journal is mentioned, in bytes.
const LARGE: u64 = 1 << 30;

pub fn run(args: &HistoryArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let journal = journal_run::journal()?;
    if let Some(runs) = &args.forget {
        return forget(runs, args, &journal, output);
    }
    match args.run {
        Some(run) => one(run, args, &journal, output),
        None => all(args, &journal, output),
    }
}

fn load(journal: &Journal<'_>, run: u64) -> Result<RunRecord, Diagnostic> {
    journal
        .load(run)
        .map_err(|error| Diagnostic::of_file(&error))
}

fn numbers(journal: &Journal<'_>) -> Result<Vec<u64>, Diagnostic> {
    journal
        .numbers()
        .map_err(|error| Diagnostic::of_file(&error))
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
    let mut rows = Vec::new();
    for record in &records {
        match record {
            Ok(record) if args.json => output.data(&summary(record, &reverts)),
            Ok(record) => {
                let intent = record.intent.as_ref();
                let when = intent.map_or_else(String::new, |intent| journal_run::moment(intent.at));
                let state = reverts.state(record);
                rows.push(HistoryRow {
                    record,
                    state,
                    when,
                });
            }
            // A damaged run does not hide the others.
            Err(diagnostic) => status = status.max(output.complain(diagnostic)),
        }
    }
    let list = history_list(&rows, output.width());
    output.draw(&list);
    if numbers.is_empty() && !args.json {
        output.say("No run has been made.\n");
    }
    let bytes = journal.size();
    if !args.json && !numbers.is_empty() {
        let kept = size(bytes);
        let text = match bytes > LARGE {
            true => {
                format!("{kept} are kept to undo them; `--forget --older-than DAYS` frees space.\n")
            }
            false => format!("{kept} are kept to undo them.\n"),
        };
        output.say(&text);
    }
    Ok(status)
}

/// The record of a run.
fn summary(record: &RunRecord, reverts: &Reverts) -> Vec<u8> {
    let intent = record.intent.as_ref();
    let targets = intent
        .map(|intent| intent.targets.as_slice())
        .unwrap_or_default();
    let paths: Vec<PathBuf> = targets.iter().map(|target| target.named.path()).collect();
    let coded = |path: &PathBuf| Coded::of(path.as_os_str().as_bytes()).owned();
    let coded: Vec<Coded<'static>> = paths.iter().map(coded).collect();
    // Where a path is not UTF-8, its bytes travel beside it.
    let all_text = coded.iter().all(|path| path.base64.0.is_none());
    let (texts, bytes): (Vec<_>, Vec<_>) = (coded.into_iter())
        .map(|path| (path.text, path.base64.0))
        .unzip();
    let folder = intent.map(|intent| intent.folder.path());
    let folder = folder
        .as_ref()
        .map(|folder| Coded::of(folder.as_os_str().as_bytes()));
    let (folder, folder_b64) = match folder {
        Some(Coded { text, base64 }) => (Some(text), base64),
        None => (None, Optional(None)),
    };
    line(&RunLine {
        run: Ordinal(record.run),
        at: intent.map(|intent| intent.at),
        folder,
        state: reverts.state(record).into(),
        reverted_by: reverts
            .by(record.run)
            .iter()
            .copied()
            .map(Ordinal)
            .collect(),
        undoes: record.undoes().map(Ordinal),
        files: targets.len() as u64,
        changes: targets.iter().map(|target| target.changes).sum(),
        rewrite: intent.map(|intent| Json(intent.rewrite.clone())),
        paths: texts,
        paths_b64: Optional((!all_text).then_some(bytes)),
        folder_b64,
    })
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
        context: Context::default(),
    };
    let shown = options::shown(&show)?;
    let all = match record.commit {
        Some(_) => Some(
            journal
                .changes(run)
                .map_err(|error| Diagnostic::of_file(&error))?,
        ),
        None => None,
    };
    let mut all = all.into_iter().flatten();
    if args.json {
        output.data(&summary(&record, &reverts));
        for found in all {
            let found = found.map_err(|error| Diagnostic::of_file(&error))?;
            output.data(&json_change(&found));
        }
        return Ok(Status::Fine);
    }
    let changes: Result<Vec<_>, _> = all.by_ref().take(shown).collect();
    let changes = changes.map_err(|error| Diagnostic::of_file(&error))?;
    let intent = record.intent.as_ref();
    let when = intent.map_or_else(String::new, |intent| journal_run::moment(intent.at));
    let state = reverts.state(&record);
    let row = HistoryRow {
        record: &record,
        state,
        when,
    };
    let list = history_list(&[row], output.width());
    output.draw(&list);
    if let Some(intent) = intent {
        let folder = visible_path(&intent.folder.path());
        output.say(&format!("in {folder}\n"));
        let text = history_was_now(intent, &changes, output.width());
        output.draw(&text);
    }
    let hidden = all.try_fold(0, |n, found| found.map(|_| n + 1));
    let hidden = hidden.map_err(|error| Diagnostic::of_file(&error))?;
    if hidden > 0 {
        let more = match shown {
            0 => counted(hidden, "change"),
            _ => counted(hidden, "more change"),
        };
        output.say(&format!("\n{more} not shown; add `--show all`.\n"));
    }
    Ok(Status::Fine)
}

/// Forgets runs, once that is agreed to.
fn forget(
    runs: &[u64],
    args: &HistoryArgs,
    journal: &Journal<'_>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    if runs.is_empty() && args.older_than.is_none() {
        return Err(Diagnostic::wrong("`--forget` does not say which runs")
            .remedy("name them, or add `--older-than DAYS`"));
    }
    let there = numbers(journal)?;
    if let Some(run) = runs.iter().find(|run| !there.contains(run)) {
        return Err(Diagnostic::no(format!("there is no run {run}"))
            .remedy("nothing has been forgotten; `bquill history` lists the runs"));
    }
    let here = current_folder()?;
    let _lock = journal
        .lock()
        .map_err(|error| Diagnostic::of_file(&error))?;
    let now = host().now();
    let limit = args
        .older_than
        .map(|days| now.saturating_sub(days.saturating_mul(86_400)));
    let mut chosen = Vec::new();
    let mut elsewhere = 0;
    for run in numbers(journal)? {
        let named = runs.contains(&run);
        let record = match journal.load(run) {
            Ok(record) => Some(record),
            // What cannot be read can at least be forgotten.
            Err(_) if named => None,
            Err(error) => {
                output.complain(&Diagnostic::of_file(&error));
                continue;
            }
        };
        if let Some(record) = &record {
            let at = record.intent.as_ref().map_or(0, |intent| intent.at);
            if !(named || limit.is_some_and(|limit| at < limit)) {
                continue;
            }
            let folder = record.intent.as_ref().map(|intent| intent.folder.path());
            if !named && !args.all && folder.is_some_and(|folder| !folder.starts_with(&here)) {
                elsewhere += 1;
                continue;
            }
            if !record.state.is_finished() {
                let diagnostic =
                    Diagnostic::trouble(format!("run {run} was interrupted, and is kept"));
                let remedy = "`bquill recover` completes it or rolls it back";
                output.complain(&diagnostic.remedy(remedy));
                continue;
            }
        }
        chosen.push((run, record));
    }
    if elsewhere > 0 {
        let kept = counted(elsewhere, "run");
        output.note(&format!(
            "note: {kept} made in other folders are kept; add `--all` to forget them too\n"
        ));
    }
    if chosen.is_empty() {
        output.say("There is nothing to forget.\n");
        return Ok(Status::No);
    }
    let what = counted(chosen.len() as u64, "run");
    let bytes: u64 = chosen.iter().map(|(run, _)| journal.size_of(*run)).sum();
    if !args.yes {
        journal_run::can_ask("history")?;
    }
    let question = format!(
        "Forget {what}, {} of the journal? They can no longer be undone. [y/N] ",
        size(bytes)
    );
    if !journal_run::agreed_to(&question, (args.yes, "Nothing has been forgotten."), output)? {
        return Ok(Status::No);
    }
    for (run, record) in &chosen {
        if let Some(record) = record {
            journal_run::tell_left(&clean(&RealFs, journal, record), output);
        }
        journal
            .forget(*run)
            .map_err(|error| Diagnostic::of_file(&error))?;
    }
    output.say(&format!("Forgot {what}.\n"));
    Ok(Status::Fine)
}

/// "745 MiB"
fn size(bytes: u64) -> String {
    match bytes {
        0..1024 => counted(bytes, "byte"),
        1024..1_048_576 => format!("{} KiB", number(bytes >> 10)),
        _ => format!("{} MiB", number(bytes >> 20)),
    }
}

/// The record of a change of a run.
fn json_change(found: &ChangeRecord) -> Vec<u8> {
    let change = found.change();
    let (before, after) = (Coded::of(&change.before), Coded::of(&change.after));
    line(&RunChangeRecord {
        file: Ordinal(found.file as u64 + 1),
        line: Ordinal(found.line),
        from: found.from,
        to: found.to,
        before: before.text,
        before_b64: before.base64,
        after: after.text,
        after_b64: after.base64,
    })
}
