//! The lines around a change, with other changes in them as they are decided.

use crate::port::{Port, changes, decide};
use brisk_quill_core::escape::visible;
use brisk_quill_core::plan::decision::Decision::{Accepted, Open, Refused};
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_engine::context::{FileRow, PieceOf, surroundings};

fn shown(rows: &[FileRow]) -> String {
    let row = |row: &FileRow| {
        let line = row.line.map_or("-".to_owned(), |line| line.to_string());
        let pieces = row.pieces.iter().map(|piece| {
            let text = visible(&piece.text);
            match piece.of {
                PieceOf::Text => text,
                PieceOf::Was => format!("[was {text}]"),
                PieceOf::Now => format!("[now {text}]"),
                PieceOf::Old(decision) => format!("[{} {text}]", decision.name()),
                PieceOf::Replaced => format!("[replaced {text}]"),
                PieceOf::New(decision) => format!("[{} {text}]", decision.name()),
            }
        });
        format!("{line} {}\n", pieces.collect::<String>())
    };
    rows.iter().map(row).collect()
}

/// Rows keep the numbers of the lines that they come from, whatever comes and goes.
#[test]
fn rows_are_numbered_as_in_the_file() {
    let step = |pattern: &str| StepSpec {
        pattern: Some(pattern.into()),
        ..StepSpec::default()
    };
    let steps = vec![
        StepSpec {
            drop_lines: true,
            ..step("one")
        },
        StepSpec {
            with: Some(r"2a\n2b".into()),
            ..step("two")
        },
        StepSpec {
            with: Some("3".into()),
            ..step("three")
        },
        StepSpec {
            above: Some("0".into()),
            ..step("five")
        },
    ];
    let text = "one\ntwo\nthree\nfour\nfive".to_owned();
    let port = Port::of(&[text], RewriteText::from(steps));
    let mut plan = port.plan().expect("four changes");
    decide(&mut plan, &[Accepted, Accepted, Open, Refused]);
    let all = changes(&plan);
    let (.., third) = &all[2];
    let around = surroundings(&plan.doc, &plan.doc.index, 2, third).expect("a text");
    for (rows, wanted) in [
        (
            &around.before,
            "1 [accepted ][accepted 2a↵]\n- [accepted 2b]\n",
        ),
        (&around.was, "3 [was three]\n"),
        (&around.now, "3 [now 3]\n"),
        (&around.after, "4 four\n5 [refused ]five\n"),
    ] {
        assert_eq!(shown(rows), wanted);
    }
}
