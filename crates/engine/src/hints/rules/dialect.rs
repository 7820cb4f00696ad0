//! `dialect`: a sign that means something else in patterns and templates here.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::step::actions::Action;

pub const RULE: Rule = Rule {
    name: "dialect",
    speaks: "a sign means something else here: `\\(` and `\\|` are the characters themselves, `&` is no \
             reference, and `s/old/new/` is a pattern like any other",
    example: Example {
        words: &[r"berth \([0-9]\)", "--with", "B"],
        file: "notice.txt",
        text: "berth 4 is free\n",
    },
    hides: &["near-miss", "left-out-files", "no-reference"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.plan.pattern().options().literal {
        return None;
    }
    command(study)
        .or_else(|| escaped(study))
        .or_else(|| ampersand(study))
}

/// `s/old/new/` instead of a pattern and a template.
fn command(study: &StepStudy<'_>) -> Option<Hint> {
    let rest = study.plan.pattern().source().strip_prefix("s/")?;
    let mut parts = rest.split('/');
    let (old, new, flags) = (parts.next()?, parts.next()?, parts.next()?);
    if study.counts.matches > 0 || parts.next().is_some() || flags.len() > 2 {
        return None;
    }
    let message = format!("`s/{old}/{new}/{flags}` is a pattern as a whole here, slashes too");
    let remedy = match study.plan.action {
        Some(_) => Remedy::Both(old.to_owned(), new.to_owned()),
        None => Remedy::Pattern(old.to_owned()),
    };
    Some(Hint::new(RULE.name, message).cured_by(remedy))
}

/// `\(…\)` where a group is meant.
fn escaped(study: &StepStudy<'_>) -> Option<Hint> {
    if study.counts.matches > 0 {
        return None;
    }
    let (count, first, form) = study.gather_wider(WiderKind::Dialect, |_| true)?;
    let source = study.plan.pattern().source();
    let sign = [r"\(", r"\|", r"\{", r"\+", r"\?"];
    let sign = sign.into_iter().find(|sign| source.contains(sign));
    let (sign, without) = match sign {
        Some(sign) => (sign, "backslashes"),
        None => ("/", "slashes"),
    };
    let message = format!(
        "`{sign}` is the character itself here; without {without} the pattern would match {}: {}",
        counted(count, "text"),
        first.shown(),
    );
    let remedy = Remedy::Pattern(form.pattern.source().to_owned());
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// `&` for the whole match.
fn ampersand(study: &StepStudy<'_>) -> Option<Hint> {
    let Some(Action::Replace(template)) = study.plan.action else {
        return None;
    };
    let source = template.source();
    if template.refers() || study.plan.pattern().source().contains('&') {
        return None;
    }
    let mut signs = source.match_indices('&').map(|(at, _)| at);
    let at = signs.next().filter(|_| signs.next().is_none())?;
    let (before, behind) = (
        source[..at].chars().next_back(),
        source[at + 1..].chars().next(),
    );
    // `R&D`, `a & b`, `&amp;` and `&name` are text.
    let is_apart = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric() && !c.is_whitespace());
    if source == "&" || !is_apart(before) || !is_apart(behind) {
        return None;
    }
    let message = "`&` in a template is the character itself; the whole match is `$0`".to_owned();
    let amended = format!("{}$0{}", &source[..at], &source[at + 1..]);
    Some(Hint::new(RULE.name, message).cured_by(Remedy::Template(amended)))
}
