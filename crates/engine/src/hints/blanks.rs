//! Blanks that a change leaves beside its place.

use crate::hints::beside::Beside;
use crate::hints::evidence::Form;
use crate::hints::hint::Remedy;
use crate::hints::study::StepStudy;
use brisk_quill_core::pattern::Pattern;

/// Blanks that were not there before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NewBlanks {
    /// Two in a row, the one before the new text and its first, or the one that was before it.
    Double,
    /// One at an end of the unit.
    Edge,
}

/// The blanks that a change of a form leaves.
pub fn new_blanks(form: &Form) -> Option<NewBlanks> {
    let after = form.after.as_deref()?;
    let (before, blank) = (form.before(), |byte: Option<&u8>| {
        byte.is_some_and(u8::is_ascii_whitespace)
    });
    if before == after || (before.is_empty() && after.is_empty()) {
        return None;
    }
    let (left, right) = (form.left, form.right);
    if after.is_empty() {
        // Where blanks were part of the match, there is no blank more than before.
        if blank(before.first()) || blank(before.last()) {
            return None;
        }
        return match (left, right) {
            (Beside::Blank, Beside::Blank) => Some(NewBlanks::Double),
            (Beside::Edge, Beside::Blank) | (Beside::Blank, Beside::Edge) => Some(NewBlanks::Edge),
            _ => None,
        };
    }
    let doubles_left = left == Beside::Blank && blank(after.first()) && !blank(before.first());
    let doubles_right = right == Beside::Blank && blank(after.last()) && !blank(before.last());
    let ends = right == Beside::Edge && blank(after.last()) && !blank(before.last());
    match (doubles_left || doubles_right, ends) {
        (true, _) => Some(NewBlanks::Double),
        (_, true) => Some(NewBlanks::Edge),
        _ => None,
    }
}

/// A pattern that takes the blanks with the match, or a template without blanks at its ends.
pub fn remedy(study: &StepStudy<'_>, form: &Form) -> Option<Remedy> {
    let pattern = study.plan.pattern();
    if form.after.as_deref().is_some_and(|after| !after.is_empty()) {
        let template = study.plan.template()?.source();
        let trimmed = match form.left == Beside::Blank && template.starts_with(' ') {
            true => template.trim_start_matches(' '),
            false => template.trim_end_matches(' '),
        };
        return Some(Remedy::Template(trimmed.to_owned()));
    }
    let source = match pattern.options().literal {
        true => return None,
        false => pattern.source(),
    };
    let amended = match source.contains('|') {
        true => format!("(?:{source}) +| *(?:{source})"),
        false => format!("{source} +| *{source}"),
    };
    Pattern::new(&amended, pattern.options()).ok()?;
    Some(Remedy::Pattern(amended))
}

/// The text around a change once it is made: whole words of it.
pub fn result(form: &Form) -> Vec<u8> {
    const AROUND: usize = 20;
    let (window, span) = (&form.spot.window, form.spot.span);
    let (head, tail) = (&window[..span.from], &window[span.to..]);
    let is_blank = |byte: &u8| *byte == b' ';
    let from = head.len().saturating_sub(AROUND);
    let from = match head[from..].iter().position(is_blank) {
        Some(blank) if from > 0 && from + blank + 1 < head.len() => from + blank + 1,
        _ => from,
    };
    let to = tail.len().min(AROUND);
    let to = match tail[..to].iter().rposition(is_blank) {
        Some(blank) if to < tail.len() && blank > 0 => blank,
        _ => to,
    };
    [
        &head[from..],
        form.after.as_deref().unwrap_or_default(),
        &tail[..to],
    ]
    .concat()
}
