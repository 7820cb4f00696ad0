//! `never-listed`: values of a list that no cell is equal to.

use crate::hints::hint::{Hint, Remedy};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::rules::never_met::first_of;
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::number;
use brisk_quill_core::query::cell_condition::{CellTest, ListedValues};

pub const RULE: Rule = Rule {
    name: "never-listed",
    speaks: "the list of `--where-listed` has values that no cell in scope is equal to",
    example: Example {
        words: &[
            "closed",
            "--with",
            "shut",
            "--where-listed",
            "berth",
            "berths.txt",
        ],
        file: "table.csv",
        text: b"berth,status\nB-1,closed\nB-2,closed\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let cells = study.plan.query.scope.cells.iter();
    let lists = cells.filter_map(|cell| match &cell.test {
        CellTest::Listed(values) => Some(values),
        CellTest::Match(_) => None,
    });
    lists.filter_map(of_list).next()
}

fn of_list(list: &ListedValues) -> Option<Hint> {
    let count = list.never_met().count() as u64;
    if count == 0 || !list.was_compared() {
        return None;
    }
    let message = format!(
        "{} of {} listed values {} in no row: {}",
        number(count),
        number(list.len() as u64),
        if count == 1 { "occurs" } else { "occur" },
        first_of(list.never_met(), count),
    );
    let remedy = Remedy::Words("compare with `-i` or `--trimmed`, or correct the list");
    Some(Hint {
        count,
        ..Hint::new(RULE.name, message).cured_by(remedy)
    })
}
