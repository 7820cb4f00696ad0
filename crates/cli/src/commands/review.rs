//! `review`: judges the changes of a plan, on a screen, by options, or on a page.

mod taken_in;

use crate::args::definitions::{FilesArgs, GuardArgs, ReviewArgs};
use crate::args::split::Part;
use crate::commands::ends::{check_new, report_failed, report_unreadable, stopped};
use crate::commands::pages;
use crate::commands::plans::{self, plan_write_diagnostic};
use crate::commands::report::{Reported, guards};
use crate::diagnostic::Diagnostic;
use crate::host::host;
use crate::options::{self, AskedRewrite, KindsBy};
use crate::output::Output;
use crate::render::decisions::what_is_written;
use crate::settings::settings;
use crate::signals;
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::records::field::line;
use brisk_quill_core::records::history::DecisionsRecord;
use brisk_quill_engine::decide::{Decisions, DecisionsError};
use brisk_quill_engine::keep::{Keep, KeepError};
use brisk_quill_engine::schedule::Threads;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::fs::FileId;
use brisk_quill_files::read::facts::FactsOf;
use std::io::{self, IsTerminal};
use std::ops::ControlFlow;

/// All changes that are open once the others are decided about.
const REST: &str = "rest";

pub fn run(args: &ReviewArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    let decides = !args.accept.is_empty() || !args.refuse.is_empty();
    let takes_in = !args.decisions.is_empty();
    let silent = decides || takes_in || args.report.is_some();
    if let Some(page) = &args.report {
        check_new(page, "the page")?;
    }
    let by = KindsBy::of(args.kinds.as_deref())?.unwrap_or(KindsBy::Need);
    let decisions = decisions(args)?;
    let mut kept = None;
    if args.plan.plan.is_some() || plans::nothing_named(&parts) {
        plans::check_alone(&parts, !args.guard.ensure.is_empty())?;
    } else {
        let asked = options::rewrite(parts, &args.guard, &args.files.table)?;
        let (status, last) = evaluate(&asked, (&args.files, &args.guard), silent, output)?;
        if status != Status::Fine {
            return Ok(status);
        }
        kept = Some(last);
    }
    let mut meant = match kept {
        Some(kept) => plans::just_kept(kept, output)?,
        None => plans::meant(&args.plan, output)?,
    };
    if meant.plan.doc.index.entries.is_empty() {
        return Err(Diagnostic::no("there is nothing to review"));
    }
    if decides || takes_in {
        // All of it is looked at before any of it is saved.
        let mut lines = Vec::new();
        let told = taken_in::take_in(&mut meant, &args.decisions, &mut lines)?;
        if decides {
            let made = decisions.make(&mut meant.plan.doc);
            lines.extend(made.map_err(|error| not_decided(&error))?);
        }
        meant.append(&lines)?;
        output.note(&told);
    }
    if decides || takes_in {
        tell_decisions(&meant.plan.doc.index, args.json, output);
    }
    if let Some(page) = &args.report {
        pages::save(&meant, (page, &args.letter), output)?;
    }
    if silent {
        taken_in::check_conflicts(&meant, output)?;
        return Ok(Status::Fine);
    }
    needs_terminal()?;
    crate::review::run(meant, by, output)
}

/// Reviews the changes of a rewrite on the terminal.
pub fn of_rewrite(
    asked: &AskedRewrite,
    of: (&FilesArgs, &GuardArgs),
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let (status, kept) = evaluate(asked, of, false, output)?;
    if status != Status::Fine {
        return Ok(status);
    }
    let meant = plans::just_kept(kept, output)?;
    crate::review::run(meant, KindsBy::Need, output)
}

fn needs_terminal() -> Result<(), Diagnostic> {
    match io::stdin().is_terminal() && io::stdout().is_terminal() {
        true => Ok(()),
        false => Err(
            Diagnostic::wrong("there is no terminal to review on").remedy(
                "decide with `--accept WHICH` and `--refuse WHICH`; `rest` is all that is open",
            ),
        ),
    }
}

