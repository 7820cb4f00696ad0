//! One pass of a rewrite over all its files, in order.

use brisk_quill_core::address::Count;
use brisk_quill_core::escape::visible;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::syntax::PatternNote;
use brisk_quill_core::problem::{Problem, ProblemKind};
use brisk_quill_core::query::rows::ColumnNote;
use brisk_quill_core::query::scanner::Note;
use brisk_quill_core::rewrite::{Counts, Rewrite, Run, RunOptions, Unmet};
use brisk_quill_core::template::TemplateNote;
use brisk_quill_files::discover::{Listing, Source};
use brisk_quill_files::error::FileError;
use brisk_quill_files::evaluate::{Evaluated, NullCollector, evaluate};
use brisk_quill_files::evaluate::in_parts::{PartSink, Sharing, evaluate_in_parts};
use brisk_quill_files::parallel::in_order;
use brisk_quill_files::parts::Helpers;
use brisk_quill_files::read::{Facts, Reader, TextOptions};
use crate::args::GuardArgs;
use crate::diagnostic::Diagnostic;
use crate::options::{self, Sources, Threads};
use crate::output::Output;
use crate::progress::Progress;
use crate::render::highlight::one_line_of;
use crate::render::numbers::{counted, number};
use crate::render::preview::file_name;
use crate::render::table::RewriteTotals;
use crate::signals::{self, cancel_token};
use crate::status::Status;
use std::fs::File;
use std::ops::ControlFlow;
use std::path::Path;

/// Units told that are not as `--ensure` asks; the rest is counted.
const UNMET_TOLD: usize = 40;

/// The state of a pass.
pub struct Pass<'r> {
    rewrite: &'r Rewrite,
    options: RunOptions,
    reader: Reader,
    threads: Threads,
    guard: Guard,
    /// What has been counted so far.
    pub totals: RewriteTotals,
    /// Blocks without an end, and bytes without a meaning.
    pub notes: Vec<FileNote>,
    unmet_told: usize,
    /// The heaviest of what was told of units.
    told: Status,
}

/// What must hold in the end.
#[derive(Clone)]
pub struct Guard {
    expected: Vec<Count>,
    skip_problems: bool,
}

/// A file that was read to its end.
pub struct ReadFile {
    pub facts: Facts,
    pub counts: Counts,
}

impl Guard {
    pub fn new(args: &GuardArgs) -> Result<Self, Diagnostic> {
        Ok(Self {
            expected: options::expected(&args.expect)?,
            skip_problems: args.skip_problems,
        })
    }
}

impl<'r> Pass<'r> {
    /// A pass over some files. What must be counted before is counted here.
    pub fn new(
        rewrite: &'r Rewrite,
        sources: &Sources,
        options: RunOptions,
        reading: (TextOptions, Threads),
        guard: Guard,
    ) -> Result<Self, Diagnostic> {
        Self::below(None, (rewrite, sources, options), reading, guard)
    }

