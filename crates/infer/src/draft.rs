//! Single steps from examples, for a draft.

use crate::data::units::every_unit;
use crate::inference::Inference;
use crate::proposal::Proposal;
use crate::task::{Pair, Task};
use brisk_quill_core::example::Example;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::query::Query;
use brisk_quill_core::query::findings::Findings;
use brisk_quill_core::query::unit_view::UnitView;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::rewrite::sink::Sink;
use brisk_quill_core::rewrite::{Rewrite, Run};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_core::stop::Stop;

/// The single steps that make all examples, the likeliest first, ranked by what they do to some texts of the
/// data. Where `place` names columns, the examples are of records, and the texts are cells.
///
/// # Errors
///
/// The reason for which there is none.
pub fn inferred(
    examples: &[Example],
    texts: &[String],
    place: Option<&Query>,
    stop: Stop,
) -> Result<Vec<StepSpec>, String> {
    let of_cells = place.filter(|place| place.columns.is_some());
    let mut task = Task {
        cells: of_cells.is_some(),
        stop,
        ..Task::default()
    };
    for example in examples {
        match of_cells {
            Some(place) => task.examples.extend(cells_of(example, place)?),
            None => {
                let pair = example.pair();
                let pair = pair.map(|(before, after)| Pair::new(before, after));
                task.examples.extend(pair);
            }
        }
    }
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

/// The cells of an example of records, before and after.
fn cells_of(example: &Example, place: &Query) -> Result<Vec<Pair>, String> {
    let Some((before, after)) = example.pair() else {
        return Ok(Vec::new());
    };
    let rewrite = Rewrite::showing(every_unit(place)).for_examples(example.known_format());
    let cells = |text: &str| {
        let mut cells = Cells::default();
        let mut run = Run::new(&rewrite, &RunOptions::default());
        let mut text_run = run.text("-", 0);
        text_run.push_last(text.as_bytes(), &mut cells);
        text_run.finish(&mut cells);
        cells.0
    };
    let (before, after) = (cells(before), cells(after));
    if before.len() != after.len() {
        return Err("an example has other cells after than before".into());
    }
    let pairs = before.into_iter().zip(after);
    Ok(pairs
        .map(|(before, after)| Pair::new(before, after))
        .collect())
}

/// The values of the cells that are shown.
#[derive(Default)]
struct Cells(Vec<String>);

impl Sink for Cells {
    fn unit(&mut self, unit: &UnitView<'_>, _: &Findings<'_>, _: u64) {
        self.0
            .push(String::from_utf8_lossy(unit.bytes()).into_owned());
    }

    fn problem(&mut self, _: Problem) {}
}
