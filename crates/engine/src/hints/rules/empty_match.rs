//! `empty-match`: matches of length zero are replaced by text.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::outline::{Leaf, Outline};

pub const RULE: Rule = Rule {
    name: "empty-match",
    speaks: "matches of length zero are replaced by text, and the pattern can match text too",
    example: Example {
        words: &["[0-9]*", "--with", "N"],
        file: "notice.txt",
        text: b"berth 12 free\n",
    },
    hides: &["glued", "double-space", "edge-space", "not-settled"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let pattern = study.plan.pattern();
    let outline = study.plan.outline.as_ref()?;
    // A pattern of anchors alone is meant to match at a place.
    outline.ends()?;
    if pattern.shortest() != Some(0) {
        return None;
    }
    let adds = |text: &Option<Box<[u8]>>| text.as_ref().is_some_and(|text| !text.is_empty());
    let (count, first) = study.gather(|form| form.before().is_empty() && adds(&form.after))?;
    let message = format!(
        "{} of length zero: the pattern also matches where nothing stands, and puts text there",
        match count {
            1 => "1 match is".to_owned(),
            n => format!("{} are", counted(n, "match")),
        },
    );
    let remedy = at_least_once(pattern, outline).map(Remedy::Pattern);
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// The pattern with `*` written as `+`, from the right, until it cannot be empty.
fn at_least_once(pattern: &Pattern, outline: &Outline) -> Option<String> {
    let source = pattern.source();
    let mut amended = source.to_owned();
    for part in outline.parts.iter().rev() {
        let Leaf::Repeat { least: 0, .. } = part.leaf else {
            continue;
        };
        let own = &source[part.span.range()];
        let lazy = own.strip_suffix("*?").or_else(|| own.strip_suffix("??"));
        let repeated = match lazy {
            Some(own) => format!("{own}+?"),
            None => match (own.strip_suffix('*'), own.strip_suffix('?')) {
                (Some(own), _) => format!("{own}+"),
                (_, Some(own)) => own.to_owned(),
                _ => continue,
            },
        };
        amended.replace_range(part.span.range(), &repeated);
        let form = Pattern::new(&amended, pattern.options()).ok()?;
        if form.shortest() != Some(0) {
            return Some(amended);
        }
    }
    None
}
