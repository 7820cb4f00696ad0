//! `newline-wanted`: the pattern can only match across a line end, and the unit is a line.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::unit::UnitKind;

pub const RULE: Rule = Rule {
    name: "newline-wanted",
    speaks: "the pattern can only match across a line end, and the unit is a line",
    example: Example {
        words: &[r"closed\nuntil", "--with", "closed until"],
        file: "notice.txt",
        text: b"berth 4 closed\nuntil noon\n",
    },
    hides: &["near-miss", "left-out-files"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let query = study.plan.query;
    if query.unit != UnitKind::Line || !query.pattern.needs_line_end() {
        return None;
    }
    let message =
        "every match would hold a line end, and the pattern is tried on each line alone".to_owned();
    Some(Hint::new(RULE.name, message).cured_by(Remedy::WholeText))
}
