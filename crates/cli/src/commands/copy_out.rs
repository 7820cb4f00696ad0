//! `apply --to`: the rewritten files in another place, the sources left alone.

use crate::commands::journal_run;
use crate::commands::pass::{Pass, file_diagnostic};
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::render::numbers::counted;
use crate::render::preview::file_name;
use crate::signals::cancel_token;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::scanner::Note;
use brisk_quill_core::rewrite::Unmet;
use brisk_quill_files::discover::{Listing, Source};
use brisk_quill_files::evaluate::in_parts::PartSink;
use brisk_quill_files::evaluate::{FileHunk, FileSink};
use brisk_quill_files::plan::Plan;
use brisk_quill_files::run::RunDone;
use brisk_quill_files::staging::{Copying, Destination, Staged, Staging, Written, stage_all};
use brisk_quill_files::waiting::open_stream;
use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};
use std::fs::File;
use std::io::{self, Seek};
use std::ops::ControlFlow;
use std::path::{Component, Path, PathBuf};

type Places = BTreeMap<Source, (PathBuf, Destination)>;

/// Where the files go.
pub struct Copies<'a> {
    to: &'a Path,
    /// The place of each source, as it is named, and where that is.
    places: Places,
    staging: Staging,
}

impl<'a> Copies<'a> {
    /// Those of `sources` go to `to`. No two may come to lie in one place, and none on a source;
    /// files that are there are refused unless they are to be overwritten.
    pub fn new<'s>(
        to: &'a Path,
        sources: impl ExactSizeIterator<Item = &'s Source> + Clone,
        overwrite: bool,
    ) -> Result<Self, Diagnostic> {
        let several = sources.len() != 1;
        let is_stream = to.as_os_str() == "-";
        if is_stream && several {
            return Err(Diagnostic::wrong("only one file fits on standard output")
                .remedy("name one file, or a folder with `--to`"));
        }
        let folder = !is_stream && (several || to.is_dir() || ends_in_slash(to));
        let mut places = BTreeMap::new();
        for source in sources {
            let path = match folder {
                true => to.join(below(source.path())),
                false => to.to_owned(),
            };
            let destination = Destination::of(&path).map_err(|error| {
                file_diagnostic(&error).remedy("nothing has been written; name another place")
            })?;
            places.insert(source.clone(), (path, destination));
        }
        check_apart(&places)?;
        if !overwrite {
            check_new(&places)?;
        }
        Ok(Self {
            to,
            places,
            staging: Staging::new(journal_run::temporaries()),
        })
    }

    fn place(&self, source: &Source) -> Destination {
        // Every source has been given one.
        let place = self.places.get(source);
        place.map_or(Destination::Stdout, |(_, destination)| destination.clone())
    }

    /// Whether something is written to standard output, where nothing else may be said then.
    pub fn use_stdout(&self) -> bool {
        let mut places = self.places.values();
        places.any(|(_, destination)| *destination == Destination::Stdout)
    }

    /// Stages each file while it is evaluated, so that it is read only once.
    pub fn stage(
        &self,
        pass: &mut Pass<'_>,
        listing: &Listing,
        output: &mut Output,
    ) -> Result<Vec<Staged>, Diagnostic> {
        pass.unreadable(listing, output);
        let mut staged = Vec::new();
        let mut failed = None;
        let sink = |source: &Source| CopySink {
            copy: Copying::new(&self.staging, source.path(), self.place(source)),
            problems: Vec::new(),
            unmet: Vec::new(),
        };
        pass.each(listing, sink, output, |pass, source, sink, read, output| {
            pass.tell(source, &sink.problems, &sink.unmet, output);
            if read.is_some() {
                match sink.copy.end() {
                    Ok(copy) => staged.extend(copy),
                    Err(error) => {
                        failed = Some(error);
                        return ControlFlow::Break(());
                    }
                }
            }
            ControlFlow::Continue(())
        })?;
        failed.map_or(Ok(staged), |error| Err(file_diagnostic(&error)))
    }

    /// Stages the files of a plan.
    pub fn stage_plan(&self, plan: &Plan) -> Result<Vec<Staged>, Diagnostic> {
        let staged = stage_all(&self.staging, plan, &|source| self.place(source));
        staged.map_err(|error| file_diagnostic(&error))
    }

    /// Puts what is staged in place, and says so.
    pub fn put_in_place(
        self,
        staged: Vec<Staged>,
        rewrite: serde_json::Value,
        output: &mut Output,
    ) -> Result<(), Diagnostic> {
        let quiet = self.use_stdout();
        let put = self.staging.put_new(staged);
        let mut put = put.map_err(|error| file_diagnostic(&error))?;
        let written = std::mem::take(&mut put.written);
        let overwrites = put.overwrites.changed().count();
        let done = match overwrites {
            0 => None,
            _ => match journal_run::make(&put.overwrites, rewrite, None) {
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
            tell(&written, self.to, output);
        }
        if let Some(done) = done {
            tell_overwritten(&done, output);
        }
        Ok(())
    }
}

