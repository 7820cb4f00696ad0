//! Decisions: they go to the plan that is judged, fit it, and are overruled by nothing in silence.

use crate::support::Sandbox;
use crate::support::term::Term;
use serde_json::{Value, json};
use std::fs;
use std::os::unix::fs::symlink;
use std::path::PathBuf;

const REVIEW: &[&str] = &["review", r"berth (\d+)", "-i", "--with", "B-$1", "notices"];

/// The file that keeps the decisions that could not be appended, from what was said.
fn kept_in(said: &str) -> String {
    let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
    let (_, rest) = said.split_once("kept in ").expect(&said);
    rest.split(". Make").next().unwrap().replace(' ', "")
}

/// Another preview takes the place of the last one while that is reviewed: decisions do not land
/// in it, and are kept.
#[test]
fn another_preview_while_one_is_reviewed() {
    let sandbox = Sandbox::larkmoor();
    let mut term = Term::new(&sandbox, 230, 30, REVIEW);
    term.wait(&["change 1.1"]);
    term.press("ar", &["change 1.3"]);
    sandbox.run("preview pilot --with P notices").ok();
    term.press(
        "a",
        &["was replaced, removed or changed by another program"],
    );
    let (status, said) = term.end();
    assert_eq!(status, 3, "{said}");
    let other = sandbox.run("review --refuse rest --json").ok().records()[0].clone();
    assert_eq!((&other["accepted"], &other["open"]), (&json!(0), &json!(0)));
    // The same preview again takes them.
    let kept = kept_in(&said);
    sandbox
        .run("preview 'berth (\\d+)' -i --with 'B-$1' notices")
        .ok();
    let got = sandbox
        .run(&format!("review --decisions {kept} --json"))
        .ok();
    let counts = &got.records()[0];
    assert_eq!(
        (&counts["accepted"], &counts["refused"]),
        (&json!(2), &json!(1))
    );
}

/// Whatever comes to have the name of a plan is not written to.
#[test]
fn another_file_in_the_place_of_a_plan() {
    type Deed = fn(&Sandbox);
    let deeds: [(&str, Deed); 5] = [
        ("renamed", |sandbox| {
            fs::rename(sandbox.file("other"), sandbox.file("p.plan")).unwrap();
        }),
        ("overwritten", |sandbox| {
            sandbox.write("p.plan", sandbox.read("other"));
        }),
        ("a link", |sandbox| {
            fs::remove_file(sandbox.file("p.plan")).unwrap();
            symlink(sandbox.file("other"), sandbox.file("p.plan")).unwrap();
        }),
        ("a pipe", |sandbox| {
            fs::remove_file(sandbox.file("p.plan")).unwrap();
            let made = std::process::Command::new("mkfifo")
                .arg(sandbox.file("p.plan"))
                .status();
            assert!(made.unwrap().success());
        }),
        ("removed", |sandbox| {
            fs::remove_file(sandbox.file("p.plan")).unwrap();
        }),
    ];
    for (name, deed) in deeds {
        let sandbox = Sandbox::larkmoor();
        sandbox
            .run("preview 'berth (\\d+)' -i --with 'B-$1' notices --save-plan p.plan")
            .ok();
        sandbox
            .run("preview pilot --with P notices --save-plan other")
            .ok();
        let other = sandbox.read("other");
        let mut term = Term::new(&sandbox, 230, 30, &["review", "--plan", "p.plan"]);
        term.wait(&["change 1.1"]);
        term.press("a", &["change 1.2"]);
        deed(&sandbox);
        term.press(
            "r",
            &["was replaced, removed or changed by another program"],
        );
        let (status, said) = term.end();
        assert_eq!(status, 3, "{name}: {said}");
        let kept = fs::read_to_string(kept_in(&said)).unwrap();
        assert_eq!(kept.lines().count(), 2, "{name}: {kept}");
        for path in ["other", "p.plan"].map(|name| sandbox.file(name)) {
            if path.is_file() {
                assert!(fs::read(&path).unwrap() == other, "{name}");
            }
        }
    }
}

