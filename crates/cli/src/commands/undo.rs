//! `undo`: reverts a run, which is a run of its own.

use crate::args::definitions::UndoArgs;
use crate::commands::journal_run;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::undo::undo_plan;
use std::path::PathBuf;

pub fn run(args: &UndoArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let journal = journal_run::journal()?;
    let record = match args.run {
        Some(run) => journal_run::run(&journal, run)?,
        None => last_here(&journal)?,
    };
    let only = only(&args.only)?;
    let wants = |path: &PathBuf| only.is_empty() || only.iter().any(|o| path.starts_with(o));
    let plan = undo_plan(&RealFs, &journal, &record, &wants);
    let plan = plan
        .map_err(|error| Diagnostic::of_file(&error))?
        .map_err(|changed| {
            let names: Vec<String> = changed.iter().map(|path| visible_path(path)).collect();
            Diagnostic::trouble(format!(
                "changed since run {}: {}",
                record.run,
                names.join(", ")
            ))
            .remedy("nothing has been touched; name the files to revert with `--only`")
        })?;
    let changes = plan.files.iter().map(|file| file.changes.len()).sum();
    if plan.files.is_empty() {
        return Err(Diagnostic::no(format!(
            "run {} wrote none of these files",
            record.run
        )));
    }
    if !args.yes {
        journal_run::can_ask("history")?;
    }
    let what = journal_run::changes_in_files(changes, plan.files.len() as u64);
    let question = format!("Revert run {}: {what}? [y/N] ", record.run);
    if !journal_run::agreed(&question, args.yes, output)? {
        return Ok(Status::Fine);
    }
    let done = journal_run::make(&plan, serde_json::Value::Null, Some(record.run))?;
    let again = match done.can_undo {
        true => "; undo it to bring the changes back",
        false => ", which cannot be undone, because its record has been removed meanwhile",
    };
    let text = format!(
        "Reverted run {}: {what}. This is run {}{again}.\n",
        record.run, done.run
    );
    output.print(text.as_bytes());
    journal_run::tell_notes(&done.notes, output);
    Ok(Status::Fine)
}

/// The last complete run that was made in this folder.
fn last_here(journal: &Journal<'_>) -> Result<RunRecord, Diagnostic> {
    let here = std::env::current_dir()
        .map_err(|error| Diagnostic::trouble(format!("this folder cannot be read: {error}")))?;
    for run in journal
        .numbers()
        .map_err(|error| Diagnostic::of_file(&error))?
        .into_iter()
        .rev()
    {
        let record = journal
            .load(run)
            .map_err(|error| Diagnostic::of_file(&error))?;
        let folder = record.intent.as_ref().map(|intent| intent.folder.path());
        if record.state.is_complete() && folder.as_ref() == Some(&here) {
            return Ok(record);
        }
    }
    Err(Diagnostic::no("no run has been made in this folder")
        .remedy("`bquill history` lists the runs; `bquill undo RUN` reverts one"))
}

/// The files that are named, as the journal knows them.
fn only(paths: &[PathBuf]) -> Result<Vec<PathBuf>, Diagnostic> {
    let known = |path: &PathBuf| {
        path.canonicalize().map_err(|error| {
            Diagnostic::trouble(format!("cannot read: {}: {error}", visible_path(path)))
        })
    };
    paths.iter().map(known).collect()
}
