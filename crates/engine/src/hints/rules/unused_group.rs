//! `unused-group`: the template leaves out one of several groups.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::step::actions::Action;
use std::collections::BTreeSet;

pub const RULE: Rule = Rule {
    name: "unused-group",
    speaks: "the template writes all groups of the pattern but one, or one of them twice in the place of another",
    example: Example {
        words: &[r"(\d{4})-(\d\d)-(\d\d)", "--with", "$2/$1"],
        file: "notice.txt",
        text: b"closed 2031-05-04\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let outline = study.plan.outline.as_ref()?;
    let Action::Replace(template) = study.plan.action else {
        return None;
    };
    let written: Vec<usize> = template.groups().collect();
    // In filters a group may be asked for without being written.
    if written.contains(&0) || template.has_groups_in_filters() {
        return None;
    }
    let used: BTreeSet<usize> = written.iter().copied().collect();
    let mut left = outline.plain_groups.iter().filter(|n| !used.contains(n));
    let (unused, None) = (left.next()?, left.next()) else {
        return None;
    };
    let twice = written
        .iter()
        .find(|n| written.iter().filter(|m| m == n).count() > 1);
    // New text in the place of a group is meant to be.
    let own = study.plan.pattern().source();
    let is_known = |word: &str| word.is_empty() || own.contains(word);
    let is_lost = used.len() > 1 && template.texts().flat_map(words).all(is_known);
    if twice.is_none() && !is_lost {
        return None;
    }
    let message = match twice {
        Some(twice) => format!(
            "the template writes group {twice} twice and group {unused} not at all, so what it matches is lost"
        ),
        None => format!(
            "the template writes every group but group {unused}, so what it matches is lost"
        ),
    };
    let remedy = Remedy::Words(
        "add its reference, or write `(?:…)` where a group is only there to hold a part",
    );
    Some(Hint::new(RULE.name, message).cured_by(remedy))
}

/// The words of a text.
fn words(text: &str) -> impl Iterator<Item = &str> {
    text.split(|c: char| !c.is_alphanumeric())
}
