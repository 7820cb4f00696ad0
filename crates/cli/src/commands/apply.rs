//! `apply`: makes the changes, all of them or none.

use crate::args::{ApplyArgs, Part};
use crate::commands::copy_out::Copies;
use crate::commands::pass::{Guard, Pass, unexpected};
use crate::commands::{journal_run, plans};
use crate::diagnostic::Diagnostic;
use crate::options::{self, AskedRewrite, Threads};
use crate::output::Output;
use crate::progress;
use crate::render::numbers::counted;
use crate::render::sentence::rewrite_sentence;
use crate::signals::cancel_token;
use crate::status::Status;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::scanner::Note;
use brisk_quill_core::rewrite::{RunOptions, SPLIT_FROM, Unmet};
use brisk_quill_files::changes::{ChangeList, Spooler};
use brisk_quill_files::discover::{FileUse, Listing, Source};
use brisk_quill_files::evaluate::in_parts::PartSink;
use brisk_quill_files::evaluate::{FileHunk, FileSink};
use brisk_quill_files::plan::{Plan, PlannedFile};
use brisk_quill_files::read::FactsOf;
use brisk_quill_files::splice::{SpliceError, splice_into};
use brisk_quill_files::splicer::Splicer;
use brisk_quill_files::spool::Spool;
use std::io::{self, Write};
use std::ops::ControlFlow;
use std::sync::{Arc, Mutex, PoisonError};

pub fn run(args: &ApplyArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    output.outlives_its_reader();
    if args.plan.plan.is_some() || plans::nothing_named(&parts) {
        plans::check_alone(&parts, !args.guard.ensure.is_empty())?;
        return apply_plan(args, output);
    }
    if args.plan.renew {
        return Err(Diagnostic::wrong(
            "--renew is about a plan, and this evaluates a rewrite anyway",
        )
        .remedy("leave it out"));
    }
    let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
    let guard = Guard::new(&args.guard)?;
    let use_of = match args.to {
        Some(_) => FileUse::Read,
        None => FileUse::Rewrite,
    };
    let sources = asked.sources(&args.files, use_of)?;
    let listing = &sources.listing;
    let filter = listing.sources.contains(&Source::Stdin);
    let facts = match (filter, &args.to) {
        // What is copied is compared with what was read, whether it changes or not.
        (true, _) => FactsOf::All,
        // It is copied as it is read.
        (false, Some(_)) => FactsOf::None,
        (false, None) => FactsOf::Found,
    };
    let texts = options::texts(&args.files, facts)?;
    if filter {
        check_filter(args, listing)?;
    } else if args.to.is_none() && !args.yes {
        journal_run::can_ask("preview")?;
    }

    let run = RunOptions {
        split_from: Some(SPLIT_FROM),
        ..RunOptions::default()
    };
    let reading = (texts, Threads::new(args.files.threads));
    let mut pass = Pass::new(&asked.rewrite, &sources, run, reading, guard)?;
    let passes_on = filter
        && asked.rewrite.may_pass_on(args.guard.skip_problems)
        && args.guard.expect.is_empty()
        && args.files.encoding.is_none();
    if passes_on {
        return pass_on(&mut pass, listing, output);
    }
    pass.keep_stdin(listing)?;
    if let Some(to) = args.to.as_deref().filter(|_| !filter) {
        let copies = Copies::new(to, listing.sources.iter(), args.overwrite)?;
        let staged = copies.stage(&mut pass, listing, output)?;
        let (status, go_on) = judge(&pass, output)?;
        if go_on {
            let rewrite = serde_json::to_value(&asked.text).unwrap_or_default();
            copies.put_in_place(staged, rewrite, output)?;
        }
        return Ok(status);
    }
    let plan = evaluate_all(&mut pass, listing, output)?;
    if filter && plan.files.is_empty() {
        return Err(looks_binary());
    }
    let (status, go_on) = judge(&pass, output)?;
    sources.tell_passed_over(pass.totals.counts.all_steps().matches, output);
    match go_on {
        false => {}
        true if filter => write_filtered(&pass, &plan, output)?,
        true => in_place(&asked, listing, &pass, &plan, args, output)?,
    }
    Ok(status)
}

