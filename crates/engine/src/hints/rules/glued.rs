//! `glued`: added text touches a letter or digit of its neighbour.

use crate::hints::blanks::result;
use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "glued",
    speaks: "added text touches a letter or digit of its neighbour",
    example: Example {
        words: &["Berth", "--lead", "Old"],
        file: "notice.txt",
        text: b"Berth 4\n",
    },
    hides: &[],
    judge,
    named: |_| Box::new(|form| glued(form).is_some()),
};

/// The ends at which new text touches its neighbours.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Glued {
    left: bool,
    right: bool,
}

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (count, first) = study.gather(|form| glued(form).is_some())?;
    let ends = glued(first)?;
    let template = study.plan.template()?.source();
    let message = format!(
        "new text touches the word beside it in {}: {}",
        counted(count, "change"),
        shown(result(first).trim_ascii()),
    );
    let (head, tail) = (
        if ends.left { " " } else { "" },
        if ends.right { " " } else { "" },
    );
    let remedy = Remedy::Template(format!("{head}{template}{tail}"));
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

fn glued(form: &Form) -> Option<Glued> {
    let after = String::from_utf8_lossy(form.after.as_deref()?);
    let before = String::from_utf8_lossy(form.before());
    let is_word = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
    // Digits put before digits are one number.
    if after == before || after.chars().all(char::is_numeric) {
        return None;
    }
    let was_left = is_word(before.chars().next());
    let was_right = is_word(before.chars().next_back());
    let left = !was_left && is_word(after.chars().next()) && form.left.is_letter_or_digit();
    let right = !was_right && is_word(after.chars().next_back()) && form.right.is_letter_or_digit();
    (left || right).then_some(Glued { left, right })
}
