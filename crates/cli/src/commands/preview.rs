//! `preview`: every change a rewrite would make; nothing is written.

mod view;

use crate::args::definitions::{Context, LetterArgs, PreviewArgs};
use crate::args::split::Part;
use crate::commands::ends::{check_new, report_unreadable};
use crate::commands::preview::view::View;
use crate::commands::report::{Evaluating, guards};
use crate::commands::{pages, plans};
use crate::diagnostic::Diagnostic;
use crate::host::host;
use crate::options::{self, AskedRewrite, KindsBy};
use crate::output::Output;
use crate::render::{compared, kinds};
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::options::{RunOptions, SPLIT_FROM};
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_engine::collector::{Collector, Events, FileHunk};
use brisk_quill_engine::compare::{ComparedChange, Comparison};
use brisk_quill_engine::kept_hunk::{FileReport, HunkCollector, HunkLimits};
use brisk_quill_engine::kinds::KindCollector;
use brisk_quill_engine::plan_writer::{Keeping, PlanEnd, PlanPart, PlanWriter, Stream};
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::Taken;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::{FileEnd, FileRead};
use brisk_quill_engine::worked_examples::{self, Examples};
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::error::system_words;
use brisk_quill_files::read::TextOptions;
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;
use std::path::Path;

pub fn run(
    args: &PreviewArgs,
    parts: Vec<Part>,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
    if let Some(file) = &args.save_rewrite {
        check_new(file, "the rewrite")?;
    }
    if let Some(page) = &args.report {
        check_new(page, "the page")?;
    }
    let through = through(args, &asked.rewrite)?;
    let (texts, sources) = files(args, &asked)?;
    let piped = sources.listing.has_stdin();
    let planned = asked.up_to(through);
    let mut preview = Preview::new(args, &asked, (&planned, !piped), output)?;
    let run = run_options(args, &preview.view);
    let reading = (texts, Threads::new(args.files.threads));
    let guards = guards(&args.guard)?;
    let mut evaluating = Evaluating::new(&planned.rewrite, &sources, run, reading, guards)
        .with_hints(!args.files.no_hints)
        .ends_with(options::nothing_matched(&args.files));
    if args.whole {
        let keep = evaluating.session.keep_stdin(&sources.listing);
        keep.map_err(|error| Diagnostic::of_file(&error))?;
        preview.view.read_stdin(evaluating.session.stdin());
    }
    preview.begin(&sources, output);
    let (steps, of) = (planned.text.step.len(), asked.text.step.len());
    if steps < of && !args.json {
        let first = match steps {
            1 => "step 1".to_owned(),
            n => format!("steps 1 to {n}"),
        };
        output.note(&format!(
            "note: this is {first} of {of}; `review` and `apply` go on with no more than that\n"
        ));
    }
    report_unreadable(evaluating.sources, output);
    let maker = preview.plan.maker();
    let limits = HunkLimits {
        changes: preview.view.room.left().max(preview.for_examples()),
        ..preview.view.keep
    };
    let room = preview.view.room.clone();
    let (compares, counts_kinds) = (preview.comparison.is_some(), preview.kinds.is_some());
    let for_examples = preview.for_examples();
    let make = |source| PreviewCollector {
        source,
        found: HunkCollector::new(HunkLimits {
            changes: room.left().max(for_examples),
            ..limits
        }),
        plan: maker.part(source),
        kinds: counts_kinds.then(KindCollector::default),
        compared: compares.then(Vec::new),
    };
    evaluating.run(make, output, |taken, reported, output| {
        let Taken {
            source,
            found,
            end: Some(FileEnd::Read(read)),
        } = taken
        else {
            return ControlFlow::Continue(());
        };
        reported.units(source, &found.found.problems, &found.found.unmet, output);
        preview.file(source, &read, found, output);
        ControlFlow::Continue(())
    })?;
    let matches = evaluating.summary.counts.all_steps().matches;
    let (status, kept) = preview.end(&evaluating, output)?;
    if let Some(page) = &args.report {
        save_page((page, &args.letter), kept, output)?;
    }
    options::report_passed_over(&sources, (asked.first_pattern(), matches), output);
    Ok(status)
}

