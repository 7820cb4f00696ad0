//! Plans in files: saved, decided about, applied, renewed, compared; and those that are not sound.

use crate::support::{self, Sandbox, said};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;

const SAVE: &str = "preview 'berth (\\d+)' --with 'B-$1' notices --save-plan p.plan --show 0";

fn saved() -> Sandbox {
    let sandbox = Sandbox::larkmoor();
    sandbox.run(SAVE).ok();
    sandbox
}

/// A saved plan is what `--json` prints, and applying it is applying the rewrite.
#[test]
fn a_plan_is_the_preview() {
    let sandbox = saved();
    let json = sandbox
        .run("preview 'berth (\\d+)' --with 'B-$1' notices --json")
        .ok();
    assert_eq!(sandbox.text("p.plan"), json.out);
    said(&sandbox.run(SAVE), "there is already a file");
    sandbox.run("apply --plan p.plan --yes --expect 25").ok();
    let written = sandbox.snapshot();
    sandbox.run("undo --yes").ok();
    sandbox
        .run("apply 'berth (\\d+)' --with 'B-$1' notices --yes")
        .ok();
    assert_eq!(sandbox.snapshot(), written);
}

/// The last preview is applied once, named, and refused when a file has changed since.
#[test]
fn the_last_preview() {
    let sandbox = Sandbox::larkmoor();
    said(&sandbox.run("apply --yes"), "no preview to go on with");
    sandbox
        .run("preview 'berth (\\d+)' --with 'B-$1' notices")
        .ok();
    said(&sandbox.run("apply"), "there is no terminal to ask on");
    let got = sandbox.run("apply --yes").ok();
    said(
        &got,
        "The last preview.\nIn 13 files: every match of `berth (\\d+)` becomes `B-$1`",
    );
    said(&got, "No change has been reviewed: all 25 will be written.");
    assert_eq!(sandbox.run("apply --yes").status, 1);
    sandbox.run("undo --yes").ok();
    sandbox
        .run("preview 'berth (\\d+)' --with 'B-$1' notices")
        .ok();
    sandbox.write("notices/01-dredging.md", "berth 9\n");
    let before = sandbox.snapshot();
    let got = sandbox.run("apply --yes");
    assert_eq!((got.status, sandbox.snapshot()), (3, before));
    said(&got, "`--renew`");
    sandbox.run("apply --yes --renew").ok();
    assert_eq!(sandbox.text("notices/01-dredging.md"), "B-9\n");
    // A preview that does not hold is none to go on with.
    sandbox.run("preview 'pilot' --with 'P' notices").ok();
    sandbox.run("preview 'pilot' --with 'P' notices --expect 0");
    said(&sandbox.run("apply --yes"), "no preview to go on with");
}

/// Decisions by options: what they say, then the counts of accepted, refused, open.
#[test]
fn decided_without_a_screen() {
    for (options, wanted) in [
        ("--accept 1.1,1.2 --refuse 2.1", (2, 1, 22)),
        ("--accept kind:1", (14, 0, 11)),
        ("--accept kind:1..2,1.1", (24, 0, 1)),
        ("--refuse 'file:notices/0*' --accept rest", (9, 16, 0)),
        ("--accept 'file:01*.md&line:6,8' --refuse rest", (3, 22, 0)),
        ("--accept line:1.. --refuse line:6", (18, 7, 0)),
    ] {
        let sandbox = saved();
        let got = sandbox
            .run(&format!("review --plan p.plan --json {options}"))
            .ok();
        let counts = &got.records()[0];
        let number = |name: &str| counts[name].as_u64().unwrap();
        assert_eq!(
            (number("accepted"), number("refused"), number("open")),
            wanted,
            "{options}"
        );
        // Decided again, they are the same; then what is accepted is written.
        let again = sandbox
            .run(&format!("review --plan p.plan --json {options}"))
            .ok();
        assert_eq!(again.out, got.out);
        said(
            &sandbox.run("apply --plan p.plan --yes").ok(),
            &format!("with {} change", wanted.0).replace("with ", "Wrote "),
        );
    }
    let sandbox = saved();
    let plan = sandbox.read("p.plan");
    for (options, part) in [
        ("--accept 9.99", "names no change"),
        ("--accept kind:99", "names no change"),
        ("--accept berth", "`berth` names no changes"),
        ("--accept line:0", "numbering starts at 1"),
        ("--accept kind:last", "`last` has no meaning here"),
        ("--accept 'file:['", "not a glob"),
        ("x --accept 1.1", "a plan cannot be combined with"),
    ] {
        let got = sandbox.run(&format!("review --plan p.plan {options}"));
        assert_ne!(got.status, 0, "{options}");
        said(&got, part);
    }
    assert_eq!(sandbox.read("p.plan"), plan);
}

