//! `touches-digit`: a match of digits begins or ends within a longer number.

use crate::hints::beside::{Beside, is_number_sign};
use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::outline::{ClassOf, Leaf, OutlinePart};

pub const RULE: Rule = Rule {
    name: "touches-digit",
    speaks: "a match of digits begins or ends next to more digits, or next to the point or comma of its own \
             number",
    example: Example {
        words: &[r"\d+ m", "--with", "$0."],
        file: "notice.txt",
        text: b"depth 9.5 m\ndepth 12 m\n",
    },
    hides: &[],
    judge,
    named: |_| Box::new(is_cut),
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
    // A single digit is meant where nothing else is.
    if matches!(&parts[..], [part] if part.leaf == Leaf::Class(ClassOf::Digits)) {
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
    let hint = Hint::at(RULE.name, (count, &first.spot), message);
    if pattern.options().literal {
        return Some(hint.cured_by(Remedy::WholeWord));
    }
    let apart = format!(r"(?<![\d.,])(?:{})(?![.,]?\d)", pattern.source());
    let more = more_digits(pattern.source(), parts).map(Remedy::Pattern);
    Some(match more {
        Some(more) => hint.cured_by(more).or_by(Some(Remedy::Pattern(apart))),
        None => hint.cured_by(Remedy::Pattern(apart)),
    })
}

/// The pattern with more than one digit where it begins or ends with a single one; `None` where it does neither.
fn more_digits(source: &str, parts: &[OutlinePart]) -> Option<String> {
    let is_single = |part: &&OutlinePart| part.leaf == Leaf::Class(ClassOf::Digits);
    let last = parts.last().filter(is_single)?;
    let mut more = source.to_owned();
    more.insert(last.span.to, '+');
    Some(more)
}

fn is_cut(form: &Form) -> bool {
    let goes_on = |beside| matches!(beside, Beside::Digit | Beside::NumberSign(_));
    let is_digit = |byte: Option<&u8>| byte.is_some_and(u8::is_ascii_digit);
    let before = (is_digit(form.before().first()) && goes_on(form.left))
        || (form.before().len() > 1
            && form.left == Beside::Digit
            && form.before().first().is_some_and(|b| b".,".contains(b))
            && is_number_sign(&form.spot.window, form.spot.span.from));
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
