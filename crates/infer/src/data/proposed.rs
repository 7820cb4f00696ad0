//! Proposals made into rewrites that can be run and saved.

use crate::proposal::Proposal;
use crate::task::Task;
use brisk_quill_core::example::Example;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;

/// The words of a proposal. `place` says where it holds: its unit, columns, conditions and addresses.
pub fn rewrite_text(proposal: &Proposal, place: &StepSpec) -> RewriteText {
    let step = |found: &StepSpec| in_place(found, place);
    RewriteText::from(proposal.steps.iter().map(step).collect::<Vec<_>>())
}

/// The words of a proposed step that holds in `place`.
pub fn in_place(found: &StepSpec, place: &StepSpec) -> StepSpec {
    let mut step = place.clone();
    step.pattern.clone_from(&found.pattern);
    step.with.clone_from(&found.with);
    step.remove = found.remove;
    step.contains.extend(found.contains.iter().cloned());
    step.unless.extend(found.unless.iter().cloned());
    step
}

/// Adds the examples of a task to the words of a rewrite, as far as it makes them on its own; gives the number
/// that is left out.
pub fn add_examples(
    (text, rewrite): (&mut RewriteText, &Rewrite),
    task: &Task,
    place: &StepSpec,
) -> usize {
    text.example = match task.cells {
        true => in_column(task, place),
        false => of_lines(task),
    };
    let outcomes = text.work_examples(rewrite).unwrap_or_default();
    let mut each = outcomes
        .into_iter()
        .filter(|outcome| outcome.step.is_none());
    text.example.retain_mut(|example| {
        let Some(outcome) = each.next() else {
            return false;
        };
        // A cell that was quoted stays so, and one that must be is; of a line of which a part was given, the
        // rest may change too.
        let got = String::from_utf8_lossy(&outcome.got).into_owned();
        let plain = |text: &str| text.replace('"', "");
        let pair = task.examples.get(outcome.number - 1);
        let of_part = pair.is_some_and(|pair| pair.part.is_some());
        let same = of_part || plain(&got) == plain(&outcome.wanted);
        if !outcome.holds() && example.after.is_some() && same {
            example.after = Some(got);
            return outcome.problems.is_empty();
        }
        outcome.holds()
    });
    task.examples.len() - text.example.len()
}

fn of_lines(task: &Task) -> Vec<Example> {
    let pairs = task.examples.iter();
    pairs
        .map(|pair| example(&pair.before, &pair.after))
        .collect()
}

/// Examples of cells as tables of one column; none unless a single column is named.
fn in_column(task: &Task, place: &StepSpec) -> Vec<Example> {
    let name = place.columns.as_deref().unwrap_or_default();
    let is_name = |c: char| c.is_alphabetic() || c == '_' || c == ' ';
    if name.is_empty() || !name.chars().all(is_name) {
        return Vec::new();
    }
    let cell = |text: &str| match text.contains([',', '"', '\n', '\r']) || text.trim() != text {
        true => format!("\"{}\"", text.replace('"', "\"\"")),
        false => text.to_owned(),
    };
    let table = |text: &str| format!("{name}\n{}\n", cell(text));
    let pairs = task.examples.iter();
    pairs
        .map(|pair| example(&table(&pair.before), &table(&pair.after)))
        .collect()
}

fn example(before: &str, after: &str) -> Example {
    match before == after {
        true => Example {
            untouched: Some(before.to_owned()),
            ..Example::default()
        },
        false => Example::change(before, after),
    }
}
