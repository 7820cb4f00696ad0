//! Records of what was found.

use crate::render::find::FoundUnit;
use brisk_quill_core::pattern::groups::Groups;
use brisk_quill_core::records::field::{Coded, Optional, Ordinal, line, push};
use brisk_quill_core::records::find::{MatchRecord, MissingRecord, OffenderRecord, WhyRecord};
use brisk_quill_core::records::json::lossy;
use brisk_quill_core::records::plan::GroupText;
use brisk_quill_engine::plan_records::RecordPath;
use brisk_quill_engine::why::ReasonRow;
use brisk_quill_files::source::Source;
use std::borrow::Cow;

/// The matches of one unit; `locate` says where its bytes lie in the file.
pub fn matches(
    source: &Source,
    unit: &FoundUnit,
    groups: &Groups,
    locate: &dyn Fn(usize) -> u64,
) -> Vec<u8> {
    let mut out = Vec::new();
    let path = RecordPath::of(source);
    let mut places = unit.places.iter();
    for (span, spans) in unit.spans.iter().zip(&unit.groups) {
        let column = places.next().map(|place| Ordinal(place.column));
        let texts = unit.texts_of(spans).enumerate().skip(1);
        let of_match = texts.map(|(number, text)| GroupText {
            number: Ordinal(number as u64),
            name: groups.name(number).map(Cow::Borrowed),
            text: text.map(lossy),
        });
        let (path, path_b64) = path.fields();
        let Coded { text, base64 } = Coded::of(&unit.text[span.range()]);
        push(
            &mut out,
            &MatchRecord {
                path,
                path_b64,
                line: Ordinal(unit.line),
                column: Optional(column),
                cell: unit.cell.as_deref().map(Cow::Borrowed),
                label: Optional(unit.row.label.as_deref().map(Cow::Borrowed)),
                from: locate(span.from),
                to: locate(span.to),
                text,
                text_b64: base64,
                groups: of_match.collect(),
            },
        );
    }
    out
}

/// A unit in scope without a match.
pub fn missing(source: &Source, unit: &FoundUnit, why: Option<&str>) -> Vec<u8> {
    let path = RecordPath::of(source);
    let (path, path_b64) = path.fields();
    let Coded { text, base64 } = Coded::of(&unit.text);
    line(&MissingRecord {
        path,
        path_b64,
        line: Ordinal(unit.line),
        cell: unit.cell.as_deref().map(Cow::Borrowed),
        label: Optional(unit.row.label.as_deref().map(Cow::Borrowed)),
        text,
        text_b64: base64,
        why: Optional(why.map(Cow::Borrowed)),
    })
}

/// A reason for which units do not match, in `words`.
pub fn reason(row: &ReasonRow, words: &str) -> Vec<u8> {
    let path = RecordPath::of(&row.source);
    let (path, path_b64) = path.fields();
    let Coded { text, base64 } = Coded::of(&row.text);
    line(&WhyRecord {
        message: words.into(),
        count: row.count,
        path,
        path_b64,
        line: Ordinal(row.line),
        text,
        text_b64: base64,
    })
}

/// A unit that is not as `check` asks.
pub fn offender(source: &Source, unit: &FoundUnit) -> Vec<u8> {
    let path = RecordPath::of(source);
    let (path, path_b64) = path.fields();
    let Coded { text, base64 } = Coded::of(&unit.text);
    line(&OffenderRecord {
        path,
        path_b64,
        line: Ordinal(unit.line),
        cell: unit.cell.as_deref().map(Cow::Borrowed),
        label: Optional(unit.row.label.as_deref().map(Cow::Borrowed)),
        text,
        text_b64: base64,
    })
}
