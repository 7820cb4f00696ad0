//! `edge-space`: a change leaves a blank at an end of a unit.

use crate::hints::blanks::{NewBlanks, new_blanks, remedy, result};
use crate::hints::hint::{Hint, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "edge-space",
    speaks: "a change leaves a blank at the start or the end of a line or a cell that was not there",
    example: Example {
        words: &["closed", "--remove"],
        file: "notice.txt",
        text: b"berth 4 closed\n",
    },
    hides: &[],
    judge,
    named: |_| Box::new(|form| new_blanks(form) == Some(NewBlanks::Edge)),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (count, first) = study.gather(|form| new_blanks(form) == Some(NewBlanks::Edge))?;
    let message = format!(
        "{} a blank at the start or the end of the {}: {}",
        match count {
            1 => "1 change leaves".to_owned(),
            n => format!("{} leave", counted(n, "change")),
        },
        study.plan.query.unit.name(),
        shown(&result(first)),
    );
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy(study, first)))
}
