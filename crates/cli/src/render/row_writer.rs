//! Rows of values as CSV, TSV, JSON Lines, or a table to read.

use crate::args::definitions::SheetForm;
use crate::render::grid::{Align, Grid};
use crate::render::labelled::Labelled;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::escape::visible;
use std::borrow::Cow;
use std::cell::RefCell;
use std::io::{self, Write};
use std::rc::Rc;

/// The value of a cell of a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Value {
    /// There is none: a group took no part, or the row has no such cell.
    None,
    Text(Vec<u8>),
    /// A value of JSON that is not text, as it is written.
    Json(String),
}

impl Value {
    /// As text.
    fn text(&self) -> Cow<'_, [u8]> {
        match self {
            Self::None => Cow::Borrowed(b""),
            Self::Text(text) => Cow::Borrowed(text),
            Self::Json(raw) if raw == "null" => Cow::Borrowed(b""),
            Self::Json(raw) => Cow::Borrowed(raw.as_bytes()),
        }
    }
}

/// Bytes that have been written and not taken yet.
#[derive(Clone, Default)]
struct Written(Rc<RefCell<Vec<u8>>>);

impl Written {
    fn take(&self) -> Vec<u8> {
        self.0.take()
    }
}

impl Write for Written {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.borrow_mut().write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// A sheet being written row by row.
pub struct RowWriter {
    form: SheetForm,
    /// A row of names comes first, in csv and tsv.
    header: bool,
    names: Vec<String>,
    begun: bool,
    grid: Option<Grid>,
    /// Writes records of csv and tsv into `written`.
    records: csv::Writer<Written>,
    written: Written,
    /// Rows that may still be shown in a table.
    left: usize,
    /// Rows that are not.
    pub hidden: u64,
}

impl RowWriter {
    /// In this form, with or without a row of names; a table shows at most `show` rows.
    pub fn new(form: SheetForm, header: bool, show: usize) -> Self {
        let written = Written::default();
        let records = csv::WriterBuilder::new()
            .delimiter(match form {
                SheetForm::Tsv => b'\t',
                SheetForm::Csv | SheetForm::Jsonl | SheetForm::Table => b',',
            })
            .flexible(true)
            .from_writer(written.clone());
        Self {
            form,
            header,
            records,
            written,
            names: Vec::new(),
            begun: false,
            grid: None,
            left: show,
            hidden: 0,
        }
    }

    /// True if it has its columns.
    pub fn has_begun(&self) -> bool {
        self.begun
    }

    /// Names the columns: the first row of a table.
    pub fn begin(&mut self, names: &[String]) -> Vec<u8> {
        self.begun = true;
        self.names = names.to_vec();
        match self.form {
            SheetForm::Csv | SheetForm::Tsv if !self.header => Vec::new(),
            SheetForm::Csv | SheetForm::Tsv => {
                self.record(names.iter().map(|name| Cow::Borrowed(name.as_bytes())))
            }
            SheetForm::Table => {
                let heads = names
                    .iter()
                    .map(|name| (visible(name.as_bytes()), Align::Left));
                self.grid = Some(Grid::new(heads));
                Vec::new()
            }
            SheetForm::Jsonl => Vec::new(),
        }
    }

    /// The rows that follow have columns of other names.
    pub fn rename(&mut self, names: &[String]) {
        self.names = names.to_vec();
    }

    /// A row with a value for each column.
    pub fn row(&mut self, values: &[Value]) -> Vec<u8> {
        match self.form {
            SheetForm::Csv | SheetForm::Tsv => self.record(values.iter().map(Value::text)),
            SheetForm::Jsonl => object(&self.names, values),
            SheetForm::Table if self.left == 0 => {
                self.hidden += 1;
                Vec::new()
            }
            SheetForm::Table => {
                self.left -= 1;
                let cells = values.iter().map(|value| visible(&value.text()));
                if let Some(grid) = &mut self.grid {
                    grid.add(cells.collect());
                }
                Vec::new()
            }
        }
    }

    /// A table that is shown only once all rows are known.
    pub fn end(&self, width: usize) -> Labelled {
        let grid = self.grid.as_ref();
        grid.map(|grid| grid.text(width)).unwrap_or_default()
    }

    fn record<'v>(&mut self, cells: impl Iterator<Item = Cow<'v, [u8]>>) -> Vec<u8> {
        // Memory takes all that is written.
        let written = self.records.write_record(cells);
        written.expect("memory can be written");
        self.records.flush().expect("memory can be written");
        self.written.take()
    }
}

/// One object on a line. Bytes that are not UTF-8 travel beside the shown text.
fn object(names: &[String], values: &[Value]) -> Vec<u8> {
    let mut out = vec![b'{'];
    let coded_name = |name: &str| {
        let mut coded = format!("{name}_b64");
        while names.contains(&coded) {
            coded.push('_');
        }
        coded
    };
    let mut put = |name: &str, value: &str| {
        if out.len() > 1 {
            out.push(b',');
        }
        let name = serde_json::Value::from(name).to_string();
        out.extend([name.as_bytes(), b":", value.as_bytes()].concat());
    };
    for (name, value) in names.iter().zip(values) {
        match value {
            Value::None => put(name, "null"),
            Value::Json(raw) => put(name, raw),
            Value::Text(text) => {
                let shown = String::from_utf8_lossy(text);
                put(name, &serde_json::Value::from(&*shown).to_string());
                if let Cow::Owned(_) = shown {
                    let coded = serde_json::Value::from(BASE64.encode(text));
                    put(&coded_name(name), &coded.to_string());
                }
            }
        }
    }
    out.extend_from_slice(b"}\n");
    out
}
