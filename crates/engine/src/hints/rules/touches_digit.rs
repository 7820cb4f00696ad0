//! `touches-digit`: a match of digits begins or ends within a longer number.

use crate::hints::beside::Beside;
use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::outline::Leaf;

pub const RULE: Rule = Rule {
    name: "touches-digit",
    speaks: "a match of digits begins or ends next to more digits, or next to the point or comma of its own \
             number",
    example: Example {
        words: &[r"\d+ m", "--with", "$0."],
        file: "notice.txt",
        text: "depth 9.5 m\ndepth 12 m\n",
    },
    hides: &[],
    judge,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    let parts = &study.plan.outline.as_ref()?.parts;
    // Who writes an anchor means the first or the last digits.
    let is_anchor = |leaf: &Leaf| matches!(leaf, Leaf::Start | Leaf::End | Leaf::Boundary);
    if pattern.options().whole_word && !study.forms.iter().any(|(_, form)| is_cut(form))
        || parts.iter().any(|part| is_anchor(&part.leaf))
    {
        return None;
    }
    let (count, first) = study.gather(is_cut)?;
    let message = format!(
        "{} within a longer number: {} in {}",
        match count {
            1 => "1 match begins or ends".to_owned(),
            n => format!("{} begin or end", counted(n, "match")),
        },
        shown(first.spot.text()),
        shown(&number_around(first)),
    );
    let amended = format!(r"(?<![\d.,])(?:{})(?![.,]?\d)", pattern.source());
    let remedy = match pattern.options().literal {
        true => Remedy::WholeWord,
        false => Remedy::Pattern(amended),
    };
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

fn is_cut(form: &Form) -> bool {
    let goes_on = |beside| matches!(beside, Beside::Digit | Beside::NumberSign(_));
    let is_digit = |byte: Option<&u8>| byte.is_some_and(u8::is_ascii_digit);
    let before = (is_digit(form.before().first()) && goes_on(form.left))
        || (form.before().first().is_some_and(|b| b".,".contains(b))
            && form.left == Beside::Digit
            && form.before().len() > 1);
    before || (is_digit(form.before().last()) && goes_on(form.right))
}

/// The number around a place.
fn number_around(form: &Form) -> Vec<u8> {
    let (window, span) = (&form.spot.window, form.spot.span);
    let is_part = |byte: &&u8| byte.is_ascii_digit() || b".,".contains(byte);
    let head = window[..span.from].iter().rev().take_while(is_part).count();
    let tail = window[span.to..].iter().take_while(is_part).count();
    window[span.from - head..span.to + tail].to_vec()
}
