//! `preview`: every change a rewrite would make; nothing is written.

use super::pass::{Pass, problem_complaint, template_hints, unexpected};
use crate::args::{Part, PreviewArgs};
use crate::complaint::Complaint;
use crate::options;
use crate::output::Output;
use crate::render::{
    self, Collector, FileReport, JsonPlan, PreviewView, RewriteTotals, counted, diff_of_file,
    rewrite_sentence,
};
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::{Rewrite, Run};
use brisk_quill_files::{Listing, TextOptions};

pub fn run(args: &PreviewArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Complaint> {
    let asked = options::rewrite(parts)?;
    let expected = options::expected(args.guard.expect.as_deref())?;
    let mut view = View::new(args, &asked.what, output)?;
    let listing = options::sources(&asked.paths, &args.files)?;

    let mut run = if args.json {
        Run::with_groups(&asked.what)
    } else {
        Run::new(&asked.what)
    };
    if view.context() > 0 {
        run = run.in_one_piece();
    }
    let text = TextOptions {
        binary: args.files.binary,
        facts: args.json,
    };
    let mut pass = Pass::new(run, text);
    view.begin(&listing, output);
    pass.unreadable(&listing, output);
    let mut number = 0;
    for source in &listing.sources {
        let mut collector = Collector::new(view.budget(), view.context());
        let Some(read) = pass.file(source, &mut collector, output) else {
            continue;
        };
        for problem in &collector.problems {
            output.complain(&problem_complaint(source, problem));
        }
        if read.counts.changes + read.counts.problems == 0 {
            continue;
        }
        number += 1;
        view.file(
            &FileReport {
                number,
                source,
                facts: &read.facts,
                passages: &collector.passages,
                problems: &collector.problems,
            },
            output,
        );
        if output.is_closed() {
            break;
        }
    }
    view.end(&pass.totals, output);
    let status = pass.status(expected);
    match expected {
        Some(count) if !count.holds(pass.totals.counts.changes) => {
            let found = pass.totals.counts.changes;
            Ok(output.complain(&unexpected(count, found)).max(status))
        }
        _ => Ok(status),
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
    fn new(args: &PreviewArgs, rewrite: &'r Rewrite, output: &Output) -> Result<Self, Complaint> {
        let left = options::shown(&args.show)?;
        Ok(if args.json {
            Self::Json(JsonPlan { rewrite }, rewrite)
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

    /// Neighbouring lines that must be at hand.
    fn context(&self) -> usize {
        match self {
            Self::Text { context, .. } => *context,
            Self::Json(..) => 0,
            Self::Diff { .. } => render::DIFF_CONTEXT,
        }
    }

    /// Changes that must be at hand.
    fn budget(&self) -> usize {
        match self {
            Self::Text { left, .. } => *left,
            Self::Json(..) | Self::Diff { .. } => usize::MAX,
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

    fn file(&mut self, report: &FileReport<'_>, output: &mut Output) {
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
            Self::Diff { escaped } => {
                let diff = diff_of_file(report);
                if *escaped {
                    for line in diff.split_inclusive(|b| *b == b'\n') {
                        let line = line.strip_suffix(b"\n").unwrap_or(line);
                        output.print(format!("{}\n", visible(line)).as_bytes());
                    }
                } else {
                    output.print(&diff);
                }
            }
        }
    }

    fn end(&self, totals: &RewriteTotals, output: &mut Output) {
        match self {
            Self::Text { rewrite, shown, .. } => {
                let hidden = totals.counts.changes - shown;
                if hidden > 0 {
                    let more = counted(hidden, "more change");
                    output.print(format!("\n{more} not shown; add `--show all`.\n").as_bytes());
                }
                output.print(format!("\n{}", totals.text()).as_bytes());
                for (name, message) in template_hints(rewrite) {
                    output.print(format!("\nhint {name}: {message}\n").as_bytes());
                }
            }
            Self::Json(plan, rewrite) => {
                for (name, message) in template_hints(rewrite) {
                    output.print(&plan.hint(name, &message));
                }
                output.print(&plan.totals(totals));
            }
            Self::Diff { .. } => {}
        }
    }
}
