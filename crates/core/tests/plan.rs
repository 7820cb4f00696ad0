//! Plans line by line: what is taken, what is refused, and how changes are named.

use brisk_quill_core::fault::Fault;
use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::plan::decide::Decider;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::plan::modified::{Modified, Wider};
use brisk_quill_core::records::plan::{DecisionRecord, decision_line};

const HASH: &str = "ad04cc141b94f86c45f23084dbc0d44acec278d34e6e942c1ed7107c006b8079";

fn head() -> String {
    "{\"record\":\"plan\",\"format\":1,\"rewrite\":{\"step\":[]}}".into()
}

fn file(path: &str, bytes: u64) -> String {
    let record = serde_json::json!({
        "record": "file", "path": path, "bytes": bytes, "hash": HASH, "encoding": "UTF-8", "newline": "lf",
    });
    record.to_string()
}

fn change(id: &str, path: &str, line: u64, (from, to): (u64, u64)) -> String {
    let before = "x".repeat((to - from) as usize);
    let record = serde_json::json!({
        "record": "change", "id": id, "path": path, "line": line, "cell": null, "from": from, "to": to,
        "before": before, "after": "y", "steps": [1], "groups": [], "decision": "open",
    });
    record.to_string()
}

/// The plan that these lines make, or the number of the line that was refused and why.
fn take(lines: &[String]) -> Result<PlanIndex, (usize, String)> {
    let mut index = PlanIndex::default();
    let mut offset = 0;
    for (number, line) in (1..).zip(lines) {
        let taken = index.take(line.trim_end().as_bytes(), offset);
        taken.map_err(|fault| (number, fault.to_string()))?;
        offset += line.len() as u64 + 1;
    }
    Ok(index)
}

fn harbour() -> Vec<String> {
    vec![
        head(),
        file("notices/a.md", 100),
        change("1.1", "notices/a.md", 1, (0, 3)),
        change("1.2", "notices/a.md", 4, (3, 3)),
        change("1.3", "notices/a.md", 9, (50, 100)),
        file("b.csv", 10),
        change("2.1", "b.csv", 2, (4, 5)),
        "{\"record\":\"unit\",\"whatever\":7}".into(),
        "{\"record\":\"from tomorrow\"}".into(),
        "{\"record\":\"totals\",\"problems\":2}".into(),
    ]
}

#[test]
fn a_sound_plan() {
    let mut lines = harbour();
    let index = take(&lines).unwrap();
    assert_eq!(
        (index.files.len(), index.entries.len(), index.problems),
        (2, 4, 2)
    );
    assert!(index.is_complete);
    for (number, id, of) in [(0, "1.1", 0), (1, "1.2", 0), (2, "1.3", 0), (3, "2.1", 1)] {
        assert_eq!((index.id(number).as_str(), index.file_of(number)), (id, of));
        assert_eq!(index.index_of(id), Some(number));
    }
    for id in [
        "",
        "1",
        "1.",
        "1.0",
        "0.1",
        "1.4",
        "3.1",
        "1.1.1",
        "x.y",
        "99999999999999999999.1",
    ] {
        assert_eq!(index.index_of(id), None, "{id}");
    }
    // The last decision about a change holds.
    let quay = Modified {
        text: b"quay \xFF".to_vec(),
        wider: Some(Wider {
            left: 2,
            before: b"x\xFE".to_vec(),
        }),
    };
    let pier = Modified::of(b"pier".to_vec());
    for (id, decision, after) in [
        ("1.1", Decision::Accepted, None),
        ("1.2", Decision::Modified, Some(&quay)),
        ("1.3", Decision::Modified, Some(&pier)),
        ("1.3", Decision::Refused, None),
        ("2.1", Decision::Accepted, None),
        ("2.1", Decision::Open, None),
    ] {
        lines.push(String::from_utf8(decision_line(id, decision, after)).unwrap());
    }
    let index = take(&lines).unwrap();
    let decisions: Vec<Decision> = index.entries.iter().map(|entry| entry.decision).collect();
    assert_eq!(
        decisions,
        [
            Decision::Accepted,
            Decision::Modified,
            Decision::Refused,
            Decision::Open
        ]
    );
    assert_eq!(index.modified.len(), 1);
    assert_eq!(index.modified[&1], quay);
    let counts = index.counts();
    assert_eq!(
        (
            counts.open,
            counts.accepted,
            counts.refused,
            counts.modified
        ),
        (1, 1, 1, 1)
    );
    assert_eq!((counts.written(), counts.total()), (2, 4));
}

