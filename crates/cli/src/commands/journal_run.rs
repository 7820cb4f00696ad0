//! The journal, the question, and a run made under it, for the verbs that write.

use crate::diagnostic::Diagnostic;
use crate::host::{current_folder, host};
use crate::output::Output;
use crate::render::names::file_name;
use crate::signals;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::records::field::{Ordinal, line as record_line};
use brisk_quill_core::records::history::MadeRecord;
use brisk_quill_engine::runs::{self, Origin};
use brisk_quill_files::error::FileErrorKind;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::journal::run_record::RunRecord;
use brisk_quill_files::plan::Plan;
use brisk_quill_files::recover::left_file::{Holds, LeftFile};
use brisk_quill_files::run::request::{RunDone, RunFailed, RunNote};
use signal_hook::consts::{SIGINT, SIGTERM};
use std::io::{self, BufRead, IsTerminal};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

/// The journal of this user.
pub fn journal() -> Result<Journal<'static>, Diagnostic> {
    host().journal().ok_or_else(|| {
        Diagnostic::trouble(
            "there is no place for the journal, for neither HOME nor XDG_STATE_HOME is set",
        )
        .remedy("set XDG_STATE_HOME to a folder of your own")
    })
}

/// Makes sure that there is a run of this number.
pub fn run_number(journal: &Journal<'_>, run: u64) -> Result<(), Diagnostic> {
    let numbers = journal
        .numbers()
        .map_err(|error| Diagnostic::of_file(&error))?;
    if !numbers.contains(&run) {
        return Err(Diagnostic::no(format!("there is no run {run}"))
            .remedy("`bquill history` lists the runs"));
    }
    Ok(())
}

/// The run of this number.
pub fn run(journal: &Journal<'_>, run: u64) -> Result<RunRecord, Diagnostic> {
    run_number(journal, run)?;
    journal
        .load(run)
        .map_err(|error| Diagnostic::of_file(&error))
}

/// The runs whose records can be read, in order.
pub fn records(journal: &Journal<'_>) -> Result<Vec<RunRecord>, Diagnostic> {
    let numbers = journal.numbers();
    let numbers = numbers.map_err(|error| Diagnostic::of_file(&error))?;
    let runs = numbers.into_iter().map(|run| journal.load(run));
    Ok(runs.flatten().collect())
}

/// Says so where runs were interrupted.
pub fn tell_interrupted(output: &mut Output) {
    let Ok(journal) = journal() else { return };
    let interrupted = match journal.interrupted() {
        Ok(interrupted) => interrupted,
        Err(error) => {
            output.complain(&Diagnostic::of_file(&error));
            return;
        }
    };
    // One that is being made at this moment looks the same.
    if interrupted.is_empty() || journal.is_busy() {
        return;
    }
    for run in interrupted {
        match run {
            Ok(run) => {
                let number = run.run;
                output.note(&format!(
                    "note: run {number} was interrupted; `bquill recover` completes it or rolls it \
                     back\n"
                ));
            }
            Err(error) => {
                let remedy = "`bquill recover` says how to close it";
                output.complain(&Diagnostic::of_file(&error).remedy(remedy));
            }
        }
    }
}

/// Makes a run. An interrupt before the decision reverts everything; after it, the run is
/// finished first.
pub fn make(plan: &Plan, origin: Origin) -> Result<RunDone, Diagnostic> {
    let interrupted = begin()?;
    runs::make(&host(), plan, origin, &interrupted).map_err(|failed| not_made(&failed))
}

/// Signals only set a flag from here on; makes sure that there can be a run.
pub fn begin() -> Result<Arc<AtomicBool>, Diagnostic> {
    journal()?;
    current_folder()?;
    let interrupted = Arc::new(AtomicBool::new(false));
    signals::hold();
    for signal in [SIGINT, SIGTERM] {
        // Without the handler the journal would still see to it that all is finished later.
        let _ = signal_hook::flag::register(signal, Arc::clone(&interrupted));
    }
    Ok(interrupted)
}

/// The diagnostic of a run that was not made.
pub fn not_made(failed: &RunFailed) -> Diagnostic {
    let error = &failed.error;
    let diagnostic = match (error.kind, &error.source) {
        (FileErrorKind::Unfinished, Some(run)) => Diagnostic::trouble(format!(
            "{run} was interrupted in the same folder: {}",
            visible_path(&error.path)
        )),
        _ => Diagnostic::of_file(error),
    };
    if !failed.foreign.is_empty() {
        return diagnostic
            .details(foreign_lines(&failed.foreign))
            .remedy(format!(
                "run {} has been rolled back: all other files hold their old bytes; evaluate the \
                 rewrite again",
                failed.run
            ));
    }
    diagnostic.remedy(match error.kind {
        FileErrorKind::Unfinished => {
            "nothing has been written; `bquill recover` completes that run or rolls it back"
        }
        FileErrorKind::NotRolledBack => {
            "some files may hold new bytes; remove the cause, then `bquill recover`"
        }
        FileErrorKind::SameFile => "nothing has been written; evaluate the rewrite again",
        FileErrorKind::LeadsElsewhere => {
            "nothing has been written; if that is meant, evaluate the rewrite again"
        }
        FileErrorKind::Marked => "nothing has been written; remove the mark, or leave the file out",
        FileErrorKind::Capability => {
            "nothing has been written; only its administrator can rewrite it and give them back"
        }
        FileErrorKind::Changed => {
            "nothing has been written; preview the rewrite again, or renew its plan with `--renew`"
        }
        _ => "all files are as they were",
    })
}

