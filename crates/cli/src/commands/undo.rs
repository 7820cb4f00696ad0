//! `undo`: reverts a run, which is a run of its own.

use crate::args::definitions::UndoArgs;
use crate::commands::journal_run;
use crate::diagnostic::Diagnostic;
use crate::host::{current_folder, host};
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_engine::revert::{RevertPlan, revert_plan};
use brisk_quill_engine::runs::{InEffect, Origin, newest_in_effect};
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::journal::reverts::Reverts;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::plan::PlannedFile;
use brisk_quill_files::undo::undo_plan;
use std::path::{Path, PathBuf};

/// Files that are named; the rest is counted.
const NAMED_MOST: usize = 20;

pub fn run(args: &UndoArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    if args.json {
        output.only_records();
    }
    let journal = journal_run::journal()?;
    let here = current_folder()?;
    let records = journal_run::records(&journal)?;
    let reverts = Reverts::of(records.iter());
    let record = match args.run {
        Some(run) => journal_run::run(&journal, run)?,
        None => newest(&records, &reverts)?,
    };
    let only = only(&args.only, &here, &record)?;
    let wants = |path: &PathBuf| {
        // What has its old bytes again needs nothing, unless it is named.
        let is_open = args.run.is_some() || !reverts.is_file_reverted(record.run, path);
        match only.is_empty() {
            true => is_open,
            false => only.iter().any(|only| path.starts_with(only)),
        }
    };
    if args.review {
        return review(&journal, &record, &wants, output);
    }
    let undoing = Undoing {
        record: &record,
        reverts: &reverts,
    };
    undoing.check_again()?;
    let plan = undo_plan(&RealFs, &journal, &record, &wants);
    let plan = plan
        .map_err(|error| Diagnostic::of_file(&error))?
        .map_err(|changed| undoing.changed_since(&changed))?;
    let changes = plan.files.iter().map(PlannedFile::count).sum();
    if plan.files.is_empty() {
        return Err(Diagnostic::no(format!(
            "there is nothing of run {} to revert in these files",
            record.run
        ))
        .remedy(format!("`bquill history {}` lists its files", record.run)));
    }
    if !args.yes {
        journal_run::can_ask(&format!("history {}", record.run))?;
    }
    let what = journal_run::changes_in_files(changes, plan.files.len() as u64);
    let question = format!("Revert {}: {what}? [y/N] ", undoing.name());
    if !journal_run::agreed(&question, args.yes, output)? {
        return Ok(Status::No);
    }
    let done = journal_run::make(&plan, Origin::Run(record.run))?;
    journal_run::record(&done, Some(record.run), output);
    let again = match done.can_undo {
        true => format!("; `bquill undo {}` brings the changes back", done.run),
        false => ", which cannot be undone, because its record has been removed meanwhile".into(),
    };
    let text = format!(
        "Reverted {}: {what}. This is run {}{again}.\n",
        undoing.name(),
        done.run
    );
    output.prose(&text);
    journal_run::tell_notes(&done.notes, output);
    Ok(Status::Fine)
}

/// A run that is to be reverted.
struct Undoing<'u> {
    record: &'u RunRecord,
    reverts: &'u Reverts,
}

impl Undoing<'_> {
    /// The run, and which one it undoes itself.
    fn name(&self) -> String {
        let run = self.record.run;
        match self.record.undoes() {
            Some(other) => format!("run {run}, itself an undo of run {other}"),
            None => format!("run {run}"),
        }
    }

    /// A run is reverted once.
    fn check_again(&self) -> Result<(), Diagnostic> {
        let run = self.record.run;
        if !self.reverts.is_reverted(run) {
            return Ok(());
        }
        let by = self.reverts.by(run).last().copied().unwrap_or(run);
        Err(
            Diagnostic::no(format!("run {run} is reverted already, by run {by}"))
                .remedy(format!("`bquill undo {by}` brings it back")),
        )
    }

    /// The diagnostic of files that no longer hold what the run wrote.
    fn changed_since(&self, changed: &[(PathBuf, PathBuf)]) -> Diagnostic {
        let run = self.record.run;
        let mut later = None;
        let lines: Vec<String> = changed
            .iter()
            .take(NAMED_MOST)
            .map(|(path, named)| {
                let named = visible_path(named);
                match self.reverts.written_after(run, path) {
                    Some(by) => {
                        later = later.max(Some(by));
                        format!("run {by} changed {named} after run {run}")
                    }
                    None if !path.exists() => format!("{named} is missing"),
                    None => format!("{named} was edited after run {run}"),
                }
            })
            .collect();
        let more = changed.len().saturating_sub(NAMED_MOST) as u64;
        let more = (more > 0).then(|| format!("and {}", counted(more, "more file")));
        let remedy = match later {
            Some(by) => format!("nothing has been touched; `bquill undo {by}` first"),
            None => format!(
                "nothing has been touched; `bquill undo {run} --review` makes a plan of what can be reverted \
                 all the same; or name other files with `--only`"
            ),
        };
        let message = match changed.len() {
            1 => format!("a file no longer holds what run {run} wrote"),
            n => format!(
                "{} no longer hold what run {run} wrote",
                counted(n as u64, "file")
            ),
        };
        Diagnostic::trouble(message)
            .details(lines.into_iter().chain(more))
            .remedy(remedy)
    }
}

