//! `nothing-changes`: the new text of every match equals the old.

use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "nothing-changes",
    speaks: "the new text of every match equals the old",
    example: Example {
        words: &[r"berth (\d+)", "--with", "berth $1"],
        file: "notice.txt",
        text: b"berth 4 is free\n",
    },
    hides: &["not-settled"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let counts = study.counts;
    if study.plan.template().is_none() || counts.edits > 0 || counts.unchanged == 0 {
        return None;
    }
    let (count, first) = study.gather(|_| true)?;
    let message = format!(
        "nothing would change: the new text of {} equals the old, as in {}",
        match counts.unchanged {
            1 => "the one match".to_owned(),
            n => format!("each of {}", counted(n, "match")),
        },
        shown(first.spot.text()),
    );
    let hint = Hint::at(RULE.name, (count, &first.spot), message);
    Some(hint.cured_by(Remedy::Words("write a template that gives another text")))
}
