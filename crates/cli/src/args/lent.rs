//! Options of one verb that another verb accepts and does not use.
//!
//! A user recalls the last command and changes its verb. An option that says nothing to the new
//! verb is accepted and named in a note, so that no one wonders what became of it.

use crate::args::definitions::{FilesArgs, FindArgs, PreviewArgs};
use brisk_quill_core::step_spec::StepSpec;
use clap::parser::ValueSource;
use clap::{Arg, ArgMatches, Args, Command};

/// Options that say which changes are meant: were they not used, others would be written.
const OF_THE_CHANGES: [&str; 2] = ["through", "missing"];

/// Options that say what the pattern is: were they not used, a path would be taken for it.
const OF_THE_PATTERN: [&str; 7] = [
    "rewrite",
    // A condition that is not checked must not be accepted.
    "expect",
    "ensure",
    "pattern_file",
    "swap_chars",
    "remove_chars",
    "pairs",
];

/// The step options that say something to a verb that only looks: what is matched, and where.
const OF_A_LOOK: [&str; 3] = ["swap_chars", "remove_chars", "pairs"];

/// Adds the options that `verb` accepts from another, hidden from its help.
pub fn borrow(verb: Command) -> Command {
    let lender = match verb.get_name() {
        "find" | "check" | "tally" | "shapes" | "extract" | "explain" | "draft" | "apply"
        | "review" => PreviewArgs::augment_args(Command::new("")),
        "preview" => FindArgs::augment_args(Command::new("")),
        _ => return hide_unused(verb),
    };
    let refused: &[&str] = match verb.get_name() {
        "apply" | "review" | "preview" => &OF_THE_CHANGES,
        _ => &OF_THE_PATTERN,
    };
    let mut verb = verb;
    for arg in lender.get_arguments() {
        let (id, Some(long)) = (arg.get_id().as_str(), arg.get_long()) else {
            continue;
        };
        let is_known = |own: &Arg| own.get_id() == id || own.get_long() == Some(long);
        if refused.contains(&id) || verb.get_arguments().any(is_known) {
            continue;
        }
        let own_short = |short: &char| {
            let mut own = verb.get_arguments();
            !own.any(|own| own.get_short() == Some(*short))
        };
        let mut lent = Arg::new(format!("lent {id}"))
            .long(long.to_owned())
            .short(arg.get_short().filter(own_short))
            .action(arg.get_action().clone())
            .hide(true);
        if let Some(values) = arg
            .get_num_args()
            .filter(|_| arg.get_action().takes_values())
        {
            lent = lent
                .num_args(values)
                .require_equals(arg.is_require_equals_set());
            lent = lent.allow_hyphen_values(true);
        }
        verb = verb.arg(lent);
    }
    hide_unused(verb)
}

/// Hides the options of a step that say nothing to a verb from its help.
fn hide_unused(verb: Command) -> Command {
    let name = verb.get_name().to_owned();
    verb.mut_args(|arg| match says_nothing(&name, &arg) {
        true => arg.hide(true),
        false => arg,
    })
}

/// True for an option of a step that a verb accepts and does not use, if its help says it at all.
fn says_nothing(verb: &str, arg: &Arg) -> bool {
    match arg.get_help_heading() {
        _ if is_inferred(verb, arg) => true,
        Some("Do") => only_looks(verb),
        // Its answer is what it is asked for.
        _ if arg.get_id() == "exit_zero" => matches!(verb, "check" | "draft" | "infer" | "review"),
        // They show no rows.
        _ => arg.get_id() == "label" && matches!(verb, "tally" | "shapes" | "extract"),
    }
}

/// True for an option of the rewrite that a verb infers, which it refuses.
fn is_inferred(verb: &str, arg: &Arg) -> bool {
    let heading = arg.get_help_heading();
    verb == "infer" && matches!(heading, Some("Match" | "Which" | "Do"))
}

fn only_looks(verb: &str) -> bool {
    matches!(verb, "find" | "check" | "tally" | "shapes" | "extract")
}

/// The options that were given and that the verb does not use, in the order of their definition.
pub fn unused(verb: &str, found: &ArgMatches) -> Vec<String> {
    let of_step = FilesArgs::augment_args(StepSpec::augment_args(Command::new("")));
    let given = |id: &str| {
        let is_there = found.try_contains_id(id).unwrap_or(false);
        is_there && found.value_source(id) == Some(ValueSource::CommandLine)
    };
    let actions = of_step
        .get_arguments()
        .filter(|arg| says_nothing(verb, arg) && !is_inferred(verb, arg))
        .filter(|arg| !OF_A_LOOK.contains(&arg.get_id().as_str()));
    let actions = actions.filter(|arg| given(arg.get_id().as_str()));
    let mut names: Vec<String> = actions
        .filter_map(Arg::get_long)
        .map(|long| format!("--{long}"))
        .collect();
    for id in found.ids().map(clap::Id::as_str) {
        if let Some(lent) = id.strip_prefix("lent ").filter(|_| given(id)) {
            names.push(format!("--{}", lent.replace('_', "-")));
        }
    }
    names
}
