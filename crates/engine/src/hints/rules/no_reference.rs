//! `no-reference`: the pattern has groups, and the template uses none.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::step::actions::Action;

pub const RULE: Rule = Rule {
    name: "no-reference",
    speaks: "the pattern has groups and the template uses none; between double quotes a shell takes `$1` away",
    example: Example {
        words: &[r"berth (\d+)", "--with", "B-"],
        file: "notice.txt",
        text: b"berth 4 is free\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let outline = study.plan.outline.as_ref()?;
    let Action::Replace(template) = study.plan.action else {
        return None;
    };
    // A group around a choice, or one that is repeated, is there for its parentheses.
    if outline.plain_groups.is_empty() || template.refers() || template.source().is_empty() {
        return None;
    }
    let message = format!(
        "the pattern has {}, and the template uses none; between double quotes a shell takes `$1` away",
        counted(outline.groups as u64, "group"),
    );
    let template = format!("{}$1", template.source());
    Some(Hint::new(RULE.name, message).cured_by(Remedy::Template(template)))
}