/// Renewing carries over what still fits, and nothing else.
#[test]
fn renewed() {
    let sandbox = Sandbox::with("a.txt", "berth 1\nberth 2\nberth 3 x\nberth 3 x\nberth 4\n");
    sandbox
        .run("preview 'berth (\\d)' --with 'B-$1' a.txt --save-plan p.plan")
        .ok();
    sandbox
        .run("review --plan p.plan --accept 1.1,1.4 --refuse 1.2,1.3,1.5")
        .ok();
    // A line before, one after, one gone, one with another text around it.
    sandbox.write(
        "a.txt",
        "new berth 9\nberth 1\nberth 3 x\nberth 3 x\nberth 4!\n",
    );
    let got = sandbox.run("apply --plan p.plan --yes");
    assert_eq!(got.status, 3);
    // Unasked, it writes nothing once a decision is lost, as often as it is tried.
    let plan = sandbox.text("p.plan");
    for _ in 0..2 {
        let got = sandbox.run("apply --plan p.plan --yes --renew");
        assert_eq!(got.status, 3, "{got:#?}");
        said(&got, "4 decisions cannot be carried over, and 1 can");
        assert_eq!(sandbox.text("p.plan"), plan);
    }
    let got = sandbox
        .run("apply --plan p.plan --yes --renew --partial")
        .ok();
    said(
        &got,
        "Evaluated again: 1 decision carried over, 4 lost, 4 new changes.",
    );
    assert_eq!(
        sandbox.text("a.txt"),
        "new berth 9\nB-1\nberth 3 x\nberth 3 x\nberth 4!\n"
    );
    let plan = sandbox.text("p.plan");
    assert_eq!(plan.matches("\"record\":\"decision\"").count(), 1, "{plan}");
    assert_eq!(sandbox.snapshot().len(), 2, "nothing is left over");
}

/// A plan in which no decision fits any more writes nothing: silence about new changes is not consent.
#[test]
fn renewed_without_any_decision_left() {
    let sandbox = Sandbox::with("a.txt", "berth 1\nberth 2\n");
    sandbox
        .run("preview 'berth (\\d)' --with 'B-$1' a.txt --save-plan p.plan")
        .ok();
    sandbox.run("review --plan p.plan --refuse 1.1").ok();
    sandbox.write("a.txt", "berth 1!\nberth 2\n");
    for _ in 0..2 {
        let got = sandbox.run("apply --plan p.plan --yes --renew --partial");
        assert_eq!(got.status, 1, "{got:#?}");
        said(&got, "There is nothing to write.");
        assert_eq!(sandbox.text("a.txt"), "berth 1!\nberth 2\n");
    }
    assert!(sandbox.text("p.plan").contains("{\"record\":\"judged\"}"));
}