/// A line put in place of another, and why it is refused there.
#[test]
fn what_is_refused() {
    let with = |field: &str, to: &str| {
        let mut record: serde_json::Value = serde_json::from_str(&harbour()[3]).unwrap();
        record[field] = serde_json::from_str(to).unwrap();
        record.to_string()
    };
    for (at, line, message) in [
        (1, file("a", 1), "begins with a `plan` record"),
        (1, head().replace(":1,", ":7,"), "format 7"),
        (1, head().replace("step", "stop"), "not a record of a plan"),
        (2, head(), "second `plan`"),
        (2, file("", 1), "`path`"),
        (2, file("a\u{0}b", 1), "`path`"),
        (2, file(&"long/".repeat(900), 1), "`path`"),
        (2, file("a", 1).replace(HASH, "123"), "`hash`"),
        (
            2,
            file("a", 1).replace(HASH, &HASH.replace('a', "g")),
            "`hash`",
        ),
        (
            2,
            file("a", 1).replace("\"path\"", "\"path_b64\":\"?\",\"path\""),
            "`path_b64`",
        ),
        (2, "{\"record\":\"unit\"}".into(), ""),
        (
            3,
            change("1.1", "other.md", 1, (0, 3)),
            "belongs to no file",
        ),
        (
            4,
            with("id", "\"1.3\""),
            "the id is `1.3`, and `1.2` comes next",
        ),
        (4, with("id", "\"2.2\""), "`1.2` comes next"),
        (4, change("1.2", "notices/a.md", 4, (2, 4)), "overlap"),
        (
            4,
            change("1.2", "notices/a.md", 4, (99, 101)),
            "beyond the file",
        ),
        (4, with("from", "4"), "bytes 4 to 3"),
        (4, with("from", "-4"), "not a record of a plan"),
        (
            4,
            with("before", "\"x\""),
            "the old text has 1 bytes, and the range 0",
        ),
        (4, with("before_b64", "\"!\""), "`before_b64`"),
        (4, with("decision", "\"refused\""), "`decision`"),
        (4, with("decision", "\"perhaps\""), "not a record of a plan"),
        (6, file("notices/a.md", 10), "a second record"),
        (
            8,
            "{\"record\":\"decision\",\"id\":\"1.9\",\"decision\":\"open\"}".into(),
            "no change `1.9`",
        ),
        (
            8,
            "{\"record\":\"decision\",\"id\":\"1.1\",\"decision\":\"modified\"}".into(),
            "`after`",
        ),
        (8, "[".repeat(3000), "not a record of a plan"),
        (8, "{\"record\":".into(), "not a record of a plan"),
        (8, String::new(), "not a record of a plan"),
    ] {
        let mut lines = harbour();
        lines[at - 1].clone_from(&line);
        match take(&lines) {
            // A file that is passed over leaves its changes without one.
            Err((number, said)) if message.is_empty() => {
                assert_eq!((number, said.contains("no file")), (3, true));
            }
            Err((number, said)) => assert!(
                number == at && said.contains(message),
                "{line}: {number} {said}"
            ),
            Ok(_) => panic!("taken: {line}"),
        }
    }
}