/// Every source needs a place of its own, which no source lies in.
fn check_apart(places: &Places) -> Result<(), Diagnostic> {
    let taken: BTreeSet<PathBuf> = (places.keys())
        .filter_map(|source| source.path().canonicalize().ok())
        .collect();
    let mut seen = BTreeMap::new();
    for (source, (path, destination)) in places {
        let shown = visible_path(path);
        if taken.contains(destination.path()) {
            return Err(
                Diagnostic::wrong(format!("--to would overwrite a source: {shown}")).remedy(
                    "name another place, or leave --to out to rewrite files where they are",
                ),
            );
        }
        match seen.entry(destination) {
            Entry::Vacant(free) => free.insert(source),
            Entry::Occupied(taken) => {
                let (one, two) = (file_name(taken.get()), file_name(source));
                let message = format!("{one} and {two} would both be written to {shown}");
                return Err(Diagnostic::wrong(message).remedy("rewrite them in two commands"));
            }
        };
    }
    Ok(())
}

/// What is there is not overwritten without being asked to.
fn check_new(places: &Places) -> Result<(), Diagnostic> {
    let mut all = (places.values())
        .filter(|(_, destination)| matches!(destination, Destination::Existing(_)));
    let Some((first, _)) = all.next() else {
        return Ok(());
    };
    let shown = visible_path(first);
    let more = match all.count() {
        0 => String::new(),
        more => format!(", and {}", counted(more as u64, "more file")),
    };
    Err(
        Diagnostic::trouble(format!("there is already a file: {shown}{more}")).remedy(
            "nothing has been written; name another place, or add `--overwrite`, which can be \
             undone",
        ),
    )
}

/// Writes into a pipe, a device or standard output.
fn stream(
    destination: &Destination,
    mut copy: File,
    output: &mut Output,
) -> Result<(), Diagnostic> {
    let failed = |error: io::Error| {
        let shown = visible_path(destination.path());
        Diagnostic::trouble(format!("cannot write {shown}: {error}"))
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
    output.print(text.as_bytes());
}

/// Says which of them were overwritten, and how to get them back.
fn tell_overwritten(done: &RunDone, output: &mut Output) {
    let (files, run) = (counted(done.files, "file"), done.run);
    output.note(&format!(
        "note: {files} overwritten: run {run}; `bquill undo {run}` brings the old bytes back\n"
    ));
    journal_run::tell_notes(&done.notes, output);
}

/// Copies one file with its changes.
struct CopySink<'s> {
    copy: Copying<'s>,
    problems: Vec<Problem>,
    unmet: Vec<Unmet>,
}

impl FileSink for CopySink<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        hunk.edits.iter().for_each(|edit| self.copy.change(edit));
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push(unmet);
    }

    // A preview tells; here nothing is shown.
    fn note(&mut self, _: usize, _: Note) {}

    fn wants_bytes(&self) -> bool {
        true
    }

    fn bytes(&mut self, raw: &[u8]) {
        self.copy.bytes(raw);
    }
}

impl PartSink for CopySink<'_> {
    fn join(&mut self, part: Self) {
        // It is shown all bytes of a file, so no part of one is copied.
        self.problems.extend(part.problems);
        self.unmet.extend(part.unmet);
    }
}

/// The path as it lies below another folder: without its root and without `..`.
fn below(path: &Path) -> PathBuf {
    path.components()
        .filter(|part| matches!(part, Component::Normal(_)))
        .collect()
}

fn ends_in_slash(path: &Path) -> bool {
    path.as_os_str().as_encoded_bytes().ends_with(b"/")
}
