//! Records written key by key are what a reader of JSON expects.

use super::line::key;
use crate::render::find::FoundUnit;
use crate::render::json::line::{JsonPath, Line, Text};
use crate::render::json::{CHANGE_ID, UnitRecord, json_line};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use brisk_quill_core::pattern::Groups;
use brisk_quill_files::discover::Source;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;

/// Text, control characters and quotes, and bytes that are not text.
fn bytes() -> impl Strategy<Value = Vec<u8>> {
    let bit = prop_oneof![
        6 => prop::sample::select(vec![
            "quay", "\"", "\\", "\n", "\u{1b}", "\0", "é", "日", " ", "\u{2028}", "\u{7f}",
        ])
        .prop_map(|bit| bit.as_bytes().to_vec()),
        1 => prop::collection::vec(any::<u8>(), 0..4),
    ];
    prop::collection::vec(bit, 0..8).prop_map(|bits| bits.concat())
}

/// The value under `key`, and the one under `key_b64` where there is one.
fn expected(record: &mut Value, key: &str, bytes: &[u8]) {
    record[key] = String::from_utf8_lossy(bytes).into();
    if std::str::from_utf8(bytes).is_err() {
        record[format!("{key}_b64")] = BASE64.encode(bytes).into();
    }
}

proptest! {
    #[test]
    fn what_is_written_key_by_key_parses(
        path in bytes(), text in bytes(), cell in prop::option::of(bytes()), line in any::<u64>(),
        groups in prop::collection::vec(prop::option::of(bytes()), 0..4),
    ) {
        let source = Source::File(OsString::from_vec(path.clone()).into());
        let cell = cell.map(|cell| String::from_utf8_lossy(&cell).into_owned());
        let names = Groups::new((0..=groups.len()).map(|n| (n == 2).then(|| "berth".to_owned())));
        let all = std::iter::once(Some(&text[..])).chain(groups.iter().map(Option::as_deref));

        let mut out = Vec::new();
        let mut record = Line::begin(&mut out, "{\"record\":\"match\"");
        record.place(&JsonPath::of(&source).0, line, cell.as_deref());
        record.bytes([key!("text"), key!("text_b64")], &Text::of(&text));
        record.groups(Some(&names), all);
        record.end();
        prop_assert_eq!(out.pop(), Some(b'\n'));
        // Nothing in a record can be taken for the place of a number.
        prop_assert!(!out.contains(&CHANGE_ID) && !out.contains(&b'\n'));

        let mut wanted = json!({"record": "match", "line": line, "cell": cell});
        expected(&mut wanted, "path", &path);
        expected(&mut wanted, "text", &text);
        let group = |(number, text): (usize, &Option<Vec<u8>>)| {
            let text = text.as_deref().map(String::from_utf8_lossy);
            let name = (number == 2).then_some("berth");
            json!({"number": number, "name": name, "text": text})
        };
        wanted["groups"] = (1..).zip(&groups).map(group).collect();
        prop_assert_eq!(serde_json::from_slice::<Value>(&out).unwrap(), wanted);

        // The records that are built as values say the same of a place.
        let unit = FoundUnit {
            line,
            cell: cell.clone(),
            text: text.clone(),
            spans: Vec::new(),
            groups: Vec::new(),
            around: Default::default(),
        };
        let mut wanted = json!({"line": line, "cell": cell});
        expected(&mut wanted, "path", &path);
        expected(&mut wanted, "text", &text);
        let built: Value = serde_json::from_slice(&json_line(&UnitRecord::of(&source, &unit))).unwrap();
        prop_assert_eq!(built, wanted);
    }
}
