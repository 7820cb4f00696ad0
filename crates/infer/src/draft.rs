//! Single steps from examples, for a draft.

use crate::inference::Inference;
use crate::proposal::Proposal;
use crate::task::{Pair, Task};
use brisk_quill_core::example::Example;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::stop::Stop;

/// The single steps that make all examples, the likeliest first, ranked by what they do to some texts of the
/// data.
///
/// # Errors
///
/// The reason for which there is none.
pub fn inferred(
    examples: &[Example],
    texts: &[String],
    stop: Stop,
) -> Result<Vec<StepSpec>, String> {
    let mut task = Task {
        stop,
        ..Task::default()
    };
    let pairs = examples.iter().filter_map(Example::pair);
    task.examples
        .extend(pairs.map(|(before, after)| Pair::new(before, after)));
    for (line, text) in (1..).zip(texts) {
        task.data.add(text, line, false);
    }
    let found = Inference::of(&task).map_err(|refusal| refusal.to_string())?;
    let single = |proposal: Proposal| match <[StepSpec; 1]>::try_from(proposal.steps) {
        Ok([step]) => Some(step),
        Err(_) => None,
    };
    let steps: Vec<StepSpec> = found.proposals.into_iter().filter_map(single).collect();
    match steps.is_empty() {
        true => Err("it takes several steps; `bquill infer` proposes them".into()),
        false => Ok(steps),
    }
}
