//! Cells of a workbook that become others.

use super::area::{RowLine, is_json};
use super::book::{OpenBook, WORKBOOK};
use super::damaged;
use super::sheet::{Book, Cell, Place};
use super::strings::inner_xml;
use super::xml::{Met, Xml, attribute};
use crate::store::whole::NewLines;
use serde_json::value::RawValue;
use std::collections::{BTreeMap, HashMap};
use std::io::{self, Write};
use std::ops::Range;

/// The longest text of a cell, in units of UTF-16.
const TEXT_MOST: usize = 32_767;

/// Writes the workbook `old` with the rows of `text` in the place of its own, which these are held against.
#[expect(clippy::needless_pass_by_value, reason = "as a store hands it over")]
pub fn write(old: Vec<u8>, text: &[u8], out: &mut dyn Write) -> io::Result<()> {
    let open = OpenBook::new(&old)?;
    let mut edits = Edits::default();
    let mut new = NewLines::new(text);
    let has_formulas = open.each_line(|old| {
        let line = new.next()?;
        match line == old.text {
            true => Ok(()),
            false => edits.row(&open.book, old, line),
        }
    })?;
    new.end()?;
    let members = edits.members(&open, has_formulas)?;
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
            serde_json::from_slice(old.text).map_err(not_a_row)?;
        let now: BTreeMap<String, &RawValue> = serde_json::from_slice(line).map_err(not_a_row)?;
        let same_keys = was.len() == now.len() && was.keys().eq(now.keys());
        let others = |key: &str| old.cells().all(|(own, _)| own != key);
        let differ = |key: &str| was[key].get() != now[key].get();
        if !same_keys || now.keys().any(|key| others(key) && differ(key)) {
            return Err(damaged(format!(
                "{} has no such cell to be written",
                place()
            )));
        }
        for (key, cell) in old.cells() {
            if differ(&key) {
                let new = now[&*key].get();
                let fault = || damaged(format!("{new} cannot be written into {key}, {}", place()));
                let (place, text) = self.value(book, cell, new).ok_or_else(fault)?;
                let edits = self.of_sheets.entry(old.sheet.member.clone());
                edits.or_default().push((place, text));
            }
        }
        Ok(())
    }

    /// The place of the value of a cell, and what is written there.
    fn value(&mut self, book: &Book, cell: &Cell<'_>, new: &str) -> Option<(Range<usize>, String)> {
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
                let next = strings.len() + self.added.len();
                let known = self.known.entry((*number, text.clone()));
                let index = *known.or_insert_with(|| {
                    let inner = inner_xml(&strings.shared(*number), &text, &strings.prefix);
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
    fn members(
        mut self,
        open: &OpenBook<'_>,
        has_formulas: bool,
    ) -> io::Result<BTreeMap<String, Vec<u8>>> {
        let mut members = BTreeMap::new();
        for (member, mut edits) in std::mem::take(&mut self.of_sheets) {
            // Tables may lie beside each other, so rows come more than once.
            edits.sort_by_key(|(place, _)| place.start);
            let xml = open.archive.need(&member)?;
            members.insert(member, spliced(&xml, &edits));
        }
        if let (Some(name), false) = (&open.strings_name, self.added.is_empty()) {
            let xml = open.archive.read(name)?.unwrap_or_default();
            let strings = &open.book.strings;
            let number = (strings.len() + self.added.len()).to_string();
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
        if !members.is_empty() && has_formulas {
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
                name: "calcPr",
                tag,
                place,
                ..
            } => {
                if attribute(&tag, TOLD).is_some() {
                    return Ok(None);
                }
                let at = place.start + 1 + tag.name().as_ref().len();
                return Ok(Some(spliced(xml, &[(at..at, format!(" {TOLD}=\"1\""))])));
            }
            Met::Start {
                name: "sheets" | "externalReferences" | "definedNames",
                tag,
                place,
                is_empty,
            } => {
                prefix = super::xml::prefix(&tag);
                if is_empty {
                    behind = Some(place.end);
                }
            }
            Met::End {
                name: "sheets" | "externalReferences" | "definedNames",
                place,
            } => {
                behind = Some(place.end);
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
    let element = format!("<{prefix}calcPr {TOLD}=\"1\"/>");
    Ok(behind.map(|at| spliced(xml, &[(at..at, element)])))
}