/// Makes a plan of what can be found again, for `review` and `apply`.
fn review(
    journal: &Journal<'_>,
    record: &RunRecord,
    wants: &dyn Fn(&PathBuf) -> bool,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let run = record.run;
    let plan = revert_plan(journal, record, wants, &host());
    let plan = plan.map_err(|error| Diagnostic::of_file(&error))?;
    let RevertPlan {
        found,
        all,
        edited,
        missing,
        packed,
        last,
    } = plan;
    if all == 0 {
        return Err(Diagnostic::no(format!(
            "there is nothing of run {run} to revert in these files"
        ))
        .remedy(format!("`bquill history {run}` lists its files")));
    }
    let lost = all - found;
    let since = match lost {
        0 => ".".to_owned(),
        1 => "; 1 place was edited since.".to_owned(),
        n => format!("; {} places were edited since.", number(n)),
    };
    let mut text = format!(
        "{} of {} can be reverted{since}\n",
        number(found),
        counted(all, "change")
    );
    for path in &missing {
        text.push_str(&format!(
            "  {} is missing, or too large\n",
            visible_path(path)
        ));
    }
    for path in &packed {
        text.push_str(&format!(
            "  {} is compressed: `bquill undo {run} --only` reverts it, unless it was edited since\n",
            visible_path(path)
        ));
    }
    for (path, line) in &edited {
        text.push_str(&format!("  {}, about line {line}\n", visible_path(path)));
    }
    if last.is_some() {
        text.push_str("`bquill review` judges them, `bquill apply` writes them.\n");
    }
    output.say(&text);
    Ok(match last {
        Some(_) => Status::Fine,
        None => Status::No,
    })
}

/// The newest run of this folder that is still in effect.
fn newest(records: &[RunRecord], reverts: &Reverts) -> Result<RunRecord, Diagnostic> {
    match newest_in_effect(&host(), records, reverts) {
        InEffect::Run(record) => Ok(record.clone()),
        InEffect::AllReverted => Err(Diagnostic::no(
            "every run that was made in this folder has been reverted",
        )
        .remedy("`bquill history` lists them; `bquill undo RUN` of an undo brings its run back")),
        InEffect::NoRun => Err(Diagnostic::no("no run has been made in this folder")
            .remedy("`bquill history` lists the runs; `bquill undo RUN` reverts one")),
    }
}

/// The files that are named, as the journal knows them.
fn only(paths: &[PathBuf], here: &Path, record: &RunRecord) -> Result<Vec<PathBuf>, Diagnostic> {
    let targets = record.intent.iter().flat_map(|intent| &intent.targets);
    let targets: Vec<PathBuf> = targets.map(|target| target.path.path()).collect();
    let known = |path: &PathBuf| {
        // One that is missing by now may have been written all the same.
        let found = path.canonicalize().unwrap_or_else(|_| here.join(path));
        match targets.iter().any(|target| target.starts_with(&found)) {
            true => Ok(found),
            false => {
                let (shown, run) = (visible_path(path), record.run);
                let what = if found.exists() {
                    ""
                } else {
                    ", which does not exist"
                };
                Err(
                    Diagnostic::no(format!("run {run} did not write {shown}{what}"))
                        .remedy(format!("`bquill history {run}` lists its files")),
                )
            }
        }
    };
    paths.iter().map(known).collect()
}
