//! Workbooks: read as rows, written again with nothing else changed, and what is no sound one.

use brisk_quill_files::change::Change;
use brisk_quill_files::plan::PlannedFile;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::splice_into;
use brisk_quill_files::store::store_of::StoreOf;
use brisk_quill_files::store::unpacked::Unpacked;
use flate2::write::DeflateEncoder;
use flate2::{Compression, Crc};
use proptest::prelude::*;
use std::io::{self, Read, Write};

/// The sample workbook, which another program has made.
const SAMPLE: &[u8] = include_bytes!("../../../demo/berths.xlsx");

/// Members of an archive, each with its text.
type Members = Vec<(&'static str, String)>;

/// An archive of members, each stored or deflated, with sizes before or behind its data.
fn archive(members: &[(&str, String)], deflates: bool, sizes_follow: bool) -> Vec<u8> {
    let (mut out, mut directory) = (Vec::new(), Vec::new());
    for (name, text) in members {
        let mut crc = Crc::new();
        crc.update(text.as_bytes());
        let mut encoder = DeflateEncoder::new(Vec::new(), Compression::fast());
        encoder.write_all(text.as_bytes()).unwrap();
        let data = match deflates {
            true => encoder.finish().unwrap(),
            false => text.clone().into_bytes(),
        };
        let four = |n: usize| (n as u32).to_le_bytes();
        let two = |n: usize| (n as u16).to_le_bytes();
        let sizes = [crc.sum().to_le_bytes(), four(data.len()), four(text.len())].concat();
        let zeros = vec![0; 12];
        let flags = if sizes_follow { 8 } else { 0 };
        let method = if deflates { 8 } else { 0 };
        let head = [two(20), two(flags), two(method), two(0), two(0)].concat();
        let offset = out.len();
        out.extend(b"PK\x03\x04");
        out.extend(&head);
        out.extend(if sizes_follow { &zeros } else { &sizes });
        out.extend([two(name.len()), two(0)].concat());
        out.extend(name.as_bytes());
        out.extend(&data);
        if sizes_follow {
            out.extend(b"PK\x07\x08");
            out.extend(&sizes);
        }
        directory.extend(b"PK\x01\x02\x14\0");
        directory.extend(&head);
        directory.extend(&sizes);
        directory.extend([two(name.len()), two(0), two(0), two(0), two(0)].concat());
        directory.extend([four(0), four(offset)].concat());
        directory.extend(name.as_bytes());
    }
    let (at, length, count) = (
        out.len() as u32,
        directory.len() as u32,
        members.len() as u16,
    );
    out.extend(directory);
    out.extend(b"PK\x05\x06\0\0\0\0");
    out.extend([count.to_le_bytes(), count.to_le_bytes()].concat());
    out.extend([length.to_le_bytes(), at.to_le_bytes()].concat());
    out.extend([0, 0]);
    out
}

/// The members of a workbook of one sheet with two columns: shared texts, and others in their cells.
fn members(rows: &[(String, String)]) -> Members {
    let escaped = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;");
    let (mut shared, mut cells) = (String::new(), String::new());
    for (number, (first, second)) in rows.iter().enumerate() {
        let row = number + 2;
        shared.push_str(&format!(
            "<si><t xml:space=\"preserve\">{}</t></si>",
            escaped(first)
        ));
        cells.push_str(&format!(
            "<row r=\"{row}\"><c r=\"A{row}\" t=\"s\"><v>{number}</v></c><c r=\"B{row}\" t=\"inlineStr\">\
             <is><t>{}</t></is></c><c r=\"C{row}\"><v>{row}</v></c></row>",
            escaped(second)
        ));
    }
    let head = "<row r=\"1\"><c t=\"inlineStr\"><is><t>a</t></is></c><c t=\"inlineStr\"><is><t>b</t></is></c></row>";
    let relation = |id: &str, kind: &str, target: &str| {
        format!("<Relationship Id=\"{id}\" Type=\"x/{kind}\" Target=\"{target}\"/>")
    };
    vec![
        ("[Content_Types].xml", "<Types/>".to_owned()),
        (
            "xl/workbook.xml",
            "<x:workbook xmlns:x=\"m\"><x:sheets><x:sheet name=\"One &amp; only\" r:id=\"r1\"/></x:sheets></x:workbook>"
                .to_owned(),
        ),
        (
            "xl/_rels/workbook.xml.rels",
            format!(
                "<Relationships>{}{}</Relationships>",
                relation("r1", "worksheet", "worksheets/sheet1.xml"),
                relation("r2", "sharedStrings", "/xl/sharedStrings.xml")
            ),
        ),
        (
            "xl/worksheets/sheet1.xml",
            format!("<worksheet><sheetData>{head}{cells}</sheetData></worksheet>"),
        ),
        (
            "xl/sharedStrings.xml",
            format!("<sst count=\"9\" uniqueCount=\"{}\">{shared}</sst>", rows.len()),
        ),
        ("xl/other.bin", "left alone".to_owned()),
    ]
}

fn unpack(bytes: &[u8]) -> io::Result<String> {
    let store = StoreOf::head(bytes).packed().expect("a workbook");
    let mut text = String::new();
    Unpacked::new(store, bytes)?.read_to_string(&mut text)?;
    Ok(text)
}

/// A workbook with each `from` of its text made `to`.
fn rewritten(bytes: &[u8], from: &str, to: &str) -> Vec<u8> {
    let text = unpack(bytes).unwrap();
    let changes = text.match_indices(from).map(|(at, _)| Change {
        line: 1,
        from: at as u64,
        to: (at + from.len()) as u64,
        before: from.as_bytes().to_vec(),
        after: to.as_bytes().to_vec(),
    });
    let facts = Facts {
        store: StoreOf::head(bytes),
        text_bytes: text.len() as u64,
        ..Facts::of_bytes(blake3::hash(bytes), bytes.len() as u64)
    };
    let file = PlannedFile::evaluated(Source::Stdin, facts, changes.collect());
    let mut out = Vec::new();
    splice_into(bytes, &file, &mut out).unwrap();
    out
}

fn hostile() -> impl Strategy<Value = String> {
    let bits = [
        "quay", "é", "&", "<", "\n", "_x0041_", " ", "\"", "\\", "日", "]]>", "7",
    ];
    prop::collection::vec(prop::sample::select(bits.to_vec()), 1..6).prop_map(|bits| bits.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    /// A rewritten workbook reads as the rewritten text, and every other member is the same to the byte.
    #[test]
    fn rewritten_workbooks_read_back(
        rows in prop::collection::vec((hostile(), hostile()), 1..5), deflates in any::<bool>(), follow in any::<bool>(),
    ) {
        let members = members(&rows);
        let old = archive(&members, deflates, follow);
        let text = unpack(&old).unwrap();
        prop_assert_eq!(text.lines().count(), rows.len());
        let new = rewritten(&old, "quay", "pier & <co> _x0041_");
        prop_assert_eq!(unpack(&new).unwrap(), text.replace("quay", "pier & <co> _x0041_"));
        let kept = memchr::memmem::find(&old, b"xl/other.bin").unwrap();
        let end = memchr::memmem::find(&old, b"PK\x01\x02").unwrap();
        prop_assert!(memchr::memmem::find(&new, &old[kept..end]).is_some());
        // Nothing to change changes nothing.
        prop_assert_eq!(rewritten(&old, "nowhere in it", ""), old);
    }
}

#[test]
fn the_sample_of_another_program() {
    let text = unpack(SAMPLE).unwrap();
    let first = text.lines().next().unwrap();
    assert!(
        first.starts_with("{\"@\":{\"sheet\":\"Berths\",\"row\":2},\"berth\":\"B-01\"")
            && first.contains("\"surveyed\":{\"date\":\"2031-01-25\"}")
            && first.contains("\"area\":{\"formula\""),
        "{first}"
    );
    let new = rewritten(SAMPLE, "Old Quay, south end", "Old Quay, east end");
    assert!(unpack(&new).unwrap().contains("Old Quay, east end"));
}

/// Damage is told, or does no harm; it never ends the program.
#[test]
fn damaged_workbooks() {
    let whole = unpack(SAMPLE).unwrap();
    for at in (0..SAMPLE.len()).step_by(97) {
        let mut bytes = SAMPLE.to_vec();
        bytes[at] ^= 0x55;
        if StoreOf::head(&bytes)
            .packed()
            .is_some_and(|store| store.is_table())
        {
            let read = unpack(&bytes);
            assert!(
                read.is_err() || read.is_ok_and(|text| text == whole),
                "byte {at}"
            );
        }
        let cut = &SAMPLE[..at];
        if StoreOf::head(cut)
            .packed()
            .is_some_and(|store| store.is_table())
        {
            assert!(unpack(cut).is_err(), "cut at {at}");
        }
    }
    let rows = [("x".to_owned(), "y".to_owned())];
    let made = |change: &dyn Fn(&mut Members)| {
        let mut members = members(&rows);
        change(&mut members);
        unpack(&archive(&members, true, false)).map_err(|error| error.to_string())
    };
    type Case<'c> = (&'c dyn Fn(&mut Members), &'c str);
    let cases: &[Case<'_>] = &[
        (
            &|m| m.push(("xl/other.bin", String::new())),
            "xl/other.bin is there twice",
        ),
        (&|m| drop(m.remove(1)), "xl/workbook.xml is missing"),
        (
            &|m| m[4].1 = "<sst/>".into(),
            "shared text 0, which is not there",
        ),
        (
            &|m| m[3].1.insert_str(0, "<!DOCTYPE x>"),
            "declares a document type",
        ),
        (
            &|m| m[3].1.push_str("</worksheet>"),
            "sheet1.xml is damaged at byte",
        ),
        (
            &|m| m[3].1 = m[3].1.replace("\"A2\"", "\"ZZZZ2\""),
            "more than 16384 columns",
        ),
    ];
    for (change, wanted) in cases {
        let told = made(change).expect_err(wanted);
        assert!(told.contains(wanted), "{told}");
    }
}
