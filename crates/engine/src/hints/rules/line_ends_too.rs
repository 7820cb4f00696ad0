//! `line-ends-too`: blanks, or a class of all but some, take line ends in a whole text, and lines are joined.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::outline::{ClassOf, Leaf, OutlinePart, RepeatOf};
use brisk_quill_core::unit::UnitKind;

pub const RULE: Rule = Rule {
    name: "line-ends-too",
    speaks: "the unit is longer than a line, and `\\s` or a class such as `[^,]` at an end of the pattern takes line \
             ends too, so that lines are joined",
    example: Example {
        words: &[r"\s+", "--with", " ", "--unit", "text"],
        file: "notice.txt",
        text: b"berth 4   is free\nberth 7  is closed\n",
    },
    hides: &["edge-space", "glued", "double-space"],
    judge,
    named: |_| Box::new(joins),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let query = study.plan.query;
    let pattern = study.plan.pattern();
    let takes_lines = matches!(query.unit, UnitKind::Text | UnitKind::Paragraph);
    if !takes_lines || !study.plan.replaces || pattern.source().contains(r"\n") {
        return None;
    }
    let parts = &study.plan.outline.as_ref()?.parts;
    let has_length =
        |part: &&OutlinePart| !matches!(part.leaf, Leaf::Start | Leaf::End | Leaf::Boundary);
    let first = parts.iter().find(has_length)?;
    let last = parts.iter().rev().find(has_length)?;
    let mut amended = pattern.source().to_owned();
    // From behind, so that places before it stay.
    let mut ends = vec![last];
    ends.extend(Some(first).filter(|part| part.span != last.span));
    let mut is_wide = false;
    for part in ends {
        let own = &pattern.source()[part.span.range()];
        if let Some(narrow) = narrow(&part.leaf, own) {
            amended.replace_range(part.span.range(), &narrow);
            is_wide = true;
        }
    }
    let (count, form) = study.gather(joins).filter(|_| is_wide)?;
    let message = format!(
        "{}: {}",
        match count {
            1 => "1 match takes a line end, and joins two lines".to_owned(),
            n => format!("{} take line ends, and join lines", counted(n, "match")),
        },
        shown(form.before()),
    );
    let remedy = Remedy::Pattern(amended);
    Some(Hint::at(RULE.name, (count, &form.spot), message).cured_by(remedy))
}

/// A part of a pattern, written so that it takes no line end; `None` where it takes none, or is meant to.
fn narrow(leaf: &Leaf, own: &str) -> Option<String> {
    let class = match leaf {
        Leaf::Class(class) => *class,
        Leaf::Repeat {
            of: RepeatOf::Class(class),
            ..
        } => *class,
        _ => return None,
    };
    match class {
        ClassOf::Blanks => Some(own.replacen(r"\s", r"[ \t]", 1)),
        ClassOf::Other if own.starts_with("[^") => Some(own.replacen(']', r"\n]", 1)),
        ClassOf::Digits | ClassOf::WordChars | ClassOf::Other => None,
    }
}

/// True if a change takes line ends away.
fn joins(form: &Form) -> bool {
    let ends = |text: &[u8]| text.iter().filter(|byte| **byte == b'\n').count();
    form.after
        .as_deref()
        .is_some_and(|after| ends(after) < ends(form.before()))
}
