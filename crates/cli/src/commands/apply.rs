//! `apply`: makes the changes, all of them or none.

use crate::args::definitions::ApplyArgs;
use crate::args::split::Part;
use crate::commands::ends::report_unreadable;
use crate::commands::notes::print_notes;
use crate::commands::report::{Evaluating, first_unexpected, guards, unexpected};
use crate::commands::{copy_out, journal_run, plans};
use crate::diagnostic::Diagnostic;
use crate::host::cancel_token;
use crate::options::{self, AskedRewrite};
use crate::output::Output;
use crate::progress;
use crate::render::decisions::what_is_written;
use crate::render::kinds::shapes_at_a_glance;
use crate::render::sentence::rewrite_sentence;
use crate::render::table::rewrite_totals;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::options::{RunOptions, SPLIT_FROM};
use brisk_quill_core::step::reach::Reach;
use brisk_quill_engine::change_collector::ChangesAndKinds;
use brisk_quill_engine::collector::{Collector, Events, FileHunk};
use brisk_quill_engine::copy_out::Targets;
use brisk_quill_engine::kinds::KindCollector;
use brisk_quill_engine::plan_records;
use brisk_quill_engine::runs::Origin;
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::summary::FileEnd;
use brisk_quill_files::changes::Spooler;
use brisk_quill_files::discover::{FileUse, Listing};
use brisk_quill_files::error::system_words;
use brisk_quill_files::plan::{Plan, PlannedFile};
use brisk_quill_files::read::facts::FactsOf;
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::{SpliceError, splice_into};
use brisk_quill_files::splicer::Splicer;
use brisk_quill_files::store::Pack;
use brisk_quill_files::store::store_of::Packing;
use std::io::{self, IsTerminal, Write};
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};

pub fn run(args: &ApplyArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    output.outlives_its_reader();
    if args.json {
        output.only_records();
    }
    if args.plan.plan.is_some() || plans::nothing_named(&parts) {
        plans::check_alone(&parts, !args.guard.ensure.is_empty())?;
        return apply_plan(args, output);
    }
    if args.plan.renew {
        return Err(Diagnostic::wrong(
            "`--renew` is about a plan, and this evaluates a rewrite anyway",
        )
        .remedy("leave it out"));
    }
    let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
    check_reach(args, &asked)?;
    let guards = guards(&args.guard)?;
    let use_of = match args.to {
        Some(_) => FileUse::Read,
        None => FileUse::Rewrite,
    };
    let sources = asked.sources(&args.files, use_of)?;
    let listing = &sources.listing;
    let filter = listing.has_stdin();
    let texts = options::texts(&args.files, facts_for(filter, args.to.is_some()))?;
    if filter && args.json {
        return Err(Diagnostic::wrong(
            "`--json` tells of a run, and standard input is only passed on",
        )
        .remedy("leave it out"));
    }
    if filter {
        check_filter(args, listing)?;
    } else if args.to.is_none() && !args.yes {
        journal_run::can_ask("preview")?;
    }

    let run = RunOptions {
        // The kinds are shown before the question, and cells have names there.
        cells: !args.yes,
        split_from: Some(SPLIT_FROM),
        ..RunOptions::default()
    };
    let reading = (texts, Threads::new(args.files.threads));
    let mut evaluating = Evaluating::new(&asked.rewrite, &sources, run, reading, guards)
        .with_hints(!args.files.no_hints)
        .ends_with(options::nothing_matched(&args.files));
    if filter && may_pass_on(args, &asked) {
        let status = pass_on(&mut evaluating, output)?;
        return save_totals(args, &evaluating).map(|()| status);
    }
    let kept = evaluating.session.keep_stdin(listing);
    kept.map_err(|error| Diagnostic::of_file(&error))?;
    if let Some(to) = args.to.as_deref().filter(|_| !filter) {
        let targets = copy_out::targets(to, listing.sources.iter(), args.overwrite)?;
        let rewrite = serde_json::to_value(&asked.text).unwrap_or_default();
        let status = copy(&mut evaluating, targets, (to, rewrite), output)?;
        return save_totals(args, &evaluating).map(|()| status);
    }
    // Whoever is asked sees the kinds of what they are asked about.
    let mut kinds = (!filter && !args.yes).then(KindCollector::default);
    let mut plan = evaluate_all(&mut evaluating, &mut kinds, output)?;
    if args.triggers {
        plan.permit_triggers();
    }
    save_totals(args, &evaluating)?;
    let (status, go_on) = judge(&evaluating, output)?;
    let matches = evaluating.summary.counts.all_steps().matches;
    options::report_passed_over(&sources, (asked.first_pattern(), matches), output);
    match go_on {
        false => Ok(status),
        true if filter => write_filtered(&evaluating, &plan, output).map(|()| status),
        true => {
            let written = in_place(&asked, listing, &evaluating, (&plan, kinds), output)?;
            Ok(status.max(written))
        }
    }
}