/// Whatever happens to a file, renewing applies a decision only to a change in a line that was
/// decided about, and accepted.
#[test]
fn renewing_applies_no_decision_elsewhere() {
    let lines = [
        "berth 1",
        "berth 2 x",
        "quay",
        "berth 1 y",
        "berth 3 berth 4",
    ];
    let mut seed = 7u64;
    let mut below = move |most: u64| {
        seed = seed * 48_271 % 0x7FFF_FFFF;
        (seed % most) as usize
    };
    for _ in 0..12 {
        let old: Vec<&str> = (0..6).map(|_| lines[below(5)]).chain(["berth 9"]).collect();
        let sandbox = Sandbox::with("a.txt", old.join("\n"));
        sandbox
            .run("preview 'berth (\\d)' --with 'B-$1' a.txt --save-plan p.plan")
            .ok();
        let chosen: Vec<bool> = old.iter().map(|_| below(2) == 0).collect();
        let spec = |yes: bool| {
            let numbers = (1..)
                .zip(&old)
                .zip(&chosen)
                .filter(|((_, line), c)| **c == yes && line.contains("berth"));
            let numbers: Vec<String> = numbers
                .map(|((n, _), _): ((u64, _), _)| n.to_string())
                .collect();
            numbers.join(",")
        };
        for (option, yes) in [("--accept", true), ("--refuse", false)] {
            if !spec(yes).is_empty() {
                sandbox
                    .run(&format!("review --plan p.plan {option} line:{}", spec(yes)))
                    .ok();
            }
        }
        let mut new: Vec<String> = old.iter().map(|line| (*line).to_owned()).collect();
        for _ in 0..3 {
            let at = below(new.len() as u64);
            match below(4) {
                0 => drop(new.remove(at)),
                1 => new.insert(at, lines[below(5)].to_owned()),
                2 => new[at].push('!'),
                _ => new.swap(0, at),
            }
        }
        new.push("quay".into());
        sandbox.write("a.txt", new.join("\n"));
        let got = sandbox.run("apply --plan p.plan --yes --renew --partial");
        assert!(got.status <= 1, "{got:#?}");
        for (was, now) in new.iter().zip(sandbox.text("a.txt").lines()) {
            let decided = || old.iter().zip(&chosen).filter(|(line, _)| *line == was);
            if was != now {
                assert!(
                    decided().count() > 0 && decided().all(|(_, accepted)| *accepted),
                    "{was}: {old:?} {chosen:?} {new:?}"
                );
            }
        }
    }
}

