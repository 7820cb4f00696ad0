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
mod area;
mod book;
mod edits;
mod sheet;
mod strings;
mod styles;
mod tables;
mod xml;

use crate::store::lines::LineReader;
use crate::store::whole::{WholePacking, read_whole};
use crate::store::workbook::archive::Archive;
use crate::store::workbook::book::OpenBook;
use crate::store::{Pack, Store, Told};
use std::io::{self, BufRead, Read, Write};

/// Bytes of its beginning in which the name of a member says that it is one.
const LOOKED_AT: usize = 8 << 10;
/// The longest text of all rows, in bytes.
const ROWS_MOST: usize = 2 << 30;

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

    fn unpack<'d>(&self, disk: Box<dyn BufRead + 'd>) -> io::Result<Box<dyn Read + 'd>> {
        let bytes = read_whole(disk)?;
        Ok(Box::new(LineReader::new(move |lines| {
            let mut left = ROWS_MOST;
            OpenBook::new(&bytes)?.each_line(|line| {
                let too_long =
                    || damaged("its rows are longer than 2 GiB, the most that is looked at");
                left = left.checked_sub(line.text.len()).ok_or_else(too_long)?;
                lines.add(line.text)
            })?;
            Ok(())
        })?))
    }

    fn pack<'o>(
        &self,
        head: &[u8],
        out: Box<dyn Write + Send + 'o>,
    ) -> io::Result<Box<dyn Pack + 'o>> {
        Ok(Box::new(WholePacking::new(head, out, edits::write)))
    }

    fn lossy(&self, head: &[u8]) -> Option<&'static str> {
        let archive = Archive::new(head).ok()?;
        archive
            .has("_xmlsignatures/")
            .then_some("is signed, and a change would make its signature void")
    }
}
