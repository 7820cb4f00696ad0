//! `never-met`: old texts of a table that no text holds.

use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::number;
use brisk_quill_core::step::actions::Action;

pub const RULE: Rule = Rule {
    name: "never-met",
    speaks: "the table of `--pairs` has old texts that no text in scope holds",
    example: Example {
        words: &["--pairs", "names.csv"],
        file: "notice.txt",
        text: b"Skarn is at berth 4\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

/// Old texts that are named.
const NAMED: usize = 3;

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let Action::Pairs(pairs) = study.plan.action else {
        return None;
    };
    let unmet = pairs.never_met().count() as u64;
    if unmet == 0 {
        return None;
    }
    let message = format!(
        "{} of {} old texts {} not occur in scope: {}",
        number(unmet),
        number(pairs.len() as u64),
        if unmet == 1 { "does" } else { "do" },
        first_of(pairs.never_met().map(str::as_bytes), unmet),
    );
    let remedy = Remedy::Words("look for them with `--ignore-case`, or take them out of the table");
    let count = unmet;
    Some(Hint {
        count,
        ..Hint::new(RULE.name, message).cured_by(remedy)
    })
}

/// The first of this many texts, for a sentence.
pub(super) fn first_of<'t>(texts: impl Iterator<Item = &'t [u8]>, count: u64) -> String {
    let named: Vec<String> = texts.take(NAMED).map(shown).collect();
    let more = if count > NAMED as u64 { " …" } else { "" };
    format!("{}{more}", named.join(", "))
}
