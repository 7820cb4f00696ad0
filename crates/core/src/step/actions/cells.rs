//! `--set` and `--add-column`: cells of each row with a match are written, columns are added.
//!
//! All texts are those of the first match that is taken in the row, and written from the row as it
//! was. A row of which one text cannot be made or written is left alone.

use crate::columns::fault::CellFault;
use crate::columns::list::Column;
use crate::columns::record::NewCell;
use crate::columns::row::Row;
use crate::describe::{QueryWords, quoted, shown};
use crate::edits::GroupTexts;
use crate::problem::ProblemKind;
use crate::query::findings::Findings;
use crate::query::unit_view::UnitView;
use crate::step::edit_maker::{EditMaker, RowText};
use crate::step::template_reader::TemplateReader;
use crate::step_spec::lists::in_pairs;
use crate::step_spec::values::{StepFault, parse};
use crate::template::Template;

/// The text for one cell of a row.
#[derive(Clone, Debug)]
pub struct CellText {
    /// The cell that takes it.
    pub target: CellTarget,
    /// The text, written for the first match in the row.
    pub template: Template,
}

/// The cell of a row that takes a text.
#[derive(Clone, Debug)]
pub enum CellTarget {
    /// The cell of a column that is there.
    Column(Column),
    /// The cell of a column of this name, which is added at the end; it is empty in rows without
    /// a match.
    Added(String),
}

/// The action that writes `set` into columns and adds those of `add_column`, in pairs of a column
/// and a template.
pub(crate) fn build(
    (set, add_column): (&[String], &[String]),
    templates: &mut TemplateReader<'_>,
) -> Result<Vec<CellText>, StepFault> {
    let mut cells = Vec::new();
    for (column, text) in in_pairs(set) {
        cells.push(CellText {
            target: CellTarget::Column(parse("set", column)?),
            template: templates.read("set", text)?,
        });
    }
    for (name, text) in in_pairs(add_column) {
        cells.push(CellText {
            target: CellTarget::Added(name.to_owned()),
            template: templates.read("add-column", text)?,
        });
    }
    Ok(cells)
}

/// "the column a becomes `b` in each row with a match of `x`, in every cell"
pub(crate) fn describe(words: &QueryWords, cells: &[CellText]) -> String {
    let cell = |cell: &CellText| {
        let text = quoted(cell.template.source());
        match &cell.target {
            CellTarget::Column(column) => format!("the column {} becomes {text}", shown(column)),
            CellTarget::Added(name) => format!("a column {} is added, with {text}", quoted(name)),
        }
    };
    let cells: Vec<String> = cells.iter().map(cell).collect();
    let (a_match, place) = (&words.a_match, &words.place);
    format!(
        "{} in each row with {a_match}, {place}",
        cells.join(" and ")
    )
}

/// Writes what is to be written into a row, all of whose cells have been seen.
pub(crate) fn end_row(maker: &mut EditMaker<'_, '_>, row: &Row<'_>, cells: &[CellText]) {
    let first = maker.out.edits.len();
    let new = maker.in_row.take();
    let matches = new.as_ref().map_or(0, |new| new.matches);
    let new = new.and_then(|new| new.texts.map(|texts| (texts, new.groups)));
    let is_known = new.is_some();
    match write_cells(maker, row, cells, new) {
        // Why there are no texts has been reported.
        Ok(()) if !is_known => maker.counts.failed += matches,
        Ok(()) => maker.count(maker.out.edits.len() == first, matches),
        Err(kind) => {
            maker.out.edits.truncate(first);
            maker.counts.failed += matches;
            maker.leave_row(row, kind);
            // The row has to stay as wide as the others, where it can.
            let _ = append(maker, row, cells, None);
        }
    }
    for (span, line, value) in std::mem::take(&mut maker.units_of_row) {
        let edits = &maker.out.edits[first..];
        let edit = edits.iter().find(|edit| edit.span == span);
        let now = edit.and_then(|edit| edit.cell.as_ref().map(|cell| cell.now()));
        maker.check(span.from, line, now.unwrap_or(value));
    }
}

/// The first match of a row gives the texts that are written into it.
pub(crate) fn eval(
    maker: &mut EditMaker<'_, '_>,
    unit: &UnitView<'_>,
    found: &Findings<'_>,
    cells: &[CellText],
) -> Result<(), ProblemKind> {
    let matches = found.picked().count() as u64;
    let Some(finding) = found.picked().next() else {
        return Ok(());
    };
    if let Some(row) = &mut maker.in_row {
        row.matches += matches;
        return Ok(());
    }
    let expanded = |cell: &CellText| {
        let mut text = Vec::new();
        maker.expand(&cell.template, unit, &finding, &mut text)?;
        Ok(text)
    };
    let texts: Result<Vec<_>, ProblemKind> = cells.iter().map(expanded).collect();
    let groups = maker
        .keep_groups
        .then(|| GroupTexts::new(unit.bytes(), finding.groups));
    let (texts, done) = match texts {
        Ok(texts) => (Some(texts), Ok(())),
        Err(kind) => (None, Err(kind)),
    };
    maker.in_row = Some(RowText {
        texts,
        groups,
        matches,
    });
    done
}

/// The texts for the cells of a row, and the groups of the match that they come from.
type NewTexts = (Vec<Vec<u8>>, Option<GroupTexts>);

/// Writes the texts into a row: the cells that are there in the order they lie in, then those
/// that are added.
fn write_cells(
    maker: &mut EditMaker<'_, '_>,
    row: &Row<'_>,
    cells: &[CellText],
    new: Option<NewTexts>,
) -> Result<(), ProblemKind> {
    let first = maker.out.edits.len();
    if let Some((texts, groups)) = &new {
        for (cell, text) in cells.iter().zip(texts) {
            if let CellTarget::Column(column) = &cell.target {
                set(maker, row, column, text, groups)?;
            }
        }
    }
    let edits = &mut maker.out.edits[first..];
    edits.sort_by_key(|edit| edit.span);
    if edits.windows(2).any(|pair| pair[0].span == pair[1].span) {
        return Err(CellFault::WrittenTwice.into());
    }
    Ok(append(maker, row, cells, new)?)
}

/// Writes a column of a row anew.
fn set(
    maker: &mut EditMaker<'_, '_>,
    row: &Row<'_>,
    column: &Column,
    text: &[u8],
    groups: &Option<GroupTexts>,
) -> Result<(), ProblemKind> {
    let cells = row.named(column)?;
    if cells.is_empty() {
        return Err(CellFault::Absent(column.to_string()).into());
    }
    for cell in cells {
        maker.write_cell(row, &cell, text.to_vec(), groups.clone())?;
    }
    Ok(())
}

/// Adds cells to a row: to a header their names, to a row their texts, or nothing.
fn append(
    maker: &mut EditMaker<'_, '_>,
    row: &Row<'_>,
    cells: &[CellText],
    new: Option<NewTexts>,
) -> Result<(), CellFault> {
    // An object need not have every key.
    let absent = row.table().layout().has_pointers();
    if new.is_none() && absent {
        return Ok(());
    }
    let (texts, groups) = new.unzip();
    let texts = texts.unwrap_or_default();
    let mut added = Vec::new();
    for (index, cell) in cells.iter().enumerate() {
        if let CellTarget::Added(name) = &cell.target {
            added.push(match texts.get(index) {
                Some(text) => NewCell::text(name, text),
                None if row.number.is_none() => NewCell::text(name, name.as_bytes()),
                None => NewCell::text(name, b""),
            });
        }
    }
    if added.is_empty() {
        return Ok(());
    }
    maker.append_cells(row, &added, groups.flatten())
}
