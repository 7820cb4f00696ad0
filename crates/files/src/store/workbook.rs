//! Workbooks of Office Open XML (ECMA-376), `.xlsx` and `.xlsm`: the rows of all sheets as JSON Lines.
//!
//! ```text
//! {"@":{"sheet":"Berths","row":2},"berth":"B 4","depth":4.8,"checked":{"date":"2031-05-01"},"area":{"formula":"512"}}
//! ```
//!
//! The first row with cells names the columns of a sheet. A named table on it has columns of its own, and its name in
//! each of its rows: `{"sheet":"Berths","table":"Depths","row":7}`. Text is text, a number a number; what is left alone is an
//! object. Of what is written, only the values of changed cells are new: every other member of the archive, and every
//! other byte of a sheet, stays as it is.

mod archive;
mod sheet;
mod strings;
mod styles;
mod tables;
mod xml;

use crate::store::whole::{WholePacking, read_whole};
use crate::store::workbook::archive::Archive;
use crate::store::workbook::sheet::{Book, Cell, Place, SheetRow, Value, letters, rows};
use crate::store::workbook::strings::{Strings, inner_xml};
use crate::store::workbook::tables::{NamedTable, tables_of};
use crate::store::workbook::xml::{Met, Xml, attribute};
use crate::store::{Pack, Store, Told};
use serde_json::value::RawValue;
use std::collections::{BTreeMap, HashMap};
use std::io::{self, BufRead, Cursor, Read, Write};
use std::ops::Range;

/// Bytes of its beginning in which the name of a member says that it is one.
const LOOKED_AT: usize = 8 << 10;
/// The longest text of all rows, in bytes.
const ROWS_MOST: usize = 2 << 30;
/// The longest text of a cell, in units of UTF-16.
const TEXT_MOST: usize = 32_767;
const WORKBOOK: &str = "xl/workbook.xml";
const RELATIONS: &str = "xl/_rels/workbook.xml.rels";

/// Workbooks of Office Open XML.
pub struct Workbook;

/// An error with a sentence that goes on after the name of the file.
fn damaged(sentence: impl Into<String>) -> io::Error {
    Told::error(sentence)
}

impl Store for Workbook {
    fn name(&self) -> &'static str {
        "workbook"
    }

    fn magic(&self) -> &'static [u8] {
        b"PK\x03\x04"
    }

    fn holds(&self, head: &[u8]) -> bool {
        let near = &head[..head.len().min(LOOKED_AT)];
        head.starts_with(self.magic()) && memchr::memmem::find(near, b"xl/").is_some()
    }

    fn is_table(&self) -> bool {
        true
    }

    fn head_kept(&self) -> usize {
        usize::MAX
    }

    fn unpack<'d>(&self, disk: Box<dyn BufRead + 'd>) -> io::Result<Box<dyn Read + 'd>> {
        let bytes = read_whole(disk)?;
        let mut text = Vec::new();
        for line in OpenBook::new(&bytes)?.lines() {
            text.extend_from_slice(line.text.as_bytes());
            text.push(b'\n');
            if text.len() > ROWS_MOST {
                return Err(damaged(
                    "its rows are longer than 2 GiB, the most that is looked at",
                ));
            }
        }
        Ok(Box::new(Cursor::new(text)))
    }

    fn pack<'o>(
        &self,
        head: &[u8],
        out: Box<dyn Write + Send + 'o>,
    ) -> io::Result<Box<dyn Pack + 'o>> {
        Ok(Box::new(WholePacking::new(head, out, write)))
    }

    fn lossy(&self, head: &[u8]) -> Option<&'static str> {
        let archive = Archive::new(head).ok()?;
        archive
            .has("_xmlsignatures/")
            .then_some("is signed, and a change would make its signature void")
    }
}

/// A workbook that has been read.
struct OpenBook<'b> {
    archive: Archive<'b>,
    book: Book,
    strings_name: Option<String>,
    workbook: Vec<u8>,
    sheets: Vec<Sheet>,
}

