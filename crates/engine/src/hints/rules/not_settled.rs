//! `not-settled`: the rewrite run on its own result would change it again.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use crate::hints::wider::escaped as escaped_text;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::matches::Matches;
use brisk_quill_core::span::Span;

pub const RULE: Rule = Rule {
    name: "not-settled",
    speaks: "the rewrite run on its own result would change it again",
    example: Example {
        words: &["ship", "--with", "a ship"],
        file: "notice.txt",
        text: "see ship at sea\n",
    },
    hides: &[],
    judge,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.of > 1 || study.plan.inserts || !study.plan.replaces {
        return None;
    }
    let (count, first) = study.gather(|form| grows_again(study.plan.pattern(), form))?;
    let after = first.after.as_deref()?;
    let message = format!(
        "the rewrite run on its own result would change it again, after {}: {} holds {}",
        counted(count, "change"),
        shown(after),
        shown(first.before()),
    );
    let remedy = guarded(study.plan.pattern(), first).map(Remedy::Pattern);
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// The words that a form adds before and behind its match.
fn added(form: &Form) -> Option<(&[u8], &[u8])> {
    let after = form.after.as_deref()?;
    let before = form.before();
    // What is done to a sign, as to write it in another notation, is done once.
    if !has_text(before) || after.len() <= before.len() {
        return None;
    }
    let at = after
        .windows(before.len())
        .position(|part| part == before)?;
    let (head, tail) = (&after[..at], &after[at + before.len()..]);
    // Quotes and brackets are put around a text that is known not to have them.
    (has_text(head) || has_text(tail)).then_some((head, tail))
}

fn has_text(bytes: &[u8]) -> bool {
    String::from_utf8_lossy(bytes).contains(char::is_alphanumeric)
}

/// True if the pattern matches the old text again within the new one.
fn grows_again(pattern: &Pattern, form: &Form) -> bool {
    let (Some((head, _)), Some(after)) = (added(form), form.after.as_deref()) else {
        return false;
    };
    let spot = &form.spot;
    let (window, span) = (&spot.window, spot.span);
    let new = [&window[..span.from], after, &window[span.to..]].concat();
    let from = span.from + head.len();
    let again = Span::new(from, from + form.before().len());
    let mut matches = Matches::default();
    let found = pattern.finder().collect(&new, false, &mut matches);
    found.is_ok() && (0..matches.len()).any(|index| matches.span(index) == again)
}

/// The pattern that does not match beside what is added.
fn guarded(pattern: &Pattern, form: &Form) -> Option<String> {
    if pattern.options().literal {
        return None;
    }
    let (head, tail) = added(form)?;
    let escaped = |text: &[u8]| Some(escaped_text(std::str::from_utf8(text).ok()?));
    let source = pattern.source();
    let amended = match head.is_empty() {
        false => format!("(?<!{}){}", escaped(head)?, grouped(source)),
        true => format!("{}(?!{})", grouped(source), escaped(tail)?),
    };
    Pattern::new(&amended, pattern.options()).ok()?;
    Some(amended)
}

fn grouped(source: &str) -> String {
    match source.contains('|') {
        true => format!("(?:{source})"),
        false => source.to_owned(),
    }
}