/// Plans that are not sound: how they differ from a sound one, and what is said. None of them
/// writes anything.
#[test]
fn hostile_plans() {
    let base = Sandbox::with("a.txt", "berth 1\nberth 2\n");
    base.write("sub/b.txt", "berth 3\n");
    base.run("preview 'berth (\\d)' --with 'B-$1' a.txt sub --save-plan p.plan")
        .ok();
    let plan = base.text("p.plan");
    let replace = |from: &str, to: &str| plan.replacen(from, to, 1);
    let lines: Vec<&str> = plan.lines().collect();
    let change = lines
        .iter()
        .find(|line| line.contains("\"change\""))
        .unwrap();
    let cases = [
        (String::new(), "it is empty"),
        ("{}\n".into(), "line 1: this is not a record of a plan"),
        ("berth\n".into(), "line 1: this is not a record of a plan"),
        (
            lines[1..].join("\n") + "\n",
            "a plan begins with a `plan` record",
        ),
        (
            replace("\"format\":1", "\"format\":2"),
            "format 2, and this program reads 1",
        ),
        (
            replace("\"record\":\"totals\"", "\"record\":\"plan\",\"format\":1"),
            "a second `plan` record",
        ),
        (
            plan.replace("\"path\":\"sub/b.txt\"", "\"path\":\"../b.txt\""),
            "`../b.txt` leads out",
        ),
        (
            plan.replace("\"path\":\"sub/b.txt\"", "\"path\":\"/etc/motd\""),
            "`/etc/motd` leads out",
        ),
        (
            plan.replace("\"path\":\"sub/b.txt\"", "\"path\":\"link/b.txt\""),
            "`link/b.txt` leads out",
        ),
        (
            plan.replace("\"path\":\"sub/b.txt\"", "\"path\":\"a.txt\""),
            "a second record of the same file",
        ),
        (
            plan.replace("\"id\":\"1.2\"", "\"id\":\"1.1\""),
            "the id is `1.1`, and `1.2` comes next",
        ),
        (
            replace("\"from\":8,\"to\":15", "\"from\":3,\"to\":10"),
            "overlap with the change before",
        ),
        (
            replace("\"from\":8,\"to\":15", "\"from\":90,\"to\":97"),
            "lie beyond the file",
        ),
        (
            replace("\"before\":\"berth 1\"", "\"before\":\"berth\""),
            "the old text has 5 bytes, and the range 7",
        ),
        (
            replace("\"before\":\"berth 1\"", "\"before\":\"quay  1\""),
            "changed since",
        ),
        (
            replace("\"hash\":\"", "\"hash\":\"x"),
            "`hash` is missing or invalid",
        ),
        (
            replace("\"decision\":\"open\"", "\"decision\":\"accepted\""),
            "`decision` is missing or invalid",
        ),
        (
            format!("{plan}{{\"record\":\"decision\",\"id\":\"7.7\",\"decision\":\"accepted\"}}\n"),
            "there is no change `7.7`",
        ),
        (
            format!("{plan}{{\"record\":\"decision\",\"id\":\"1.1\",\"decision\":\"modified\"}}\n"),
            "`after` is missing or invalid",
        ),
        (format!("{plan}{change}\n"), "belongs to no file before it"),
        (
            replace(
                "\"after\":\"B-1\"",
                "\"after\":\"B-1\",\"after_b64\":\"!!\"",
            ),
            "`after_b64` is missing or invalid",
        ),
        (
            format!("{}{}\n", lines[0], "[".repeat(5000)),
            "not a record of a plan",
        ),
        (
            lines[..lines.len() - 1].join("\n") + "\n",
            "was cut off; 3 changes of it can be read",
        ),
        (plan[..plan.len() - 40].to_owned(), "was cut off"),
    ];
    std::os::unix::fs::symlink(base.state(), base.file("link")).unwrap();
    let files = |sandbox: &Sandbox| (sandbox.text("a.txt"), sandbox.text("sub/b.txt"));
    let before = files(&base);
    for (text, part) in cases {
        base.write("p.plan", &text);
        // What was cut off is refused unless `--partial` says otherwise; the others always are.
        let cut = part.contains("cut off");
        let got = match cut {
            true => base.run("review --plan p.plan --accept rest"),
            false => base.run("apply --plan p.plan --yes"),
        };
        assert_eq!(
            (got.status, files(&base)),
            (3, before.clone()),
            "{part}: {got:#?}"
        );
        said(&got, part);
    }
    // With control codes in its text it is shown all the same, but as signs.
    base.write("p.plan", plan.replace("B-1", "\\u001b[2J"));
    said(
        &base.run("review --plan p.plan --accept kind:1").ok(),
        "accepted",
    );
    base.write("p.plan", lines[..lines.len() - 1].join("\n") + "\n");
    base.run("apply --plan p.plan --partial --yes").ok();
    assert_eq!(files(&base), ("B-1\nB-2\n".into(), "B-3\n".into()));
}

/// A plan for another folder.
#[test]
fn another_root() {
    let sandbox = Sandbox::with("port/a.txt", "berth 1\n");
    let mut command = sandbox.command();
    command.current_dir(sandbox.file("port"));
    command.args([
        "preview",
        "berth",
        "--with",
        "B",
        "a.txt",
        "--save-plan",
        "../p.plan",
    ]);
    assert_eq!(support::finish(&mut command).status, 0);
    assert_eq!(sandbox.run("apply --plan p.plan --yes").status, 3);
    sandbox.run("apply --plan p.plan --root port --yes").ok();
    assert_eq!(sandbox.text("port/a.txt"), "B 1\n");
}

