//! `check --rewrite`: a rewrite must have nothing left to change.

use crate::args::definitions::CheckArgs;
use crate::args::split::Part;
use crate::commands::ends::report_unreadable;
use crate::commands::notes::print_notes;
use crate::commands::report::Evaluating;
use crate::commands::search::Room;
use crate::diagnostic::Diagnostic;
use crate::options;
use crate::output::Output;
use crate::render::annotations::Places;
use crate::render::positions;
use crate::render::preview::PreviewView;
use crate::render::sentence::rewrite_sentence;
use crate::status::Status;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_engine::guards::Guards;
use brisk_quill_engine::kept_hunk::{FileReport, HunkCollector, HunkLimits};
use brisk_quill_engine::schedule::Threads;
use brisk_quill_engine::session::Taken;
use brisk_quill_engine::summary::FileEnd;
use brisk_quill_files::discover::FileUse;
use brisk_quill_files::read::facts::FactsOf;
use std::ops::ControlFlow;

/// The fault of a place that would change.
const FAULT: &str = "the rewrite would still change this";

/// Checks that a rewrite file changes nothing, and shows what it would change.
pub fn run(args: &CheckArgs, parts: Vec<Part>, output: &mut Output) -> Result<Status, Diagnostic> {
    if args.forbid || args.json {
        return Err(Diagnostic::wrong(
            "`--rewrite` cannot be combined with `--forbid` or `--json`",
        )
        .remedy("leave it out; `preview --rewrite FILE --json` prints records"));
    }
    let asked = options::rewrite(parts, &Default::default(), &args.files.table)?;
    let sources = asked.sources(&args.files, FileUse::Read)?;
    let texts = options::texts(&args.files, FactsOf::None)?;
    let room = Room::new(options::at_most("--show", args.show.as_deref())?);
    let as_places = args.positions || args.annotate.is_some();
    let mut places = as_places.then(|| Places::new(args.annotate));
    let view = PreviewView::new(output.canvas(), asked.rewrite.steps().len() > 1);
    let sentence = rewrite_sentence(&asked.rewrite, &sources.listing.sources);
    if places.is_none() {
        output.prose(&format!("{sentence}\n"));
    }
    let run = RunOptions {
        cells: true,
        ..RunOptions::default()
    };
    let reading = (texts, Threads::new(args.files.threads));
    let mut evaluating = Evaluating::new(&asked.rewrite, &sources, run, reading, Guards::default())
        .ends_with(Status::Fine);
    report_unreadable(evaluating.sources, output);
    let (most, kept) = (
        if as_places { usize::MAX } else { room.left() },
        room.clone(),
    );
    let make = |_: &_| {
        let changes = if as_places { most } else { kept.left() };
        HunkCollector::new(HunkLimits {
            changes,
            ..HunkLimits::default()
        })
    };
    let mut shown = 0;
    evaluating.run(make, output, |taken, reported, output| {
        let Taken {
            source,
            mut found,
            end: Some(FileEnd::Read(read)),
        } = taken
        else {
            return ControlFlow::Continue(());
        };
        reported.units(source, &found.problems, &found.unmet, output);
        if !as_places {
            shown += room.fill(&mut found.hunks, |hunk| hunk.edits.len()) as u64;
        }
        let report = FileReport {
            source,
            facts: &read.facts,
            hunks: &found.hunks,
            problems: &found.problems,
            unmet: &found.unmet,
        };
        match &mut places {
            None => output.draw(&view.file(&report)),
            Some(places) => {
                for (place, text) in positions::changes(&report) {
                    let said = places.add(source, place, (FAULT, &text));
                    output.say(&said);
                }
            }
        }
        ControlFlow::Continue(())
    })?;
    let summary = &evaluating.summary;
    let changes = summary.counts.changes;
    match places {
        Some(places) => output.say(&places.end(&sentence)),
        None => {
            if changes > shown {
                let more = counted(changes - shown, "more change");
                output.say(&format!("\n{more} not shown; add `--show all`.\n"));
            }
            let files = counted(summary.files.read, "file");
            output.say(&match changes {
                0 => format!("\nNothing is left to change in {files}.\n"),
                changes => format!(
                    "\n{} left to make in {files}.\n",
                    counted(changes, "change")
                ),
            });
            print_notes(&summary.notes, &summary.hints, output);
        }
    }
    let answer = if changes == 0 {
        Status::Fine
    } else {
        Status::No
    };
    Ok(answer.max(evaluating.end(output)))
}