/// Two reviews of one plan: each decision is kept, and neither writes what the other refused.
#[test]
fn two_reviews_of_one_plan() {
    let sandbox = Sandbox::larkmoor();
    sandbox
        .run("preview 'berth (\\d+)' -i --with 'B-$1' notices --save-plan p.plan")
        .ok();
    let mut term = Term::new(&sandbox, 150, 30, &["review", "--plan", "p.plan"]);
    term.wait(&["change 1.1"]);
    sandbox.run("review --plan p.plan --refuse 1.2").ok();
    term.press("a", &["1 accepted"]);
    term.press(
        "q1y",
        &["another user has decided about the plan p.plan meanwhile"],
    );
    assert_eq!(term.end().0, 3);
    let counts = sandbox
        .run("review --plan p.plan --accept 1.3 --json")
        .ok()
        .records()[0]
        .clone();
    assert_eq!(
        (&counts["accepted"], &counts["refused"]),
        (&json!(2), &json!(1))
    );
}

/// The plan, its hash, and a decision about a change of it.
fn planned() -> (Sandbox, String) {
    let sandbox = Sandbox::with("a.txt", "berth 1, berth 2, berth 3\nquay\n");
    sandbox
        .run("preview 'berth (\\d)' --with 'B-$1' a.txt --save-plan p.plan --report p.html")
        .ok();
    let page = sandbox.text("p.html");
    let hash = page.split_once("data-plan=\"").unwrap().1[..64].to_owned();
    (sandbox, hash)
}

/// A decision that widens its change over another, or over an end of the file, or beside text that
/// is not there, is refused with its change named, in a plan and when it is taken in.
#[test]
fn decisions_that_do_not_fit() {
    let cases = [
        ("into the next", "1.1", 0, "berth 1, berth 2"),
        ("into the one before", "1.2", 9, "berth 1, berth 2"),
        ("before the file", "1.1", 3, "xxxberth 1"),
        ("behind the file", "1.3", 0, "berth 3\nquay\nmore"),
        ("other text", "1.1", 0, "berth 1; "),
        ("not its own text", "1.1", 0, "quay 1"),
        ("far", "1.1", u64::MAX, "berth 1"),
    ];
    for (name, id, left, before) in cases {
        for is_in_plan in [true, false] {
            let (sandbox, hash) = planned();
            let mut record = json!({"record": "decision", "id": id, "decision": "modified",
                "after": "X", "before": before, "left": left});
            let line = if is_in_plan {
                sandbox.write(
                    "p.plan",
                    sandbox.text("p.plan") + &record.to_string() + "\n",
                );
                "review --plan p.plan --accept 1.1"
            } else {
                record["plan"] = json!(hash);
                sandbox.write("d.jsonl", record.to_string() + "\n");
                "review --plan p.plan --decisions d.jsonl"
            };
            let plan = sandbox.read("p.plan");
            for line in [
                line,
                "review --plan p.plan --report again.html",
                "apply --plan p.plan --yes",
            ] {
                let is_about = is_in_plan || line.contains("--decisions");
                if !is_about {
                    continue;
                }
                let got = sandbox.run(line);
                assert_eq!(got.status, 3, "{name}, {line}: {got:#?}");
                let named = format!("the decision about change `{id}` ");
                assert!(got.err.contains(&named), "{name}, {line}: {}", got.err);
            }
            assert!(sandbox.read("p.plan") == plan, "{name}");
            assert_eq!(
                sandbox.text("a.txt"),
                "berth 1, berth 2, berth 3\nquay\n",
                "{name}"
            );
        }
    }
    // One that fits is written.
    let (sandbox, _) = planned();
    let record = json!({"record": "decision", "id": "1.2", "decision": "modified",
        "after": "; B-2", "before": ", berth 2", "left": 2});
    sandbox.write(
        "p.plan",
        sandbox.text("p.plan") + &record.to_string() + "\n",
    );
    sandbox.run("apply --plan p.plan --yes").ok();
    assert_eq!(sandbox.text("a.txt"), "berth 1; B-2, berth 3\nquay\n");
}

