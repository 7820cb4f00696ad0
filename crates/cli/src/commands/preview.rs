//! `preview`: every change a rewrite would make; nothing is written.

use super::against::Comparison;
use super::keep;
use super::kinds::KindSink;
use super::pass::{Guard, Note, Pass, template_hints};
use super::plans::PlanOut;
use crate::args::{Part, PreviewArgs};
use crate::complaint::Complaint;
use crate::options::{self, AskedRewrite};
use crate::output::Output;
use crate::render::{
    self, Collector, FileReport, Keep, PreviewView, counted, diff_of_file, file_name,
    rewrite_sentence,
};
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::{Problem, Remark, Rewrite, RunOptions, Unmet};
use brisk_quill_files::{FilePassage, FileSink, Listing, Source};

/// Notes shown; the rest is counted.
const NOTES_SHOWN: usize = 10;

pub fn run(args: &PreviewArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Complaint> {
    let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
    let guard = Guard::new(&args.guard)?;
    if let Some(file) = &args.keep {
        keep::check(file)?;
    }
    let mut view = View::new(args, &asked, output)?;
    let through = through(args, &asked.rewrite)?;
    let run = RunOptions {
        groups: true,
        cells: true,
        one_piece: view.keep().context > 0,
        through,
        stages: args.steps,
        ..RunOptions::default()
    };
    let texts = options::texts(&args.files, true)?;
    let sources = asked.sources(&args.files)?;
    let listing = &sources.listing;
    let piped = listing.sources.contains(&Source::Stdin);
    if piped && args.save.is_some() {
        return Err(Complaint::wrong(
            "standard input cannot be written later, so its plan cannot be saved",
        )
        .remedy("name the files"));
    }
    let show = options::shown(&args.show)?;
    let planned = asked.up_to(through);
    let mut sink = PreviewSink {
        comparison: match &args.against {
            Some(file) => Some(Comparison::new(file, show)?),
            None => None,
        },
        plan: PlanOut::new(&planned, args.json, args.save.as_deref(), !piped)?,
        kinds: args.kinds.then(KindSink::new),
        source: &Source::Stdin,
        found: Collector::new(view.keep()),
    };

    let mut pass = Pass::new(&asked.rewrite, &sources, run, texts, guard)?;
    view.begin(listing, output);
    sink.plan.begin(output);
    pass.unreadable(listing, output);
    let mut status = Status::Fine;
    let mut examples = Vec::new();
    for source in &listing.sources {
        sink.source = source;
        sink.found = Collector::new(Keep {
            // A file is kept only for what it needs examples of.
            changes: match args.keep.is_some() && examples.len() < keep::EXAMPLES {
                true => view.keep().changes.max(keep::EXAMPLES),
                false => view.keep().changes,
            },
            ..view.keep()
        });
        let Some(read) = pass.file(source, &mut sink, output) else {
            sink.plan.drop_file();
            continue;
        };
        let found = &mut sink.found;
        pass.tell(source, &found.problems, &found.unmet, output);
        let remarks = found.remarks.iter();
        pass.notes
            .extend(remarks.map(|remark| Note::remark(source, remark)));
        if let Some(comparison) = &mut sink.comparison {
            comparison.end_file(source, &read.facts);
        }
        if read.counts.changes + read.counts.problems + read.counts.unmet == 0 {
            continue;
        }
        if args.keep.is_some() && examples.len() < keep::EXAMPLES {
            examples.extend(keep::examples(&asked, source, &found.passages));
        }
        let report = FileReport {
            source,
            facts: &read.facts,
            passages: &found.passages,
            problems: &found.problems,
            unmet: &found.unmet,
        };
        status = status.max(view.file(&report, output));
        sink.plan.end_file(&report, output);
        if output.is_closed() {
            break;
        }
    }
    if let Some(kinds) = sink.kinds.take() {
        kinds.print(show, output);
    }
    if let Some(comparison) = sink.comparison.take() {
        comparison.print(output);
    }
    view.end(&pass, output);
    if let Some(file) = &args.keep {
        keep::write(file, &asked, examples)?;
    }
    let status = status.max(pass.end(output));
    let holds = status == Status::Fine && pass.totals.counts.changes > 0;
    let guarded = !pass.as_expected() || pass.totals.counts.unmet > 0;
    sink.plan
        .end(&pass.totals, &pass.notes, (holds, guarded), output)?;
    Ok(status)
}

/// Sends what is found in a file to all that take part in it.
struct PreviewSink<'p> {
    source: &'p Source,
    found: Collector,
    plan: PlanOut<'p>,
    kinds: Option<KindSink>,
    comparison: Option<Comparison>,
}

impl FileSink for PreviewSink<'_> {
    fn passage(&mut self, passage: &FilePassage<'_>) {
        self.plan.passage(self.source, passage);
        if let Some(kinds) = &mut self.kinds {
            kinds.passage(self.source, passage);
        }
        if let Some(comparison) = &mut self.comparison {
            comparison.passage(passage);
        }
        self.found.passage(passage);
    }

    fn problem(&mut self, problem: Problem) {
        self.found.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.found.unmet(unmet);
    }

    fn remark(&mut self, step: usize, remark: Remark) {
        self.found.remark(step, remark);
    }
}

