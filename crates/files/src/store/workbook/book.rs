//! The parts of a workbook, and its rows one after the other.

use super::archive::Archive;
use super::area::{Areas, RowLine};
use super::sheet::{Book, Cell, Value, each_row};
use super::strings::Strings;
use super::styles;
use super::tables::tables_of;
use super::xml::{Met, Xml, attribute};
use std::collections::HashMap;
use std::io;

pub const WORKBOOK: &str = "xl/workbook.xml";
const RELATIONS: &str = "xl/_rels/workbook.xml.rels";

/// A workbook that has been opened.
pub struct OpenBook<'b> {
    pub archive: Archive<'b>,
    pub book: Book,
    pub strings_name: Option<String>,
    pub workbook: Vec<u8>,
    sheets: Vec<Sheet>,
}

/// A sheet.
pub struct Sheet {
    pub name: String,
    /// The member of the archive.
    pub member: String,
}

impl<'b> OpenBook<'b> {
    pub fn new(bytes: &'b [u8]) -> io::Result<Self> {
        let archive = Archive::new(bytes)?;
        let workbook = archive.need(WORKBOOK)?;
        let targets = targets(&archive.need(RELATIONS)?, RELATIONS, "xl")?;
        let of_kind = |kind: &str| {
            let mut all = targets.values();
            all.find(|(of, _)| of == kind)
                .map(|(_, member)| member.clone())
        };
        let strings_name = of_kind("sharedStrings");
        let strings = match &strings_name {
            Some(name) => Strings::new(&archive.need(name)?, name)?,
            None => Strings::default(),
        };
        let dates = match of_kind("styles") {
            Some(name) => styles::date_styles(&archive.need(&name)?, &name)?,
            None => Vec::new(),
        };
        let (names, from_1904) = sheet_names(&workbook)?;
        // A sheet that is a chart has no rows.
        let sheet = |(name, relation): (String, String)| {
            let (kind, member) = targets.get(&relation)?;
            let member = member.clone();
            (kind == "worksheet").then_some(Sheet { name, member })
        };
        Ok(Self {
            sheets: names.into_iter().filter_map(sheet).collect(),
            archive,
            book: Book {
                strings,
                dates,
                from_1904,
            },
            strings_name,
            workbook,
        })
    }

    /// Shows the rows of all sheets, those that name the columns left out. A row of a sheet that goes through tables is a row
    /// of each, and one of what is beside them. True if a cell of the workbook is a formula.
    ///
    /// # Errors
    ///
    /// When the workbook is damaged, or `take` fails.
    pub fn each_line(
        &self,
        mut take: impl FnMut(&RowLine<'_>) -> io::Result<()>,
    ) -> io::Result<bool> {
        let mut has_formulas = false;
        let is_formula = |cell: &Cell<'_>| matches!(cell.value, Value::Other("formula", _));
        for sheet in &self.sheets {
            let tables = tables_of(&self.archive, &sheet.member)?;
            let mut areas = Areas::new(sheet, &tables);
            // Only one sheet is in memory at a time.
            let xml = self.archive.need(&sheet.member)?;
            each_row(&xml, &sheet.member, &self.book, |row| {
                has_formulas |= row.cells.iter().any(is_formula);
                areas.each_line(row, &mut take)
            })?;
        }
        Ok(has_formulas)
    }
}

/// The kind and the member that each relation leads to, from a member in `folder`; `name` is the member of the relations.
pub fn targets(
    xml: &[u8],
    name: &str,
    folder: &str,
) -> io::Result<HashMap<String, (String, String)>> {
    let mut reader = Xml::new(xml, name);
    let mut targets = HashMap::new();
    loop {
        match reader.next()? {
            Met::Eof => return Ok(targets),
            Met::Start {
                name: "Relationship",
                tag,
                ..
            } => {
                let value = |name: &str| attribute(&tag, name).unwrap_or_default();
                let member = resolved(folder, &value("Target"));
                let kind = value("Type")
                    .rsplit('/')
                    .next()
                    .unwrap_or_default()
                    .to_owned();
                targets.insert(value("Id"), (kind, member));
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
}

/// The member that `target` names from a member in `folder`.
fn resolved(folder: &str, target: &str) -> String {
    if let Some(whole) = target.strip_prefix('/') {
        return whole.to_owned();
    }
    let mut path: Vec<&str> = folder.split('/').filter(|part| !part.is_empty()).collect();
    for part in target.split('/') {
        match part {
            ".." => drop(path.pop()),
            "." | "" => {}
            part => path.push(part),
        }
    }
    path.join("/")
}

/// The names and relations of the sheets, in order, and true if days are counted from 1904.
fn sheet_names(xml: &[u8]) -> io::Result<(Vec<(String, String)>, bool)> {
    let mut reader = Xml::new(xml, WORKBOOK);
    let (mut names, mut from_1904) = (Vec::new(), false);
    loop {
        match reader.next()? {
            Met::Eof => return Ok((names, from_1904)),
            Met::Start {
                name: "sheet", tag, ..
            } => {
                let value = |name: &str| attribute(&tag, name).unwrap_or_default();
                names.push((value("name"), value("id")));
            }
            Met::Start {
                name: "workbookPr",
                tag,
                ..
            } => {
                let value = attribute(&tag, "date1904");
                from_1904 = value.is_some_and(|value| value == "1" || value == "true");
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
}
