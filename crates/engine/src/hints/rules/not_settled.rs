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
        text: b"see ship at sea\n",
    },
    hides: &[],
    judge,
    named: |study| Box::new(|form| grows_again(study, form)),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.of > 1 || study.plan.inserts || !study.plan.replaces {
        return None;
    }
    let (count, first) = study.gather(|form| grows_again(study, form))?;
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
fn grows_again(study: &StepStudy<'_>, form: &Form) -> bool {
    let (Some((head, _)), Some((new, written))) = (added(form), result(form)) else {
        return false;
    };
    let from = written.from + head.len();
    let again = Span::new(from, from + form.before().len());
    // Without filters, what is added would be added to more than the old text as well.
    let is_plain = study
        .plan
        .template()
        .is_some_and(|template| !template.has_filters());
    let writes_the_same = study
        .plan
        .template()
        .is_some_and(|template| !template.refers());
    let grows = |found: Span| {
        // All of a text that is written whatever was found gives that text again.
        if writes_the_same && found == written {
            return false;
        }
        found == again
            || is_plain
                && (written.from..=again.from).contains(&found.from)
                && (again.to..=written.to).contains(&found.to)
    };
    let mut matches = Matches::default();
    let found = study
        .plan
        .pattern()
        .finder()
        .collect(&new, false, &mut matches);
    found.is_ok() && (0..matches.len()).any(|index| grows(matches.span(index)))
}

/// The pattern that does not match beside what is added.
fn guarded(pattern: &Pattern, form: &Form) -> Option<String> {
    if pattern.options().literal {
        return None;
    }
    let (head, tail) = added(form)?;
    let escaped = |text: &[u8]| Some(escaped_text(std::str::from_utf8(text).ok()?));
    let source = grouped(pattern.source());
    let forms = match head.is_empty() {
        false => {
            let head = escaped(head)?;
            // Where the pattern takes what is added too, it must not begin there either.
            vec![
                format!("(?<!{head}){source}"),
                format!("(?<!{head})(?!{head}){source}"),
            ]
        }
        true => vec![format!("{source}(?!{})", escaped(tail)?)],
    };
    let settles = |amended: &String| {
        let pattern = Pattern::new(amended, pattern.options()).ok()?;
        let (new, written) = result(form)?;
        let mut matches = Matches::default();
        pattern.finder().collect(&new, false, &mut matches).ok()?;
        let within = |span: Span| span.from < written.to && written.from < span.to;
        (!(0..matches.len()).any(|index| within(matches.span(index)))).then_some(())
    };
    { forms }.into_iter().find(|form| settles(form).is_some())
}

/// The text around a change once it is made, and the place of the new text in it.
fn result(form: &Form) -> Option<(Vec<u8>, Span)> {
    let after = form.after.as_deref()?;
    let (window, span) = (&form.spot.window, form.spot.span);
    let new = [&window[..span.from], after, &window[span.to..]].concat();
    Some((new, Span::new(span.from, span.from + after.len())))
}

fn grouped(source: &str) -> String {
    match source.contains('|') {
        true => format!("(?:{source})"),
        false => source.to_owned(),
    }
}
