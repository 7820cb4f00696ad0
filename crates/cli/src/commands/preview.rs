//! `preview`: every change a rewrite would make; nothing is written.

use crate::args::{Part, PreviewArgs};
use crate::commands::against::{Comparison, Known};
use crate::commands::kinds::KindSink;
use crate::commands::look::Room;
use crate::commands::pass::{FileNote, Guard, Pass, rewrite_hints};
use crate::commands::plan_out::{PlanOut, PlanPart};
use crate::commands::save_rewrite;
use crate::diagnostic::Diagnostic;
use crate::options::{self, AskedRewrite, Threads};
use crate::output::Output;
use crate::render;
use crate::render::diff::diff_of_file;
use crate::render::numbers::counted;
use crate::render::preview::{PreviewView, file_name};
use crate::render::report::{Collector, FileReport, Keep};
use crate::render::sentence::rewrite_sentence;
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::scanner::Note;
use brisk_quill_core::rewrite::{Rewrite, RunOptions, SPLIT_FROM, Unmet};
use brisk_quill_files::discover::{FileUse, Listing, Source};
use brisk_quill_files::evaluate::in_parts::PartSink;
use brisk_quill_files::evaluate::{FileHunk, FileSink};
use brisk_quill_files::read::FactsOf;
use std::ops::ControlFlow;

/// Notes shown; the rest is counted.
const NOTES_SHOWN: usize = 10;

pub fn run(
    args: &PreviewArgs,
    parts: Vec<Part>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
    let guard = Guard::new(&args.guard)?;
    if let Some(file) = &args.save_rewrite {
        save_rewrite::check(file)?;
    }
    let mut view = View::new(args, &asked, output)?;
    let through = through(args, &asked.rewrite)?;
    let run = RunOptions {
        groups: true,
        cells: true,
        one_piece: view.keep.context > 0,
        through,
        stages: args.steps,
        // What shows or keeps whole lines needs them whole.
        split_from: (view.keep.context == 0 && !args.diff && args.save_rewrite.is_none())
            .then_some(SPLIT_FROM),
        ..RunOptions::default()
    };
    // What is compared must be known of files without changes too.
    let facts = match args.against {
        Some(_) => FactsOf::All,
        None => FactsOf::Found,
    };
    let texts = options::texts(&args.files, facts)?;
    let sources = asked.sources(&args.files, FileUse::Read)?;
    let listing = &sources.listing;
    let piped = listing.sources.contains(&Source::Stdin);
    if piped && args.save_plan.is_some() {
        return Err(Diagnostic::wrong(
            "standard input cannot be written later, so its plan cannot be saved",
        )
        .remedy("name the files"));
    }
    let show = options::shown(&args.show)?;
    let planned = asked.up_to(through);
    let mut comparison = match &args.against {
        Some(file) => Some(Comparison::new(file, show)?),
        None => None,
    };
    let mut plan = PlanOut::new(&planned, args.json, args.save_plan.as_deref(), !piped)?;
    if plan.is_kept() {
        output.outlives_its_reader();
    }
    let mut kinds = args.kinds.then(KindSink::new);
    let reading = (texts, Threads::new(args.files.threads));
    let mut pass = Pass::new(&asked.rewrite, &sources, run, reading, guard)?;
    view.begin(listing, output);
    plan.begin(output);
    pass.unreadable(listing, output);

    let (maker, room) = (plan.maker(), view.room.clone());
    let (compares, counts_kinds) = (comparison.is_some(), kinds.is_some());
    let for_examples = if args.save_rewrite.is_some() {
        save_rewrite::LOOKED_AT
    } else {
        0
    };
    let keep = view.keep;
    let sink = |source| PreviewSink {
        source,
        found: Collector::new(Keep {
            changes: room.left().max(for_examples),
            ..keep
        }),
        plan: maker.part(source),
        kinds: counts_kinds.then(KindSink::new),
        compared: compares.then(Vec::new),
    };
    let mut status = Status::Fine;
    let mut examples = args
        .save_rewrite
        .is_some()
        .then(save_rewrite::Examples::new);
    pass.each(listing, sink, output, |pass, source, sink, read, output| {
        let Some(read) = read else {
            return ControlFlow::Continue(());
        };
        let mut found = sink.found;
        pass.tell(source, &found.problems, &found.unmet, output);
        let notes = found.notes.iter();
        pass.notes
            .extend(notes.map(|note| FileNote::note(source, note)));
        if let (Some(comparison), Some(now)) = (&mut comparison, sink.compared) {
            comparison.file(source, &read.facts, now);
        }
        if let (Some(kinds), Some(file)) = (&mut kinds, sink.kinds) {
            kinds.absorb(file);
        }
        if read.counts.changes + read.counts.problems + read.counts.unmet == 0 {
            return ControlFlow::Continue(());
        }
        if let Some(examples) = &mut examples {
            examples.file(&asked, source, &found.hunks);
        }
        view.room.fill(&mut found.hunks, |hunk| hunk.edits.len());
        let report = FileReport {
            source,
            facts: &read.facts,
            hunks: &found.hunks,
            problems: &found.problems,
            unmet: &found.unmet,
        };
        status = status.max(view.file(&report, output));
        plan.file(&report, sink.plan, output);
        ControlFlow::Continue(())
    })?;
    if let Some(kinds) = kinds {
        kinds.print(show, output);
    }
    if let Some(comparison) = comparison {
        comparison.print(output);
    }
    view.end(&pass, output);
    if let (Some(file), Some(examples)) = (&args.save_rewrite, examples) {
        save_rewrite::write(file, &asked, examples)?;
    }
    let status = status.max(pass.end(output));
    sources.tell_passed_over(pass.totals.counts.all_steps().matches, output);
    let holds = status == Status::Fine && pass.totals.counts.changes > 0;
    let guarded = !pass.as_expected() || pass.totals.counts.unmet > 0;
    plan.end(&pass.totals, &pass.notes, (holds, guarded), output)?;
    Ok(status)
}

