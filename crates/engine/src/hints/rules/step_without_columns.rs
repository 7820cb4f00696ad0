//! `step-without-columns`: a later step of a rewrite of columns names none, and changes any of them.

use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "step-without-columns",
    speaks: "a step names no columns although one before it does, and matches anywhere in the row",
    example: Example {
        words: &[
            "open",
            "--with",
            "free",
            "--columns",
            "status",
            "--then",
            "free",
            "--with",
            "vacant",
        ],
        file: "berths.csv",
        text: b"status,name\nopen,Freeport\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let columns = study.plan.columns_before.as_ref()?;
    let matches = study.counts.matches;
    if matches == 0 {
        return None;
    }
    let step = study.index + 1;
    let message = format!(
        "step {step} names no columns, unlike a step before it ({}), and takes {} anywhere in the row",
        quoted(columns),
        counted(matches, "match"),
    );
    let remedy = Remedy::Columns {
        step,
        columns: columns.clone(),
    };
    let hint = Hint::new(RULE.name, message).cured_by(remedy);
    Some(Hint {
        count: matches,
        ..hint
    })
}
