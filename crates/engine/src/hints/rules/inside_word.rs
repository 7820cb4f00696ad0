//! `inside-word`: some matches begin or end within a longer word, others do not.

use crate::hints::beside::Beside;
use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy};
use crate::hints::names::is_spelling;
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::number;
use brisk_quill_core::pattern::outline::Outline;

pub const RULE: Rule = Rule {
    name: "inside-word",
    speaks: "some matches begin or end within a longer word, and others do not",
    example: Example {
        words: &["port", "--with", "harbour"],
        file: "notice.txt",
        text: b"the port is open\na report of the port\n",
    },
    hides: &[],
    judge,
    named: |_| Box::new(is_inside),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.plan.pattern().options().whole_word {
        return None;
    }
    // A spelling is put right within longer words too.
    let outline = study.plan.outline.as_ref();
    if let (Some(old), Some(new)) = (outline.and_then(Outline::text), study.plan.template())
        && is_spelling(&old, new.source())
    {
        return None;
    }
    let (count, first) = study.gather(is_inside)?;
    let (whole, _) = study.gather(|form| is_word(form) && !is_inside(form))?;
    let message = format!(
        "{} of {} matches {} within a longer word: {}",
        number(count),
        number(count + whole),
        if count == 1 { "lies" } else { "lie" },
        first.shown_word(),
    );
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(Remedy::WholeWord))
}

/// True if a match begins or ends with a letter or a digit, and is not a number.
fn is_word(form: &Form) -> bool {
    let text = String::from_utf8_lossy(form.before());
    let mut chars = text.chars();
    let first = chars.next();
    let last = chars.next_back().or(first);
    let is_part = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
    text.contains(char::is_alphabetic) && (is_part(first) || is_part(last))
}

fn is_inside(form: &Form) -> bool {
    let text = String::from_utf8_lossy(form.before());
    let is_part = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
    let is_letter = |c: Option<char>| c.is_some_and(char::is_alphabetic);
    let (first, last) = (text.chars().next(), text.chars().next_back());
    // Digits that go on are a matter of the number.
    let goes_on = |beside: Beside, own: Option<char>| {
        is_part(own) && beside.is_word() && (is_letter(own) || beside != Beside::Digit)
    };
    is_word(form)
        && (goes_on(form.left, first)
            || (goes_on(form.right, last) && form.right != Beside::Plural))
}
