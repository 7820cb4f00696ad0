//! Workbooks written without the help of our own code.

use flate2::write::DeflateEncoder;
use flate2::{Compression, Crc};
use std::io::Write;

/// Members of an archive, each with its text.
pub type Members = Vec<(&'static str, String)>;

/// An archive of members, each stored or deflated, with sizes before or behind its data.
pub fn archive(members: &[(&str, String)], deflates: bool, sizes_follow: bool) -> Vec<u8> {
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
pub fn members(rows: &[(String, String)]) -> Members {
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