#[test]
fn kinds_and_differences() {
    let sandbox = Sandbox::larkmoor();
    let got = sandbox
        .run("preview '[Bb]erth (\\d)' --with 'B-$1' notices --kinds")
        .ok();
    said(&got, "  kind   count   was       now   first");
    said(
        &got,
        "     1      14   berth 7   B-7   notices/01-dredging.md, line 6\n",
    );
    said(&got, "10 within a word: ");
    said(&got, "5 kinds in 44 changes.");
    let got = sandbox
        .run("preview 'berth (\\d+)' -i --with 'B-$1' notices --against last")
        .ok();
    said(
        &got,
        "   5  was   From 1630 to 03:30 hours the approach to ‹Berth 12› is closed.  Vessels bound for\n      \
         last  From 1630 to 03:30 hours the approach to ‹B-1›2 is closed.  Vessels bound for\n      \
         this  From 1630 to 03:30 hours the approach to ‹B-12› is closed.  Vessels bound for\n",
    );
    said(&got, "‹BERTH 9›");
    let number = |name: &str| got.count(name).unwrap();
    assert_eq!(
        (
            number("the same"),
            number("only last time"),
            number("different")
        ),
        (26, 0, 18)
    );
    sandbox.write("notices/01-dredging.md", "berth 7\n");
    let got = sandbox
        .run("preview 'berth (\\d+)' -i --with 'B-$1' notices --against last")
        .ok();
    said(
        &got,
        "note: notices/01-dredging.md has changed since, and is not compared",
    );
    said(
        &sandbox.run("preview x --with y notices --against nowhere.plan"),
        "does not exist",
    );
}

/// Every record of real plans fits the schema of the reference.
#[test]
fn records_fit_the_schema() {
    let schema = std::fs::read(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../../docs/plan.schema.json"
    ));
    let schema: serde_json::Value = serde_json::from_slice(&schema.unwrap()).unwrap();
    let schema = jsonschema::validator_for(&schema).unwrap();
    let sandbox = saved();
    sandbox
        .run("review --plan p.plan --accept 1.1 --refuse kind:2")
        .ok();
    sandbox.write("odd.txt", b"berth 7 \xE9 berth 8\r\nStart berth 9\n");
    let mut records: Vec<String> = sandbox.text("p.plan").lines().map(str::to_owned).collect();
    // Names that a terminal would show otherwise, and one that is not UTF-8.
    let stray = OsStr::from_bytes(b"odd\xE9.txt").to_owned();
    for name in ["a\tb.txt".into(), "\u{FFFD}.txt".into(), stray] {
        let text = "Start berth 9\nberth 1,000\n{\"x\":1}\n";
        std::fs::write(sandbox.path().join(name), text).unwrap();
    }
    for request in [
        "'(\\d,\\d+)|berth' --with '${1 | add 1}' . --include '*dd*.txt' --include '?.txt' --include 'a*.txt' --between Start x --ensure zzz",
        "'(?<n>berth)|(x)' --with '$n' odd.txt --then e --with f --pick 1 --limit 1",
        "'\\d' --with '${0 | date %d %F}' odd.txt berths.csv --columns 1 --format spaced",
        "'(berth) 7' --with '$10' odd.txt --between Start zzz",
        "berth --with pier odd.txt --ensure zzz",
        "Old --with New --columns name,status berths.csv",
    ] {
        let got = sandbox.run(&format!("preview {request} --json"));
        records.extend(got.out.lines().map(str::to_owned));
    }
    let piped = "preview '\\d,\\d+' --with '${0 | add 1}' --json --between 1 2";
    let got = sandbox.pipe("1,000\n", piped);
    records.extend(got.out.lines().map(str::to_owned));
    let mut kinds = std::collections::BTreeSet::new();
    let names: Vec<String> = (sandbox.snapshot().iter())
        .map(|(name, _)| name.to_string_lossy().into_owned())
        .collect();
    for record in &records {
        let value: serde_json::Value = serde_json::from_str(record).unwrap();
        assert!(schema.is_valid(&value), "{record}");
        if let Some(path) = value["path"].as_str() {
            assert!(
                path == "-" || names.iter().any(|name| name == path),
                "{record}"
            );
            assert_eq!(
                value.get("path_b64").is_some(),
                path.contains('\u{FFFD}'),
                "{record}"
            );
        }
        if value["matches"].is_u64() {
            for counts in value["per_step"].as_array().unwrap().iter().chain([&value]) {
                let count = |name: &str| counts[name].as_u64().unwrap();
                let sum = count("changed") + count("unchanged") + count("failed");
                assert_eq!(count("matches"), sum, "{record}");
            }
        }
        kinds.insert(value["record"].as_str().unwrap().to_owned());
    }
    let kinds: Vec<&str> = kinds.iter().map(String::as_str).collect();
    assert_eq!(
        kinds,
        [
            "change", "decision", "file", "hint", "note", "plan", "problem", "totals", "unit",
            "unmet"
        ]
    );
    for wrong in [
        "{}",
        "{\"record\":\"plan\",\"format\":2,\"rewrite\":{}}",
        "{\"record\":\"decision\",\"id\":\"1\",\"decision\":\"open\"}",
        "{\"record\":\"note\",\"path\":\"\u{FFFD}\",\"line\":1,\"message\":\"x\"}",
    ] {
        assert!(
            !schema.is_valid(&serde_json::from_str(wrong).unwrap()),
            "{wrong}"
        );
    }
}

