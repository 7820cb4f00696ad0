//! `double-space`: a change leaves two blanks that were not there.

use crate::hints::blanks::{NewBlanks, new_blanks, remedy, result};
use crate::hints::hint::{Hint, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "double-space",
    speaks: "a change leaves two blanks in a row that were not there",
    example: Example {
        words: &["closed", "--remove"],
        file: "notice.txt",
        text: b"berth 4 closed until noon\n",
    },
    hides: &[],
    judge,
    named: |_| Box::new(|form| new_blanks(form) == Some(NewBlanks::Double)),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (count, first) = study.gather(|form| new_blanks(form) == Some(NewBlanks::Double))?;
    let message = format!(
        "{} two blanks in a row: {}",
        match count {
            1 => "1 change leaves".to_owned(),
            n => format!("{} leave", counted(n, "change")),
        },
        shown(&result(first)),
    );
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy(study, first)))
}
