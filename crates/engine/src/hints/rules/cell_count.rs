//! `cell-count`: a rewrite of lines gives a row of a table more cells than it had, or fewer.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use crate::hints::table_lines::TableLine;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::unit::UnitKind;

pub const RULE: Rule = Rule {
    name: "cell-count",
    speaks: "a rewrite of lines gives a row of a `.csv` or `.tsv` file more cells than it had, or fewer",
    example: Example {
        words: &["Old Quay", "--with", "Quay, old"],
        file: "berths.csv",
        text: b"berth,place\n1,Old Quay\n2,New Quay\n",
    },
    hides: &["edge-space", "not-settled"],
    judge,
    named: |_| Box::new(|form| added(form).is_some()),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.plan.query.unit != UnitKind::Line || !study.plan.replaces {
        return None;
    }
    // A table whose cells are put between other signs is written anew on purpose.
    let is_other = |(_, form): &(u64, Form)| {
        let after = form.after.as_deref().unwrap_or_default();
        matches!(form.before(), b"," | b"\t") && matches!(after, b"," | b";" | b"|" | b"\t")
    };
    if study.forms.iter().all(is_other) {
        return None;
    }
    // A column that the first line gets too is a new one.
    let is_new = |(_, form): &(u64, Form)| form.spot.line == 1 && added(form) > Some(0);
    if study.forms.iter().any(is_new) {
        return None;
    }
    let (count, first) = study.gather(|form| added(form).is_some())?;
    let more = match added(first)? > 0 {
        true => "more",
        false => "fewer",
    };
    let message = format!(
        "{} a row of a table {more} cells than it had: {}",
        match count {
            1 => "1 change gives".to_owned(),
            n => format!("{} give", counted(n, "change")),
        },
        shown(&first.spot.window),
    );
    let remedy = Remedy::Words("add `--columns COLUMN`: a cell is then quoted where it must be");
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// The cells that a change adds to its row; negative where it takes some away, `None` where neither.
fn added(form: &Form) -> Option<i64> {
    let line = TableLine::of(form).filter(|line| !line.is_quoted())?;
    let cells = |text: &[u8]| i64::try_from(line.cells_of(text)).unwrap_or(i64::MAX);
    let added = cells(form.after.as_deref()?) - cells(form.before());
    (added != 0).then_some(added)
}
