//! `pairs-header`: the first row of a table of pairs reads like the names of its columns.

use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::step::actions::Action;

pub const RULE: Rule = Rule {
    name: "pairs-header",
    speaks: "the first row of the table of `--pairs` reads like the names of its columns, and is a pair",
    example: Example {
        words: &["--pairs", "old-new.csv"],
        file: "notice.txt",
        text: b"the old quay\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let Action::Pairs(pairs) = study.plan.action else {
        return None;
    };
    let (old, new) = pairs.names()?;
    let is_it = |text: &[u8]| text.eq_ignore_ascii_case(old.as_bytes());
    let (count, first) = match study.gather(|form| is_it(form.before())) {
        Some((count, form)) => (count, Some(form)),
        None => (0, None),
    };
    let does = match count {
        0 => "no text in scope holds it".to_owned(),
        n => format!("it changes {}", counted(n, "match")),
    };
    let message = format!(
        "the first row of the table, {} and {}, reads like a header, and is taken for a pair: {does}",
        shown(old.as_bytes()),
        shown(new.as_bytes()),
    );
    let hint = match first {
        Some(form) => Hint::at(RULE.name, (count, &form.spot), message),
        None => Hint::new(RULE.name, message),
    };
    Some(hint.cured_by(Remedy::Words(
        "write `before,after` in the first row if it is a header",
    )))
}