/// Writes the totals aside, where that is asked for.
fn save_totals(args: &ApplyArgs, evaluating: &Evaluating<'_>) -> Result<(), Diagnostic> {
    let Some(file) = &args.totals else {
        return Ok(());
    };
    std::fs::write(file, plan_records::totals(&evaluating.summary)).map_err(|error| {
        let (shown, why) = (visible_path(file), system_words(&error));
        Diagnostic::trouble(format!("cannot write the totals to {shown}: {why}"))
            .remedy("name another file with `--totals`")
    })
}

/// A rewrite may not look further than the text it is given.
fn check_reach(args: &ApplyArgs, asked: &AskedRewrite) -> Result<(), Diagnostic> {
    let Some(most) = args.reach else {
        return Ok(());
    };
    let steps = (1..).zip(asked.rewrite.steps());
    let reaches = steps.map(|(number, step)| (number, step.reach()));
    let expects = !args.guard.expect.is_empty();
    let of_all = expects.then_some((asked.rewrite.steps().len(), (Reach::Run, Some("expect"))));
    let beyond = reaches.chain(of_all).find(|(_, (reach, _))| *reach > most);
    match beyond {
        None => Ok(()),
        Some((number, (reach, key))) => Err(Diagnostic::wrong(format!(
            "step {number} must see a whole {reach}, because of `{}`",
            key.unwrap_or_default()
        ))
        .remedy(format!(
            "leave that out, or do not cut the text into {most}s"
        ))),
    }
}

/// True if lines may be written before all have been read: nothing later can refuse them.
fn may_pass_on(args: &ApplyArgs, asked: &AskedRewrite) -> bool {
    asked.rewrite.may_pass_on(args.guard.skip_problems)
        && args.guard.expect.is_empty()
        && args.files.encoding.is_none()
}

/// The facts that are needed of texts: of standard input, or of files that are copied or not.
fn facts_for(filter: bool, copied: bool) -> FactsOf {
    match (filter, copied) {
        // What is copied is compared with what was read, whether it changes or not.
        (true, _) => FactsOf::All,
        // It is copied as it is read.
        (false, true) => FactsOf::None,
        (false, false) => FactsOf::Found,
    }
}

/// Copies all files with their changes.
fn copy(
    evaluating: &mut Evaluating<'_>,
    targets: Targets,
    (to, rewrite): (&Path, serde_json::Value),
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let staged = copy_out::stage(&targets, evaluating, output)?;
    let (status, go_on) = judge(evaluating, output)?;
    if go_on {
        copy_out::put_in_place(targets, staged, (to, rewrite), output)?;
    }
    Ok(status)
}

