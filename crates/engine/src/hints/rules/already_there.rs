//! `already-there`: the new name stands elsewhere in scope already.

use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::{StepStudy, WiderKind};
use brisk_quill_core::nearest::alike;
use brisk_quill_core::numbers::number;

pub const RULE: Rule = Rule {
    name: "already-there",
    speaks: "the new name stands elsewhere in scope already, so that the two can no longer be told apart",
    example: Example {
        words: &["quay", "--with", "pier"],
        text: "quay 4\npier 9\n",
    },
    judge,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (old, new) = (
        study.plan.pattern().source(),
        study.plan.template()?.source(),
    );
    // Another spelling of the same word is meant to become one with it.
    if study.counts.edits == 0 || alike(old, std::iter::once(new)).is_some() {
        return None;
    }
    let (count, first, _) = study.gather_wider(WiderKind::NewText, |_| true)?;
    let message = format!(
        "{} stands in {} other {} already, and can no longer be told from what was {}",
        quoted(new),
        number(count),
        if count == 1 { "place" } else { "places" },
        quoted(old),
    );
    let remedy = Remedy::Words("choose another name, or look at those places first with `find`");
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}
