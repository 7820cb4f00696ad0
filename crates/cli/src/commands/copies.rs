//! `apply --to`: the rewritten files in another place, the sources left alone.

use super::pass::{Pass, file_complaint};
use crate::complaint::Complaint;
use crate::output::Output;
use crate::render::{counted, file_name};
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::{Problem, Remark, Unmet};
use brisk_quill_files::{
    Copying, FilePassage, FileSink, Listing, PartSink, Plan, Source, Staged, Staging, Written,
    write_elsewhere,
};
use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::ControlFlow;
use std::path::{Component, Path, PathBuf};

/// Where the files go.
pub struct Copies<'a> {
    to: &'a Path,
    /// `to` is a folder, and not the file itself.
    folder: bool,
    replace: bool,
    staging: Staging,
}

impl<'a> Copies<'a> {
    /// Those of `sources` go to `to`. No two may come to lie in one place, and none on a source.
    pub fn new<'s>(
        to: &'a Path,
        sources: impl ExactSizeIterator<Item = &'s Source> + Clone,
        replace: bool,
    ) -> Result<Self, Complaint> {
        let copies = Self {
            to,
            folder: sources.len() != 1 || to.is_dir() || ends_in_slash(to),
            replace,
            staging: Staging::new(replace),
        };
        copies.check(sources)?;
        Ok(copies)
    }

    fn place(&self, source: &Source) -> PathBuf {
        match self.folder {
            true => self.to.join(below(source.path())),
            false => self.to.to_owned(),
        }
    }

    fn check<'s>(
        &self,
        sources: impl Iterator<Item = &'s Source> + Clone,
    ) -> Result<(), Complaint> {
        // What is not there yet lies on no source.
        let taken: BTreeSet<PathBuf> = match self.to.exists() {
            true => (sources.clone())
                .filter_map(|source| source.path().canonicalize().ok())
                .collect(),
            false => BTreeSet::new(),
        };
        let mut seen = BTreeMap::new();
        for source in sources {
            let target = self.place(source);
            let on_source = || {
                target
                    .canonicalize()
                    .is_ok_and(|place| taken.contains(&place))
            };
            if !taken.is_empty() && on_source() {
                let shown = visible_path(&target);
                return Err(
                    Complaint::wrong(format!("--to would overwrite a source: {shown}")).remedy(
                        "name another place, or leave --to out to rewrite files where they are",
                    ),
                );
            }
            match seen.entry(target) {
                Entry::Vacant(free) => free.insert(source),
                Entry::Occupied(taken) => {
                    let (one, two) = (file_name(taken.get()), file_name(source));
                    let shown = visible_path(taken.key());
                    let message = format!("{one} and {two} would both be written to {shown}");
                    return Err(Complaint::wrong(message).remedy("rewrite them in two commands"));
                }
            };
        }
        Ok(())
    }

    /// Stages each file while it is evaluated, so that it is read only once.
    pub fn stage(
        &self,
        pass: &mut Pass<'_>,
        listing: &Listing,
        output: &mut Output,
    ) -> Result<Vec<Staged>, Complaint> {
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
        failed.map_or(Ok(staged), |error| Err(file_complaint(&error)))
    }

    /// Puts what is staged in place, and says so.
    pub fn put_in_place(self, staged: Vec<Staged>, output: &mut Output) -> Result<(), Complaint> {
        let written = self.staging.put_in_place(staged);
        let written = written.map_err(|error| file_complaint(&error))?;
        tell(&written, self.to, output);
        Ok(())
    }

    /// Writes the files of a plan, and says so.
    pub fn write(&self, plan: &Plan, output: &mut Output) -> Result<(), Complaint> {
        let written = write_elsewhere(plan, &|source| self.place(source), self.replace);
        let written = written.map_err(|error| file_complaint(&error))?;
        tell(&written, self.to, output);
        Ok(())
    }
}

fn tell(written: &Written, to: &Path, output: &mut Output) {
    let text = format!(
        "Wrote {} with {} to {}.\n",
        counted(written.files.len() as u64, "file"),
        counted(written.changes, "change"),
        visible_path(to),
    );
    output.print(text.as_bytes());
}

/// Copies one file with its changes.
struct CopySink<'s> {
    copy: Copying<'s>,
    problems: Vec<Problem>,
    unmet: Vec<Unmet>,
}

impl FileSink for CopySink<'_> {
    fn passage(&mut self, passage: &FilePassage<'_>) {
        passage.edits.iter().for_each(|edit| self.copy.change(edit));
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push(unmet);
    }

    // A preview tells; here nothing is shown.
    fn remark(&mut self, _: usize, _: Remark) {}

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
