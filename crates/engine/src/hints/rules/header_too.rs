//! `header-too`: a rewrite of lines changes the names of the columns of a table as well.

use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::{Example, Rule};
use crate::hints::study::StepStudy;
use crate::hints::table_lines::TableLine;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::unit::UnitKind;

pub const RULE: Rule = Rule {
    name: "header-too",
    speaks: "a rewrite of lines changes the first line of a `.csv` or `.tsv` file, which names its columns, and others",
    example: Example {
        words: &["depth", "--with", "draught"],
        file: "berths.csv",
        text: b"berth,depth,remark\n1,7,depth measured\n",
    },
    hides: &[],
    judge,
    named: |_| Box::new(is_in_header),
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.plan.query.unit != UnitKind::Line || !study.plan.replaces {
        return None;
    }
    let is_row = |(count, form): &(u64, Form)| {
        TableLine::of(form).is_some() && (form.spot.line > 1 || *count > 1)
    };
    let (count, first) = study.gather(is_in_header)?;
    if !study.forms.iter().any(is_row) {
        return None;
    }
    let message = format!(
        "{} in the first line of a table, which names its columns: {}",
        match count {
            1 => "1 change is".to_owned(),
            n => format!("{}, some of them", counted(n, "change")),
        },
        shown(&first.spot.window),
    );
    let remedy = Remedy::Words("add `--columns COLUMN`, or `--lines 2..`, to leave it as it is");
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// True if a change is in the names of columns, and not in what is between all cells.
fn is_in_header(form: &Form) -> bool {
    let changes = form
        .after
        .as_deref()
        .is_some_and(|after| after != form.before());
    let is_text = |text: &[u8]| String::from_utf8_lossy(text).contains(char::is_alphanumeric);
    let Some(line) = TableLine::of(form) else {
        return false;
    };
    changes
        && form.spot.line == 1
        && is_text(form.before())
        && line.cells_of(form.before()) == 1
        && line.reads_like_names()
}