/// Writes standard input with its changes to standard output as it comes, line by line.
fn pass_on(evaluating: &mut Evaluating<'_>, output: &mut Output) -> Result<Status, Diagnostic> {
    evaluating.session.as_it_comes();
    let failed = Arc::default();
    let make = |_: &Source| PassOn {
        packed: None,
        splicer: Splicer::default(),
        failed: Arc::clone(&failed),
        problems: Vec::new(),
    };
    let done = evaluating.run(make, output, |mut taken, reported, output| {
        taken
            .found
            .write(|splicer, out| out.write_all(splicer.rest()));
        taken.found.end();
        reported.units(taken.source, &taken.found.problems, &[], output);
        ControlFlow::Continue(())
    });
    let failed = failed.lock().unwrap_or_else(PoisonError::into_inner).take();
    match failed {
        // A reader that went away early is not a failure.
        Some(error) if error.kind() == io::ErrorKind::BrokenPipe => return Ok(Status::Fine),
        Some(error) => {
            return Err(Diagnostic::trouble(format!(
                "cannot write the output: {error}"
            )));
        }
        None => done?,
    }
    tell_filtered(evaluating, output);
    Ok(evaluating.end(output))
}

/// Says to a person at the terminal how much of standard input became something else.
fn tell_filtered(evaluating: &Evaluating<'_>, output: &mut Output) {
    if io::stderr().is_terminal() {
        let changes = counted(evaluating.summary.counts.changes, "change");
        output.note(&format!("note: {changes} in standard input\n"));
    }
}

/// Writes what is read to standard output.
struct PassOn {
    /// Packs it as standard input is packed, where that is.
    packed: Option<Box<dyn Pack>>,
    splicer: Splicer,
    /// The first failure to write.
    failed: Arc<Mutex<Option<io::Error>>>,
    problems: Vec<Problem>,
}

impl PassOn {
    /// Writes at once; nothing more once that has failed.
    fn write(&mut self, write: impl FnOnce(&mut Splicer, &mut dyn Write) -> io::Result<()>) {
        let failed = self.failed.lock().unwrap_or_else(PoisonError::into_inner);
        if failed.is_some() {
            return;
        }
        drop(failed);
        let written = progress::aside(|| {
            let mut out = io::stdout().lock();
            match &mut self.packed {
                Some(packed) => write(&mut self.splicer, packed),
                None => write(&mut self.splicer, &mut out).and_then(|()| out.flush()),
            }
        });
        self.note(written);
    }

    /// Writes what ends a packed text.
    fn end(&mut self) {
        let ended = self.packed.take().map(Pack::end);
        self.note(ended.unwrap_or(Ok(())));
    }

    fn note(&mut self, written: io::Result<()>) {
        let mut failed = self.failed.lock().unwrap_or_else(PoisonError::into_inner);
        if let Err(error) = written {
            failed.get_or_insert(error);
            cancel_token().stop();
        }
    }
}

impl Events for PassOn {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        hunk.edits.iter().for_each(|edit| self.splicer.change(edit));
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn wants_bytes(&self) -> bool {
        true
    }

    fn packed(&mut self, packing: &Packing) {
        match packing.pack(io::stdout()) {
            Ok(packed) => self.packed = Some(packed),
            Err(error) => self.note(Err(error)),
        }
    }

    fn bytes(&mut self, raw: &[u8]) {
        self.write(|splicer, out| splicer.write(raw, out));
        self.splicer.done(raw);
    }
}

impl Collector for PassOn {
    // It is shown all bytes, so no part of them is evaluated elsewhere.
    fn join(&mut self, part: Self) {
        self.problems.extend(part.problems);
    }
}

/// The exit status, and whether anything is to be written.
fn judge(evaluating: &Evaluating<'_>, output: &mut Output) -> Result<(Status, bool), Diagnostic> {
    let status = evaluating.end(output);
    let refused = evaluating.summary.counts.unmet > 0 || !evaluating.as_expected();
    if refused || status == Status::WrongRequest {
        return Ok((status, false));
    }
    if status == Status::Trouble {
        return Err(Diagnostic::trouble(
            "nothing has been written, because not everything could be read and computed",
        )
        .remedy(
            "correct the above; or leave files out with `--exclude`, or units with `--skip-problems`",
        ));
    }
    Ok((status, true))
}

