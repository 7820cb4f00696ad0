//! `values-merge`: values of a column that were different become one.

use crate::hints::evidence::CellValue;
use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::Example;
use crate::hints::second_look::SecondLook;
use crate::hints::study::StepStudy;
use brisk_quill_core::columns::layout::Format;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::query::unit_view::Unmatched;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::step::actions::Action;
use brisk_quill_core::template::Template;
use brisk_quill_files::read::Reader;
use brisk_quill_files::source::Source;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::ControlFlow;

/// The name of the hint.
pub const NAME: &str = "values-merge";
/// When it speaks.
pub const SPEAKS: &str =
    "values of a column whose values are hardly ever the same become one, as `007` and `7`";
/// A request for which it speaks.
pub const EXAMPLE: Example = Example {
    words: &["^0+", "--remove", "--columns", "berth"],
    file: "moorings.csv",
    text: b"berth,ship\n007,Jolly Tern\n7,Old Skarn\n12,Fennmark\n",
};
/// Cells without a match that are looked at.
const CELLS_MOST: u64 = 10_000;
/// Fewer cells say nothing.
const CELLS_LEAST: u64 = 3;

/// The values of one column.
#[derive(Default)]
struct Column<'v> {
    cells: u64,
    /// Each value as it was.
    before: BTreeSet<Vec<u8>>,
    /// Each value as it becomes.
    after: BTreeMap<Vec<u8>, MergedValue<'v>>,
}

/// The values that a value was, and the first of them that changes.
type MergedValue<'v> = (BTreeSet<Vec<u8>>, Option<&'v CellValue>);

impl<'v> Column<'v> {
    fn add(&mut self, cells: u64, (before, after): (&[u8], &[u8]), changed: Option<&'v CellValue>) {
        self.cells += cells;
        self.before.insert(before.to_vec());
        let (from, first) = self.after.entry(after.to_vec()).or_default();
        from.insert(before.to_vec());
        *first = first.or(changed);
    }

    /// True if at least four in five cells have a value of their own, as keys and names do.
    fn holds_keys(&self) -> bool {
        self.cells >= CELLS_LEAST && self.before.len() as u64 * 5 >= self.cells * 4
    }

    /// The values that become one: how many there are, and those of the first.
    fn merged(&self) -> Option<(u64, &CellValue, Vec<&[u8]>)> {
        let differ = |values: &BTreeSet<Vec<u8>>| {
            let words = |value: &Vec<u8>| without_notation(value);
            values.iter().map(words).collect::<BTreeSet<_>>().len() > 1
        };
        let merged: Vec<_> = (self.after.iter())
            .filter(|(after, (from, first))| !after.is_empty() && first.is_some() && differ(from))
            .collect();
        let (_, (from, first)) = merged
            .iter()
            .min_by_key(|(_, (_, first))| first.map(|cell| cell.spot.line))?;
        let values = from.iter().map(Vec::as_slice).collect();
        Some((merged.len() as u64, (*first)?, values))
    }
}

/// A value without blanks, and without the zeros at the end of a fraction: such are made uniform on purpose.
fn without_notation(value: &[u8]) -> String {
    let text = String::from_utf8_lossy(value);
    let text: String = text.chars().filter(|c| !c.is_whitespace()).collect();
    let is_number = text.chars().all(|c| c.is_ascii_digit() || c == '.');
    match is_number && text.matches('.').count() == 1 {
        true => text.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => text,
    }
}

/// The hint about the cells of a step, after a second look at those that it left alone.
pub fn judge(reader: &Reader, study: &StepStudy<'_>, sources: &[Source]) -> Option<Hint> {
    let columns = study.plan.query.columns.as_ref()?;
    // What goes into another column merges nothing, and a later step sees other cells.
    if columns.into.is_some() || study.index > 0 {
        return None;
    }
    // Columns of one name in several tables are not one column.
    let form = |source: &Source| columns.options.format.or(Format::of_path(source.path()));
    let has_tables = |source: &Source| form(source).is_some_and(Format::holds_tables);
    if columns.table.is_none() && sources.iter().any(has_tables) {
        return None;
    }
    // Values of a table of pairs, and one that is written whatever was found, are meant to be the same.
    let is_written = |template: &Template| !template.refers() && !template.source().is_empty();
    let is_meant = matches!(study.plan.action, Action::Pairs(_));
    if is_meant || study.plan.template().is_some_and(is_written) {
        return None;
    }
    let mut changes = study.cells.iter();
    if !changes.any(|(_, cell)| cell.before != cell.after) {
        return None;
    }
    let mut columns: BTreeMap<String, Column<'_>> = BTreeMap::new();
    for (count, cell) in &study.cells {
        let changed = (cell.before != cell.after).then_some(cell);
        let column = columns.entry(cell.column.to_string()).or_default();
        column.add(*count, (&cell.before, &cell.after), changed);
    }
    let mut cells = 0;
    let options = RunOptions {
        missing: Unmatched::Shown,
        ..RunOptions::default()
    };
    SecondLook::new(reader, study.plan.query, sources).run(options, &mut |_, unit| {
        let Some(cell) = unit.unit.cell.filter(|_| unit.found.is_empty()) else {
            return ControlFlow::Continue(());
        };
        if let Some(column) = columns.get_mut(&*cell.name()) {
            let value = unit.unit.bytes();
            column.add(1, (value, value), None);
        }
        cells += 1;
        match cells < CELLS_MOST {
            true => ControlFlow::Continue(()),
            false => ControlFlow::Break(()),
        }
    });
    let mut keys = columns.iter().filter(|(_, column)| column.holds_keys());
    let (name, (count, first, values)) =
        keys.find_map(|(name, column)| Some((name, column.merged()?)))?;
    let of = match count {
        1 => String::new(),
        n => format!(", and {} more", number(n - 1)),
    };
    let two: Vec<String> = values.iter().take(2).map(|value| shown(value)).collect();
    let message = format!(
        "{} of the column {} that were different become one: {}{of}",
        counted(values.len() as u64, "value"),
        shown(name.as_bytes()),
        two.join(" and "),
    );
    let remedy = Remedy::Words("look at both rows first with `find`: afterwards they are the same");
    Some(Hint::at(NAME, (count, &first.spot), message).cured_by(remedy))
}