/// A sheet with its rows.
struct Sheet {
    name: String,
    /// The member of the archive.
    member: String,
    xml: Vec<u8>,
    rows: Vec<SheetRow>,
    tables: Vec<NamedTable>,
}

/// A row as a line of the text.
struct RowLine<'s> {
    text: String,
    sheet: &'s Sheet,
    number: u64,
    /// The key of each cell.
    cells: Vec<(String, &'s Cell)>,
}

impl<'b> OpenBook<'b> {
    fn new(bytes: &'b [u8]) -> io::Result<Self> {
        let archive = Archive::new(bytes)?;
        let need = |name: &str| {
            let found = archive.read(name)?;
            found.ok_or_else(|| damaged(format!("the member {name} is missing")))
        };
        let workbook = need(WORKBOOK)?;
        let targets = targets(&need(RELATIONS)?, RELATIONS, "xl")?;
        let of_kind = |kind: &str| {
            let mut all = targets.values();
            all.find(|(of, _)| of == kind)
                .map(|(_, member)| member.clone())
        };
        let strings_name = of_kind("sharedStrings");
        let strings = match &strings_name {
            Some(name) => Strings::new(&need(name)?, name)?,
            None => Strings::default(),
        };
        let dates = match of_kind("styles") {
            Some(name) => styles::date_styles(&need(&name)?, &name)?,
            None => Vec::new(),
        };
        let (names, from_1904) = sheet_names(&workbook)?;
        let book = Book {
            strings,
            dates,
            from_1904,
        };
        let mut sheets = Vec::new();
        for (name, relation) in names {
            // A sheet that is a chart has no rows.
            let Some((_, member)) = targets
                .get(&relation)
                .filter(|(kind, _)| kind == "worksheet")
            else {
                continue;
            };
            let xml = need(member)?;
            let rows = rows(&xml, member, &book)?;
            sheets.push(Sheet {
                name,
                member: member.clone(),
                xml,
                rows,
                tables: tables_of(&archive, member)?,
            });
        }
        Ok(Self {
            archive,
            book,
            strings_name,
            workbook,
            sheets,
        })
    }

    /// The rows of all sheets, those that name the columns left out. A row of a sheet that goes through tables is a row
    /// of each, and one of what is beside them.
    fn lines(&self) -> impl Iterator<Item = RowLine<'_>> {
        self.sheets.iter().flat_map(|sheet| {
            let areas = areas(sheet);
            let rows = sheet.rows.iter();
            rows.flat_map(move |row| {
                let lines = areas.iter().filter_map(|area| area.line(row));
                lines.collect::<Vec<_>>()
            })
        })
    }

    fn has_formulas(&self) -> bool {
        let rows = self.sheets.iter().flat_map(|sheet| &sheet.rows);
        let mut cells = rows.flat_map(|row| &row.cells);
        cells.any(|cell| matches!(cell.value, Value::Other("formula", _)))
    }
}

/// A part of a sheet whose rows have the same columns.
struct Area<'s> {
    sheet: &'s Sheet,
    /// The table; none where it is what belongs to no table.
    table: Option<&'s NamedTable>,
    /// The key of each column.
    keys: BTreeMap<usize, String>,
    /// The row that names the columns.
    header: Option<u64>,
}

/// The tables of a sheet in their order, and what belongs to none.
fn areas(sheet: &Sheet) -> Vec<Area<'_>> {
    let of_table = |table| {
        let names = table_names(sheet, table);
        Area {
            sheet,
            table: Some(table),
            keys: keys(names),
            header: table.header,
        }
    };
    let mut areas: Vec<Area<'_>> = sheet.tables.iter().map(of_table).collect();
    let mut rest = Area {
        sheet,
        table: None,
        keys: BTreeMap::new(),
        header: None,
    };
    // What stands in no table has its names in its first row.
    let first = sheet
        .rows
        .iter()
        .find(|row| rest.cells(row).next().is_some());
    if let Some(row) = first {
        let names = rest.cells(row).map(|cell| (cell.column, name_of(cell)));
        (rest.keys, rest.header) = (keys(names), Some(row.number));
    }
    areas.push(rest);
    areas
}