/// Writes a plan as it was decided.
fn apply_plan(args: &ApplyArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let expected = options::expected(&args.guard.expect)?;
    let mut meant = plans::meant_to_write(&args.plan, !args.yes, output)?;
    let problems = meant.plan.doc.index.problems;
    if problems > 0 && !args.guard.skip_problems {
        let what = counted(problems, "problem");
        let message = format!("{} left {what} aside when it was made", meant.name);
        return Err(Diagnostic::trouble(message).remedy(
            "nothing has been written; correct what it reported, or add `--skip-problems`",
        ));
    }
    let mut plan = meant.to_plan()?;
    if args.triggers {
        plan.permit_triggers();
    }
    if args.to.is_none() && !args.yes {
        journal_run::can_ask("review")?;
    }
    let targets = match &args.to {
        Some(to) => {
            let sources = plan.files.iter().map(|file| &file.source);
            Some((to, copy_out::targets(to, sources, args.overwrite)?))
        }
        None => None,
    };
    let written = what_is_written(&meant.plan.doc.index);
    let text = format!("{}\n\n{written}\n\n", meant.sentence());
    let to_stdout = targets
        .as_ref()
        .is_some_and(|(_, targets)| targets.use_stdout());
    match to_stdout {
        true => output.note(&text),
        false => output.prose(&text),
    }
    let changes: u64 = plan.files.iter().map(PlannedFile::count).sum();
    if let Some(one) = first_unexpected(&expected, changes) {
        return Err(unexpected(&one));
    }
    if changes == 0 {
        output.say("There is nothing to write.\n");
        return Ok(Status::No);
    }
    if let Some((to, targets)) = targets {
        let staged = targets.copy_plan(&plan);
        let staged = staged.map_err(|error| Diagnostic::of_file(&error))?;
        let rewrite = serde_json::to_value(&meant.plan.doc.index.rewrite).unwrap_or_default();
        copy_out::put_in_place(targets, staged, (to, rewrite), output)?;
        return Ok(Status::Fine);
    }
    let files = plan.changed().count() as u64;
    let what = journal_run::changes_in_files(changes, files);
    if !args.yes {
        let mut kinds = KindCollector::default();
        kinds.plan(&meant.plan.doc).map_err(|error| {
            Diagnostic::trouble(format!("the plan cannot be read again: {error}"))
        })?;
        print_kinds(kinds, output);
    }
    journal_run::tell_uncommitted(&plan, output);
    match journal_run::agreed(&format!("Write {what}? [y/N] "), args.yes, output)? {
        true => meant.write(&plan, output).map(|()| Status::Fine),
        false => Ok(Status::No),
    }
}

/// Pairs of shapes shown before the question.
const KINDS_SHOWN: usize = 12;

/// Prints the kinds of changes by shape, before a question.
fn print_kinds(kinds: KindCollector, output: &mut Output) {
    let text = shapes_at_a_glance(&kinds.into_kinds(), KINDS_SHOWN, output.width());
    output.draw(&text);
    output.say("\n");
}

fn check_filter(args: &ApplyArgs, listing: &Listing) -> Result<(), Diagnostic> {
    if listing.sources.len() > 1 {
        return Err(
            Diagnostic::wrong("standard input cannot be rewritten together with files")
                .remedy("rewrite the files in a command of their own"),
        );
    }
    if args.to.is_some() {
        return Err(Diagnostic::wrong(
            "standard input is written to standard output, not to `--to`",
        )
        .remedy("send standard output where you want it, with `>`"));
    }
    Ok(())
}