/// Saves the plan of this preview, which is the last one now, as a page; unless there is none.
fn save_page(
    page: (&Path, &LetterArgs),
    kept: Option<PlanEnd>,
    output: &mut Output,
) -> Result<(), Diagnostic> {
    if let Some(kept) = kept {
        let meant = plans::just_kept(kept.last, output)?;
        return pages::save(&meant, page, output);
    }
    output.note("note: the page has not been saved, for there is nothing to review\n");
    Ok(())
}

/// The files of a preview, and how they are read.
fn files(args: &PreviewArgs, asked: &AskedRewrite) -> Result<(TextOptions, Sources), Diagnostic> {
    // What is compared must be known of files without changes too.
    let facts = match args.against {
        Some(_) => FactsOf::All,
        None => FactsOf::Found,
    };

    let texts = options::texts(&args.files, facts)?;
    let sources = asked.sources(&args.files, FileUse::Read)?;
    let has_stdin = sources.listing.has_stdin();
    if has_stdin && (args.save_plan.is_some() || args.report.is_some()) {
        return Err(Diagnostic::wrong(
            "standard input cannot be written later, so its plan cannot be saved",
        )
        .remedy("name the files"));
    }
    Ok((texts, sources))
}

/// All that takes part in a preview.
struct Preview<'a> {
    args: &'a PreviewArgs,
    asked: &'a AskedRewrite,
    view: View<'a>,
    plan: PlanWriter<'a>,
    comparison: Option<Comparison>,
    kinds: Option<(KindsBy, KindCollector)>,
    examples: Option<Examples>,
    /// Rows shown of a table.
    show: usize,
    status: Status,
}

impl<'a> Preview<'a> {
    fn new(
        args: &'a PreviewArgs,
        asked: &'a AskedRewrite,
        (planned, keeps): (&'a AskedRewrite, bool),
        output: &mut Output,
    ) -> Result<Self, Diagnostic> {
        let show = options::shown(&args.show)?;
        let comparison = match &args.against {
            Some(file) => Some(comparison(file, show)?),
            None => None,
        };
        let plan = PlanWriter::new(
            (&planned.text, &planned.rewrite),
            &host(),
            args.json,
            args.save_plan.as_deref(),
            match keeps {
                true if args.report.is_some() => Keeping::Always,
                true => Keeping::IfPossible,
                false => Keeping::Never,
            },
        );
        let plan = plan.map_err(|error| plans::plan_write_diagnostic(&error))?;
        if plan.is_kept() {
            output.outlives_its_reader();
        }
        Ok(Self {
            args,
            asked,
            view: View::new(args, planned, output)?,
            plan,
            comparison,
            kinds: KindsBy::of(args.kinds.as_deref())?.map(|by| (by, KindCollector::default())),
            examples: args.save_rewrite.is_some().then(Examples::default),
            show,
            status: Status::Fine,
        })
    }

    /// Changes of a file that are kept for worked examples.
    fn for_examples(&self) -> usize {
        match self.examples {
            Some(_) => worked_examples::LOOKED_AT,
            None => 0,
        }
    }

    fn begin(&mut self, sources: &Sources, output: &mut Output) {
        self.view.begin(&sources.listing, output);
        self.plan.begin(&mut stream(self.args, output));
    }

    /// Takes what was found in a file.
    fn file(
        &mut self,
        source: &Source,
        read: &FileRead,
        collected: PreviewCollector<'_>,
        output: &mut Output,
    ) {
        let mut found = collected.found;
        if let (Some(comparison), Some(changes)) = (&mut self.comparison, collected.compared) {
            comparison.file(source, &read.facts, changes);
        }
        if let (Some((_, kinds)), Some(file)) = (&mut self.kinds, collected.kinds) {
            kinds.absorb(file);
        }
        if read.counts.changes + read.counts.problems + read.counts.unmet == 0 {
            return;
        }
        if let Some(examples) = &mut self.examples {
            examples.file(&self.asked.rewrite, source, &found.hunks);
        }
        self.view
            .room
            .fill(&mut found.hunks, |hunk| hunk.edits.len());
        let report = FileReport {
            source,
            facts: &read.facts,
            hunks: &found.hunks,
            problems: &found.problems,
            unmet: &found.unmet,
        };
        self.status = self.status.max(self.view.file(&report, output));
        self.plan.file(
            (source, &read.facts),
            collected.plan,
            (&found.problems, &found.unmet),
            &mut stream(self.args, output),
        );
    }

    /// Prints what follows the changes, and saves what is to be saved; says whether the plan is one
    /// that can be reviewed.
    fn end(
        self,
        evaluating: &Evaluating<'_>,
        output: &mut Output,
    ) -> Result<(Status, Option<PlanEnd>), Diagnostic> {
        let summary = &evaluating.summary;
        let width = output.width();
        if let Some((by, kinds)) = self.kinds {
            let kinds = kinds.into_kinds();
            let text = match by.groups(kinds.kinds.len()) {
                true => kinds::table_by_shape(&kinds, self.show, width),
                false => kinds::table(&kinds, self.show, width),
            };
            output.draw(&text);
        }
        if let Some(comparison) = self.comparison {
            let text = compared::text(&comparison.finish(), output.canvas());
            output.draw(&text);
        }
        self.view.end(summary, output);
        if let (Some(file), Some(examples)) = (&self.args.save_rewrite, self.examples) {
            save_rewrite(file, (&self.asked.text, &self.asked.rewrite), examples)?;
        }
        let status = self.status.max(evaluating.end(output));
        let holds = status == Status::Fine && summary.counts.changes > 0;
        let guarded = !evaluating.as_expected() || summary.counts.unmet > 0;
        let ended = self
            .plan
            .end(summary, (holds, guarded), &mut stream(self.args, output));
        let ended = ended.map_err(|error| plans::plan_write_diagnostic(&error))?;
        if ended.saved == Some(false) {
            output.note("note: the plan has not been saved\n");
        }
        if ended.is_too_large && ended.saved.is_none() {
            output.note(
                "note: these changes are too many to be kept as the last preview; add \
                 `--save-plan FILE`, then `bquill review --plan FILE` and `bquill apply --plan FILE` go on with them\n",
            );
        }
        Ok((status, holds.then_some(ended)))
    }
}

/// The stream for the records of the plan, if they are printed.
fn stream<'o>(args: &PreviewArgs, output: &'o mut Output) -> Stream<'o> {
    args.json.then_some(output as _)
}

