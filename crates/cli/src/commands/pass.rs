//! One pass of a rewrite over all its files, in order.

use crate::complaint::Complaint;
use crate::output::Output;
use crate::render::RewriteTotals;
use crate::status::Status;
use brisk_quill_core::address::Count;
use brisk_quill_core::{Action, escape::visible};
use brisk_quill_core::{Counts, Problem, Rewrite, Run, Sink, TemplateNote};
use brisk_quill_files::{
    Evaluated, Facts, FileError, Listing, Reader, Source, TextOptions, evaluate,
};
use std::fs::File;

/// The state of a pass.
pub struct Pass<'r> {
    run: Run<'r>,
    reader: Reader,
    /// What has been counted so far.
    pub totals: RewriteTotals,
}

/// A file that was read to its end.
pub struct ReadFile {
    pub facts: Facts,
    pub counts: Counts,
}

impl<'r> Pass<'r> {
    pub fn new(run: Run<'r>, options: TextOptions) -> Self {
        Self {
            run,
            reader: Reader::new(options),
            totals: RewriteTotals::default(),
        }
    }

    /// Counts and tells the paths that could not be looked at.
    pub fn unreadable(&mut self, listing: &Listing, output: &mut Output) {
        for error in &listing.problems {
            self.totals.files.unreadable += 1;
            output.complain(&file_complaint(error));
        }
    }

    /// Evaluates one source into `sink`; `None` where it was skipped or could not be read.
    pub fn file(
        &mut self,
        source: &Source,
        sink: &mut dyn Sink,
        output: &mut Output,
    ) -> Option<ReadFile> {
        let opened = self.reader.open(source);
        let evaluated = opened.and_then(|text| evaluate(&mut self.run, text, sink));
        self.count(evaluated, output)
    }

    /// Evaluates a text that is already open.
    pub fn stream(
        &mut self,
        source: &Source,
        input: File,
        sink: &mut dyn Sink,
        output: &mut Output,
    ) -> Option<ReadFile> {
        let opened = self.reader.open_stream(source.path(), Box::new(input));
        let evaluated = opened.and_then(|text| evaluate(&mut self.run, text, sink));
        self.count(evaluated, output)
    }

    fn count(
        &mut self,
        evaluated: Result<Evaluated, FileError>,
        output: &mut Output,
    ) -> Option<ReadFile> {
        match evaluated {
            Ok(Evaluated::Read { facts, counts }) => {
                self.totals.files.read += 1;
                self.totals.changed += u64::from(counts.changes > 0);
                self.totals.counts.add(&counts);
                Some(ReadFile { facts, counts })
            }
            Ok(Evaluated::Skipped(skipped)) => {
                self.totals.files.skip(skipped);
                None
            }
            Err(error) => {
                self.totals.files.unreadable += 1;
                output.complain(&file_complaint(&error));
                None
            }
        }
    }

    /// What the pass ends with, as far as its counts tell.
    pub fn status(&self, expected: Option<Count>) -> Status {
        let counts = &self.totals.counts;
        if self.totals.files.unreadable + counts.problems > 0 {
            return Status::Trouble;
        }
        match expected {
            Some(count) if count.holds(counts.changes) => Status::Fine,
            Some(_) => Status::No,
            None if counts.all_steps().taken() == 0 => Status::No,
            None => Status::Fine,
        }
    }
}

/// What to tell about a file.
pub fn file_complaint(error: &FileError) -> Complaint {
    let cause = error.source.as_ref().map(|cause| format!(": {cause}"));
    Complaint::trouble(format!("{error}{}", cause.unwrap_or_default()))
}

/// What to tell about a unit that was left alone.
pub fn problem_complaint(source: &Source, problem: &Problem) -> Complaint {
    let place = problem.line.map(|line| format!(", line {line}"));
    let path = visible(source.path().as_os_str().as_encoded_bytes());
    Complaint::trouble(format!(
        "{path}{}: {}",
        place.unwrap_or_default(),
        problem.kind
    ))
}

/// Tells that `--expect` was not met.
pub fn unexpected(expected: Count, found: u64) -> Complaint {
    Complaint {
        status: Status::No,
        ..Complaint::wrong(format!(
            "{expected} changes were expected, and there are {found}"
        ))
        .remedy("look with `preview`; nothing has been written")
    }
}

/// What in the templates is allowed but often not meant: a name and a sentence each.
pub fn template_hints(rewrite: &Rewrite) -> Vec<(&'static str, String)> {
    let templates = rewrite
        .steps()
        .iter()
        .filter_map(|step| match &step.action {
            Action::Replace(template) => Some(template),
            _ => None,
        });
    templates
        .flat_map(|template| {
            template
                .notes()
                .iter()
                .map(|note| (template.source(), note))
        })
        .map(|(source, note)| ("group-then-digit", group_then_digit(source, note)))
        .collect()
}

fn group_then_digit(source: &str, note: &TemplateNote) -> String {
    let TemplateNote {
        group,
        digits,
        span,
    } = note;
    format!(
        "`{}` is group {group} followed by the text `{digits}`, for there is no group \
         {group}{digits}; write `${{{group}}}{digits}` if that is meant",
        visible(source[span.range()].as_bytes()),
    )
}