/// Evaluates every source and keeps the changes; counts their kinds, where those are wanted.
fn evaluate_all(
    evaluating: &mut Evaluating<'_>,
    kinds: &mut Option<KindCollector>,
    output: &mut Output,
) -> Result<Plan, Diagnostic> {
    report_unreadable(evaluating.sources, output);
    let mut plan = Plan::default();
    let mut failed = None;
    let spool = Spooler::spool();
    let counts_kinds = kinds.is_some();
    let make = |source| ChangesAndKinds::new(source, &spool, counts_kinds);
    evaluating.run(make, output, |taken, reported, output| {
        let (found, Some(end)) = (taken.found, taken.end) else {
            return ControlFlow::Continue(());
        };
        if let (Some(kinds), Some(file)) = (kinds.as_mut(), found.kinds) {
            kinds.absorb(file);
        }
        let found = found.changes;
        reported.units(taken.source, &found.problems, &found.unmet, output);
        match (found.finish(), end) {
            (Ok(changes), FileEnd::Read(read)) => {
                let file = PlannedFile::evaluated(taken.source.clone(), read.facts, changes);
                plan.files.push(file);
            }
            (Ok(_), FileEnd::Skipped(_) | FileEnd::Failed(_)) => {}
            (Err(error), _) => {
                failed = Some(error);
                return ControlFlow::Break(());
            }
        }
        ControlFlow::Continue(())
    })?;
    failed.map_or(Ok(plan), |error| {
        let message = format!("the changes cannot be kept in a temporary file: {error}");
        Err(Diagnostic::trouble(message).remedy("make room, or set TMPDIR to a folder with room"))
    })
}

/// Writes the rewritten standard input to standard output.
fn write_filtered(
    evaluating: &Evaluating<'_>,
    plan: &Plan,
    output: &mut Output,
) -> Result<(), Diagnostic> {
    for file in &plan.files {
        let kept = evaluating.session.kept_stdin();
        let kept = kept.map_err(|error| Diagnostic::of_file(&error))?;
        splice_into(kept, file, output).map_err(|error| match error {
            SpliceError::Read(error) => {
                Diagnostic::trouble(format!("cannot read standard input: {error}"))
            }
            SpliceError::Write(error) => {
                Diagnostic::trouble(format!("cannot write the output: {error}"))
            }
            SpliceError::Lossy(why) => Diagnostic::trouble(format!("standard input {why}")),
            SpliceError::Changed => Diagnostic::trouble("standard input changed while read"),
        })?;
    }
    tell_filtered(evaluating, output);
    Ok(())
}

/// Shows the counts, asks, and writes each file where it stands.
fn in_place(
    asked: &AskedRewrite,
    listing: &Listing,
    evaluating: &Evaluating<'_>,
    (plan, kinds): (&Plan, Option<KindCollector>),
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let sentence = rewrite_sentence(&asked.rewrite, &listing.sources);
    let totals = rewrite_totals(&evaluating.summary, &asked.rewrite);
    let text = format!("{sentence}\n\n{totals}");
    output.prose(&text);
    let summary = &evaluating.summary;
    print_notes(&summary.notes, &summary.hints, output);
    output.say("\n");
    if plan.changed().next().is_none() {
        output.say("There is nothing to write.\n");
        return Ok(Status::Fine);
    }
    let what = journal_run::changes_in_files(
        evaluating.summary.counts.changes,
        evaluating.summary.changed,
    );
    let is_asked = kinds.is_some();
    if let Some(kinds) = kinds {
        print_kinds(kinds, output);
    }
    journal_run::tell_uncommitted(plan, output);
    if !journal_run::agreed(&format!("Write {what}? [y/N] "), !is_asked, output)? {
        return Ok(Status::No);
    }
    let rewrite = serde_json::to_value(&asked.text).unwrap_or_default();
    let done = journal_run::make(plan, Origin::Rewrite(rewrite))?;
    journal_run::tell(&done, output);
    Ok(Status::Fine)
}