/// Guards against a preview are guards against its plan.
#[test]
fn guards_hold_for_plans_too() {
    let sandbox = Sandbox::larkmoor();
    for guard in ["--expect 3", "--ensure zzz"] {
        let got = sandbox.run(&format!("{SAVE} {guard}"));
        assert_eq!(got.status, 1, "{guard}");
        said(&got, "the plan has not been saved");
        assert!(!sandbox.file("p.plan").exists());
    }
    // A problem is reported when the plan is made, and refuses it later.
    sandbox.write("days.txt", "2026-02-29\n2026-03-01\n");
    let days = "preview '\\S+' --with '${0 | date %F %d.%m.%Y}' days.txt --save-plan p.plan";
    assert_eq!(sandbox.run(days).status, 3);
    let got = sandbox.run("apply --plan p.plan --yes");
    assert_eq!(got.status, 3);
    said(&got, "left 1 problem aside when it was made");
    sandbox
        .run("apply --plan p.plan --yes --skip-problems")
        .ok();
    assert_eq!(sandbox.text("days.txt"), "2026-02-29\n01.03.2026\n");
    said(
        &sandbox.run("apply --plan p.plan --yes --expect 7"),
        "left 1 problem aside",
    );
    sandbox.run("undo --yes").ok();
    let got = sandbox.run("apply --plan p.plan --yes --skip-problems --expect 7");
    assert_eq!(got.status, 1);
    said(
        &got,
        "7 changes were expected, and there is 1".trim_end_matches(" is 1"),
    );
}

/// A plan holds what was shown: of a rewrite that was stopped early its first steps alone, and
/// tables wherever the rewrite file lies.
#[test]
fn plans_of_rewrite_files() {
    let sandbox = Sandbox::larkmoor();
    let save = "preview --rewrite rewrites/scanned-log.toml gauge.log --through 1 --save-plan p.plan --show 0";
    let first = sandbox.run(save).ok().count("changes").unwrap();
    sandbox.write("gauge.log", format!("{}\n", sandbox.text("gauge.log")));
    let got = sandbox
        .run("apply --plan p.plan --yes --renew --partial")
        .ok();
    said(&got, &format!("Wrote {first} changes in 1 file"));
    sandbox.run("undo --yes").ok();
    sandbox
        .run("preview --rewrite rewrites/gauge-places.toml gauge.log --save-plan q.plan --show 0")
        .ok();
    sandbox.write("gauge.log", format!("\n{}", sandbox.text("gauge.log")));
    said(
        &sandbox
            .run("review --plan q.plan --accept rest --renew")
            .ok(),
        "Evaluated again: 0 decisions",
    );
    sandbox.run("apply --plan q.plan --yes").ok();
    // Elsewhere, and back into a table.
    sandbox
        .run("preview Old --with New --columns name berths.csv --save-plan r.plan")
        .ok();
    sandbox.run("review --plan r.plan --accept 1.1").ok();
    sandbox.run("apply --plan r.plan --to new.csv").ok();
    let (old, new) = (sandbox.text("berths.csv"), sandbox.text("new.csv"));
    assert_eq!(new, old.replacen("Old Quay", "New Quay", 1));
}