/// The comparison with an earlier plan; `last` is the last preview.
fn comparison(file: &Path, show: usize) -> Result<Comparison, Diagnostic> {
    let doc = plans::open(Some(file))?;
    Comparison::new(doc, show)
        .map_err(|error| Diagnostic::trouble(format!("cannot read the earlier plan: {error}")))
}

/// Writes a rewrite file; examples are added where it holds none.
pub fn save_rewrite(
    file: &Path,
    asked: (&RewriteText, &Rewrite),
    examples: Examples,
) -> Result<(), Diagnostic> {
    let text = worked_examples::rewrite_file(file, asked, examples);
    let shown = visible_path(file);
    std::fs::write(file, text).map_err(|error| {
        Diagnostic::trouble(format!("cannot write {shown}: {}", system_words(&error)))
    })
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
            Err(Diagnostic::wrong(format!("`--through`: there is no step {n}")).remedy(there))
        }
        through => Ok(through),
    }
}

/// Gathers what is found in a file for all that take part in a preview.
struct PreviewCollector<'p> {
    source: &'p Source,
    found: HunkCollector,
    plan: PlanPart<'p>,
    kinds: Option<KindCollector>,
    compared: Option<Vec<ComparedChange>>,
}

impl Events for PreviewCollector<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        self.plan.hunk(hunk);
        if let Some(kinds) = &mut self.kinds {
            kinds.hunk(self.source, hunk);
        }
        if let Some(compared) = &mut self.compared {
            let edits = hunk.edits.iter();
            compared.extend(edits.map(|edit| ComparedChange::new(edit, hunk.hunk)));
        }
        self.found.hunk(hunk);
    }

    fn problem(&mut self, problem: Problem) {
        self.found.problem(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.found.unmet(unmet);
    }
}

impl Collector for PreviewCollector<'_> {
    fn for_part(self) -> Self {
        let kinds = self.kinds.map(KindCollector::without_limit);
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

/// The options of a run whose changes are shown in `view`.
fn run_options(args: &PreviewArgs, view: &View) -> RunOptions {
    RunOptions {
        groups: true,
        cells: true,
        one_piece: view.keep.context > 0,
        rows: args.show.context == Context::Row,
        stages: args.steps,
        // What shows or keeps whole lines needs them whole.
        split_from: view.splits_lines(args).then_some(SPLIT_FROM),
        ..RunOptions::default()
    }
}