/// A request is looked at as a whole before anything of it is saved.
/// A column is added to all rows or to none; of a column that is there, and of members of objects, each change is for itself.
#[test]
fn a_column_comes_whole() {
    let sandbox = Sandbox::new();
    let table = "id,berth\n1,berth 4\n2,quay\n";
    let objects = "{\"berth\":\"berth 4\"}\n{\"berth\":\"berth 7\"}\n";
    for (name, text, adds, written) in [
        ("t.csv", table, "--into place", None),
        (
            "t.csv",
            table,
            "--into id",
            Some("id,berth\nB-4,berth 4\n2,quay\n"),
        ),
        (
            "t.csv",
            table,
            "--into place --ragged",
            Some("id,berth,place\n1,berth 4\n2,quay\n"),
        ),
        (
            "t.jsonl",
            objects,
            "--into place",
            Some("{\"berth\":\"berth 4\", \"place\": \"B-4\"}\n{\"berth\":\"berth 7\"}\n"),
        ),
    ] {
        sandbox.write(name, text);
        sandbox
            .run(&format!(
                "preview 'berth (\\d)' --with 'B-$1' --columns berth {adds} {name}"
            ))
            .ok();
        sandbox.run("review --accept 1.1").ok();
        let got = sandbox.run("apply --yes");
        match written {
            Some(written) => assert_eq!((got.status, &*sandbox.text(name)), (0, written), "{adds}"),
            None => {
                assert_eq!((got.status, &*sandbox.text(name)), (3, text), "{}", got.err);
                assert!(
                    got.err
                        .contains("1 of the 3 changes that add a column to t.csv"),
                    "{}",
                    got.err
                );
                sandbox.run("review --accept file:t.csv").ok();
                sandbox.run("apply --yes").ok();
                assert_eq!(
                    sandbox.text(name),
                    "id,berth,place\n1,berth 4,B-4\n2,quay,quay\n"
                );
            }
        }
    }
}

#[test]
fn a_wrong_request_saves_nothing() {
    let (sandbox, hash) = planned();
    let record = json!({"record": "decision", "id": "1.1", "decision": "refused", "plan": hash});
    sandbox.write("d.jsonl", record.to_string() + "\n");
    let plan = sandbox.read("p.plan");
    for line in [
        "review --plan p.plan --decisions d.jsonl --accept 9.9",
        "review --plan p.plan --decisions d.jsonl --accept kind:9",
        "review --plan p.plan --accept 1.1 --refuse 'file:*.md'",
        "review --plan p.plan --accept 01.1",
        "review --plan p.plan --accept +1.1",
    ] {
        let got = sandbox.run(line);
        assert_eq!(got.status, 2, "{line}: {got:#?}");
        assert!(sandbox.read("p.plan") == plan, "{line}");
    }
    // Lists of numbers, ids and conditions stand side by side.
    for (spec, accepted) in [
        ("kind:1,1.2&line:1", 2),
        ("line:1&kind:1..2", 2),
        ("1.1,1.3", 2),
    ] {
        let (sandbox, _) = planned();
        let got = sandbox
            .run(&format!("review --plan p.plan --accept '{spec}' --json"))
            .ok();
        assert_eq!(got.records()[0]["accepted"], json!(accepted), "{spec}");
    }
    // Records of another kind are neither new nor known.
    sandbox.write("d.jsonl", format!("{{\"record\":\"remark\"}}\n{record}\n"));
    let got = sandbox.run("review --plan p.plan --decisions d.jsonl").ok();
    assert!(
        got.err.contains("d.jsonl: 1 decision taken in.\n"),
        "{}",
        got.err
    );
}

