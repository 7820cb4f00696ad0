//! `end-begins-block`: lines that end a block would begin the next one, which is lost.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::number;

pub const RULE: Rule = Rule {
    name: "end-begins-block",
    speaks: "the line that ends a block of `--between` or `--outside` would begin the next one, which is lost",
    example: Example {
        words: &["quay", "--with", "pier", "--between", "^## Berth", "^## "],
        file: "notice.txt",
        text: b"## Berth 1\nquay 1\n## Berth 2\nquay 2\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let lost = study.counts.blocks_lost;
    if lost == 0 {
        return None;
    }
    let message = match lost {
        1 => "1 line that ends a block would begin another one".to_owned(),
        n => format!(
            "{} lines that end a block would begin another one",
            number(n)
        ),
    };
    let hint = Hint::new(RULE.name, message).cured_by(Remedy::OpenEnd);
    Some(Hint {
        count: lost,
        ..hint
    })
}