/// Writes standard input with its changes to standard output as it comes, line by line.
fn pass_on(
    pass: &mut Pass<'_>,
    listing: &Listing,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    pass.as_it_comes();
    let failed = Arc::default();
    let sink = |_: &Source| PassOn {
        splicer: Splicer::default(),
        failed: Arc::clone(&failed),
        problems: Vec::new(),
    };
    let done = pass.each(
        listing,
        sink,
        output,
        |pass, source, mut sink, _, output| {
            sink.write(|splicer, out| out.write_all(splicer.rest()));
            pass.tell(source, &sink.problems, &[], output);
            ControlFlow::Continue(())
        },
    );
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
    if pass.totals.files.binary > 0 {
        return Err(looks_binary());
    }
    Ok(pass.end(output))
}

/// Writes what is read to standard output.
struct PassOn {
    splicer: Splicer,
    /// The first failure to write.
    failed: Arc<Mutex<Option<io::Error>>>,
    problems: Vec<Problem>,
}

impl PassOn {
    /// Writes at once; nothing more once that has failed.
    fn write(&mut self, write: impl FnOnce(&mut Splicer, &mut dyn Write) -> io::Result<()>) {
        let mut failed = self.failed.lock().unwrap_or_else(PoisonError::into_inner);
        if failed.is_some() {
            return;
        }
        let written = progress::aside(|| {
            let mut out = io::stdout().lock();
            write(&mut self.splicer, &mut out).and_then(|()| out.flush())
        });
        if let Err(error) = written {
            *failed = Some(error);
            cancel_token().stop();
        }
    }
}

impl FileSink for PassOn {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        hunk.edits.iter().for_each(|edit| self.splicer.change(edit));
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    // No guard is given.
    fn unmet(&mut self, _: Unmet) {}

    // A preview tells; here nothing is shown.
    fn note(&mut self, _: usize, _: Note) {}

    fn wants_bytes(&self) -> bool {
        true
    }

    fn bytes(&mut self, raw: &[u8]) {
        self.write(|splicer, out| splicer.write(raw, out));
        self.splicer.done(raw);
    }
}

impl PartSink for PassOn {
    // It is shown all bytes, so no part of them is evaluated elsewhere.
    fn join(&mut self, part: Self) {
        self.problems.extend(part.problems);
    }
}

fn looks_binary() -> Diagnostic {
    Diagnostic::trouble("standard input looks binary, and nothing has been written")
        .remedy("add `--binary` if it is text all the same")
}

/// What the program ends with, and whether anything is to be written.
fn judge(pass: &Pass<'_>, output: &mut Output) -> Result<(Status, bool), Diagnostic> {
    let status = pass.end(output);
    let refused = pass.totals.counts.unmet > 0 || !pass.as_expected();
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
    let meant = plans::meant(&args.plan, output)?;
    let problems = meant.doc.index.problems;
    if problems > 0 && !args.guard.skip_problems {
        let what = counted(problems, "problem");
        let message = format!("{} left {what} aside when it was made", meant.name);
        return Err(Diagnostic::trouble(message).remedy(
            "nothing has been written; correct what it reported, or add `--skip-problems`",
        ));
    }
    let plan = meant.to_plan()?;
    if args.to.is_none() && !args.yes {
        journal_run::can_ask("review")?;
    }
    let copies = match &args.to {
        Some(to) => {
            let sources = plan.files.iter().map(|file| &file.source);
            Some(Copies::new(to, sources, args.overwrite)?)
        }
        None => None,
    };
    let decisions = plans::decisions(&meant.doc.index, "nothing is decided, so all are written");
    let text = format!("{}\n\n{decisions}\n", meant.sentence());
    match copies.as_ref().is_some_and(Copies::use_stdout) {
        true => output.note(&text),
        false => output.print(text.as_bytes()),
    }
    let changes: u64 = plan.files.iter().map(|file| file.changes.len()).sum();
    if let Some(count) = expected.iter().find(|count| !count.holds(changes)) {
        return Err(unexpected(*count, changes));
    }
    if changes == 0 {
        output.print(b"There is nothing to write.\n");
        return Ok(Status::No);
    }
    if let Some(copies) = copies {
        let staged = copies.stage_plan(&plan)?;
        let rewrite = serde_json::to_value(&meant.doc.index.rewrite).unwrap_or_default();
        copies.put_in_place(staged, rewrite, output)?;
        return Ok(Status::Fine);
    }
    let files = plan.changed().count() as u64;
    let what = journal_run::changes_in_files(changes, files);
    if journal_run::agreed(&format!("Write {what}? [y/N] "), args.yes, output)? {
        meant.write(&plan, output)?;
    }
    Ok(Status::Fine)
}

