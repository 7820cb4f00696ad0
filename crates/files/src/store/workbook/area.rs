//! Rows of a sheet as lines of the text.

use super::book::Sheet;
use super::sheet::{Cell, SheetRow, Value, letters};
use super::tables::NamedTable;
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::io;

/// The parts of a sheet that have the same columns: its tables in their order, and what belongs to none.
pub struct Areas<'s> {
    sheet: &'s Sheet,
    tables: &'s [NamedTable],
    /// One for each table.
    of_tables: Vec<Area>,
    rest: Area,
    /// The row that names the columns of the rest, once it was met.
    header: Option<u64>,
    line: Vec<u8>,
}

/// The columns of an area, and how its lines begin.
struct Area {
    /// A line up to the number of its row.
    lead: Vec<u8>,
    columns: BTreeMap<usize, Column>,
}

struct Column {
    key: String,
    /// The bytes before a value: the comma, the key and the colon.
    head: Vec<u8>,
}

/// A row as a line.
pub struct RowLine<'r> {
    /// Without its end.
    pub text: &'r [u8],
    pub sheet: &'r Sheet,
    /// The number in the sheet, from 1.
    pub number: u64,
    area: &'r Area,
    cells: &'r dyn Fn(&Cell<'_>) -> bool,
    row: &'r SheetRow<'r>,
}

impl<'r> RowLine<'r> {
    /// The cells, each with its key.
    pub fn cells(&self) -> impl Iterator<Item = (Cow<'r, str>, &'r Cell<'r>)> {
        let cells = self.row.cells.iter().filter(|cell| (self.cells)(cell));
        cells.map(|cell| match self.area.columns.get(&cell.column) {
            Some(column) => (Cow::Borrowed(&column.key[..]), cell),
            None => (Cow::Owned(letters(cell.column)), cell),
        })
    }
}

impl<'s> Areas<'s> {
    pub fn new(sheet: &'s Sheet, tables: &'s [NamedTable]) -> Self {
        let of_table = |table: &NamedTable| Area::new(sheet, Some(table));
        Self {
            sheet,
            tables,
            of_tables: tables.iter().map(of_table).collect(),
            rest: Area::new(sheet, None),
            header: None,
            line: Vec::new(),
        }
    }

    /// Shows the lines that a row is; none where it is empty, or names columns.
    pub fn each_line(
        &mut self,
        row: &SheetRow<'_>,
        take: &mut dyn FnMut(&RowLine<'_>) -> io::Result<()>,
    ) -> io::Result<()> {
        let number = row.number;
        for (table, area) in self.tables.iter().zip(&mut self.of_tables) {
            if table.header == Some(number) {
                area.columns = table_columns(table, row);
                continue;
            }
            let holds = |cell: &Cell<'_>| table.holds(number, cell.column);
            area.show((self.sheet, row), &holds, &mut self.line, take)?;
        }
        let tables = self.tables;
        let is_beside = |cell: &Cell<'_>| {
            let belongs = |table: &NamedTable| {
                table.holds(number, cell.column) || table.heads(number, cell.column)
            };
            !tables.iter().any(belongs)
        };
        if self.header.is_none() {
            // What stands in no table has its names in its first row.
            let mut names = row.cells.iter().filter(|cell| is_beside(cell)).peekable();
            if names.peek().is_some() {
                self.header = Some(number);
                self.rest.columns = columns(names.map(|cell| (cell.column, name_of(cell))));
            }
            return Ok(());
        }
        if self.header == Some(number) {
            return Ok(());
        }
        self.rest
            .show((self.sheet, row), &is_beside, &mut self.line, take)
    }
}

impl Area {
    /// The area of a table, or of the cells that belong to none.
    fn new(sheet: &Sheet, table: Option<&NamedTable>) -> Self {
        let of_table = table.map_or_else(String::new, |table| {
            format!(",\"table\":{}", quoted(&table.name))
        });
        let lead = format!(
            "{{\"@\":{{\"sheet\":{}{of_table},\"row\":",
            quoted(&sheet.name)
        );
        let own = |table: &NamedTable| {
            let names = table.columns.clone().zip(0..);
            columns(
                names
                    .map(|(column, at)| (column, table.names.get(at).cloned().unwrap_or_default())),
            )
        };
        Self {
            lead: lead.into_bytes(),
            columns: table.map(own).unwrap_or_default(),
        }
    }