/// Plans of several machines are one plan, and a plan cut into parts writes what it would write as a whole.
#[test]
fn plans_of_several_machines() {
    let change = r"preview 'berth (\d+)' -i --with 'B-$1' notices --no-hints --show 0";
    let sandbox = Sandbox::larkmoor();
    for (name, files) in [
        ("all", ""),
        ("low", "--include '0*'"),
        ("high", "--exclude '0*'"),
    ] {
        sandbox
            .run(&format!("{change} {files} --save-plan {name}.plan"))
            .ok();
    }
    let got = sandbox
        .run("merge-plans high.plan low.plan --save-plan merged.plan")
        .ok();
    said(
        &got,
        "55 changes in 15 files, of 2 plans, saved in merged.plan.",
    );
    assert_eq!(sandbox.text("merged.plan"), sandbox.text("all.plan"));
    // Decisions come along, under the numbers that their changes have now.
    sandbox
        .run("review --plan high.plan --accept 1.1 --refuse file:notices/12*")
        .ok();
    sandbox.run("review --plan low.plan --accept 2.1,3.1").ok();
    sandbox
        .run("merge-plans low.plan high.plan --save-plan decided.plan")
        .ok();
    sandbox.run("split-plan decided.plan --to parts").ok();
    let whole = Sandbox::larkmoor();
    whole.write("decided.plan", sandbox.text("decided.plan"));
    whole.run("apply --plan decided.plan --yes").ok();
    let mut parts: Vec<_> = std::fs::read_dir(sandbox.path().join("parts"))
        .unwrap()
        .map(|part| part.unwrap().file_name().into_string().unwrap())
        .collect();
    parts.sort();
    assert_eq!((parts.len(), &parts[0][..]), (15, "01.plan"));
    let mut written = 0;
    for part in parts {
        let got = sandbox.run(&format!("apply --plan parts/{part} --yes"));
        // A part in which nothing is accepted has nothing to write.
        assert!(got.status < 2, "{got:#?}");
        written += u64::from(got.status == 0);
    }
    assert_eq!(written, 3);
    for entry in std::fs::read_dir(sandbox.path().join("notices")).unwrap() {
        let name = format!(
            "notices/{}",
            entry.unwrap().file_name().into_string().unwrap()
        );
        assert_eq!(sandbox.read(&name), whole.read(&name), "{name}");
    }
    sandbox
        .run("preview quay --with pier notices --save-plan other.plan")
        .ok();
    let cut = sandbox.text("low.plan");
    sandbox.write("cut.plan", &cut[..cut.len() / 2]);
    for (words, wanted) in [
        (
            "merge-plans low.plan other.plan --save-plan x.plan",
            "a plan of another rewrite",
        ),
        (
            "merge-plans low.plan all.plan --save-plan x.plan",
            "01-dredging.md is in low.plan and in all.plan",
        ),
        (
            "merge-plans cut.plan high.plan --save-plan x.plan",
            "cut.plan was cut off",
        ),
        (
            "merge-plans low.plan high.plan --save-plan all.plan",
            "there is already a file: all.plan",
        ),
        ("split-plan cut.plan --to new", "cut.plan was cut off"),
        (
            "split-plan low.plan --to parts",
            "there is already a file: parts",
        ),
    ] {
        let got = sandbox.run(words);
        assert!(
            got.status > 1 && got.err.contains(wanted),
            "{words}: {got:#?}"
        );
        assert!(!sandbox.path().join("x.plan").exists(), "{words}");
    }
}
