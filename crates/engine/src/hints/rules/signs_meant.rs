//! `signs-meant`: the pattern is in the text as it is written, where its signs mean something else.

use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "signs-meant",
    speaks: "the pattern matches nothing, or only other texts, and stands in the text just as it is written: its \
             `(`, `[`, `$` or `*` are meant as characters",
    example: Example {
        words: &["row[0]", "--with", "row[1]"],
        file: "pilots.rs",
        text: b"let first = row[0];\nlet last = row[9];\n",
    },
    hides: &[
        "near-miss",
        "no-reference",
        "odd-class",
        "any-char",
        "case-variants",
    ],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (count, first, form) = study.gather_wider(WiderKind::AsWritten, |_| true)?;
    if count < study.counts.matches {
        return None;
    }
    let source = study.plan.pattern().source();
    let sign = source.chars().find(|c| "()[]{}$^*+?|.".contains(*c))?;
    let message = format!(
        "`{sign}` is a sign of the pattern, which matches {}; the text {} itself {}",
        match study.counts.matches {
            0 => "nothing",
            _ => "other texts",
        },
        quoted(source),
        match count {
            1 => "is there once".to_owned(),
            n => format!("is there {}", counted(n, "time")),
        },
    );
    let remedy = Remedy::Pattern(form.pattern.source().to_owned());
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}
