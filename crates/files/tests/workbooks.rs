//! Workbooks: read as rows, written again with nothing else changed, and what is not a sound one.

use crate::archive::{Members, archive, members};
use crate::container::{cut_off, damaged, hostile, rewritten, unpack};
use proptest::prelude::*;

/// The sample workbook, which another program has made.
const SAMPLE: &[u8] = include_bytes!("../../../demo/berths.xlsx");

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
        let new = rewritten(&old, "quay", "pier & <co> _x0041_").unwrap();
        prop_assert_eq!(unpack(&new).unwrap(), text.replace("quay", "pier & <co> _x0041_"));
        let kept = memchr::memmem::find(&old, b"xl/other.bin").unwrap();
        let end = memchr::memmem::find(&old, b"PK\x01\x02").unwrap();
        prop_assert!(memchr::memmem::find(&new, &old[kept..end]).is_some());
        // Nothing to change changes nothing.
        prop_assert_eq!(rewritten(&old, "nowhere in it", "").unwrap(), old);
    }
}

/// A table has the names of its own header, wherever that stands; what is beside it is a part of its own.
#[test]
fn named_tables() {
    let row = |number: usize, cells: &[&str]| {
        let cell = |(column, text): (usize, &&str)| match text.is_empty() {
            true => String::new(),
            false => {
                let place = format!("{}{number}", char::from(b'A' + column as u8));
                format!("<c r=\"{place}\" t=\"inlineStr\"><is><t>{text}</t></is></c>")
            }
        };
        let cells: String = cells.iter().enumerate().map(cell).collect();
        format!("<row r=\"{number}\">{cells}</row>")
    };
    let rows: String = [
        row(1, &["Moorings of the week"]),
        row(3, &["berth", "ship", "", "depth", "note"]),
        row(4, &["quay 1", "Tern", "", "quay 5", "quay n"]),
        row(5, &["quay 2", "", "", "quay 6", ""]),
        row(6, &["total", "2", "", "", "quay t"]),
        row(9, &["berth", "", "", "quay 7"]),
        row(10, &["quay 3"]),
    ]
    .concat();
    let table = |name: &str, place: &str, more: &str, columns: &[&str]| {
        let columns = columns
            .iter()
            .map(|name| format!("<tableColumn name=\"{name}\"/>"));
        let columns: String = columns.collect();
        format!(
            "<table name=\"x\" displayName=\"{name}\" ref=\"{place}\" {more}><tableColumns>{columns}\
             </tableColumns></table>"
        )
    };
    let relation = |n: u8| {
        format!("<Relationship Id=\"t{n}\" Type=\"x/table\" Target=\"../tables/table{n}.xml\"/>")
    };
    let relations: String = (1..=4).map(relation).collect();
    let mut members = members(&[]);
    members.retain(|(name, _)| *name != "xl/worksheets/sheet1.xml");
    members.extend([
        (
            "xl/worksheets/sheet1.xml",
            format!("<worksheet><sheetData>{rows}</sheetData></worksheet>"),
        ),
        (
            "xl/worksheets/_rels/sheet1.xml.rels",
            format!("<Relationships>{relations}</Relationships>"),
        ),
        (
            "xl/tables/table1.xml",
            table("Week", "A3:B6", "totalsRowCount=\"1\"", &["berth", "ship"]),
        ),
        (
            "xl/tables/table2.xml",
            table("Depths", "$D$3:$D$5", "", &["depth"]),
        ),
        (
            "xl/tables/table3.xml",
            table("Bare", "A10:A10", "headerRowCount=\"0\"", &["place"]),
        ),
        // It claims cells of the first.
        (
            "xl/tables/table4.xml",
            table("Twice", "B3:D9", "", &["s", "t", "u"]),
        ),
    ]);
    let old = archive(&members, true, false);
    let at = |table: &str, row: u8| {
        let table = match table {
            "" => String::new(),
            name => format!(",\"table\":\"{name}\""),
        };
        format!("{{\"@\":{{\"sheet\":\"One & only\"{table},\"row\":{row}}},")
    };
    let wanted = [
        at("Week", 4) + "\"berth\":\"quay 1\",\"ship\":\"Tern\"}",
        at("Depths", 4) + "\"depth\":\"quay 5\"}",
        at("", 4) + "\"Moorings of the week\":null,\"E\":\"quay n\"}",
        at("Week", 5) + "\"berth\":\"quay 2\",\"ship\":null}",
        at("Depths", 5) + "\"depth\":\"quay 6\"}",
        at("", 6) + "\"Moorings of the week\":\"total\",\"B\":\"2\",\"E\":\"quay t\"}",
        at("", 9) + "\"Moorings of the week\":\"berth\",\"D\":\"quay 7\"}",
        at("Bare", 10) + "\"place\":\"quay 3\"}",
    ];
    let text = unpack(&old).unwrap();
    let lines: Vec<&str> = text
        .lines()
        .filter(|line| !line.contains("\"note\""))
        .collect();
    assert_eq!(lines, wanted);
    // Cells of tables that lie beside each other are written in the order of the sheet.
    let new = rewritten(&old, "quay", "pier").unwrap();
    assert_eq!(unpack(&new).unwrap(), text.replace("quay", "pier"));
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
    let new = rewritten(SAMPLE, "Old Quay, south end", "Old Quay, east end").unwrap();
    assert!(unpack(&new).unwrap().contains("Old Quay, east end"));
}

/// Damage is reported, or does no harm; it never ends the program.
#[test]
fn damaged_workbooks() {
    let whole = unpack(SAMPLE).unwrap();
    for (at, read) in damaged(SAMPLE) {
        assert!(
            read.is_err() || read.is_ok_and(|text| text == whole),
            "byte {at}"
        );
    }
    for (at, read) in cut_off(SAMPLE) {
        assert!(read.is_err(), "cut at {at}");
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
