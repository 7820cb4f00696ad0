//! `--swap-chars`: each character of a match, which is a run of them, becomes another.

use crate::chars::swaps;
use crate::describe::{QueryWords, quoted};
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::EditMaker;
use crate::step_spec::values::{StepFault, fault};
use std::collections::BTreeMap;

/// The characters of `from`, each with the one of `to` that it becomes.
pub(crate) fn characters(from: &str, to: &str) -> Result<BTreeMap<char, char>, StepFault> {
    swaps(from, to)
        .map_err(|(error, in_to)| fault("swap-chars", if in_to { to } else { from })(error))
}

pub(crate) fn build(from: &str, to: &str) -> Result<BTreeMap<char, char>, StepFault> {
    characters(from, to)
}

/// "the characters `ab` become `xy`, in every line"
pub(crate) fn describe(words: &QueryWords, swaps: &BTreeMap<char, char>) -> String {
    let (from, to): (String, String) = swaps.iter().unzip();
    let (from, to, place) = (quoted(&from), quoted(&to), &words.place);
    format!("the characters {from} become {to}, {place}")
}

pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
    swaps: &BTreeMap<char, char>,
) -> Result<(), ProblemKind> {
    maker.edit_matches(unit, found, &|_, unit, finding, text| {
        let old = String::from_utf8_lossy(&unit.bytes()[finding.span.range()]);
        let new = old.chars().map(|c| swaps.get(&c).copied().unwrap_or(c));
        text.extend_from_slice(new.collect::<String>().as_bytes());
        Ok(())
    })
}
