//! One file for each verb, and what several of them share.

mod apply;
mod check;
mod completions;
mod copy_out;
mod demo;
mod draft;
mod ends;
mod explain;
mod extract;
mod find;
mod history;
mod infer;
mod journal_run;
mod man;
mod notes;
pub mod pages;
mod parts;
pub mod plans;
pub mod preview;
mod recover;
mod report;
mod review;
mod search;
mod serve;
mod shapes;
mod tally;
mod test;
mod undo;

use crate::args::verbs::Verb;
use crate::args::{Parsed, help};
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::status::Status;

/// Does what the verb says.
pub fn run(parsed: Parsed, output: &mut Output) -> Result<Status, Diagnostic> {
    let Parsed {
        color,
        theme: _,
        verb,
        parts,
        unused,
    } = parsed;
    if !unused.is_empty() {
        let unused: Vec<String> = unused.iter().map(|name| format!("`{name}`")).collect();
        output.quiet_note(&format!(
            "note: not used by this verb: {}\n",
            unused.join(", ")
        ));
    }
    if !matches!(verb, Verb::Recover(_)) {
        journal_run::tell_interrupted(output);
    }
    match verb {
        Verb::Find(args) => find::run(&args, parts, output),
        Verb::Shapes(args) => shapes::run(&args, parts, output),
        Verb::Tally(args) => tally::run(&args, parts, output),
        Verb::Extract(args) => extract::run(&args, parts, output),
        Verb::Check(args) => check::run(&args, parts, output),
        Verb::Draft(args) => draft::run(&args, parts, output),
        Verb::Infer(args) => infer::run(&args, parts, output),
        Verb::Preview(args) => preview::run(&args, parts, output),
        Verb::Review(args) => review::run(&args, parts, output),
        Verb::Apply(args) => apply::run(&args, parts, output),
        Verb::History(args) => history::run(&args, output),
        Verb::Undo(args) => undo::run(&args, output),
        Verb::Recover(args) => recover::run(&args, output),
        Verb::Explain(args) => explain::run(&args, output),
        Verb::Test(args) => test::run(&args, output),
        Verb::Help(args) => Ok(help(args.verb.as_deref()).print(output)),
        Verb::MergePlans(args) => parts::merge_plans(&args, output),
        Verb::SplitPlan(args) => parts::split_plan(&args, output),
        Verb::Demo(args) => demo::run(&args, color, output),
        Verb::Serve(args) => serve::run(&args),
        Verb::Completions(args) => completions::run(&args, output),
        Verb::Man(_) => man::run(output),
    }
}
