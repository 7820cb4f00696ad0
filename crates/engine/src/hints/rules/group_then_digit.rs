//! `group-then-digit`: `$10` is group 1 and a digit, where there is no group 10.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::escape::visible;

pub const RULE: Rule = Rule {
    name: "group-then-digit",
    speaks: "a reference such as `$10` is read as group 1 followed by a digit",
    example: Example {
        words: &[r"berth (\d)", "--with", "B-$10"],
        file: "notice.txt",
        text: b"berth 4 is free\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let mut templates = study.plan.action.templates();
    let template = templates.find(|template| !template.notes().is_empty())?;
    let note = template.notes().first()?;
    let (group, digits) = (note.group, &note.digits);
    let message = format!(
        "`{}` is group {group} followed by the text `{digits}`, because there is no group {group}{digits}",
        visible(template.source()[note.span.range()].as_bytes()),
    );
    let mut amended = template.source().to_owned();
    for note in template.notes().iter().rev() {
        let text = format!("${{{}}}{}", note.group, note.digits);
        amended.replace_range(note.span.range(), &text);
    }
    Some(Hint::new(RULE.name, message).cured_by(Remedy::Template(amended)))
}
