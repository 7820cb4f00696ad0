//! `already-there`: the new name stands elsewhere in scope already.

use crate::hints::evidence::WiderText;
use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::names::{is_code, is_name, is_spelling};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::number;
use brisk_quill_core::step::actions::Action;

pub const RULE: Rule = Rule {
    name: "already-there",
    speaks: "the new name stands elsewhere in scope already, so that the two can no longer be distinguished",
    example: Example {
        words: &["Berth 4", "--with", "Berth 7"],
        file: "notice.txt",
        text: b"Berth 4 is free\nBerth 7 is closed\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if let Action::Pairs(_) = study.plan.action {
        return of_table(study);
    }
    let (old, new) = (
        study.plan.pattern().source(),
        study.plan.template()?.source(),
    );
    if study.counts.edits == 0 || is_spelling(old, new) {
        return None;
    }
    // Words of everyday language may become one with others.
    let holds = |text: &WiderText| match is_code(&text.spot.source) {
        true => !new.contains(' '),
        false => is_name(new),
    };
    let (count, first, _) = study.gather_wider(WiderKind::NewText, holds)?;
    let message = format!(
        "{} stands in {} other {} already, and can no longer be distinguished from what was {}",
        quoted(new),
        number(count),
        if count == 1 { "place" } else { "places" },
        quoted(old),
    );
    let remedy = Remedy::Words("choose another name, or look at those places first with `find`");
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// The same of a table of pairs.
fn of_table(study: &StepStudy<'_>) -> Option<Hint> {
    let (count, first, _) = study.gather_wider(WiderKind::NewText, |_| true)?;
    let message = format!(
        "new texts of the table stand in {} other {} already: {}",
        number(count),
        if count == 1 { "place" } else { "places" },
        first.shown(),
    );
    let remedy =
        Remedy::Words("look at those places first with `find`: afterwards they look the same");
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}
