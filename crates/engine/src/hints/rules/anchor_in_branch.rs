//! `anchor-in-branch`: an anchor at an end of the pattern holds only one of its branches.

use crate::hints::beside::Beside;
use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "anchor-in-branch",
    speaks: "`^` or `$` at an end of the pattern belongs to one branch of a choice, and another branch matched \
             elsewhere in a line",
    example: Example {
        words: &["^open|closed", "--with", "moored"],
        file: "notice.txt",
        text: b"closed on Monday\nBerth 4 is closed\nopen at noon\n",
    },
    hides: &[],
    judge,
    named,
};

/// The end that an anchor holds one branch at.
#[derive(Clone, Copy, PartialEq, Eq)]
enum End {
    Start,
    End,
}

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (end, amended) = one_branch(study)?;
    let (count, first) = study.gather(|form| is_elsewhere(end, form))?;
    let (sign, which, place) = match end {
        End::Start => ("^", "first", "start"),
        End::End => ("$", "last", "end"),
    };
    let message = format!(
        "`{sign}` belongs to the {which} branch alone: {} not at the {place} of the {}: {}",
        match count {
            1 => "1 match is".to_owned(),
            n => format!("{} are", counted(n, "match")),
        },
        study.plan.query.unit.name(),
        quoted(&String::from_utf8_lossy(first.before())),
    );
    let hint = Hint::at(RULE.name, (count, &first.spot), message);
    Some(hint.cured_by(Remedy::Pattern(amended)))
}

fn named<'s>(study: &'s StepStudy<'_>) -> Box<dyn FnMut(&Form) -> bool + 's> {
    let end = one_branch(study).map(|(end, _)| end);
    Box::new(move |form| end.is_some_and(|end| is_elsewhere(end, form)))
}

fn is_elsewhere(end: End, form: &Form) -> bool {
    match end {
        End::Start => form.left != Beside::Edge,
        End::End => form.right != Beside::Edge,
    }
}

/// The end at which an anchor holds one branch of the pattern, and the pattern in which it holds all.
fn one_branch(study: &StepStudy<'_>) -> Option<(End, String)> {
    let pattern = study.plan.pattern();
    if pattern.options().literal {
        return None;
    }
    let branches = branches(pattern.source())?;
    let ends_open = |branch: &&str| branch.ends_with('$') && !branch.ends_with(r"\$");
    let starting = branches
        .iter()
        .filter(|branch| branch.starts_with('^'))
        .count();
    let ending = branches.iter().filter(|branch| ends_open(branch)).count();
    if starting == 1 && ending == 0 {
        let inner = pattern.source().strip_prefix('^')?;
        return Some((End::Start, format!("^(?:{inner})")));
    }
    if ending == 1 && starting == 0 && ends_open(branches.last()?) {
        let inner = pattern.source().strip_suffix('$')?;
        return Some((End::End, format!("(?:{inner})$")));
    }
    None
}

/// The branches of a choice that is the whole pattern; `None` where it is none.
fn branches(source: &str) -> Option<Vec<&str>> {
    let (mut depth, mut in_class, mut from, mut all) = (0usize, false, 0, Vec::new());
    let mut chars = source.char_indices();
    while let Some((at, c)) = chars.next() {
        match c {
            '\\' => {
                chars.next();
            }
            '[' if !in_class => in_class = true,
            ']' => in_class = false,
            _ if in_class => {}
            '(' => depth += 1,
            ')' => depth = depth.checked_sub(1)?,
            '|' if depth == 0 => {
                all.push(&source[from..at]);
                from = at + 1;
            }
            _ => {}
        }
    }
    all.push(&source[from..]);
    (all.len() > 1).then_some(all)
}
