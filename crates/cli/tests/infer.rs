//! Rewrites inferred from examples, with the built program.

use crate::support::Sandbox;
use crate::support::term::Term;

/// A job as its user does it: some lines changed by hand in a copy, one question answered, then written, and reverted.
#[test]
fn from_a_copy_edited_by_hand() {
    let sandbox = Sandbox::larkmoor();
    let log = sandbox.text("gauge.log");
    let mut edited: Vec<String> = log.lines().map(str::to_owned).collect();
    for line in [1, 7, 10] {
        let time = edited[line][11..15].to_owned();
        edited[line].replace_range(11..15, &format!("{}:{}", &time[..2], &time[2..]));
    }
    sandbox.write("edited.log", edited.join("\n") + "\n");
    let mut term = Term::new(
        &sandbox,
        150,
        44,
        &["infer", "--edited", "edited.log", "gauge.log", "--ask"],
    );
    let asked = term.wait(&[
        "What becomes of this one?",
        "it stays as it is",
        "q  enough",
        "> ",
    ]);
    // An answer that is none is asked for again.
    term.press("zzz\r", &["Answer with one of the letters"]);
    assert!(asked.contains("a  2026-06-"), "{asked}");
    term.press(
        "a\r",
        &[
            "which is like the examples. Is that right?",
            "a  it stays as it is",
        ],
    );
    let (status, shown) = {
        term.press("q\r", &["From 4 examples"]);
        term.end()
    };
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("is the last preview now"), "{shown}");
    let before = sandbox.snapshot();
    let applied = sandbox.run("apply --yes").ok();
    assert!(
        applied.out.contains("changes in 1 file: run 1"),
        "{applied:?}"
    );
    let written = sandbox.text("gauge.log");
    let open = |line: &str| {
        line[11..].starts_with(|c: char| c.is_ascii_digit()) && !line[11..16].contains(':')
    };
    let left: Vec<&str> = written.lines().filter(|line| open(line)).collect();
    assert!(left.is_empty(), "{left:?}");
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.text("gauge.log"), log);
    assert_eq!(before.len(), sandbox.snapshot().len());
}

/// Examples of each origin, and what the first proposal makes of the rest.
#[test]
fn origins() {
    let sandbox = Sandbox::new();
    sandbox.write(
        "pilots.csv",
        "pilot,berth\n\"Dahl, Jon\",7\n\"Moe, Kari\",12\n\"van Holt, Ernst Ove\",3\nOffice,1\n",
    );
    sandbox.write(
        "log.txt",
        "berth 7 is closed\nberthed at noon\nfrom berth 12 to berth 3\n> berth 9 as quoted\n",
    );
    sandbox.write(
        "pairs.csv",
        "before,after\n\"Dahl, Jon\",Jon Dahl\n\"Moe, Kari\",Kari Moe\n",
    );
    sandbox.write(
        "dates.txt",
        "Issued by the harbour office, 14.08.2026\nIssued by the harbour office, 12.11.2026\n\
         The approach to the north end of the Old Quay is closed until 3 May 2026 for all vessels bound for the lock.\n",
    );
    sandbox.write("quays.txt", "quay 12\nquay 14\nat quay 1\nsee quay 4\n");
    sandbox.write(
        "old.toml",
        "[[step]]\nmatch = 'x'\nremove = true\n[[step.example]]\nbefore = 'berth 7 is closed'\nafter = 'B-7 is closed'\n\
         [[step.example]]\nuntouched = '> berth 9 as quoted'\n",
    );
    sandbox.write(
        "rows.jsonl",
        "{\"ship\":{\"name\":\"MV Tora\"}}\n{\"ship\":{\"name\":\"SS Elin\"}}\n",
    );
    let names = "van Holt, Ernst Ove → Ernst Ove van Holt";
    let berths = "from berth 12 to berth 3 → from B-12 to B-3";
    let cases: &[(&str, &[&str])] = &[
        (
            "infer --examples pairs.csv --untouched Office --columns pilot pilots.csv",
            &[names],
        ),
        (
            "infer --example 'Dahl, Jon' 'Jon Dahl' --example 'Moe, Kari' 'Kari Moe' --columns pilot pilots.csv",
            &[names],
        ),
        (
            "infer --examples old.toml log.txt",
            &[berths, "--unless '^>'"],
        ),
        (
            "infer --example 'berth 7' 'B-7' --untouched '> berth 9 as quoted' --untouched 'berthed at noon' log.txt",
            &[berths],
        ),
        (
            "infer --example 'berth 12' 'B-12' --example 'berth 7' 'B-7' --unless '^>' log.txt",
            &["--unless '^>'", berths],
        ),
        (
            "infer --example 'MV Tora' 'mv_tora' --columns /ship/name rows.jsonl",
            &["SS Elin → ss_elin", "these are guesses"],
        ),
        (
            // The first lines hold it as a part of a number only.
            "infer --example 'quay 1' 'Q-1' --example 'quay 4' 'Q-4' quays.txt",
            &["quay 12 → Q-12", "quay 14 → Q-14"],
        ),
        (
            // One step for each form, found in lines that one step takes long to be looked for in.
            "infer --example '14.08.2026' '2026-08-14' --example '3 May 2026' '2026-05-03' dates.txt",
            &[
                "12.11.2026 → Issued by the harbour office, 2026-11-12",
                "--then",
            ],
        ),
        (
            "infer --example nowhere everywhere --example 'not there' 'ever there' log.txt",
            &["`nowhere` is nowhere in the data"],
        ),
    ];
    for (line, wanted) in cases {
        let got = sandbox.run(line);
        let all = format!("{}{}", got.out, got.err);
        let all = all.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(
            wanted.iter().all(|part| all.contains(part)),
            "{line}: {got:?}"
        );
    }
    let piped = sandbox
        .pipe(
            "a 1\nb 2\nc 3\n",
            "infer --example 'a 1' '1 a' --example 'b 2' '2 b'",
        )
        .ok();
    assert!(
        piped.out.contains("c 3 → 3 c") && !piped.out.contains("last preview"),
        "{piped:?}"
    );
}

