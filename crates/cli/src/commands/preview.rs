//! `preview`: every change a rewrite would make; nothing is written.

use super::keep;
use super::pass::{Guard, Note, Pass, template_hints};
use crate::args::{Part, PreviewArgs};
use crate::complaint::Complaint;
use crate::options::{self, AskedRewrite};
use crate::output::Output;
use crate::render::{
    self, Collector, FileReport, JsonPlan, Keep, PreviewView, counted, diff_of_file, file_name,
    json_note, rewrite_sentence,
};
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::{Rewrite, RunOptions};
use brisk_quill_files::Listing;

/// Notes shown; the rest is counted.
const NOTES_SHOWN: usize = 10;

pub fn run(args: &PreviewArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Complaint> {
    let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
    let guard = Guard::new(&args.guard)?;
    if let Some(file) = &args.keep {
        keep::check(file)?;
    }
    let mut view = View::new(args, &asked, output)?;
    let run = RunOptions {
        groups: args.json,
        cells: true,
        one_piece: view.keep().context > 0,
        through: through(args, &asked.rewrite)?,
        stages: args.steps,
        ..RunOptions::default()
    };
    let texts = options::texts(&args.files, args.json)?;
    let sources = asked.sources(&args.files)?;
    let listing = &sources.listing;

    let mut pass = Pass::new(&asked.rewrite, &sources, run, texts, guard)?;
    view.begin(listing, output);
    pass.unreadable(listing, output);
    let mut number = 0;
    let mut status = Status::Fine;
    let mut examples = Vec::new();
    for source in &listing.sources {
        let mut found = Collector::new(view.keep());
        let Some(read) = pass.file(source, &mut found, output) else {
            continue;
        };
        pass.tell(source, &found.problems, &found.unmet, output);
        let remarks = found.remarks.iter();
        pass.notes
            .extend(remarks.map(|remark| Note::remark(source, remark)));
        if read.counts.changes + read.counts.problems + read.counts.unmet == 0 {
            continue;
        }
        if args.keep.is_some() && examples.len() < keep::EXAMPLES {
            examples.extend(keep::examples(&asked, source, &found.passages));
        }
        number += 1;
        let report = FileReport {
            number,
            source,
            facts: &read.facts,
            passages: &found.passages,
            problems: &found.problems,
            unmet: &found.unmet,
        };
        status = status.max(view.file(&report, output));
        if output.is_closed() {
            break;
        }
    }
    view.end(&pass, output);
    if let Some(file) = &args.keep {
        keep::write(file, &asked, examples)?;
    }
    Ok(status.max(pass.end(output)))
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
    },
    Json(JsonPlan<'r>, &'r Rewrite),
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
        let AskedRewrite { text, rewrite, .. } = asked;
        let left = options::shown(&args.show)?;
        Ok(if args.json {
            Self::Json(JsonPlan { text, rewrite }, rewrite)
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
            Self::Json(..) => all,
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
            Self::Json(plan, _) => output.print(&plan.head()),
            Self::Diff { .. } => {}
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
            Self::Json(plan, _) => output.print(&plan.file(report)),
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
            Self::Text { rewrite, shown, .. } => {
                let hidden = totals.counts.changes - shown;
                if hidden > 0 {
                    let more = counted(hidden, "more change");
                    output.print(format!("\n{more} not shown; add `--show all`.\n").as_bytes());
                }
                output.print(format!("\n{}", totals.text()).as_bytes());
                print_notes(&pass.notes, output);
                for (name, message) in template_hints(rewrite) {
                    output.print(format!("\nhint {name}: {message}\n").as_bytes());
                }
            }
            Self::Json(plan, rewrite) => {
                for note in &pass.notes {
                    output.print(&json_note(&note.path, note.line, &note.message));
                }
                for (name, message) in template_hints(rewrite) {
                    output.print(&plan.hint(name, &message));
                }
                output.print(&plan.totals(totals));
            }
            Self::Diff { .. } => {}
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