/// A renewal goes by the encoding of each file, and one that loses a decision writes nothing unasked.
#[test]
fn renewals_of_files_in_several_encodings() {
    let name = |bytes: &[u8]| -> PathBuf {
        use std::os::unix::ffi::OsStrExt;
        std::ffi::OsStr::from_bytes(bytes).into()
    };
    for place in [name(b"p.plan"), name(b"p\xff.plan")] {
        let sandbox = Sandbox::new();
        sandbox.write("a.txt", b"caf\xe9 quay 1\n");
        sandbox.write("b.txt", "\u{feff}café quay 2\n");
        let with = |args: &[&str]| {
            let mut command = sandbox.command();
            command.args(args).arg("--plan").arg(&place);
            crate::support::finish(&mut command)
        };
        let mut command = sandbox.command();
        command.args(["preview", "é quay", "--with", "é Q", "a.txt", "b.txt"]);
        command
            .args(["--encoding", "latin1", "--save-plan"])
            .arg(&place);
        assert_eq!(crate::support::finish(&mut command).status, 0);
        assert_eq!(with(&["review", "--accept", "1.1"]).status, 0);
        let got = with(&["apply", "--renew", "--yes"]);
        assert_eq!(got.status, 0, "{got:#?}");
        assert!(
            got.out
                .contains("1 decision carried over, 0 lost, 0 new changes"),
            "{}",
            got.out
        );
        assert_eq!(sandbox.read("a.txt"), b"caf\xe9 Q 1\n");
        assert_eq!(sandbox.text("b.txt"), "\u{feff}café quay 2\n");
    }
    let sandbox = Sandbox::with("a.txt", "quay 1\nquay 2\n");
    sandbox
        .run("preview quay --with Q a.txt --save-plan p.plan")
        .ok();
    sandbox.run("review --plan p.plan --accept 1.1,1.2").ok();
    sandbox.write("a.txt", "quay 1 east\nquay 2\n");
    let got = sandbox.run("apply --plan p.plan --renew --yes");
    assert!(
        got.err
            .contains("1 decision cannot be carried over, and 1 can"),
        "{got:#?}"
    );
    assert_eq!(
        (got.status, sandbox.text("a.txt")),
        (3, "quay 1 east\nquay 2\n".into())
    );
    sandbox
        .run("apply --plan p.plan --renew --yes --partial")
        .ok();
    assert_eq!(sandbox.text("a.txt"), "quay 1 east\nQ 2\n");
}

/// Thousands of ids and options take no longer than they must; the counts say that all count.
#[test]
fn many_decisions_at_once() {
    let sandbox = Sandbox::with("a.txt", "quay\n".repeat(8000));
    sandbox
        .run("preview quay --with Q a.txt --save-plan p.plan --show 0")
        .ok();
    let ids: Vec<String> = (1..=8000).map(|n| format!("1.{n}")).collect();
    let got = sandbox
        .args(&[
            "review",
            "--plan",
            "p.plan",
            "--json",
            "--accept",
            &ids.join(","),
        ])
        .ok();
    assert_eq!(got.records()[0]["accepted"], json!(8000));
    let mut args = vec!["review", "--plan", "p.plan", "--json"];
    args.extend(ids.iter().take(2000).flat_map(|id| ["--refuse", id]));
    let counts: Value = sandbox.args(&args).ok().records()[0].clone();
    assert_eq!(
        (&counts["accepted"], &counts["refused"]),
        (&json!(6000), &json!(2000))
    );
}

/// A terminal that closes ends a review and a draft in order: what was decided and typed is there
/// the next time.
#[test]
fn a_terminal_that_closes() {
    for (verb, keys, shown) in [
        ("review", "a", "change 1.2"),
        ("draft", "xy", "berth (\\d+)xy"),
    ] {
        let sandbox = Sandbox::larkmoor();
        let bquill = env!("CARGO_BIN_EXE_bquill");
        // The outer program holds the terminal, and is killed with it.
        let inner = format!(
            "trap : HUP; {bquill} {verb} 'berth (\\d+)' -i --with 'B-$1' notices; echo $? > ended"
        );
        let args = ["-qfc", &*inner, "/dev/null"];
        let mut term = Term::running(&sandbox, 150, 30, "script", &args);
        term.wait(&["berth"]);
        term.press(if verb == "draft" { "\x1b[F" } else { "" }, &["berth"]);
        term.press(keys, &[shown]);
        std::thread::sleep(std::time::Duration::from_millis(300));
        term.killed_at_once();
        for _ in 0..400 {
            if sandbox.file("ended").exists() && !sandbox.read("ended").is_empty() {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
        // By the signal that said so, and not by one of its own.
        assert_eq!(sandbox.text("ended").trim(), "129", "{verb}");
        match verb {
            "review" => {
                let got = sandbox.run("review --refuse 1.2 --json").ok();
                assert_eq!(got.records()[0]["accepted"], json!(1));
            }
            _ => {
                let mut again = Term::new(&sandbox, 150, 30, &["draft"]);
                again.wait(&[shown]);
                again.killed();
            }
        }
    }
}