/// Faults of the request and of the examples, each with its remedy.
#[test]
fn refusals() {
    let sandbox = Sandbox::new();
    sandbox.write("log.txt", "berth 7\nberth 9\npier 2\nquay 1\n");
    sandbox.write("longer.txt", "berth 7\nberth 9\npier 2\nquay 1\nmole 3\n");
    sandbox.write("moved.txt", "berth 9\nberth 7\npier 2\nquay 1\n");
    sandbox.write("same.txt", "berth 7\nberth 9\npier 2\nquay 1\n");
    sandbox.write("none.toml", "[[step]]\nmatch = 'x'\nremove = true\n");
    sandbox.write("three.csv", "a,b,c\n");
    let rows: Vec<String> = (0..2001).map(|n| format!("berth {n},B-{n}\n")).collect();
    sandbox.write("many.csv", rows.concat());
    sandbox.write("raw.txt", b"berth \xE9\nberth 7\n");
    let before = sandbox.snapshot();
    let cases: &[(&str, i32, &[&str])] = &[
        (
            "infer log.txt",
            2,
            &["there are no examples", "--edited FILE"],
        ),
        (
            "infer --example 'berth 7' 'berth 7' log.txt",
            1,
            &["no example changes anything"],
        ),
        (
            "infer --example 'berth 7' b7 --example 'berth 7' B7 log.txt",
            1,
            &[
                "examples 1 and 2 give different results for one text",
                "`berth 7` → `B7`",
            ],
        ),
        (
            "infer --example 'berth 7' 31 --example 'berth 9' IV --example 'pier 2' x log.txt",
            1,
            &["this looks like a table", "--pairs FILE"],
        ),
        (
            "infer --example 'berth 7' 7-b --example 'berth 9' 9-b --example 'pier 2' '2 2 r' log.txt",
            1,
            &["example 3, `pier 2` → `2 2 r`"],
        ),
        (
            "infer --edited longer.txt log.txt",
            2,
            &["longer.txt has 1 unit more than its original"],
        ),
        (
            "infer --edited moved.txt log.txt",
            2,
            &["in moved.txt lines were moved"],
        ),
        (
            "infer --edited same.txt log.txt",
            1,
            &["same.txt is the same as its original"],
        ),
        (
            "infer --edited same.txt .",
            2,
            &["is a copy of one file, and several are named"],
        ),
        (
            "infer --examples none.toml log.txt",
            2,
            &["holds no examples"],
        ),
        ("infer --examples three.csv log.txt", 2, &["`--examples`:"]),
        (
            "infer --examples many.csv log.txt",
            2,
            &["there are 2001 examples, and at most 2000 are taken"],
        ),
        ("infer --examples gone.csv log.txt", 2, &["`--examples`:"]),
        // Refused, and not said to be unused as well.
        (
            "infer --example a b --pick first log.txt",
            2,
            &["bquill: pattern and action are what is inferred, and `--pick` says some of it"],
        ),
        (
            "infer --example a b --with c log.txt",
            2,
            &["`--with` says some of it"],
        ),
        (
            "infer --example a b --pick first log.txt",
            2,
            &["`--pick` says some of it"],
        ),
        (
            "infer --example a b --unit text log.txt",
            2,
            &["for lines and cells"],
        ),
        (
            "infer --example a b --ask log.txt",
            2,
            &["there is no terminal to ask on"],
        ),
        ("infer --example a b --values log.txt", 2, &["--values"]),
        (
            "infer --example 'berth 7' B-7 --save-rewrite log.txt log.txt",
            3,
            &["there is already a file"],
        ),
    ];
    for (line, status, wanted) in cases {
        let got = sandbox.run(line);
        let all = format!("{}{}", got.out, got.err);
        assert!(
            got.status == *status && wanted.iter().all(|part| all.contains(part)),
            "{line}: {got:?}"
        );
        assert!(!all.contains("not used by this verb"), "{line}: {got:?}");
    }
    // A line that is not UTF-8 takes no part.
    let got = sandbox.run("infer --example 'berth 7' 'B-7' raw.txt --json");
    assert_eq!(got.of_kind("totals")[0]["problems"], 1, "{got:?}");
    assert_eq!(sandbox.snapshot(), before);
}

