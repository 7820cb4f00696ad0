//! The decisions of a plan in words: the same everywhere that something may be written.

use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::number;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::opinion::Opinion;

/// "67 accepted, 2 modified; 5 refused and 14 open stay as they are": what a run of a plan writes.
/// A plan that holds a decision writes what is accepted and modified, one without any writes all.
pub fn what_is_written(plan: &PlanIndex) -> String {
    let counts = plan.counts();
    if plan.is_undecided(&counts) {
        let written = match counts.total() {
            1 => "it will be written".to_owned(),
            all => format!("all {} will be written", number(all)),
        };
        return format!("No change has been reviewed: {written}.");
    }
    let some = |all: [(u64, &str); 2]| {
        let some = all.into_iter().filter(|(n, _)| *n > 0);
        some.map(|(n, name)| format!("{} {name}", number(n)))
            .collect::<Vec<_>>()
    };
    let written = some([(counts.accepted, "accepted"), (counts.modified, "modified")]);
    let written = match written.is_empty() {
        true => "Nothing is accepted".to_owned(),
        false => written.join(", "),
    };
    let left = some([(counts.refused, "refused"), (counts.open, "open")]);
    let stay = match (left.is_empty(), counts.refused + counts.open) {
        (true, _) => String::new(),
        (false, 1) => format!("; {} stays as it is", left.join(" and ")),
        (false, _) => format!("; {} stay as they are", left.join(" and ")),
    };
    let differ = match plan.conflicts().len() {
        0 => String::new(),
        1 => " Reviewers decided differently about 1 of the open changes.".to_owned(),
        n => format!(" Reviewers decided differently about {n} of the open changes."),
    };
    format!("{written}{stay}.{differ}")
}

/// "Anna accepted (as on the sign)"
pub fn opinion_text(opinion: &Opinion) -> String {
    let by = visible(opinion.by.as_bytes());
    let decision = opinion.decision.name();
    match &*opinion.remark {
        "" => format!("{by} {decision}"),
        remark => format!("{by} {decision} ({})", visible(remark.as_bytes())),
    }
}
