//! The whole loop on random files: what is decided is what is written, decisions find their changes again after the files
//! have changed, and what is shown around a change is what the file holds.

use crate::port::{NOT_STOPPED, Port, cases, changes, decide, decision};
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::records::plan::ChangeRecord;
use brisk_quill_core::rewrite::rewrite_text;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::step_spec::StepSpec;

use brisk_quill_engine::context::FileRow;
use brisk_quill_engine::context::excerpt::Excerpts;
use brisk_quill_engine::open_plan::OpenPlan;
use brisk_quill_engine::plan_parts::{merge, split};
use brisk_quill_engine::runs::revert;
use brisk_quill_files::plan_file::PlanDoc;
use proptest::prelude::*;
use std::collections::HashMap;
use std::ops::ControlFlow;

/// Lines of a few words, some of them equal.
fn text() -> impl Strategy<Value = String> {
    let words = ["berth", "berth 7", "quay", "é", "no", "12", "berth7"];
    let line = prop::collection::vec(prop::sample::select(words.to_vec()), 0..5);
    let line = (line, prop::sample::select(vec!["\n", "\n", "\r\n"]));
    prop::collection::vec(line, 0..14).prop_map(|lines| {
        let lines = lines.into_iter();
        lines.map(|(words, end)| words.join(" ") + end).collect()
    })
}

fn rewrite() -> impl Strategy<Value = RewriteText> {
    let step = (
        prop::sample::select(vec![r"berth (\d+)", "quay|no", r"\d", "^", r"(\w+) (\w+)"]),
        prop::sample::select(vec!["with", "remove", "drop", "below"]),
        prop::sample::select(vec!["", "2..", "..last-1"]),
        any::<bool>(),
    );
    let step = step.prop_map(|(pattern, action, lines, all)| StepSpec {
        pattern: Some(pattern.into()),
        with: (action == "with").then(|| "<$0>".into()),
        below: (action == "below").then(|| "below $0".into()),
        remove: action == "remove",
        drop_lines: action == "drop",
        lines: (!lines.is_empty()).then(|| lines.into()),
        pick: (!all).then(|| "last".into()),
        ..StepSpec::default()
    });
    prop::collection::vec(step, 1..3).prop_map(RewriteText::from)
}

/// A table, or objects of JSON, with values of every spelling.
fn rows(format: &'static str) -> impl Strategy<Value = String> {
    let values = match format {
        "csv" => vec![
            "berth 7",
            "\"quay, no\"",
            "\"no\nberth 12\"",
            "",
            "é",
            "\"a \"\"no\"\" 7\"",
        ],
        _ => vec![
            "berth 7",
            "quay, no",
            "no\\nberth 12",
            "",
            "\\u00e9",
            "a \\\"no\\\" 7",
        ],
    };
    let row = (
        prop::sample::select(values.clone()),
        prop::sample::select(values),
    );
    prop::collection::vec(row, 0..9).prop_map(move |rows| {
        let row = |(id, note): (&str, &str)| match format {
            "csv" => format!("{id},{note}\n"),
            _ => format!("{{\"id\": \"{id}\", \"note\": \"{note}\"}}\n"),
        };
        let head = if format == "csv" { "id,note\n" } else { "" };
        head.to_owned() + &rows.into_iter().map(row).collect::<String>()
    })
}

fn rewrite_of_rows(format: &'static str) -> impl Strategy<Value = RewriteText> {
    let step = (
        prop::sample::select(vec![r"berth (\d+)", "quay|no", r"\d", "^", "é"]),
        prop::sample::select(vec!["with", "remove", "drop", "into"]),
        prop::sample::select(vec!["note", "id", "id,note"]),
    );
    let step = step.prop_map(move |(pattern, action, columns)| StepSpec {
        pattern: Some(pattern.into()),
        with: matches!(action, "with" | "into").then(|| "<$0, \"$0\">".into()),
        into: (action == "into").then(|| if columns == "id" { "note" } else { "id" }.into()),
        columns: Some(
            if action == "into" && columns != "id" {
                "note"
            } else {
                columns
            }
            .into(),
        ),
        format: Some(format.into()),
        remove: action == "remove",
        drop_lines: action == "drop",
        ..StepSpec::default()
    });
    prop::collection::vec(step, 1..3).prop_map(RewriteText::from)
}

/// Files, and a rewrite of them: of lines, or of rows.
fn request() -> impl Strategy<Value = (Vec<String>, RewriteText)> {
    prop_oneof![
        2 => (prop::collection::vec(text(), 1..4), rewrite()),
        1 => (prop::collection::vec(rows("csv"), 1..3), rewrite_of_rows("csv")),
        1 => (prop::collection::vec(rows("jsonl"), 1..3), rewrite_of_rows("jsonl")),
    ]
}

