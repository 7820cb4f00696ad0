//! `sign-outside`: a number is taken without the minus before it.

use crate::hints::beside::Beside;
use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "sign-outside",
    speaks: "a match begins with a number, and the minus before it stays where it is",
    example: Example {
        words: &[r"\d+ m", "--with", "shallow"],
        file: "notice.txt",
        text: b"level 4 m\nlevel -3 m\n",
    },
    hides: &[],
    judge,
    named: |_| Box::new(is_behind_minus),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if !study.plan.replaces {
        return None;
    }
    let (count, first) = study.gather(is_behind_minus)?;
    // Where every number has one, it is seen.
    study.gather(|form| is_number(form) && !is_behind_minus(form))?;
    let (window, span) = (&first.spot.window, first.spot.span);
    let message = format!(
        "{} the minus before the number is left outside: {}",
        match count {
            1 => "in 1 match".to_owned(),
            n => format!("in {}", counted(n, "match")),
        },
        shown(&window[span.from - 1..span.to]),
    );
    let remedy = Remedy::Words("begin the pattern with `-?` where the minus belongs to the number");
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

fn is_number(form: &Form) -> bool {
    form.before().first().is_some_and(u8::is_ascii_digit)
}

/// True for a number with a minus before it that is not a hyphen.
fn is_behind_minus(form: &Form) -> bool {
    let before = &form.spot.window[..form.spot.span.from];
    let beside = before.len().checked_sub(2).map(|at| before[at]);
    let is_apart =
        beside.is_none_or(|byte| byte.is_ascii_whitespace() || b",;:(=[".contains(&byte));
    let changes = form
        .after
        .as_deref()
        .is_some_and(|after| after != form.before());
    form.left == Beside::Sign('-') && is_number(form) && is_apart && changes
}