fn check_filter(args: &ApplyArgs, listing: &Listing) -> Result<(), Diagnostic> {
    if listing.sources.len() > 1 {
        return Err(
            Diagnostic::wrong("standard input cannot be rewritten together with files")
                .remedy("rewrite the files in a command of their own"),
        );
    }
    if args.to.is_some() {
        return Err(
            Diagnostic::wrong("standard input is written to standard output, not to --to")
                .remedy("send standard output where you want it, with `>`"),
        );
    }
    Ok(())
}

/// Evaluates every source and keeps the changes.
fn evaluate_all(
    pass: &mut Pass<'_>,
    listing: &Listing,
    output: &mut Output,
) -> Result<Plan, Diagnostic> {
    pass.unreadable(listing, output);
    let mut plan = Plan::default();
    let mut failed = None;
    let spool = Spooler::spool();
    let sink = |_: &Source| Changes::new(&spool);
    pass.each(
        listing,
        sink,
        output,
        |pass, source, mut sink, read, output| {
            pass.tell(source, &sink.problems, &sink.unmet, output);
            match (sink.end_file(), read) {
                (Ok(changes), Some(read)) => {
                    let file = PlannedFile::evaluated(source.clone(), read.facts, changes);
                    plan.files.push(file);
                }
                (Ok(_), None) => {}
                (Err(error), _) => {
                    failed = Some(error);
                    return ControlFlow::Break(());
                }
            }
            ControlFlow::Continue(())
        },
    )?;
    failed.map_or(Ok(plan), |error| {
        let message = format!("the changes cannot be kept in a temporary file: {error}");
        Err(Diagnostic::trouble(message).remedy("make room, or set TMPDIR to a folder with room"))
    })
}

/// Keeps the changes of one file.
struct Changes {
    spooler: Spooler,
    failed: Option<io::Error>,
    problems: Vec<Problem>,
    unmet: Vec<Unmet>,
}

impl Changes {
    fn new(spool: &Arc<Spool>) -> Self {
        Self {
            spooler: Spooler::sharing(spool),
            failed: None,
            problems: Vec::new(),
            unmet: Vec::new(),
        }
    }

    fn end_file(&mut self) -> io::Result<ChangeList> {
        match self.failed.take() {
            Some(error) => Err(error),
            None => self.spooler.end_file(),
        }
    }
}

impl FileSink for Changes {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        for edit in &hunk.edits {
            if self.failed.is_none() {
                self.failed = self.spooler.push_edit(edit).err();
            }
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push(unmet);
    }

    // A preview tells; here nothing is shown.
    fn note(&mut self, _: usize, _: Note) {}
}

impl PartSink for Changes {
    fn join(&mut self, part: Self) {
        let joined = part.failed.map_or(Ok(()), Err);
        let joined = joined.and_then(|()| self.spooler.join(part.spooler));
        self.failed = self.failed.take().or(joined.err());
        self.problems.extend(part.problems);
        self.unmet.extend(part.unmet);
    }
}

/// Writes the rewritten standard input to standard output.
fn write_filtered(pass: &Pass<'_>, plan: &Plan, output: &mut Output) -> Result<(), Diagnostic> {
    for file in &plan.files {
        splice_into(pass.kept_stdin()?, file, output).map_err(|error| match error {
            SpliceError::Read(error) => {
                Diagnostic::trouble(format!("cannot read standard input: {error}"))
            }
            SpliceError::Write(error) => {
                Diagnostic::trouble(format!("cannot write the output: {error}"))
            }
            SpliceError::Changed => Diagnostic::trouble("standard input changed while read"),
        })?;
    }
    Ok(())
}

/// Shows the counts, asks, and writes each file where it stands.
fn in_place(
    asked: &AskedRewrite,
    listing: &Listing,
    pass: &Pass<'_>,
    plan: &Plan,
    args: &ApplyArgs,
    output: &mut Output,
) -> Result<(), Diagnostic> {
    let sentence = rewrite_sentence(&asked.rewrite, &listing.sources);
    let text = format!("{sentence}\n\n{}\n", pass.totals.text());
    output.print(text.as_bytes());
    if plan.changed().next().is_none() {
        output.print(b"There is nothing to write.\n");
        return Ok(());
    }
    let what = journal_run::changes_in_files(pass.totals.counts.changes, pass.totals.changed);
    if !journal_run::agreed(&format!("Write {what}? [y/N] "), args.yes, output)? {
        return Ok(());
    }
    let rewrite = serde_json::to_value(&asked.text).unwrap_or_default();
    let done = journal_run::make(plan, rewrite, None)?;
    journal_run::tell(&done, output);
    Ok(())
}
