//! `apply --to`: the rewritten files put in another place.

use crate::commands::ends::report_unreadable;
use crate::commands::journal_run;
use crate::commands::report::Evaluating;
use crate::diagnostic::Diagnostic;
use crate::host::{cancel_token, host};
use crate::output::Output;
use crate::render::names::file_name;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_engine::copy_out::{TargetError, Targets};
use brisk_quill_engine::runs::Origin;
use brisk_quill_files::error::system_words;
use brisk_quill_files::run::request::RunDone;
use brisk_quill_files::source::Source;
use brisk_quill_files::staging::destination::Destination;
use brisk_quill_files::staging::{Staged, Written};
use brisk_quill_files::waiting::open_stream;
use std::fs::File;
use std::io::{self, Seek};
use std::ops::ControlFlow;
use std::path::Path;

/// The targets of copies in `to`.
pub fn targets<'s>(
    to: &Path,
    sources: impl ExactSizeIterator<Item = &'s Source>,
    overwrite: bool,
) -> Result<Targets, Diagnostic> {
    let targets = Targets::new(&host(), to, sources, overwrite);
    targets.map_err(|error| target_diagnostic(&error))
}

fn target_diagnostic(error: &TargetError) -> Diagnostic {
    match error {
        TargetError::SeveralOnStdout => {
            Diagnostic::wrong(error.to_string()).remedy("name one file, or a folder with `--to`")
        }
        TargetError::File(error) => {
            Diagnostic::of_file(error).remedy("nothing has been written; name another place")
        }
        TargetError::OnSource(path) => {
            let shown = visible_path(path);
            Diagnostic::wrong(format!("`--to` would overwrite a source: {shown}"))
                .remedy("name another place, or leave `--to` out to rewrite files where they are")
        }
        TargetError::SamePlace { place, sources } => {
            let [one, two] = [&sources[0], &sources[1]].map(file_name);
            let shown = visible_path(place);
            let message = format!("{one} and {two} would both be written to {shown}");
            Diagnostic::wrong(message).remedy("rewrite them in two commands")
        }
        TargetError::AlreadyThere { first, more } => {
            let shown = visible_path(first);
            let more = match more {
                0 => String::new(),
                more => format!(", and {}", counted(*more, "more file")),
            };
            Diagnostic::trouble(format!("there is already a file: {shown}{more}")).remedy(
                "nothing has been written; name another place, or add `--overwrite`, which can be \
                 undone",
            )
        }
    }
}

/// Copies each file while it is evaluated, so that it is read only once.
pub fn stage(
    targets: &Targets,
    evaluating: &mut Evaluating<'_>,
    output: &mut Output,
) -> Result<Vec<Staged>, Diagnostic> {
    report_unreadable(evaluating.sources, output);
    let mut staged = Vec::new();
    let mut failed = None;
    let make = |source: &Source| targets.copy(source);
    evaluating.run(make, output, |taken, reported, output| {
        let (found, Some(end)) = (taken.found, taken.end) else {
            return ControlFlow::Continue(());
        };
        reported.units(taken.source, &found.problems, &found.unmet, output);
        if end.is_read() {
            match found.finish() {
                Ok(copy) => staged.extend(copy),
                Err(error) => {
                    failed = Some(error);
                    return ControlFlow::Break(());
                }
            }
        }
        ControlFlow::Continue(())
    })?;
    failed.map_or(Ok(staged), |error| Err(Diagnostic::of_file(&error)))
}

/// Puts what is staged in place, and says so.
pub fn put_in_place(
    targets: Targets,
    staged: Vec<Staged>,
    (to, rewrite): (&Path, serde_json::Value),
    output: &mut Output,
) -> Result<(), Diagnostic> {
    let quiet = targets.use_stdout();
    let put = targets.staging.put_new(staged);
    let mut put = put.map_err(|error| Diagnostic::of_file(&error))?;
    let written = std::mem::take(&mut put.written);
    let overwrites = put.overwrites.changed().count();
    let done = match overwrites {
        0 => None,
        _ => match journal_run::make(&put.overwrites, Origin::Rewrite(rewrite)) {
            Ok(done) => Some(done),
            Err(diagnostic) => {
                put.take_back();
                return Err(diagnostic);
            }
        },
    };
    for (destination, copy) in put.streams {
        stream(&destination, copy, output)?;
    }
    if !quiet {
        tell(&written, to, output);
    }
    if let Some(done) = done {
        tell_overwritten(&done, output);
    }
    Ok(())
}

/// Writes into a pipe, a device or standard output.
fn stream(
    destination: &Destination,
    mut copy: File,
    output: &mut Output,
) -> Result<(), Diagnostic> {
    let failed = |error: io::Error| {
        let shown = visible_path(destination.path());
        Diagnostic::trouble(format!("cannot write {shown}: {}", system_words(&error)))
    };
    copy.rewind().map_err(failed)?;
    match destination {
        Destination::Stdout => io::copy(&mut copy, output),
        other => open_stream(other.path(), &cancel_token())
            .and_then(|mut out| io::copy(&mut copy, &mut out)),
    }
    .map(drop)
    .map_err(failed)
}

fn tell(written: &Written, to: &Path, output: &mut Output) {
    let text = format!(
        "Wrote {} with {} to {}.\n",
        counted(written.files, "file"),
        counted(written.changes, "change"),
        visible_path(to),
    );
    output.say(&text);
}

/// Says which of them were overwritten, and how to get them back.
fn tell_overwritten(done: &RunDone, output: &mut Output) {
    let (files, run) = (counted(done.files, "file"), done.run);
    output.note(&format!(
        "note: {files} overwritten: run {run}; `bquill undo {run}` brings the old bytes back\n"
    ));
    journal_run::tell_notes(&done.notes, output);
}
