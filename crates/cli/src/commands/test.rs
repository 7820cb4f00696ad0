//! `test`: the worked examples in rewrite files.

use crate::args::definitions::{TableArgs, TestArgs};
use crate::diagnostic::Diagnostic;
use crate::options::load_rewrite;
use crate::output::Output;
use crate::render::examples::{ExampleView, json_example, json_example_totals};
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::rewrite_file::examples::ExampleOutcome;
use std::path::Path;

pub fn run(args: &TestArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let mut status = Status::Fine;
    let (mut worked, mut failed) = (0, 0);
    for path in &args.files {
        match work(path) {
            Ok(outcomes) => {
                worked += outcomes.len() as u64;
                failed += outcomes.iter().filter(|outcome| !outcome.holds()).count() as u64;
                print(path, &outcomes, args.json, output);
            }
            Err(diagnostic) => status = status.max(output.complain(&diagnostic)),
        }
    }
    if failed > 0 {
        status = status.max(Status::No);
    }
    if args.json {
        output.data(&json_example_totals(
            args.files.len() as u64,
            worked,
            failed,
        ));
    } else {
        let held = counted(worked - failed, "example");
        let text = match failed {
            0 => format!("\n{held} held.\n"),
            n => format!("\n{held} held, {n} did not.\n"),
        };
        output.say(&text);
    }
    Ok(status)
}

fn work(path: &Path) -> Result<Vec<ExampleOutcome>, Diagnostic> {
    let (text, rewrite) = load_rewrite(path, &TableArgs::default())?;
    text.work_examples(&rewrite).map_err(|troubles| {
        let place = |(step, number): &(Option<usize>, usize)| match step {
            Some(step) => format!("example {number} of step {step}"),
            None => format!("example {number} of the whole"),
        };
        let places: Vec<String> = troubles.iter().map(place).collect();
        Diagnostic::wrong(format!(
            "{}: {} is not an example",
            visible_path(path),
            places.join(", ")
        ))
        .remedy("give `before` and `after`, or `untouched` alone")
    })
}

fn print(path: &Path, outcomes: &[ExampleOutcome], json: bool, output: &mut Output) {
    let name = visible_path(path);
    if json {
        for outcome in outcomes {
            output.data(&json_example(&name, outcome));
        }
        return;
    }
    let held = outcomes.iter().filter(|outcome| outcome.holds()).count();
    let summary = format!(
        "{name}: {held} of {}\n",
        counted(outcomes.len() as u64, "example")
    );
    output.say(&summary);
    let view = ExampleView {
        canvas: output.canvas(),
    };
    for outcome in outcomes.iter().filter(|outcome| !outcome.holds()) {
        output.draw(&view.failed(outcome));
    }
    if held < outcomes.len() {
        output.say("\n");
    }
}
