//! `literal-signs`: a text that is taken as it is written holds signs of patterns, and matches nothing.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "literal-signs",
    speaks: "`--literal` is given, nothing matches, and the text would match as a pattern",
    example: Example {
        words: &["berth [0-9]", "--literal", "--with", "B"],
        file: "notice.txt",
        text: b"berth 4 is free\n",
    },
    hides: &["near-miss", "left-out-files", "odd-class", "case-variants"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.counts.matches > 0 {
        return None;
    }
    let (count, first, _) = study.gather_wider(WiderKind::AsPattern, |_| true)?;
    let message = format!(
        "with `--literal` every sign stands for itself; as a pattern it would match {}: {}",
        counted(count, "text"),
        first.shown(),
    );
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(Remedy::NotLiteral))
}