    /// Shows the part of a row that lies in it, where there is one.
    fn show(
        &self,
        (sheet, row): (&Sheet, &SheetRow<'_>),
        holds: &dyn Fn(&Cell<'_>) -> bool,
        line: &mut Vec<u8>,
        take: &mut dyn FnMut(&RowLine<'_>) -> io::Result<()>,
    ) -> io::Result<()> {
        let mut cells = row.cells.iter().filter(|cell| holds(cell)).peekable();
        if cells.peek().is_none() {
            return Ok(());
        }
        line.clear();
        line.extend_from_slice(&self.lead);
        line.extend_from_slice(itoa::Buffer::new().format(row.number).as_bytes());
        line.push(b'}');
        let mut columns = self.columns.iter().peekable();
        let put_none = |line: &mut Vec<u8>, column: &Column| {
            line.extend_from_slice(&column.head);
            line.extend_from_slice(b"null");
        };
        for cell in cells {
            while let Some((_, column)) = columns.next_if(|(at, _)| **at < cell.column) {
                put_none(line, column);
            }
            match columns.next_if(|(at, _)| **at == cell.column) {
                Some((_, column)) => line.extend_from_slice(&column.head),
                None => line.extend(head(&letters(cell.column))),
            }
            put_value(line, &cell.value);
        }
        columns.for_each(|(_, column)| put_none(line, column));
        line.push(b'}');
        take(&RowLine {
            text: line,
            sheet,
            number: row.number,
            area: self,
            cells: holds,
            row,
        })
    }
}

/// The columns of a table, by the names in its header, else by its own.
fn table_columns(table: &NamedTable, header: &SheetRow<'_>) -> BTreeMap<usize, Column> {
    let names = table.columns.clone().zip(0..);
    columns(names.map(|(column, at)| {
        let cell = header.cells.iter().find(|cell| cell.column == column);
        let own = || table.names.get(at).cloned().unwrap_or_default();
        (column, cell.map_or_else(own, name_of))
    }))
}

fn name_of(cell: &Cell<'_>) -> String {
    match &cell.value {
        Value::Text(text) | Value::Number(text) | Value::Other(_, text) => text.trim().to_owned(),
        Value::Truth(truth) => truth.to_string(),
    }
}

/// Columns from their names: each key is there once, and none is `@`.
fn columns(names: impl Iterator<Item = (usize, String)>) -> BTreeMap<usize, Column> {
    let mut columns = BTreeMap::new();
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
        let head = head(&key);
        columns.insert(column, Column { key, head });
    }
    columns
}

fn head(key: &str) -> Vec<u8> {
    format!(",{}:", quoted(key)).into_bytes()
}

fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn put_value(line: &mut Vec<u8>, value: &Value<'_>) {
    // Memory takes all that is written.
    let put_text =
        |line: &mut Vec<u8>, text: &str| serde_json::to_writer(line, text).unwrap_or_default();
    let put_object = |line: &mut Vec<u8>, kind: &str, shown: &str| {
        line.extend_from_slice(b"{\"");
        line.extend_from_slice(kind.as_bytes());
        line.extend_from_slice(b"\":");
        put_text(line, shown);
        line.push(b'}');
    };
    match value {
        Value::Text(text) => put_text(line, text),
        Value::Number(number) if is_json(number) => line.extend_from_slice(number.as_bytes()),
        Value::Number(number) => put_object(line, "number", number),
        Value::Truth(truth) => line.extend_from_slice(if *truth { b"true" } else { b"false" }),
        Value::Other(kind, shown) => put_object(line, kind, shown),
    }
}

/// True for a number as JSON writes it.
pub fn is_json(number: &str) -> bool {
    let is_plain = |number: &str| {
        let digits = number.strip_prefix('-').unwrap_or(number);
        let begins_well = digits.len() == 1 || !digits.starts_with('0');
        !digits.is_empty() && begins_well && digits.bytes().all(|byte| byte.is_ascii_digit())
    };
    is_plain(number) || serde_json::from_str::<serde_json::Number>(number).is_ok()
}
