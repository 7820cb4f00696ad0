//! Rows of values as CSV, TSV, JSON Lines, or a table to read.

use crate::args::definitions::SheetForm;
use crate::output::Page;
use crate::render::grid::{Align, Grid};
use crate::render::labelled::Labelled;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::columns::dialect::Dialect;
use brisk_quill_core::escape::visible;
use std::borrow::Cow;

/// The value of a cell of a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Value<'v> {
    /// There is none: a group took no part, or the row has no such cell.
    None,
    Text(Cow<'v, [u8]>),
    Number(u64),
    /// The number of a row, which a page may put in later.
    RowNumber(u64),
    Truth(bool),
    /// A value of JSON that is not text, as it is written.
    Json(&'v str),
}

impl Value<'_> {
    /// True if nothing is written for it.
    fn is_empty(&self) -> bool {
        match self {
            Self::Number(_) | Self::RowNumber(_) => false,
            Self::None | Self::Text(_) | Self::Truth(_) | Self::Json(_) => self.text().is_empty(),
        }
    }

    /// As text.
    fn text(&self) -> Cow<'_, [u8]> {
        let owned = |text: String| Cow::Owned(text.into_bytes());
        match self {
            Self::None => Cow::Borrowed(b""),
            Self::Text(text) => Cow::Borrowed(text),
            Self::Number(number) | Self::RowNumber(number) => owned(number.to_string()),
            Self::Truth(truth) => owned(truth.to_string()),
            Self::Json(raw) if *raw == "null" => Cow::Borrowed(b""),
            Self::Json(raw) => Cow::Borrowed(raw.as_bytes()),
        }
    }
}

/// A sheet being written row by row.
#[derive(Clone)]
pub struct RowWriter {
    form: SheetForm,
    names: Vec<String>,
    begun: bool,
    /// The rows of a table that are shown.
    grid: Vec<Vec<String>>,
    /// Rows that may still be shown in a table.
    left: usize,
    /// Rows that are not.
    pub hidden: u64,
}

impl RowWriter {
    /// In this form; a table shows at most `show` rows.
    pub fn new(form: SheetForm, show: usize) -> Self {
        Self {
            form,
            names: Vec::new(),
            begun: false,
            grid: Vec::new(),
            left: show,
            hidden: 0,
        }
    }

    /// True if it has its columns.
    pub fn has_begun(&self) -> bool {
        self.begun
    }

    /// True if rows are kept for a table to read.
    pub fn is_table(&self) -> bool {
        self.form == SheetForm::Table
    }

    /// Names the columns.
    pub fn begin(&mut self, names: &[String]) {
        self.begun = true;
        self.names = names.to_vec();
    }

    /// The row of the names, where the form has one.
    pub fn header(&self) -> Vec<u8> {
        let mut page = Page::default();
        if let Some(dialect) = self.dialect() {
            let name = |name: &String| Value::Text(Cow::Owned(name.clone().into_bytes()));
            record(dialect, self.names.iter().map(name), &mut page);
        }
        page.into_data()
    }

    /// Adds a row, with a value for each column, to `page`; a table keeps it.
    pub fn row<'v>(&mut self, values: impl Iterator<Item = Value<'v>>, page: &mut Page) {
        if let Some(dialect) = self.dialect() {
            return record(dialect, values, page);
        }
        if self.form == SheetForm::Jsonl {
            return object(&self.names, values, page);
        }
        match self.left.checked_sub(1) {
            None => self.hidden += 1,
            Some(left) => {
                self.left = left;
                self.grid
                    .push(values.map(|value| visible(&value.text())).collect());
            }
        }
    }

    /// Takes in the rows of a table that follow.
    pub fn append(&mut self, next: Self) {
        let shown = next.grid.len().min(self.left);
        self.left -= shown;
        self.hidden += next.hidden + (next.grid.len() - shown) as u64;
        self.grid.extend(next.grid.into_iter().take(shown));
    }

    /// The table, which is shown only once all rows are known.
    pub fn end(&self, width: usize) -> Labelled {
        if !self.begun {
            return Labelled::default();
        }
        let heads = (self.names.iter()).map(|name| (visible(name.as_bytes()), Align::Left));
        let mut grid = Grid::new(heads);
        for row in &self.grid {
            grid.add(row.clone());
        }
        grid.text(width)
    }

    /// The characters around cells, in csv and tsv.
    fn dialect(&self) -> Option<Dialect> {
        let delimiter = match self.form {
            SheetForm::Csv => b',',
            SheetForm::Tsv => b'\t',
            SheetForm::Jsonl | SheetForm::Table => return None,
        };
        Some(Dialect {
            delimiter,
            quote: Some(b'"'),
        })
    }
}

fn record<'v>(dialect: Dialect, values: impl Iterator<Item = Value<'v>>, page: &mut Page) {
    // A line without anything would be no row.
    let mut is_blank = true;
    for (index, value) in values.enumerate() {
        if index > 0 {
            page.data(&[dialect.delimiter]);
        }
        is_blank &= index == 0 && value.is_empty();
        match value {
            Value::RowNumber(number) => page.row_number(number),
            Value::Number(number) => page.data(itoa::Buffer::new().format(number).as_bytes()),
            value => page.data(&dialect.cell(&value.text(), false).unwrap_or_default()),
        }
    }
    page.data(if is_blank { b"\"\"\n" } else { b"\n" });
}

/// One object on a line. Bytes that are not UTF-8 travel beside the shown text.
fn object<'v>(names: &[String], values: impl Iterator<Item = Value<'v>>, page: &mut Page) {
    let mut is_first = true;
    let coded_name = |name: &str| {
        let mut coded = format!("{name}_b64");
        while names.contains(&coded) {
            coded.push('_');
        }
        coded
    };
    let mut put = |page: &mut Page, name: &str, value: &str| {
        let sign: &[u8] = if std::mem::take(&mut is_first) {
            b"{"
        } else {
            b","
        };
        let name = serde_json::Value::from(name).to_string();
        page.data(&[sign, name.as_bytes(), b":", value.as_bytes()].concat());
    };
    for (name, value) in names.iter().zip(values) {
        match value {
            Value::None => put(page, name, "null"),
            Value::Number(number) => put(page, name, &number.to_string()),
            Value::RowNumber(number) => {
                put(page, name, "");
                page.row_number(number);
            }
            Value::Truth(truth) => put(page, name, &truth.to_string()),
            Value::Json(raw) => put(page, name, raw),
            Value::Text(text) => {
                let shown = String::from_utf8_lossy(&text);
                put(page, name, &serde_json::Value::from(&*shown).to_string());
                if let Cow::Owned(_) = shown {
                    let coded = serde_json::Value::from(BASE64.encode(&text));
                    put(page, &coded_name(name), &coded.to_string());
                }
            }
        }
    }
    page.data(if is_first { b"{}\n" } else { b"}\n" });
}