/// The names of the columns of a table: as its header has them, else as the table itself does.
fn table_names<'s>(
    sheet: &'s Sheet,
    table: &'s NamedTable,
) -> impl Iterator<Item = (usize, String)> {
    let header = sheet
        .rows
        .iter()
        .find(|row| table.header == Some(row.number));
    let cells = header.map_or(&[][..], |row| &row.cells);
    table.columns.clone().zip(0..).map(move |(column, at)| {
        let cell = cells.iter().find(|cell| cell.column == column);
        let own = || table.names.get(at).cloned().unwrap_or_default();
        (column, cell.map_or_else(own, name_of))
    })
}

fn name_of(cell: &Cell) -> String {
    match &cell.value {
        Value::Text(text) | Value::Number(text) | Value::Other(_, text) => text.trim().to_owned(),
        Value::Truth(truth) => truth.to_string(),
    }
}

/// The keys of columns from their names: each is there once, and none is `@`.
fn keys(names: impl Iterator<Item = (usize, String)>) -> BTreeMap<usize, String> {
    let mut keys = BTreeMap::new();
    let mut used: HashMap<String, usize> = HashMap::from([("@".to_owned(), 1)]);
    for (column, name) in names {
        let name = match name.is_empty() {
            true => letters(column),
            false => name,
        };
        let times = used.entry(name.clone()).or_default();
        *times += 1;
        let key = match *times {
            1 => name,
            times => format!("{name}_{times}"),
        };
        keys.insert(column, key);
    }
    keys
}

impl<'s> Area<'s> {
    /// The cells of a row that lie in it.
    fn cells<'r>(&self, row: &'r SheetRow) -> impl Iterator<Item = &'r Cell> + use<'r, 's, '_> {
        row.cells.iter().filter(move |cell| {
            let (number, column) = (row.number, cell.column);
            match self.table {
                Some(table) => table.holds(number, column),
                None => {
                    let belongs = |table: &NamedTable| {
                        table.holds(number, column) || table.heads(number, column)
                    };
                    !self.sheet.tables.iter().any(belongs)
                }
            }
        })
    }

    /// The part of a row that lies in it, as a line; `None` where nothing does.
    fn line(&self, row: &'s SheetRow) -> Option<RowLine<'s>> {
        let mut cells = self.cells(row).peekable();
        if self.header == Some(row.number) || cells.peek().is_none() {
            return None;
        }
        let of_table = self.table.map_or_else(String::new, |table| {
            format!(",\"table\":{}", quoted(&table.name))
        });
        let text = format!(
            "{{\"@\":{{\"sheet\":{}{of_table},\"row\":{}}}",
            quoted(&self.sheet.name),
            row.number
        );
        Some(row_line(text, self.sheet, row.number, (&self.keys, cells)))
    }
}

fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

/// A line that begins as `text` does, with these cells.
fn row_line<'s>(
    mut text: String,
    sheet: &'s Sheet,
    number: u64,
    (keys, row): (&BTreeMap<usize, String>, impl Iterator<Item = &'s Cell>),
) -> RowLine<'s> {
    let mut put = |key: &str, value: &str| {
        text.push(',');
        text.push_str(&quoted(key));
        text.push(':');
        text.push_str(value);
    };
    let mut cells = Vec::new();
    let mut names = keys.iter().peekable();
    for cell in row {
        while let Some((_, name)) = names.next_if(|(column, _)| **column < cell.column) {
            put(name, "null");
        }
        let named = names.next_if(|(column, _)| **column == cell.column);
        let key = named.map_or_else(|| letters(cell.column), |(_, name)| name.clone());
        let object = |kind: &str, shown: &str| format!("{{{}:{}}}", quoted(kind), quoted(shown));
        put(
            &key,
            &match &cell.value {
                Value::Text(text) => quoted(text),
                Value::Number(number) if is_json(number) => number.clone(),
                Value::Number(number) => object("number", number),
                Value::Truth(truth) => truth.to_string(),
                Value::Other(kind, shown) => object(kind, shown),
            },
        );
        cells.push((key, cell));
    }
    for (_, name) in names {
        put(name, "null");
    }
    text.push('}');
    RowLine {
        text,
        sheet,
        number,
        cells,
    }
}

