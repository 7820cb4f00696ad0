//! Completes or rolls back what was interrupted, or closes it as it stands.

use crate::args::definitions::RecoverArgs;
use crate::commands::journal_run;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_files::error::FileErrorKind;
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::recover::abandon::abandon;
use brisk_quill_files::recover::left_file::{Holds, LeftFile};
use brisk_quill_files::recover::standing::Direction;
use brisk_quill_files::recover::{Recovered, open_way, recover};

pub fn run(args: &RecoverArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let journal = journal_run::journal()?;
    let failed = |error| Diagnostic::of_file(&error);
    if let Some(run) = args.abandon {
        journal_run::run_number(&journal, run)?;
        let _lock = journal.lock().map_err(failed)?;
        return close(&journal, run, output);
    }
    if journal.numbers().map_err(failed)?.is_empty() {
        output.say("No run was interrupted.\n");
        return Ok(Status::Fine);
    }
    let _lock = journal.lock().map_err(failed)?;
    // Only behind the lock is it certain which runs need care.
    let marked = journal.marked().map_err(failed)?;
    let (mut status, mut done) = (Status::Fine, 0);
    for run in marked {
        match one(&journal, run, args, output) {
            Ok(said) => done += u32::from(said),
            // What is wrong with one run does not hold up the others.
            Err(diagnostic) => status = status.max(output.complain(&diagnostic)),
        }
    }
    if done == 0 && status == Status::Fine {
        output.say("No run was interrupted.\n");
    }
    Ok(status)
}

/// Finishes one run; says whether there was anything to say of it.
fn one(
    journal: &Journal<'_>,
    run: u64,
    args: &RecoverArgs,
    output: &mut Output,
) -> Result<bool, Diagnostic> {
    let abandon = || format!("`bquill recover --abandon {run}` closes run {run} as it stands");
    let record = journal
        .load(run)
        .map_err(|error| Diagnostic::of_file(&error).remedy(abandon()))?;
    let failed = |error| Diagnostic::of_file(&error).remedy(abandon());
    if record.intent.is_none() {
        // It had touched nothing.
        recover(&RealFs, journal, &record, None).map_err(failed)?;
        return Ok(false);
    }
    if record.state.is_finished() {
        let done = recover(&RealFs, journal, &record, None).map_err(failed)?;
        tell_cleaned(&record, &done, output);
        return Ok(true);
    }
    let asked = match (args.back, args.forward) {
        (true, _) => Some(Direction::Back),
        (_, true) => Some(Direction::Forward),
        _ => None,
    };
    let way = asked.unwrap_or_else(|| open_way(&RealFs, journal, &record));
    let why = match (way, record.commit.is_some()) {
        (Direction::Forward, _) => "Every file gets its new bytes.",
        (Direction::Back, false) => "It was not yet decided, so every file keeps its old bytes.",
        (Direction::Back, true) => "Every file gets its old bytes.",
    };
    output.say(&format!("{} {why}\n", begun(&record)));
    let done = recover(&RealFs, journal, &record, asked).map_err(|error| {
        let other = match error.kind {
            FileErrorKind::NotForward => {
                "nothing has been touched; `bquill recover --back` gives every other file its old \
                 bytes"
                    .to_owned()
            }
            FileErrorKind::Unreachable => format!(
                "all other files have been rolled back; make this one reachable and recover again, \
                 or {}",
                abandon()
            ),
            _ => format!("remove the cause and recover again, or {}", abandon()),
        };
        Diagnostic::of_file(&error).remedy(other)
    })?;
    let end = match done.way {
        Direction::Forward => "is complete.",
        Direction::Back if done.foreign.is_empty() => "has been rolled back.",
        Direction::Back => "has been rolled back, but for files that were changed meanwhile:",
    };
    output.say(&format!("Run {run} {end}\n"));
    for line in journal_run::foreign_lines(&done.foreign) {
        output.say(&format!("  {line}\n"));
    }
    if !record_is_whole(journal, run) {
        let text =
            format!("`bquill undo {run} --review` reverts what is left of it in these files.\n");
        output.say(&text);
    }
    journal_run::tell_left(&done.left, output);
    Ok(true)
}

/// True if nothing of a run is left to be undone.
fn record_is_whole(journal: &Journal<'_>, run: u64) -> bool {
    journal.load(run).is_ok_and(|record| record.left.is_empty())
}

/// The subject of a run.
fn begun(record: &RunRecord) -> String {
    let Some(intent) = &record.intent else {
        return format!("Run {}.", record.run);
    };
    let changes = intent.targets.iter().map(|target| target.changes).sum();
    let what = journal_run::changes_in_files(changes, intent.targets.len() as u64);
    format!(
        "Run {}, begun {} in {}: {what}.",
        record.run,
        journal_run::moment(intent.at),
        visible_path(&intent.folder.path()),
    )
}

/// Closes a run as it stands, and says how that is.
fn close(journal: &Journal<'_>, run: u64, output: &mut Output) -> Result<Status, Diagnostic> {
    let folder = visible_path(&journal.folder(run));
    let record = match journal.load(run) {
        Ok(record) => record,
        Err(error) => {
            journal.close(run);
            output.complain(&Diagnostic::of_file(&error));
            let text = format!(
                "Run {run} is closed; which files it was about cannot be read. What is left of its \
                 record is kept until `bquill history --forget {run}`: {folder}\n"
            );
            output.say(&text);
            return Ok(Status::Fine);
        }
    };
    if record.state.is_finished() || record.intent.is_none() {
        let state = record.state_name();
        return Err(
            Diagnostic::no(format!("run {run} was not interrupted: it is {state}"))
                .remedy("there is nothing to abandon"),
        );
    }
    let files = abandon(&RealFs, journal, &record).map_err(|error| {
        Diagnostic::of_file(&error).remedy(
            "the run is as it was; make room for the bytes that are to be kept, and try again",
        )
    })?;
    let mut text = format!("{}\n\n", begun(&record));
    for file in &files {
        text.push_str(&abandoned(file));
    }
    let count = counted(files.len() as u64, "file");
    text.push_str(&format!(
        "\nRun {run} is closed: {count}, as above. What still held its new bytes was rolled back. \
         The bytes are kept until `bquill history --forget {run}`.\n"
    ));
    output.say(&text);
    Ok(Status::Fine)
}

/// One file of a run that was closed as it stood.
fn abandoned(file: &LeftFile) -> String {
    let holds = match file.holds {
        Holds::Old => "holds its old bytes",
        Holds::New => "holds its new bytes",
        Holds::Other => "holds something else",
        Holds::Missing => "is missing",
        Holds::Unreadable => "cannot be read",
    };
    let mut text = format!("{} {holds}\n", visible_path(&file.named));
    for (name, kept) in [("old", &file.old), ("new", &file.new)] {
        let kept = kept.as_deref().map_or("not found".into(), visible_path);
        text.push_str(&format!("  {name} bytes  {kept}\n"));
    }
    if let Some(left) = &file.left {
        text.push_str(&format!("  left there  {}\n", visible_path(left)));
    }
    text
}

/// Tells of a run that had ended before, and of which some copies were left over.
fn tell_cleaned(record: &RunRecord, done: &Recovered, output: &mut Output) {
    let what = match done.way {
        Direction::Back => "had been rolled back",
        Direction::Forward => "was complete",
    };
    let end = match done.left.is_empty() {
        true => "; what it had left over has been removed.\n",
        false => ".\n",
    };
    output.say(&format!("Run {} {what}{end}", record.run));
    journal_run::tell_left(&done.left, output);
}