/// The files that a run going back has left as another program made them, a line each, with the
/// place of the old bytes where the journal keeps them.
pub fn foreign_lines(foreign: &[LeftFile]) -> Vec<String> {
    let line = |file: &LeftFile| {
        let named = visible_path(&file.named);
        let state = match file.holds {
            Holds::Old => "holds its old bytes",
            Holds::New => "still holds its new bytes",
            Holds::Other => "was changed by another program, and is left as it is",
            Holds::Missing => "was moved or removed by another program",
            Holds::Unreadable => "cannot be read",
        };
        let kept = file.old.as_deref().map(|kept| {
            let kept = visible_path(kept);
            format!("; its old bytes are kept in {kept}")
        });
        let beside = file.left.as_deref().map(|left| {
            let left = visible_path(left);
            format!("; what was exchanged for it is left in {left}")
        });
        format!(
            "{named} {state}{}{}",
            kept.unwrap_or_default(),
            beside.unwrap_or_default()
        )
    };
    foreign.iter().map(line).collect()
}

/// A person must be there to be asked.
pub fn can_ask(look_with: &str) -> Result<(), Diagnostic> {
    match io::stdin().is_terminal() {
        true => Ok(()),
        false => Err(Diagnostic::wrong("there is no terminal to ask on")
            .remedy(format!("look with `{look_with}`, then add `--yes`"))),
    }
}

/// Prints the record of a run that was made, where a program reads records.
pub fn record(done: &RunDone, undoes: Option<u64>, output: &mut Output) {
    if output.prints_records() {
        output.data(&record_line(&MadeRecord {
            run: Ordinal(done.run),
            undoes: undoes.map(Ordinal),
            files: done.files,
            changes: done.changes,
            can_undo: done.can_undo,
        }));
    }
}

/// Says what a run has written.
pub fn tell(done: &RunDone, output: &mut Output) {
    record(done, None, output);
    let what = changes_in_files(done.changes, done.files);
    let run = done.run;
    let back = match done.can_undo {
        true => "`bquill undo` reverts it.",
        false => "Its record has been removed meanwhile, so it cannot be undone.",
    };
    output.prose(&format!("Wrote {what}: run {run}. {back}\n"));
    tell_notes(&done.notes, output);
}

/// Names the copies of a run that could not be removed.
pub fn tell_left(left: &[PathBuf], output: &mut Output) {
    for path in left {
        let shown = visible_path(path);
        output.note(&format!(
            "note: {shown} could not be removed; nothing needs it any more\n"
        ));
    }
}

/// Says what a run has noticed in the folders of its files.
pub fn tell_notes(notes: &[RunNote], output: &mut Output) {
    for note in notes {
        let text = match note {
            RunNote::AnotherRun(path) => format!(
                "another run is at work, or was interrupted, here: {}",
                visible_path(path)
            ),
            RunNote::LeftOver(path) => format!(
                "{} is left over from an earlier run, and could not be removed",
                visible_path(path)
            ),
        };
        output.note(&format!("note: {text}\n"));
    }
}

/// Files without a commit that are named; the others are counted.
const UNCOMMITTED_NAMED: usize = 3;

/// Says which files hold what their repository has not, before they are rewritten.
pub fn tell_uncommitted(plan: &Plan, output: &mut Output) {
    let files = runs::uncommitted(plan);
    let (named, others) = files.split_at(files.len().min(UNCOMMITTED_NAMED));
    let mut names: Vec<String> = named.iter().map(|source| file_name(source)).collect();
    if !others.is_empty() {
        names.push(counted(others.len() as u64, "more file"));
    }
    if !names.is_empty() {
        let names = names.join(", ");
        output.note(&format!(
            "note: not committed as they are now: {names}; `bquill undo` would bring them back\n"
        ));
    }
}

/// Asks before anything is written, unless `yes` has answered; says what a no means.
pub fn agreed(question: &str, yes: bool, output: &mut Output) -> Result<bool, Diagnostic> {
    agreed_to(question, (yes, "Nothing has been written."), output)
}

/// The same, with what a no means.
pub fn agreed_to(
    question: &str,
    (yes, no): (bool, &str),
    output: &mut Output,
) -> Result<bool, Diagnostic> {
    let agreed = yes || ask(question, output)?;
    if !agreed {
        output.say(&format!("{no}\n"));
    }
    Ok(agreed)
}

/// Asks, and reads the answer.
fn ask(question: &str, output: &mut Output) -> Result<bool, Diagnostic> {
    output.say(question);
    output.show();
    let mut answer = String::new();
    signals::waiting(|| io::stdin().lock().read_line(&mut answer))
        .map_err(|error| Diagnostic::trouble(format!("cannot read the answer: {error}")))?;
    Ok(matches!(answer.trim().to_lowercase().as_str(), "y" | "yes"))
}

/// "3 changes in 2 files"
pub fn changes_in_files(changes: u64, files: u64) -> String {
    format!(
        "{} in {}",
        counted(changes, "change"),
        counted(files, "file")
    )
}

/// A day, as `2031-05-01`.
pub fn day(seconds: u64) -> String {
    moment(seconds).chars().take(10).collect()
}

/// A moment, in words.
pub fn moment(seconds: u64) -> String {
    let seconds = i64::try_from(seconds).unwrap_or(i64::MAX);
    match jiff::Timestamp::from_second(seconds) {
        Ok(moment) => moment.strftime("%Y-%m-%d %H:%M UTC").to_string(),
        Err(_) => "at an unknown time".to_owned(),
    }
}