fn is_json(number: &str) -> bool {
    serde_json::from_str::<serde_json::Number>(number).is_ok()
}

/// The kind and the member that each relation leads to, from a member in `folder`; `name` is the member of the relations.
fn targets(xml: &[u8], name: &str, folder: &str) -> io::Result<HashMap<String, (String, String)>> {
    let mut reader = Xml::new(xml, name);
    let mut targets = HashMap::new();
    loop {
        match reader.next()? {
            Met::Eof => return Ok(targets),
            Met::Start { name, tag, .. } if name == "Relationship" => {
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
            Met::Start { name, tag, .. } if name == "sheet" => {
                let value = |name: &str| attribute(&tag, name).unwrap_or_default();
                names.push((value("name"), value("id")));
            }
            Met::Start { name, tag, .. } if name == "workbookPr" => {
                let value = attribute(&tag, "date1904");
                from_1904 = value.is_some_and(|value| value == "1" || value == "true");
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
}

/// Writes the workbook `old` with the rows of `text` in the place of its own, which these are held against.
#[expect(clippy::needless_pass_by_value, reason = "as a store hands it over")]
fn write(old: Vec<u8>, text: &[u8], out: &mut dyn Write) -> io::Result<()> {
    let open = OpenBook::new(&old)?;
    let mut edits = Edits::default();
    let mut new = text.split(|byte| *byte == b'\n');
    for old in open.lines() {
        let line = new
            .next()
            .ok_or_else(|| damaged("a row of its text is missing"))?;
        if line != old.text.as_bytes() {
            edits.row(&open.book, &old, line)?;
        }
    }
    if new.any(|line| !line.is_empty()) {
        return Err(damaged("its text has more rows than it has"));
    }
    let members = edits.members(&open)?;
    open.archive.write(&members, out)
}

/// Parts of members that become another text.
#[derive(Default)]
struct Edits {
    of_sheets: BTreeMap<String, Vec<(Range<usize>, String)>>,
    /// Texts added to the shared ones, and the number of each.
    added: Vec<String>,
    known: HashMap<(usize, String), usize>,
}

impl Edits {
    /// Takes the cells of a row that have another value in `line`.
    fn row(&mut self, book: &Book, old: &RowLine<'_>, line: &[u8]) -> io::Result<()> {
        let place = || format!("row {} of {}", old.number, old.sheet.name);
        let not_a_row = |_| damaged(format!("{} would no longer be a row", place()));
        let was: BTreeMap<String, &RawValue> =
            serde_json::from_str(&old.text).map_err(not_a_row)?;
        let now: BTreeMap<String, &RawValue> = serde_json::from_slice(line).map_err(not_a_row)?;
        let same_keys = was.len() == now.len() && was.keys().eq(now.keys());
        let others = |key: &str| old.cells.iter().all(|(own, _)| own != key);
        let differ = |key: &String| was[key].get() != now[key].get();
        if !same_keys || now.keys().any(|key| others(key) && differ(key)) {
            return Err(damaged(format!(
                "{} has no such cell to be written",
                place()
            )));
        }
        for (key, cell) in &old.cells {
            if differ(key) {
                let new = now[key].get();
                let fault = || damaged(format!("{new} cannot be written into {key}, {}", place()));
                let (place, text) = self.value(book, cell, new).ok_or_else(fault)?;
                let edits = self.of_sheets.entry(old.sheet.member.clone());
                edits.or_default().push((place, text));
            }
        }
        Ok(())
    }

    /// The place of the value of a cell, and what is written there.
    fn value(&mut self, book: &Book, cell: &Cell, new: &str) -> Option<(Range<usize>, String)> {
        if let Place::Number(place) = &cell.place {
            return is_json(new).then(|| (place.clone(), new.to_owned()));
        }
        let text: String = serde_json::from_str(new).ok()?;
        if text.encode_utf16().count() > TEXT_MOST {
            return None;
        }
        match &cell.place {
            Place::Inline(place, old) => Some((place.clone(), inner_xml(old, &text, ""))),
            Place::Shared(number, place) => {
                let strings = &book.strings;
                let next = strings.all.len() + self.added.len();
                let known = self.known.entry((*number, text.clone()));
                let index = *known.or_insert_with(|| {
                    let inner = inner_xml(&strings.all[*number], &text, &strings.prefix);
                    let prefix = &strings.prefix;
                    self.added.push(format!("<{prefix}si>{inner}</{prefix}si>"));
                    next
                });
                Some((place.clone(), index.to_string()))
            }
            Place::Number(_) | Place::None => None,
        }
    }

    /// The members of the archive that become others.
    fn members(mut self, open: &OpenBook<'_>) -> io::Result<BTreeMap<String, Vec<u8>>> {
        let mut members = BTreeMap::new();
        for sheet in &open.sheets {
            if let Some(mut edits) = self.of_sheets.remove(&sheet.member) {
                // Tables may lie beside each other, so rows come more than once.
                edits.sort_by_key(|(place, _)| place.start);
                members.insert(sheet.member.clone(), spliced(&sheet.xml, &edits));
            }
        }
        if let (Some(name), false) = (&open.strings_name, self.added.is_empty()) {
            let xml = open.archive.read(name)?.unwrap_or_default();
            let strings = &open.book.strings;
            let number = (strings.all.len() + self.added.len()).to_string();
            let mut edits: Vec<_> = strings
                .unique
                .clone()
                .map(|at| (at, number))
                .into_iter()
                .collect();
            edits.push((strings.end..strings.end, self.added.concat()));
            members.insert(name.clone(), spliced(&xml, &edits));
        }
        // Programs that keep the values of formulas must compute them anew.
        if !members.is_empty() && open.has_formulas() {
            members.extend(recomputed(&open.workbook)?.map(|xml| (WORKBOOK.to_owned(), xml)));
        }
        Ok(members)
    }
}

/// A text with some parts of it replaced, which are in order.
fn spliced(text: &[u8], edits: &[(Range<usize>, String)]) -> Vec<u8> {
    let (mut out, mut at) = (Vec::with_capacity(text.len()), 0);
    for (place, new) in edits {
        out.extend_from_slice(&text[at..place.start]);
        out.extend_from_slice(new.as_bytes());
        at = place.end;
    }
    out.extend_from_slice(&text[at..]);
    out
}

/// The workbook marked so that all formulas are computed when it is opened; `None` where it is marked already.
fn recomputed(xml: &[u8]) -> io::Result<Option<Vec<u8>>> {
    const TOLD: &str = "fullCalcOnLoad";
    let mut reader = Xml::new(xml, WORKBOOK);
    // The element stands behind these.
    let (mut behind, mut prefix) = (None, String::new());
    loop {
        match reader.next()? {
            Met::Eof => break,
            Met::Start {
                name, tag, place, ..
            } if name == "calcPr" => {
                if attribute(&tag, TOLD).is_some() {
                    return Ok(None);
                }
                let at = place.start + 1 + tag.name().as_ref().len();
                return Ok(Some(spliced(xml, &[(at..at, format!(" {TOLD}=\"1\""))])));
            }
            Met::Start {
                name,
                tag,
                place,
                is_empty,
            } if matches!(&name[..], "sheets" | "externalReferences" | "definedNames") => {
                let raw = tag.name().as_ref().to_owned();
                prefix = raw[..raw.len() - name.len()].to_owned();
                if is_empty {
                    behind = Some(place.end);
                }
            }
            Met::End { name, place }
                if matches!(&name[..], "sheets" | "externalReferences" | "definedNames") =>
            {
                behind = Some(place.end);
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
    let element = format!("<{prefix}calcPr {TOLD}=\"1\"/>");
    Ok(behind.map(|at| spliced(xml, &[(at..at, element)])))
}