/// The rewrite that is saved holds its examples, and does what was proposed.
#[test]
fn saved_rewrites_hold() {
    let sandbox = Sandbox::new();
    sandbox.write(
        "pilots.csv",
        "pilot,berth\n\"Dahl, Jon\",7\n\"Moe, Kari\",12\nOffice,1\n",
    );
    sandbox.write("log.txt", "berth 7 is closed\nfrom berth 12 to berth 3\n");
    for (examples, data, file, changes) in [
        (
            "--example 'Dahl, Jon' 'Jon Dahl' --example 'Moe, Kari' 'Kari Moe' --untouched Office --columns pilot",
            "pilots.csv",
            "names.toml",
            2,
        ),
        (
            "--example 'berth 7' B-07 --example 'berth 12' B-12",
            "log.txt",
            "berths.toml",
            3,
        ),
    ] {
        sandbox
            .run(&format!("infer {examples} {data} --save-rewrite {file}"))
            .ok();
        let tested = sandbox.run(&format!("test {file}")).ok();
        assert!(
            tested.out.contains("examples held") && !sandbox.text(file).is_empty(),
            "{tested:?}"
        );
        let previewed = sandbox
            .run(&format!("preview --rewrite {file} {data}"))
            .ok();
        assert!(previewed.count("changes") == Some(changes), "{previewed:?}");
    }
}

/// Twenty thousand lines and a thousand examples take no longer than a reader waits, and nothing is lost of them.
#[test]
fn much_data_and_many_examples() {
    let sandbox = Sandbox::new();
    let lines = |n: usize| -> String {
        (0..n)
            .map(|n| format!("{n:06} berth {}\n", n % 97))
            .collect()
    };
    sandbox.write("log.txt", lines(20_000));
    let pairs: String = (0..1000)
        .map(|n| format!("{n:06} berth {0},{n:06} B-{0}\n", n % 97))
        .collect();
    sandbox.write("pairs.csv", pairs);
    let got = sandbox
        .run("infer --examples pairs.csv log.txt --json")
        .ok();
    let first = &got.of_kind("proposal")[0];
    assert_eq!(
        (first["changes"].as_u64(), first["problems"].as_u64()),
        (Some(20_000), Some(0)),
        "{first}"
    );
    assert_eq!(got.of_kind("totals")[0]["examples"], 1000);
}

#[test]
fn values() {
    let sandbox = Sandbox::larkmoor();
    let got = sandbox
        .run("infer --values --columns pilot berths.csv")
        .ok();
    assert!(
        got.out.contains("values match") && got.out.contains("O'Dell, Rufus"),
        "{got:?}"
    );
    let got = sandbox
        .run("infer --values --columns berth berths.csv --json")
        .ok();
    let pattern = got.of_kind("pattern")[0]["pattern"]
        .as_str()
        .unwrap()
        .to_owned();
    let others = got.of_kind("pattern")[0]["others"].as_u64().unwrap();
    let checked = sandbox.args(&[
        "check",
        &pattern,
        "--columns",
        "berth",
        "berths.csv",
        "--json",
    ]);
    assert_eq!(
        checked.of_kind("offender").len() as u64,
        others,
        "{checked:?}"
    );
    let empty = Sandbox::with("empty.txt", "");
    assert_eq!(empty.run("infer --values empty.txt").status, 1);
}
