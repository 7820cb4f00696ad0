//! `more-per-unit`: the pick left further matches of the same form, or a word now stands twice.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::names::{is_code, is_spelling};
use crate::hints::rule::{Example, Rule, no_form};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::query::Per;

pub const RULE: Rule = Rule {
    name: "more-per-unit",
    speaks: "`--pick` took some matches of a unit that holds more of the same form, or a change made a word \
             stand twice",
    example: Example {
        words: &["quay", "--with", "pier", "--pick", "first"],
        file: "notice.txt",
        text: b"quay 4 and quay 7\nquay 9\n",
    },
    hides: &[],
    judge,
    named: no_form,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    left_by_pick(study).or_else(|| doubled(study))
}

fn left_by_pick(study: &StepStudy<'_>) -> Option<Hint> {
    let (units, first) = study.left_by_pick.as_ref()?;
    // Signs are often meant once, as the first colon of a line.
    let is_word = String::from_utf8_lossy(first.text()).contains(char::is_alphabetic);
    if study.plan.query.pick.per != Per::Unit || !is_word {
        return None;
    }
    let message = format!(
        "`--pick` leaves further matches in {}: {}",
        counted(*units, study.plan.query.unit.name()),
        shown(first.text()),
    );
    Some(Hint::at(RULE.name, (*units, first), message).cured_by(Remedy::PickAll))
}

fn doubled(study: &StepStudy<'_>) -> Option<Hint> {
    // In code, a name may well stand beside itself.
    let is_meant = |form: &Form| is_respelled(form) || is_code(&form.spot.source);
    let (count, first) = study.gather(|form| form.doubles && !is_meant(form))?;
    let after = first.after.as_deref()?;
    let message = format!(
        "a word stands twice after {}: {}",
        counted(count, "change"),
        shown(&in_place(&first.spot, after)),
    );
    let hint = Hint::at(RULE.name, (count, &first.spot), message);
    Some(hint.cured_by(Remedy::Words(
        "take the word that is there already into the pattern",
    )))
}

/// True if a change only puts the spelling of a word right.
fn is_respelled(form: &Form) -> bool {
    let after = String::from_utf8_lossy(form.after.as_deref().unwrap_or_default());
    is_spelling(&String::from_utf8_lossy(form.before()), &after)
}

/// The new text with the words on either side.
fn in_place(spot: &crate::hints::spot::Spot, after: &[u8]) -> Vec<u8> {
    let (head, tail) = (&spot.window[..spot.span.from], &spot.window[spot.span.to..]);
    let is_blank = |byte: &u8| *byte == b' ';
    let head_from = head
        .trim_ascii_end()
        .iter()
        .rposition(is_blank)
        .map_or(0, |at| at + 1);
    let tail_from = tail.len() - tail.trim_ascii_start().len();
    let tail_to = tail[tail_from..]
        .iter()
        .position(is_blank)
        .map_or(tail.len(), |at| tail_from + at);
    [&head[head_from..], after, &tail[..tail_to]].concat()
}
