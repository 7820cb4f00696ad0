//! `still-there`: after the rewrite, the old name remains in another spelling.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::names::is_code;
use crate::hints::rule::{Example, Rule, no_form};
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::number;

pub const RULE: Rule = Rule {
    name: "still-there",
    speaks: "after the rewrite, the old name of several words remains in another spelling",
    example: Example {
        words: &["quay_wall", "--with", "pier_wall"],
        file: "notice.txt",
        text: b"let quay_wall = 4;\nQuayWall::new()\n",
    },
    hides: &["near-miss"],
    judge,
    named: no_form,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if !study.plan.acts() {
        return None;
    }
    let options = study.plan.pattern().options();
    let any_case = study.plan.pattern().source().to_lowercase();
    let (count, first, form) = study.gather_wider(WiderKind::Spelling, |text| {
        // In code, words between blanks are not name.
        if any_case.contains(' ') && is_code(&text.spot.source) {
            return false;
        }
        // Another letter case alone is another hint.
        String::from_utf8_lossy(text.spot.text()).to_lowercase() != any_case || options.ignore_case
    })?;
    let message = format!(
        "{} of the old name in another spelling {}: {}",
        match count {
            1 => "1 occurrence".to_owned(),
            n => format!("{} occurrences", number(n)),
        },
        if count == 1 { "remains" } else { "remain" },
        first.shown(),
    );
    let remedy = Remedy::Pattern(format!("(?i){}", form.pattern.source()));
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}