    /// A pass over files that must lie below `root`, as [`Pass::new`].
    pub fn below(
        root: Option<&Path>,
        (rewrite, sources, mut options): (&'r Rewrite, &Sources, RunOptions),
        (texts, threads): (TextOptions, Threads),
        guard: Guard,
    ) -> Result<Self, Diagnostic> {
        let listing = &sources.listing;
        if !sources.waits_for_typing() {
            signals::listen();
        }
        let mut reader = Reader::new(texts).watched(cancel_token()).below(root);
        while let Some(step) = rewrite.step_to_count(&options.totals) {
            keep_stdin(&mut reader, listing)?;
            let mut run = Run::counting(rewrite, step, &options.totals);
            for source in &listing.sources {
                let opened = reader.open(source);
                // What goes wrong here will go wrong again, and be told, in the pass itself.
                let _ = opened.and_then(|text| evaluate(&mut run, text, &mut NullCollector));
            }
            options.totals.set(step, run.counted());
        }
        let mut totals = RewriteTotals::new(rewrite);
        totals.files.no_table = sources.no_table;
        Ok(Self {
            rewrite,
            options,
            reader,
            threads,
            guard,
            totals,
            notes: Vec::new(),
            unmet_told: 0,
            told: Status::Fine,
        })
    }

    /// Hands on what is read as it comes.
    pub fn as_it_comes(&mut self) {
        self.reader = std::mem::take(&mut self.reader).as_it_comes();
    }

    /// Keeps standard input, where it is among the sources.
    pub fn keep_stdin(&mut self, listing: &Listing) -> Result<(), Diagnostic> {
        keep_stdin(&mut self.reader, listing)
    }

    /// The kept standard input, from its beginning.
    pub fn kept_stdin(&self) -> Result<File, Diagnostic> {
        self.reader
            .kept_stdin()
            .map_err(|error| file_diagnostic(&error))
    }

    /// Counts and tells the paths that could not be looked at.
    pub fn unreadable(&mut self, listing: &Listing, output: &mut Output) {
        for error in &listing.problems {
            self.totals.files.unreadable += 1;
            output.complain(&file_diagnostic(error));
        }
    }

    /// Tells what was left alone in a file, and what is not as it must be.
    pub fn tell(
        &mut self,
        source: &Source,
        problems: &[Problem],
        unmet: &[Unmet],
        output: &mut Output,
    ) {
        for problem in problems {
            let diagnostic = problem_diagnostic(source, problem);
            if diagnostic.status == Status::WrongRequest || !self.guard.skip_problems {
                self.told = self.told.max(diagnostic.status);
            }
            output.problem(diagnostic);
        }
        tell_unmet(source, unmet, &mut self.unmet_told, output);
    }

    /// Evaluates every source, each into a sink of its own that `sink` makes, and shows `take`
    /// what came out, in order; nothing of a file that was skipped or could not be read.
    ///
    /// Fails when it was stopped before the end.
    pub fn each<'s, S: PartSink>(
        &mut self,
        listing: &'s Listing,
        sink: impl Fn(&'s Source) -> S + Sync,
        output: &mut Output,
        mut take: impl FnMut(&mut Self, &Source, S, Option<ReadFile>, &mut Output) -> ControlFlow<()>,
    ) -> Result<(), Diagnostic> {
        let (rewrite, options, threads) = (self.rewrite, self.options.clone(), self.threads);
        let reader = self.reader.another();
        let new_run = || Run::new(rewrite, &options);
        let worker = || (new_run(), reader.another());
        let within_file = || threads.within_file();
        let helpers = Helpers::new(&within_file);
        let work = |(run, reader): &mut (Run<'_>, Reader),
                    source: &'s Source,
                    send: &mut dyn FnMut(_) -> bool| {
            let sharing = Sharing {
                helpers: &helpers,
                run: &new_run,
                sink: &|| sink(source),
            };
            let mut whole = sink(source);
            let opened = reader.open(source);
            let evaluated =
                opened.and_then(|text| evaluate_in_parts(run, text, &mut whole, &sharing));
            send((whole, evaluated));
        };
        let threads = match rewrite.spans_texts() {
            true => 1,
            false => threads.over(listing.sources.len()),
        };
        let _progress = Progress::of(&listing.sources, output);
        in_order(
            &listing.sources,
            threads,
            worker,
            work,
            |source, (sink, evaluated)| {
                output.flow()?;
                let read = self.count(source, evaluated, output);
                take(self, source, sink, read, output)
            },
        );
        match cancel_token().is_stopped() {
            true => Err(stopped()),
            false => Ok(()),
        }
    }

    /// Counts what came out of a file, and tells why it could not be read.
    fn count(
        &mut self,
        source: &Source,
        evaluated: Result<Evaluated, FileError>,
        output: &mut Output,
    ) -> Option<ReadFile> {
        match evaluated {
            Ok(Evaluated::Read {
                facts,
                counts,
                meaningless,
            }) => {
                self.totals.files.read += 1;
                self.totals.changed += u64::from(counts.changes > 0);
                self.totals.counts.add(&counts);
                let note = meaningless.map(|(line, places)| {
                    FileNote::meaningless(source, line, places, facts.encoding)
                });
                self.notes.extend(note);
                Some(ReadFile { facts, counts })
            }
            Ok(Evaluated::Skipped(skipped)) => {
                self.totals.files.skip(skipped);
                None
            }
            Err(error) => {
                self.totals.files.unreadable += 1;
                output.complain(&file_diagnostic(&error));
                None
            }
        }
    }

    /// Whether there are as many changes as expected.
    pub fn as_expected(&self) -> bool {
        let changes = self.totals.counts.changes;
        let mut expected = self.guard.expected.iter();
        expected.all(|count| count.holds(changes)) && self.unexpected_steps().next().is_none()
    }

    /// The steps that changed another number of matches than they say: the number of the step,
    /// what it expects, and what it found.
    fn unexpected_steps(&self) -> impl Iterator<Item = (usize, Count, u64)> {
        let steps = self.rewrite.steps().iter().zip(&self.totals.counts.steps);
        (1..).zip(steps).flat_map(|(number, (step, counts))| {
            let expected = step
                .expect
                .iter()
                .filter(|count| !count.holds(counts.edits));
            expected.map(move |count| (number, *count, counts.edits))
        })
    }

    /// Ends the pass: tells which guards do not hold, and what the program ends with.
    pub fn end(&self, output: &mut Output) -> Status {
        let counts = &self.totals.counts;
        let mut status = self.told;
        if self.totals.files.unreadable > 0 {
            status = status.max(Status::Trouble);
        }
        let expected = &self.guard.expected;
        for count in expected.iter().filter(|count| !count.holds(counts.changes)) {
            status = status.max(output.complain(&unexpected(*count, counts.changes)));
        }
        if expected.is_empty() && counts.all_steps().matches + counts.changes == 0 {
            status = status.max(Status::No);
        }
        for (number, count, found) in self.unexpected_steps() {
            let message = format!("step {number} expects {count} changes, and there are {found}");
            let diagnostic = Diagnostic::no(message).remedy("nothing has been written");
            status = status.max(output.complain(&diagnostic));
        }
        if counts.unmet > 0 {
            if let Some(more) = self.unmet_told.checked_sub(UNMET_TOLD).filter(|n| *n > 0) {
                output.note(&format!("… and {more} more\n"));
            }
            status = status.max(output.complain(&unmet(counts.unmet)));
        }
        status
    }
}

/// Not all has been looked at.
pub fn stopped() -> Diagnostic {
    Diagnostic::trouble("stopped before everything was looked at")
        .remedy("nothing has been written")
}

fn keep_stdin(reader: &mut Reader, listing: &Listing) -> Result<(), Diagnostic> {
    if listing.sources.contains(&Source::Stdin) && reader.kept_stdin().is_err() {
        reader
            .keep_stdin()
            .map_err(|error| file_diagnostic(&error))?;
    }
    Ok(())
}

/// Something to know about a file that is not a mistake.
#[derive(Debug)]
pub struct FileNote {
    pub source: Source,
    pub line: u64,
    pub message: String,
}

impl FileNote {
    /// What an evaluation has to tell of a file.
    pub fn note(source: &Source, note: &Note) -> Self {
        let (line, message) = match note {
            Note::OpenBlock(block) => {
                let start = visible(block.start.as_bytes());
                let message = format!(
                    "the block that `{start}` begins has no end, and runs to the end of the file"
                );
                (block.line, message)
            }
            Note::Column(ColumnNote::Absent { pointer, rows, of }) => {
                let (rows, of) = (number(*rows), counted(*of, "row"));
                (1, format!("{pointer} leads to no text in {rows} of {of}"))
            }
            Note::Column(ColumnNote::Numbers {
                line,
                pointer,
                cells,
            }) => {
                let what = counted(*cells, "number");
                (
                    *line,
                    format!("{what}, such as {pointer} here, taken as text"),
                )
            }
            Note::BareLineFeed { line } => (
                *line,
                "lines end in CR LF, and the pattern is for a line feed alone: `\\r?\\n` matches both"
                    .into(),
            ),
            Note::Thousands { line, matches } => {
                let what = counted(*matches, "number");
                let message = format!(
                    "{what}, the first one here, with a comma that is taken as a decimal comma: if it stands \
                     between thousands, remove it first, with `swap , ''`"
                );
                (*line, message)
            }
        };
        Self {
            source: source.clone(),
            line,
            message,
        }
    }

    /// Bytes without a meaning in the encoding.
    pub fn meaningless(source: &Source, line: u64, places: u64, encoding: &str) -> Self {
        let more = match places {
            1 => String::new(),
            n => format!(", and {} more behind it,", n - 1),
        };
        Self {
            source: source.clone(),
            line,
            message: format!("a byte here{more} means nothing in {encoding} and stays as it is"),
        }
    }

    pub fn text(&self) -> String {
        let (path, line, message) = (file_name(&self.source), self.line, &self.message);
        format!("note: {path}, line {line}: {message}\n")
    }
}

/// What to tell about a file.
pub fn file_diagnostic(error: &FileError) -> Diagnostic {
    let cause = error.source.as_ref().map(|cause| format!(": {cause}"));
    Diagnostic::trouble(format!("{error}{}", cause.unwrap_or_default()))
}

/// What to tell about a unit that was left alone.
pub fn problem_diagnostic(source: &Source, problem: &Problem) -> Diagnostic {
    let place = problem.line.map(|line| format!(", line {line}"));
    let path = file_name(source);
    let message = format!("{path}{}: {}", place.unwrap_or_default(), problem.kind);
    match problem.kind {
        ProblemKind::Column(_) => Diagnostic::wrong(message),
        _ => Diagnostic::trouble(message),
    }
}

/// Tells of units that are not as `--ensure` asks; of the first of many.
fn tell_unmet(source: &Source, unmet: &[Unmet], told: &mut usize, output: &mut Output) {
    for unmet in unmet {
        *told += 1;
        if *told <= UNMET_TOLD {
            let place = format!("{}, line {}: ", file_name(source), unmet.line);
            let left = output.width().saturating_sub(place.len()).max(20);
            output.note(&format!("{place}{}\n", one_line_of(&unmet.text, left)));
        }
    }
}

/// There are more changes than expected, or fewer.
pub fn unexpected(expected: Count, found: u64) -> Diagnostic {
    let message = format!("{expected} changes were expected, and there are {found}");
    Diagnostic::no(message).remedy("nothing has been written")
}

fn unmet(units: u64) -> Diagnostic {
    let what = counted(units, "unit");
    Diagnostic::no(format!(
        "--ensure: {what} in scope would not match afterwards"
    ))
    .remedy("nothing has been written")
}

/// What in patterns and templates is allowed but often not meant: a name and a sentence each.
pub fn rewrite_hints(rewrite: &Rewrite) -> Vec<(&'static str, String)> {
    let mut hints = Vec::new();
    for step in rewrite.steps() {
        hints.extend(pattern_hints(&step.query.pattern));
        for template in step.action.templates() {
            let notes = template.notes().iter();
            let hint = |note| {
                (
                    "group-then-digit",
                    group_then_digit(template.source(), note),
                )
            };
            hints.extend(notes.map(hint));
        }
    }
    hints
}

/// The same for one pattern.
pub fn pattern_hints(pattern: &Pattern) -> Vec<(&'static str, String)> {
    let hint = |note: &PatternNote| {
        let range = &pattern.source()[note.span.range()];
        let (from, to) = range.split_once('-').unwrap_or((range, "z"));
        let message = format!(
            "`{range}` also takes the signs `[`, `\\`, `]`, `^`, `_` and `` ` ``; write `{from}-Za-{to}` for \
             letters alone"
        );
        ("range-with-signs", message)
    };
    pattern.notes().iter().map(hint).collect()
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
