//! Examples, and their places in the data.

use brisk_quill_infer::data::examples::{EditedError, Examples};
use brisk_quill_infer::data::units::{Unit, Units};
use brisk_quill_infer::task::Pair;

fn units(texts: &[&str]) -> Units {
    let unit = |(line, text): (u64, &&str)| Unit {
        text: (*text).to_owned(),
        line,
    };
    Units {
        all: (1..).zip(texts).map(unit).collect(),
        ..Units::default()
    }
}

#[test]
fn a_copy_is_edited_or_it_is_another_file() {
    let original = units(&["berth 1", "berth 2", "berth 3"]);
    let length = |by, more| EditedError::Length { by, more };
    for (copy, wanted) in [
        (&["berth 1", "B-2", "berth 3"][..], Ok(1)),
        (&["berth 1", "berth 2"], Err(length(1, false))),
        (&["a", "b", "c", "d"], Err(length(1, true))),
        (&["berth 1", "berth 2", "berth 3"], Err(EditedError::Same)),
        (&["berth 2", "berth 1", "berth 3"], Err(EditedError::Moved)),
    ] {
        let found = Examples::of_edited(&original, &units(copy));
        assert_eq!(found.map(|found| found.pairs.len()), wanted, "{copy:?}");
    }
    let found = Examples::of_edited(&original, &units(&["x", "berth 2", "y"])).unwrap();
    assert_eq!(found.edited_to, Some(3));
    let many = |text: &str| units(&[text; 10]);
    let another = EditedError::AnotherFile {
        changed: 10,
        all: 10,
    };
    let found = Examples::of_edited(&many("old"), &many("new"));
    assert_eq!(found.map(|found| found.pairs.len()), Err(another));
}

#[test]
fn an_example_is_placed_where_it_occurs() {
    let data = units(&["tide 14", "berth 14 of 140", "quay A4", "quay A4"]);
    let distinct = data.distinct();
    for (text, cells, before, line, missing) in [
        // A whole unit, once and twice.
        ("tide 14", false, "tide 14", Some(1), 0),
        ("quay A4", false, "quay A4", None, 0),
        // A part as words of its own, within a word, and in cells.
        ("14 of", false, "berth 14 of 140", None, 0),
        ("ert", false, "berth 14 of 140", None, 0),
        ("ert", true, "ert", None, 0),
        // Never within a number.
        ("40", false, "40", None, 1),
        ("pilot", false, "pilot", None, 1),
    ] {
        let mut examples = Examples::default();
        let pair = Pair::new(text, "new");
        examples.add(vec![pair], (&data, &distinct), cells);
        let found = &examples.pairs[0];
        assert_eq!((&found.before[..], found.line), (before, line), "{text}");
        assert_eq!(examples.missing.len(), missing, "{text}");
    }
}
