//! Completes or rolls back what was interrupted, or closes it as it stands.

use crate::args::definitions::RecoverArgs;
use crate::commands::journal_run;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::recover::abandon::{AbandonedFile, Holds, abandon};
use brisk_quill_files::recover::standing::Direction;
use brisk_quill_files::recover::{Recovered, open_ways, recover};
use std::path::Path;

pub fn run(args: &RecoverArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let journal = journal_run::journal()?;
    let failed = |error| Diagnostic::of_file(&error);
    if journal.numbers().map_err(failed)?.is_empty() {
        output.print(b"No run was interrupted.\n");
        return Ok(Status::Fine);
    }
    let _lock = journal.lock().map_err(failed)?;
    if let Some(run) = args.abandon {
        return close(&journal, run, output);
    }
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
        output.print(b"No run was interrupted.\n");
    }
    Ok(status)
}

/// Finishes one run; tells whether there was anything to say of it.
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
    let open = open_ways(&RealFs, journal, &record).map_err(failed)?;
    let why = match (asked.or(open.way()), record.commit.is_some()) {
        (Some(Direction::Forward), _) => "Every file gets its new bytes.",
        (Some(Direction::Back), false) => {
            "It was not yet decided, so every file keeps its old bytes."
        }
        (Some(Direction::Back), true) => "Every file gets its old bytes.",
        (None, _) => "It can be neither completed nor rolled back.",
    };
    output.print(format!("{} {why}\n", begun(&record)).as_bytes());
    let done = recover(&RealFs, journal, &record, asked).map_err(|error| {
        let other = match asked {
            Some(Direction::Back) if open.forward => "`--forward` is open".to_owned(),
            Some(Direction::Forward) if open.back => "`--back` is open".to_owned(),
            _ => format!("put the file back and recover again, or {}", abandon()),
        };
        Diagnostic::of_file(&error).remedy(format!("nothing has been touched; {other}"))
    })?;
    let end = match done.way {
        Direction::Forward => "is complete",
        Direction::Back => "has been rolled back",
    };
    output.print(format!("Run {run} {end}.\n").as_bytes());
    journal_run::tell_left(&done.left, output);
    Ok(true)
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
    let kept = |path: &Path| visible_path(path);
    let folder = kept(&journal.folder(run));
    if !journal
        .numbers()
        .map_err(|error| Diagnostic::of_file(&error))?
        .contains(&run)
    {
        return Err(Diagnostic::no(format!("there is no run {run}"))
            .remedy("`bquill history` lists the runs"));
    }
    let record = match journal.load(run) {
        Ok(record) => record,
        Err(error) => {
            journal.close(run);
            output.complain(&Diagnostic::of_file(&error));
            let text = format!(
                "Run {run} is closed; which files it was about cannot be read. What is left of its \
                 record is kept until `bquill history --forget {run}`: {folder}\n"
            );
            output.print(text.as_bytes());
            return Ok(Status::Fine);
        }
    };
    if record.state.is_finished() || record.intent.is_none() {
        let state = record.state.name();
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
        "\nRun {run} is closed, and {count} left as above. The bytes are kept until `bquill history \
         --forget {run}`.\n"
    ));
    output.print(text.as_bytes());
    Ok(Status::Fine)
}

/// One file of a run that was closed as it stood.
fn abandoned(file: &AbandonedFile) -> String {
    let holds = match file.holds {
        Holds::Old => "holds its old bytes",
        Holds::New => "holds its new bytes",
        Holds::Other => "holds something else",
        Holds::Missing => "is missing",
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
    output.print(format!("Run {} {what}{end}", record.run).as_bytes());
    journal_run::tell_left(&done.left, output);
}