/// The number of a file of a plan, as it was written.
fn number_of(plan: &OpenPlan, file: usize) -> usize {
    let path = String::from_utf8(plan.doc.index.files[file].path.to_vec()).unwrap();
    let name = path.rsplit('/').next().unwrap();
    name.trim_end_matches(".md").parse().unwrap()
}

/// The files with some changes made.
fn spliced(files: &[String], plan: &OpenPlan, takes: impl Fn(Decision) -> bool) -> Vec<String> {
    let mut out = files.to_vec();
    for (file, decision, change) in changes(plan).into_iter().rev() {
        let (from, to) = (change.from as usize, change.to as usize);
        let text = &mut out[number_of(plan, file)];
        assert_eq!(&text.as_bytes()[from..to], change.before.as_bytes());
        if takes(decision) {
            let after = String::from_utf8(change.after.as_bytes().to_vec()).unwrap();
            text.replace_range(from..to, &after);
        }
    }
    out
}

/// A line without its end.
fn line_of(text: &str, number: u64) -> &str {
    let line = text.split_inclusive('\n').nth(number as usize - 1);
    line.unwrap_or_default().trim_end_matches(['\r', '\n'])
}

fn shown(row: &FileRow) -> String {
    let pieces = row
        .pieces
        .iter()
        .map(|piece| String::from_utf8_lossy(&piece.text));
    pieces.collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(60), failure_persistence: None, ..ProptestConfig::default() })]

    /// All changes together are the rewrite; what is accepted is written and nothing else, and the run reverts to the byte.
    #[test]
    fn what_is_decided_is_written(
        (files, rewrite) in request(), decisions in prop::collection::vec(decision(), 1..9),
    ) {
        let port = Port::of(&files, rewrite);
        let Some(mut plan) = port.plan() else {
            for file in &files {
                prop_assert_eq!(&rewrite_text(&port.rewrite, file.as_bytes()).text, file.as_bytes());
            }
            return Ok(());
        };
        for (file, all) in files.iter().zip(spliced(&files, &plan, |_| true)) {
            prop_assert_eq!(String::from_utf8(rewrite_text(&port.rewrite, file.as_bytes()).text).unwrap(), all);
        }
        decide(&mut plan, &decisions);
        let is_decided = plan.doc.index.entries.iter().any(|entry| entry.decision != Decision::Open);
        let wanted = spliced(&files, &plan, |decision| decision == Decision::Accepted || !is_decided);
        let written = plan.changes().unwrap();
        if wanted == files {
            return Ok(());
        }
        let done = plan.write(&written, &NOT_STOPPED).unwrap();
        for (number, wanted) in wanted.iter().enumerate() {
            prop_assert_eq!(&port.text(number), wanted);
        }
        revert(&port.host, done.run, &NOT_STOPPED).unwrap();
        for (number, file) in files.iter().enumerate() {
            prop_assert_eq!(&port.text(number), file);
        }
        drop(port.folder);
    }

    /// A renewed plan is that of the files as they are now. A decision goes on to a change of the same line and the same
    /// texts, or to none; where no file has changed, all go on.
    #[test]
    fn decisions_find_their_changes_again(
        (files, rewrite) in request(), decisions in prop::collection::vec(decision(), 1..9),
        edits in prop::collection::vec((0..3usize, 0..14usize, prop::option::of("[a-c7 ]{0,6}")), 0..4),
    ) {
        let port = Port::of(&files, rewrite);
        let Some(mut plan) = port.plan() else { return Ok(()) };
        decide(&mut plan, &decisions);
        let mut now = files.clone();
        for (file, line, put) in edits {
            let Some(text) = now.get_mut(file) else { continue };
            let mut lines: Vec<String> = text.split_inclusive('\n').map(str::to_owned).collect();
            let line = line.min(lines.len());
            match put {
                Some(put) => lines.insert(line, put + "\n"),
                None if line < lines.len() => drop(lines.remove(line)),
                None => {}
            }
            *text = lines.concat();
        }
        let key = |texts: &[String], (file, _, change): &(usize, Decision, ChangeRecord<'static>)| {
            let line = line_of(&texts[*file], change.line.0).to_owned();
            (line, change.before.as_bytes().to_vec(), change.after.as_bytes().to_vec())
        };
        let by_number = |plan: &OpenPlan| {
            let all = changes(plan).into_iter();
            all.map(|(file, decision, change)| (number_of(plan, file), decision, change)).collect::<Vec<_>>()
        };
        let before = by_number(&plan);
        // Files without a change are not in the plan.
        let planned: Vec<usize> = (0..plan.doc.index.files.len()).map(|file| number_of(&plan, file)).collect();
        let mut decided: HashMap<_, Vec<Decision>> = HashMap::new();
        for change in &before {
            decided.entry(key(&files, change)).or_default().push(change.1);
        }
        for (number, text) in now.iter().enumerate() {
            port.write(number, text.as_bytes());
        }
        let Ok(renewed) = plan.renew(true, |_, _, _| ControlFlow::Continue(())) else {
            return Err(TestCaseError::fail("not renewed"));
        };
        for (number, (text, all)) in now.iter().zip(spliced(&now, &plan, |_| true)).enumerate() {
            if !planned.contains(&number) {
                continue;
            }
            prop_assert_eq!(String::from_utf8(rewrite_text(&port.rewrite, text.as_bytes()).text).unwrap(), all);
        }
        let after = by_number(&plan);
        let carried = after.iter().filter(|(_, decision, _)| *decision != Decision::Open);
        prop_assert_eq!(carried.clone().count() as u64, renewed.carried);
        for change in carried {
            let old = decided.get(&key(&now, change));
            prop_assert!(old.is_some_and(|all| all.contains(&change.1)), "{change:?} of {before:?}");
        }
        if now == files {
            let all = |of: &[(usize, Decision, ChangeRecord<'static>)]| of.iter().map(|one| one.1).collect::<Vec<_>>();
            prop_assert_eq!(all(&after), all(&before));
            prop_assert_eq!(renewed.lost, 0);
        }
    }

    /// A plan that is cut into parts, which are merged again in any order, is that plan with its decisions.
    #[test]
    fn a_plan_cut_and_merged_is_the_plan(
        (files, rewrite) in request(), decisions in prop::collection::vec(decision(), 1..9), turn in 0..3usize,
    ) {
        let port = Port::of(&files, rewrite);
        let Some(mut plan) = port.plan() else { return Ok(()) };
        decide(&mut plan, &decisions);
        let mut parts = Vec::new();
        split(&plan.doc, |_, part| {
            parts.push(part);
            Ok(())
        }).unwrap();
        prop_assert_eq!(parts.len(), plan.doc.index.files.len());
        let open = |name: String, bytes: &[u8]| {
            let path = port.folder.path().join(name);
            std::fs::write(&path, bytes).unwrap();
            PlanDoc::open(&path).unwrap()
        };
        let mut docs: Vec<_> = parts.iter().enumerate().map(|(number, part)| open(format!("{number}.plan"), part)).collect();
        docs.rotate_left(turn % parts.len());
        let mut merged = Vec::new();
        merge(&docs, &mut merged).unwrap();
        let merged = OpenPlan::new(open("merged.plan".into(), &merged), &port.host, None);
        prop_assert_eq!(format!("{:?}", changes(&merged)), format!("{:?}", changes(&plan)));
        let mut again = Vec::new();
        split(&merged.doc, |_, part| {
            again.push(part);
            Ok(())
        }).unwrap();
        prop_assert_eq!(again, parts);
        if plan.doc.index.entries.iter().any(|entry| entry.decision == Decision::Accepted) {
            let wanted = spliced(&files, &plan, |decision| decision == Decision::Accepted);
            let mut merged = merged;
            let written = merged.changes().unwrap();
            merged.write(&written, &NOT_STOPPED).unwrap();
            for (number, wanted) in wanted.iter().enumerate() {
                prop_assert_eq!(&port.text(number), wanted);
            }
        }
    }

    /// The lines around a change are those of the file, and those of the change become what the plan says.
    #[test]
    fn excerpts_are_of_the_file(file in text(), rewrite in rewrite(), decisions in prop::collection::vec(decision(), 1..5)) {
        let port = Port::of(std::slice::from_ref(&file), rewrite);
        let Some(mut plan) = port.plan() else { return Ok(()) };
        decide(&mut plan, &decisions);
        let all: Vec<ChangeRecord<'static>> = changes(&plan).into_iter().map(|(.., change)| change).collect();
        let excerpts = Excerpts::new(&plan.doc, 0, &all);
        for (place, change) in all.iter().enumerate() {
            let Some(excerpt) = excerpts.at(&plan.doc.index, place, change) else {
                return Err(TestCaseError::fail("the file has not changed"));
            };
            // What becomes of the lines of other changes is shown as it was decided.
            let is_of = |line: u64, change: &ChangeRecord<'_>| {
                (change.line.0..=change.line.0 + change.before.matches('\n').count() as u64).contains(&line)
            };
            for row in excerpt.before.iter().chain(&excerpt.after).chain(&excerpt.was) {
                let mut others = all.iter().enumerate().filter(|(other, _)| *other != place);
                if let Some(line) = row.line.filter(|line| !others.any(|(_, change)| is_of(*line, change))) {
                    let shown = shown(row);
                    prop_assert_eq!(shown.trim_end_matches(['\r', '\n']), line_of(&file, line));
                }
            }
            prop_assert_eq!(excerpt.was.first().and_then(|row| row.line), Some(change.line.0));
        }
    }
}