/// After how many steps to stop.
fn through(args: &PreviewArgs, rewrite: &Rewrite) -> Result<Option<usize>, Complaint> {
    let steps = rewrite.steps().len();
    match args.through {
        Some(n) if n == 0 || n > steps => {
            let there = match steps {
                1 => "there is 1 step".to_owned(),
                steps => format!("there are steps 1 to {steps}"),
            };
            Err(Complaint::wrong(format!("--through: there is no step {n}")).remedy(there))
        }
        through => Ok(through),
    }
}

/// In which form a preview comes.
enum View<'r> {
    Text {
        view: PreviewView,
        rewrite: &'r Rewrite,
        context: usize,
        /// Changes that may still be shown.
        left: usize,
        shown: u64,
        /// Something else is shown instead of the changes.
        instead: bool,
    },
    /// The plan alone, which is written on its own way.
    Json,
    Diff {
        /// A person reads it, so control characters must not get through.
        escaped: bool,
    },
}

impl<'r> View<'r> {
    fn new(
        args: &PreviewArgs,
        asked: &'r AskedRewrite,
        output: &Output,
    ) -> Result<Self, Complaint> {
        let rewrite = &asked.rewrite;
        // Kinds and differences are shown instead of the changes.
        let left = match args.kinds || args.against.is_some() {
            true => 0,
            false => options::shown(&args.show)?,
        };
        Ok(if args.json {
            Self::Json
        } else if args.diff {
            Self::Diff {
                escaped: output.is_terminal(),
            }
        } else {
            let several = rewrite.steps().len() > 1;
            Self::Text {
                view: PreviewView::new(output.paint(), output.width(), several),
                rewrite,
                context: args.show.context,
                left,
                shown: 0,
                instead: args.kinds || args.against.is_some(),
            }
        })
    }

    /// What must be at hand of the next file.
    fn keep(&self) -> Keep {
        let all = Keep {
            changes: usize::MAX,
            context: 0,
            on_disk: false,
        };
        match self {
            Self::Text { left, context, .. } => Keep {
                changes: *left,
                context: *context,
                ..all
            },
            Self::Json => Keep { changes: 0, ..all },
            Self::Diff { .. } => Keep {
                context: render::DIFF_CONTEXT,
                on_disk: true,
                ..all
            },
        }
    }

    fn begin(&self, listing: &Listing, output: &mut Output) {
        match self {
            Self::Text { rewrite, .. } => {
                let sentence = rewrite_sentence(rewrite, &listing.sources);
                output.print(format!("{sentence}\n").as_bytes());
            }
            Self::Json | Self::Diff { .. } => {}
        }
    }

    fn file(&mut self, report: &FileReport<'_>, output: &mut Output) -> Status {
        match self {
            Self::Text {
                view, left, shown, ..
            } => {
                output.print(view.file(report).as_bytes());
                let now: usize = report.passages.iter().map(|p| p.edits.len()).sum();
                *left = left.saturating_sub(now);
                *shown += now as u64;
            }
            Self::Json => {}
            // Its line ends are two bytes, which no patch tool knows.
            Self::Diff { .. } if report.facts.encoding.starts_with("UTF-16") => {
                let name = file_name(report.source);
                let message = format!("{name}: a diff cannot show UTF-16");
                let remedy = "leave --diff out, or use --json";
                return output.complain(&Complaint::trouble(message).remedy(remedy));
            }
            Self::Diff { escaped } => print_diff(&diff_of_file(report), *escaped, output),
        }
        Status::Fine
    }

    fn end(&self, pass: &Pass<'_>, output: &mut Output) {
        let totals = &pass.totals;
        match self {
            Self::Text {
                rewrite,
                shown,
                instead,
                ..
            } => {
                let hidden = totals.counts.changes - shown;
                if hidden > 0 && !instead {
                    let more = counted(hidden, "more change");
                    output.print(format!("\n{more} not shown; add `--show all`.\n").as_bytes());
                }
                output.print(format!("\n{}", totals.text()).as_bytes());
                print_notes(&pass.notes, output);
                for (name, message) in template_hints(rewrite) {
                    output.print(format!("\nhint {name}: {message}\n").as_bytes());
                }
            }
            Self::Json | Self::Diff { .. } => {}
        }
    }
}

/// Prints notes, the first of many.
pub fn print_notes(notes: &[Note], output: &mut Output) {
    if !notes.is_empty() {
        output.print(b"\n");
    }
    for note in notes.iter().take(NOTES_SHOWN) {
        output.print(note.text().as_bytes());
    }
    if let Some(more) = notes.len().checked_sub(NOTES_SHOWN).filter(|n| *n > 0) {
        output.print(format!("{}\n", counted(more as u64, "more note")).as_bytes());
    }
}

fn print_diff(diff: &[u8], escaped: bool, output: &mut Output) {
    if !escaped {
        return output.print(diff);
    }
    for line in diff.split_inclusive(|b| *b == b'\n') {
        let line = line.strip_suffix(b"\n").unwrap_or(line);
        output.print(format!("{}\n", visible(line)).as_bytes());
    }
}