/// Evaluates a rewrite, and makes it the last preview of this folder; gives which file that is.
pub fn evaluate(
    asked: &AskedRewrite,
    (files, guard): (&FilesArgs, &GuardArgs),
    silent: bool,
    output: &mut Output,
) -> Result<(Status, Option<FileId>), Diagnostic> {
    let guards = guards(guard)?;
    let sources = asked.sources(files, FileUse::Rewrite)?;
    if sources.listing.has_stdin() {
        return Err(Diagnostic::wrong(
            "standard input cannot be reviewed, for it cannot be written later",
        )
        .remedy("name the files"));
    }
    let texts = options::texts(files, FactsOf::Found)?;
    if !silent {
        needs_terminal()?;
    }
    if !options::waits_for_typing(&sources) {
        signals::listen();
    }
    let silent = settings().hints_off();
    let keep = Keep {
        silent: &silent,
        texts,
        threads: Threads::new(files.threads),
        hints: !files.no_hints,
        ..Keep::new(&asked.text, &asked.rewrite, &sources, &guards)
    };
    report_unreadable(&sources, output);
    let progress = output.progress(&sources.listing.sources);
    let mut reported = Reported::new(&guards);
    let kept = keep.run(&host(), |source, found, end| {
        output.flow()?;
        report_failed(end, output);
        reported.units(source, &found.problems, &found.unmet, output);
        ControlFlow::Continue(())
    });
    drop(progress);
    let kept = kept.map_err(|error| match error {
        KeepError::Stopped => stopped(),
        KeepError::File(error) => Diagnostic::of_file(&error),
        KeepError::Write(error) => plan_write_diagnostic(&error),
    })?;
    let status = reported.end((&asked.rewrite, &guards), &kept.summary, output);
    if status == Status::Fine && kept.summary.counts.changes == 0 {
        return Err(Diagnostic::no(
            "there is nothing to review: no match would change",
        ));
    }
    Ok((status, kept.plan.last))
}

/// The decisions of the command line.
fn decisions(args: &ReviewArgs) -> Result<Decisions, Diagnostic> {
    let mut decisions = Decisions::default();
    // Those that refuse go last, so they win.
    let mut of_rest = None;
    for (option, texts, decision) in [
        ("--accept", &args.accept, Decision::Accepted),
        ("--refuse", &args.refuse, Decision::Refused),
    ] {
        for text in texts {
            if text == REST {
                if of_rest
                    .replace(decision)
                    .is_some_and(|other| other != decision)
                {
                    return Err(Diagnostic::wrong(
                        "`--accept rest` and `--refuse rest` cannot be combined",
                    )
                    .remedy("keep one of them"));
                }
                continue;
            }
            let added = decisions.add(text, decision);
            added.map_err(|error| Diagnostic::fault(option, text, &error))?;
        }
    }
    if let Some(decision) = of_rest {
        decisions.decide_rest(decision);
    }
    let checked = decisions.check();
    checked.map_err(|error| Diagnostic::wrong(error.to_string()))?;
    Ok(decisions)
}

/// The diagnostic of decisions that were not made.
fn not_decided(error: &DecisionsError) -> Diagnostic {
    match error {
        DecisionsError::NamesNone(text) => {
            let text = visible(text.as_bytes());
            Diagnostic::wrong(format!("`{text}` names no change of this plan")).remedy(
                "nothing has been decided; `preview --kinds` and `preview --json` list the numbers and ids",
            )
        }
        DecisionsError::Glob(error) => Diagnostic::wrong(error.to_string()),
        DecisionsError::Plan(error) => {
            Diagnostic::trouble(format!("cannot read the plan: {error}"))
        }
    }
}

/// Tells what would be written now.
fn tell_decisions(plan: &PlanIndex, json: bool, output: &mut Output) {
    match json {
        true => output.data(&json_decisions(plan)),
        false => output.prose(&format!("{}\n", what_is_written(plan))),
    }
}

/// The record of the decisions of a plan.
fn json_decisions(plan: &PlanIndex) -> Vec<u8> {
    let counts = plan.counts();
    line(&DecisionsRecord {
        changes: counts.total(),
        accepted: counts.accepted,
        modified: counts.modified,
        refused: counts.refused,
        open: counts.open,
        conflicts: plan.conflicts().len() as u64,
    })
}