/// Sends what is found in a file to all that take part in it.
struct PreviewSink<'p> {
    source: &'p Source,
    found: Collector,
    plan: PlanPart<'p>,
    kinds: Option<KindSink>,
    compared: Option<Vec<Known>>,
}

impl FileSink for PreviewSink<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        self.plan.hunk(hunk);
        if let Some(kinds) = &mut self.kinds {
            kinds.hunk(self.source, hunk);
        }
        if let Some(compared) = &mut self.compared {
            compared.extend(hunk.edits.iter().map(Known::from));
        }
        self.found.hunk(hunk);
    }

    fn problem(&mut self, problem: Problem) {
        self.found.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.found.unmet(unmet);
    }

    fn note(&mut self, step: usize, note: Note) {
        self.found.note(step, note);
    }
}

impl PartSink for PreviewSink<'_> {
    fn for_part(self) -> Self {
        let kinds = self.kinds.map(KindSink::without_limit);
        Self { kinds, ..self }
    }

    fn join(&mut self, part: Self) {
        self.plan.join(part.plan);
        self.found.join(part.found);
        if let (Some(kinds), Some(part)) = (&mut self.kinds, part.kinds) {
            kinds.absorb(part);
        }
        if let (Some(compared), Some(part)) = (&mut self.compared, part.compared) {
            compared.extend(part);
        }
    }
}

/// After how many steps to stop.
fn through(args: &PreviewArgs, rewrite: &Rewrite) -> Result<Option<usize>, Diagnostic> {
    let steps = rewrite.steps().len();
    match args.through {
        Some(n) if n == 0 || n > steps => {
            let there = match steps {
                1 => "there is 1 step".to_owned(),
                steps => format!("there are steps 1 to {steps}"),
            };
            Err(Diagnostic::wrong(format!("--through: there is no step {n}")).remedy(there))
        }
        through => Ok(through),
    }
}

/// How a preview is shown.
struct View<'r> {
    form: Form<'r>,
    /// Changes that may still be shown.
    room: Room,
    /// Of each file.
    keep: Keep,
}

/// In which form a preview comes.
enum Form<'r> {
    Text {
        view: PreviewView,
        rewrite: &'r Rewrite,
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
    ) -> Result<Self, Diagnostic> {
        let rewrite = &asked.rewrite;
        let shown = options::shown(&args.show)?;
        // Kinds and differences are shown instead of the changes.
        let instead = args.kinds || args.against.is_some();
        let mut keep = Keep::default();
        let (form, changes) = if args.json {
            (Form::Json, 0)
        } else if args.diff {
            keep.context = render::diff::CONTEXT;
            keep.on_disk = true;
            let escaped = output.is_terminal();
            (Form::Diff { escaped }, usize::MAX)
        } else {
            keep.context = args.show.context;
            let several = rewrite.steps().len() > 1;
            let form = Form::Text {
                view: PreviewView::new(output.paint(), output.width(), several),
                rewrite,
                shown: 0,
                instead,
            };
            (form, if instead { 0 } else { shown })
        };
        Ok(Self {
            form,
            room: Room::new(changes),
            keep,
        })
    }

    fn begin(&self, listing: &Listing, output: &mut Output) {
        match &self.form {
            Form::Text { rewrite, .. } => {
                let sentence = rewrite_sentence(rewrite, &listing.sources);
                output.print(format!("{sentence}\n").as_bytes());
            }
            Form::Json | Form::Diff { .. } => {}
        }
    }

    fn file(&mut self, report: &FileReport<'_>, output: &mut Output) -> Status {
        match &mut self.form {
            Form::Text { view, shown, .. } => {
                output.print(view.file(report).as_bytes());
                let now: usize = report.hunks.iter().map(|p| p.edits.len()).sum();
                *shown += now as u64;
            }
            Form::Json => {}
            // Its line ends are two bytes, which no patch tool knows.
            Form::Diff { .. } if report.facts.encoding.starts_with("UTF-16") => {
                let name = file_name(report.source);
                let message = format!("{name}: a diff cannot show UTF-16");
                let remedy = "leave --diff out, or use --json";
                return output.complain(&Diagnostic::trouble(message).remedy(remedy));
            }
            Form::Diff { escaped } => print_diff(&diff_of_file(report), *escaped, output),
        }
        Status::Fine
    }

    fn end(&self, pass: &Pass<'_>, output: &mut Output) {
        let totals = &pass.totals;
        match &self.form {
            Form::Text {
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
                print_notes(&pass.notes, &rewrite_hints(rewrite), output);
            }
            Form::Json | Form::Diff { .. } => {}
        }
    }
}

/// Prints notes, the first of many, and hints.
pub fn print_notes(notes: &[FileNote], hints: &[(&str, String)], output: &mut Output) {
    if !notes.is_empty() {
        output.print(b"\n");
    }
    for note in notes.iter().take(NOTES_SHOWN) {
        output.print(note.text().as_bytes());
    }
    if let Some(more) = notes.len().checked_sub(NOTES_SHOWN).filter(|n| *n > 0) {
        output.print(format!("{}\n", counted(more as u64, "more note")).as_bytes());
    }
    for (name, message) in hints {
        output.print(format!("\nhint {name}: {message}\n").as_bytes());
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
