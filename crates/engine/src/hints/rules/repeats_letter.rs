//! `repeats-letter`: a repeat belongs to the one character before it, where the whole word is meant.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "repeats-letter",
    speaks: "nothing matches, and the pattern would if a repeat such as `{2}` belonged to all the text before it",
    example: Example {
        words: &["tra{2}", "--with", "la"],
        file: "notice.txt",
        text: b"tratra goes the horn\n",
    },
    hides: &["near-miss", "left-out-files"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.counts.matches > 0 {
        return None;
    }
    let source = study.plan.wider.iter().find_map(|form| {
        let source = form.pattern.source();
        let (_, rest) = source.split_once("(?:")?;
        (form.kind == WiderKind::WholeRepeat).then_some(rest.split_once(')')?.0)
    })?;
    // It must be repeated indeed.
    let twice = source.repeat(2);
    let (count, first, form) = study.gather_wider(WiderKind::WholeRepeat, |text| {
        String::from_utf8_lossy(text.spot.text()).contains(&twice)
    })?;
    let message = format!(
        "a repeat belongs to the one character before it; around all the text the pattern would match {}: {}",
        counted(count, "text"),
        first.shown(),
    );
    let remedy = Remedy::Pattern(form.pattern.source().to_owned());
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}
