//! `case-variants`: ignoring letter case would match more.

use crate::hints::beside::Beside;
use crate::hints::evidence::WiderText;
use crate::hints::hint::{Hint, Remedy};
use crate::hints::names::is_code;
use crate::hints::rule::{Example, Rule, no_form};
use crate::hints::spot::Spot;
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::number;

pub const RULE: Rule = Rule {
    name: "case-variants",
    speaks: "ignoring letter case would match more",
    example: Example {
        words: &[r"berth (\d+)", "--with", "B-$1"],
        file: "notice.txt",
        text: b"berth 4 is free\nBerth 5 is not\n",
    },
    hides: &[],
    judge,
    named: no_form,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let source = study.plan.pattern().source();
    let outline = study.plan.outline.as_ref()?;
    // A single name in capitals, and all in code, differs from others by its letter case.
    let is_name = outline
        .text()
        .is_some_and(|text| text.trim().chars().all(|c| c.is_alphanumeric() || c == '_'));
    let in_capitals =
        source.chars().any(char::is_uppercase) && !source.chars().any(char::is_lowercase);
    // `HashMap` is a name in a program wherever it stands.
    let chars: Vec<char> = source.chars().collect();
    if chars
        .windows(2)
        .any(|pair| pair[0].is_lowercase() && pair[1].is_uppercase())
    {
        return None;
    }
    let in_code = |spot: &Spot| is_code(&spot.source);
    let holds = |text: &WiderText| {
        let own = String::from_utf8_lossy(text.spot.text()).into_owned();
        let is_word = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
        let apart = (!is_word(own.chars().next()) || is_apart(text.left))
            && (!is_word(own.chars().next_back()) || is_apart(text.right));
        apart && !(is_name && in_capitals) && !in_code(&text.spot)
    };
    let (count, first, _) = study.gather_wider(WiderKind::AnyCase, holds)?;
    let message = format!(
        "ignoring letter case would match {} more: {}",
        number(count),
        first.shown(),
    );
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(Remedy::IgnoreCase))
}

/// True if no word goes on there.
fn is_apart(beside: Beside) -> bool {
    !beside.is_word() || beside == Beside::Plural
}