/// A SPEC, and the changes it means: their kinds are 1, 2, 1, 3.
#[test]
fn changes_by_name() {
    let index = take(&harbour()).unwrap();
    let kinds = [1, 2, 1, 3];
    let meant = |text: &str| {
        let mut globs = Vec::new();
        let decider = Decider::parse(text, &mut globs)?;
        let ids = (0..index.entries.len()).filter(|number| {
            let path =
                String::from_utf8_lossy(&index.files[index.file_of(*number)].path).into_owned();
            let in_glob = |glob: usize| path.starts_with(globs[glob].trim_end_matches('*'));
            decider.ids().contains(&index.id(*number))
                || decider.holds(&index, *number, Some(kinds[*number]), &in_glob)
        });
        Ok::<_, brisk_quill_core::plan::decide::DecideError>(
            ids.map(|n| index.id(n)).collect::<Vec<_>>().join(" "),
        )
    };
    for (text, ids) in [
        ("1.2", "1.2"),
        ("1.2,2.1", "1.2 2.1"),
        (" 1.2 , 1.9", "1.2"),
        ("kind:1", "1.1 1.3"),
        ("kind:2..", "1.2 2.1"),
        ("kind:1,3", "1.1 1.3 2.1"),
        ("kind:1,1.2", "1.1 1.2 1.3"),
        ("line:1..4", "1.1 1.2 2.1"),
        ("line:1..4&kind:1", "1.1"),
        ("line:2,9", "1.3 2.1"),
        ("line:9&kind:1,3,2.1", "1.3 2.1"),
        ("file:notices/*", "1.1 1.2 1.3"),
        ("file:notices/*&line:4..,file:b*", "1.2 1.3 2.1"),
    ] {
        assert_eq!(meant(text).unwrap(), ids, "{text}");
    }
    for (text, span, message) in [
        ("", 0..0, "names no changes"),
        ("berth", 0..5, "`berth` names no changes"),
        ("+1.1", 0..4, "names no changes"),
        ("1.1,01.2", 4..8, "names no changes"),
        ("1.1,kind:", 4..9, "missing"),
        ("1.1,kind:x", 4..10, "not understood"),
        ("kind:0", 0..6, "numbering starts at 1"),
        ("kind:last", 0..9, "no meaning here"),
        ("line:9..3&1.1", 0..9, "backwards"),
        ("file:", 0..5, "names no changes"),
        ("1.1&quay:7", 4..10, "`quay:7` names no changes"),
    ] {
        let error = meant(text).unwrap_err();
        assert_eq!(error.span().unwrap().range(), span, "{text}");
        assert!(error.to_string().contains(message), "{text}: {error}");
        assert!(error.remedy().unwrap().contains("kind:3"));
    }
}

/// Decisions of one change in order: `A`, `R`, `o` without a name, `anna:A` with one. What comes of
/// them, and whether reviewers differ.
#[test]
fn decisions_of_several_reviewers() {
    for (records, decision, differ) in [
        ("anna:A", Decision::Accepted, false),
        ("anna:A bo:A", Decision::Accepted, false),
        ("anna:A bo:R", Decision::Open, true),
        ("anna:A bo:R anna:R", Decision::Refused, false),
        ("anna:A bo:o", Decision::Open, true),
        ("anna:o", Decision::Open, false),
        // What was decided before counts as well, unless that is nothing.
        ("A anna:R", Decision::Open, true),
        ("A anna:A", Decision::Accepted, false),
        ("A o anna:R", Decision::Refused, false),
        // A decision without a name settles all before it.
        ("anna:A bo:R A", Decision::Accepted, false),
        ("anna:A bo:R o", Decision::Open, false),
        ("anna:A bo:R A cy:A", Decision::Accepted, false),
        ("anna:A bo:R A cy:R", Decision::Open, true),
        ("anna:A bo:R A bo:R", Decision::Open, true),
    ] {
        let mut lines = harbour();
        for record in records.split(' ') {
            let (by, sign) = record.split_once(':').unwrap_or(("", record));
            let decision = match sign {
                "A" => Decision::Accepted,
                "R" => Decision::Refused,
                _ => Decision::Open,
            };
            let record = DecisionRecord::new("1.2", decision, None);
            let line = match by {
                "" => brisk_quill_core::records::field::line(&record),
                by => brisk_quill_core::records::field::line(&record.of_reviewer(by, "seen")),
            };
            lines.push(String::from_utf8(line).unwrap());
        }
        let index = take(&lines).unwrap();
        let conflicts = if differ { vec![1] } else { vec![] };
        let got = (index.entries[1].decision, index.conflicts());
        assert_eq!(got, (decision, conflicts), "{records}");
        // The lines of its opinions bring another plan to the same state.
        let Some(opinions) = index.opinions.get(&1) else {
            panic!("{records}: no opinions");
        };
        let mut again = harbour();
        let text = String::from_utf8(opinions.lines("1.2")).unwrap();
        again.extend(text.lines().map(str::to_owned));
        let again = take(&again).unwrap();
        assert_eq!(again.opinions.get(&1), Some(opinions), "{records}");
        assert_eq!(again.entries[1].decision, decision, "{records}");
        assert!(!index.is_undecided(&index.counts()));
    }
}
