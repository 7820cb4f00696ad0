//! `feeds-next`: a step changes text that an earlier step wrote, as well as text that was there.

use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::{counted, number};

pub const RULE: Rule = Rule {
    name: "feeds-next",
    speaks: "a later step matches text that an earlier step wrote, as well as text that was there before: a \
             swap in two steps cancels itself",
    example: Example {
        words: &[
            "port",
            "--with",
            "starboard",
            "--then",
            "starboard",
            "--with",
            "port",
        ],
        file: "notice.txt",
        text: b"to port\nto starboard\n",
    },
    hides: &["more-per-unit"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.index == 0 {
        return None;
    }
    let (count, first) = study.gather(|form| form.written)?;
    study.gather(|form| !form.written)?;
    let message = format!(
        "step {} matches what an earlier step wrote, in {}, as well as text that was there before: {}",
        number(study.index as u64 + 1),
        counted(count, "match"),
        shown(first.spot.text()),
    );
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(Remedy::Pairs))
}
