//! Named tables: parts of a sheet with a header of their own.

use super::archive::Archive;
use super::book::targets;
use super::damaged;
use super::sheet::{COLUMNS_MOST, column_of};
use super::xml::{Met, Xml, attribute};
use std::io;
use std::ops::{Range, RangeInclusive};

/// A named table.
pub struct NamedTable {
    pub name: String,
    /// The columns of the table, from 0.
    pub columns: Range<usize>,
    /// The rows without header and totals, from 1.
    pub rows: RangeInclusive<u64>,
    /// The row of the header, which belongs to the table, and to nothing else.
    pub header: Option<u64>,
    /// The names of its columns.
    pub names: Vec<String>,
}

impl NamedTable {
    /// True if a cell is one of its values.
    pub fn holds(&self, row: u64, column: usize) -> bool {
        self.rows.contains(&row) && self.columns.contains(&column)
    }

    /// True if a cell may belong to both.
    fn overlaps(&self, other: &Self) -> bool {
        let first = |table: &Self| table.header.unwrap_or(*table.rows.start());
        self.columns.start < other.columns.end
            && other.columns.start < self.columns.end
            && first(self) <= *other.rows.end()
            && first(other) <= *self.rows.end()
    }

    /// True if a cell belongs to its header.
    pub fn heads(&self, row: u64, column: usize) -> bool {
        self.header == Some(row) && self.columns.contains(&column)
    }
}

/// The named tables of the sheet that is the member `sheet`.
pub fn tables_of(archive: &Archive<'_>, sheet: &str) -> io::Result<Vec<NamedTable>> {
    let (folder, file) = sheet.rsplit_once('/').unwrap_or(("", sheet));
    let relations = format!("{folder}/_rels/{file}.rels");
    let Some(xml) = archive.read(&relations)? else {
        return Ok(Vec::new());
    };
    let mut members: Vec<String> = (targets(&xml, &relations, folder)?.into_values())
        .filter(|(kind, _)| kind == "table")
        .map(|(_, member)| member)
        .collect();
    members.sort();
    let mut tables: Vec<NamedTable> = Vec::new();
    for member in members {
        let missing = || damaged(format!("the member {member} is missing"));
        let xml = archive.read(&member)?.ok_or_else(missing)?;
        // A cell belongs to one table; where a damaged workbook says otherwise, to the first.
        let found = table(&xml, &member)?;
        tables.extend(found.filter(|found| !tables.iter().any(|other| found.overlaps(other))));
    }
    Ok(tables)
}

/// The table that a member describes; `None` where its place is not said as it must be.
fn table(xml: &[u8], member: &str) -> io::Result<Option<NamedTable>> {
    let mut reader = Xml::new(xml, member);
    let mut found: Option<NamedTable> = None;
    loop {
        match reader.next()? {
            Met::Eof => return Ok(found),
            Met::Start {
                name: "table", tag, ..
            } => {
                let value = |name: &str| attribute(&tag, name);
                let rows_of = |name: &str, usual: u64| {
                    value(name)
                        .and_then(|rows| rows.parse().ok())
                        .unwrap_or(usual)
                };
                let place = value("ref").and_then(|place| area(&place));
                let Some((columns, rows)) = place else {
                    return Ok(None);
                };
                let (heads, totals) = (rows_of("headerRowCount", 1), rows_of("totalsRowCount", 0));
                found = Some(NamedTable {
                    name: value("displayName")
                        .or_else(|| value("name"))
                        .unwrap_or_default(),
                    columns,
                    rows: rows.start().saturating_add(heads)..=rows.end().saturating_sub(totals),
                    header: (heads > 0).then_some(*rows.start()),
                    names: Vec::new(),
                });
            }
            Met::Start {
                name: "tableColumn",
                tag,
                ..
            } => {
                if let Some(table) = &mut found {
                    table
                        .names
                        .push(attribute(&tag, "name").unwrap_or_default());
                }
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
}

/// The columns and rows of a place such as `A3:D20`, or `A3` alone.
fn area(place: &str) -> Option<(Range<usize>, RangeInclusive<u64>)> {
    let place = place.replace('$', "");
    let (first, last) = place.split_once(':').unwrap_or((&place, &place));
    let row = |corner: &str| -> Option<u64> {
        let digits = corner.trim_start_matches(|c: char| c.is_ascii_alphabetic());
        digits.parse().ok()
    };
    let columns = column_of(first)?..column_of(last)? + 1;
    if columns.end > COLUMNS_MOST {
        return None;
    }
    Some((columns, row(first)?..=row(last)?))
}
