//! The full-screen draft, driven in a pseudo-terminal.

use crate::support::Sandbox;
use crate::support::term::Term;
use rustix::process::Signal;

const ALL_SPELLINGS: &str = r"berth[\s#-]*(?:no\. )?(\d+)";

/// A whole job on the sample files: from one word to the pattern that catches every spelling, its
/// template, two examples, a rewrite file, the review, apply and undo.
#[test]
fn a_job_from_one_word_to_a_run() {
    let sandbox = Sandbox::larkmoor();
    let before = sandbox.snapshot();
    let mut term = Term::new(&sandbox, 130, 40, &["draft", "berth", "-i", "notices"]);
    term.wait(&[
        "102 matches  16 files",
        "draft  notices, 16 files",
        "the text “berth”",
    ]);
    term.press("[\\s#-]*(?:no\\. )?(\\d+)", &["102 matches", "$1     ‹8›"]);
    term.press("\tB-$1", &["102 changes", "${1} → ‹8›", "10 kinds"]);
    // A text as it becomes, and one that is left alone, are examples.
    term.press("\rb", &["6 examples 1/1", "example 1"]);
    term.press("3", &["3 misses", "# Notice to mariners 01/2026"]);
    term.press("l6", &["6 examples 2/2", "is left alone", "holds"]);
    term.press("q", &["leave?", "review the 102 changes"]);
    term.press("s\x15berths.toml\r", &["saved in berths.toml"]);
    term.press("q", &["leave?"]);
    term.press("r", &["· 102 open", "change 1.1"]);
    assert_eq!(
        before.len() + 1,
        sandbox.snapshot().len(),
        "only the rewrite file is new"
    );
    term.press("e", &["every…"]);
    term.press("5", &["✓ 102 accepted"]);
    term.press("q", &["leave?"]);
    term.press("1", &["Write 102 changes in 16 files?"]);
    term.press("y", &["Wrote 102 changes in 16 files"]);
    assert_eq!(term.end().0, 0);
    assert_eq!(
        sandbox
            .run(&format!("find '{ALL_SPELLINGS}' -i notices --count"))
            .status,
        1
    );
    let tested = sandbox.run("test berths.toml").ok();
    assert!(tested.out.contains("2 examples"), "{tested:?}");
    sandbox.run("undo --yes").ok();
    std::fs::remove_file(sandbox.file("berths.toml")).unwrap();
    assert_eq!(sandbox.snapshot(), before);
}

/// The command line that is printed does what the draft showed, in a shell.
#[test]
fn the_command_line_repeats_it() {
    let sandbox = Sandbox::larkmoor();
    let args = [
        "draft",
        "berth (\\d+)",
        "--with",
        "it's $1",
        "--lines",
        "4..",
        "notices",
        "--then",
        "(\\d)",
        "--drop-lines",
    ];
    let mut term = Term::new(&sandbox, 120, 30, &args);
    let shown = term.wait(&["step 1 of 2", " hints  "]);
    let line = shown.lines().find(|line| line.contains(" hints  "));
    let changes = line.unwrap().split(" changes").next().unwrap();
    let changes = changes.rsplit(' ').next().unwrap();
    term.press("\r", &["1-8 views"]);
    term.press(
        "-",
        &["the step is removed", "step"].map(|part| part.trim_start_matches("step")),
    );
    term.press("u", &["there is nothing to undo"]);
    term.press("qp", &["bquill preview"]);
    let (status, text) = term.end();
    assert_eq!(status, 0);
    let line: String = text
        .lines()
        .skip_while(|line| !line.contains("bquill preview"))
        .collect();
    // The step that was looked at was removed: the other is left.
    assert_eq!(
        line.trim(),
        r"bquill preview '(\d)' --drop-lines notices",
        "{changes}"
    );
    let mut term = Term::new(&sandbox, 120, 30, &args[..7]);
    term.wait(&[" changes"]);
    term.press("\rqp", &["bquill preview"]);
    let text = term.end().1;
    let line = text
        .lines()
        .find(|line| line.contains("bquill preview"))
        .unwrap()
        .trim()
        .to_owned();
    let program = env!("CARGO_BIN_EXE_bquill");
    let command = format!("{} --show 0", line.replacen("bquill", program, 1));
    let mut shell = std::process::Command::new("sh");
    shell.args(["-c", &command]).current_dir(sandbox.path());
    let out = shell
        .env("XDG_STATE_HOME", sandbox.state())
        .output()
        .unwrap();
    let out = String::from_utf8_lossy(&out.stdout);
    assert!(out.contains("becomes `it's $1`"), "{out}");
    let count = out
        .lines()
        .find_map(|line| line.trim().strip_prefix("changes"));
    assert_eq!(
        count.map(|count| count.trim().split(' ').next().unwrap()),
        Some(changes),
        "{out}"
    );
}

/// After a kill, or Ctrl-C, a draft opens where it was; once it is closed it does not, and the last
/// preview comes instead.
#[test]
fn a_draft_that_was_not_closed_opens_again() {
    let sandbox = Sandbox::larkmoor();
    let args = ["draft", "berth", "notices"];
    for signal in [Some(Signal::KILL), Some(Signal::TERM), None] {
        let mut term = Term::new(&sandbox, 100, 30, &args);
        term.wait(&["47 matches", "7 tries 1"]);
        term.press(" 7\tB7", &["changes", "7 tries 2"]);
        match signal {
            Some(Signal::KILL) => drop(term.killed()),
            Some(signal) => drop(term.end_by(signal)),
            None => {
                // What ends no sequence that was begun is a sign.
                term.press("~\x03", &["the draft is kept"]);
                assert_eq!(term.end().0, 0);
            }
        }
        let mut again = Term::new(&sandbox, 100, 30, &["draft"]);
        again.wait(&[
            "is open again",
            "pattern   berth 7",
            "template  B7",
            "7 tries 2",
        ]);
        again.press("\rqc", &[]);
        assert_eq!(again.end().0, 0);
    }
    let empty = Term::new(&sandbox, 100, 30, &["draft"]);
    let mut empty = empty;
    empty.wait(&["nothing is matched yet: all text is shown"]);
    empty.press("\rqc", &[]);
    empty.end();
    sandbox
        .run("preview 'berth (\\w+)' --with 'P $1' notices")
        .ok();
    let mut term = Term::new(&sandbox, 100, 30, &["draft"]);
    term.wait(&[
        "this is the rewrite of the last preview",
        "pattern   berth (\\w+)",
        "draft  notices",
    ]);
    term.press("\rqc", &[]);
    term.end();
}

/// A pasted text is looked at instead of the files, and kept with the draft.
#[test]
fn a_sample_is_pasted() {
    let sandbox = Sandbox::larkmoor();
    let args = ["draft", r"berth (\d+)", "--with", "B-$1", "notices"];
    let mut term = Term::new(&sandbox, 100, 30, &args);
    term.wait(&["draft  notices, 16 files"]);
    let pasted = "\r\x1b[200~berth 12\rquay\r\x1b[201~";
    term.press(pasted, &["a sample, 2 lines", "1 match  1 change", "B-12"]);
    term.press("s\r\x1b[Aberth 3", &["3  berth 3", "2 matches"]);
    term.press("\x03", &["the draft is kept"]);
    assert_eq!(term.end().0, 0);
    let mut again = Term::new(&sandbox, 100, 30, &["draft"]);
    again.wait(&[
        "is open again",
        "a sample, 3 lines",
        "3  berth 3",
        "2 matches",
    ]);
    again.press("\x1b", &["1-8 views"]);
    again.press("S", &["draft  notices, 16 files"]);
    again.press("qc", &[]);
    assert_eq!(again.end().0, 0);
}

/// Standard input is looked at, also while more of it may come.
#[test]
fn standard_input_is_the_sample() {
    let sandbox = Sandbox::new();
    let program = env!("CARGO_BIN_EXE_bquill");
    let line = format!("(printf 'berth 4\\nquay 7\\n'; sleep 600) | {program} draft 'berth (\\d)'");
    let mut term = Term::running(&sandbox, 100, 24, "sh", &["-c", &line]);
    term.wait(&[
        "standard input, 15 bytes so far, more may come",
        "1 match ",
        "‹4›",
    ]);
    term.press("\x15\\d", &["2 matches"]);
    term.press("\tx\rqr", &["standard input cannot be reviewed"]);
    let killed = term.killed();
    assert!(!killed.success());
    let line = format!("printf 'berth 4\\n' | {program} draft berth --with quay; echo status $?");
    let mut term = Term::running(&sandbox, 100, 24, "sh", &["-c", &line]);
    term.wait(&["standard input, 8 bytes", "1 change ", "quay 4"]);
    term.press("\rqp", &["bquill preview berth --with quay -", "status 0"]);
    term.end();
}

/// Files that cannot be read, that vanish, grow, or look binary; small and shrinking screens; a
/// pasted megabyte, a pattern of absurd size, and control codes.
#[test]
fn bad_input_is_said() {
    let sandbox = Sandbox::new();
    for args in [&["draft", "x"][..], &["draft", "(", "--with", "y"]] {
        let got = sandbox.args(args);
        assert_eq!(got.status, 2, "{got:?}");
        assert!(
            got.err.contains("no terminal to draft on") && got.err.contains("`preview`"),
            "{got:?}"
        );
    }
    sandbox.write("a.md", "\u{1b}[2Jberth 1\nberth 2\n");
    sandbox.write("b.bin", b"\0\0berth\n");
    sandbox.write("c.md", "berth 3\n");
    let mut term = Term::new(&sandbox, 100, 30, &["draft", "berth (\\d)", "."]);
    term.wait(&["3 matches  2 files", "‹ESC›[2Jberth 1"]);
    // A file grows, and another vanishes.
    sandbox.write("a.md", "berth 1\nberth 2\nberth 4\n");
    std::fs::remove_file(sandbox.file("c.md")).unwrap();
    term.press(" ", &["0 matches"]);
    term.press(
        "\x7f",
        &[
            "3 matches  1 file ",
            "1 file cannot be read",
            "1 binary left out",
        ],
    );
    term.press("\r2g", &["draft  ., 2 files"]);
    term.resize(20, 5);
    term.wait(&["too small: 20x5", "(Ctrl-C leaves)"]);
    term.resize(44, 12);
    term.wait(&["3 matches"]);
    term.resize(100, 30);
    term.wait(&["1-8 views"]);
    let absurd = "(?:\\w{200}){200}";
    term.press(
        &format!("\t\x15{absurd}"),
        &["1-7"].map(|_| "! pattern".trim_start_matches("! ")),
    );
    term.wait(&["would take more than", "3 matches"]);
    let megabyte = format!("\x1b[200~{}\x1b[201~", "berth\r\n".repeat(150_000));
    term.press("\x15", &["nothing is matched yet"]);
    term.press(&megabyte, &["…"]);
    term.press("\x15berth", &["3 matches"]);
    term.press("\rqc", &[]);
    assert_eq!(term.end().0, 0);
    let got = Term::new(&sandbox, 80, 24, &["draft", "x", "no/such"]);
    let mut got = got;
    got.wait(&["no/such"]);
    got.press("\x03", &["the draft is kept"]);
    got.end();
}

/// Typing never waits, whatever the pattern: one that takes steps without end is left by the next
/// key.
#[test]
fn typing_does_not_wait_for_a_pattern() {
    let sandbox = Sandbox::new();
    sandbox.write(
        "a.md",
        format!("{}\n{}c\n", "a".repeat(4 << 20), "a".repeat(4 << 20)),
    );
    let mut term = Term::new(&sandbox, 100, 24, &["draft", r"(a+)+\1b", "a.md"]);
    term.wait(&["counting"]);
    for _ in 0..20 {
        term.press("x", &[r"\1bx"]);
        term.press("\x7f", &[r"\1b "]);
    }
    term.press("\x15a+c", &["1 match "]);
    // What ends no sequence that was begun is a sign.
    term.press("~\x03", &["the draft is kept"]);
    term.end();
}

/// Random keys, with sizes changing, leave no panic and give the terminal back.
#[test]
fn random_keys_do_no_harm() {
    const KEYS: [&str; 48] = [
        "b", "e", "r", "t", "h", " ", "(", ")", "\\", "d", "+", "*", "$", "1", "2", "3", "4", "5",
        "6", "7", "-", "i", "{", "}", "|", "'", "[", "]", "=", "n", "N", "u", "U", "f", "F", "g",
        "l", "m", "?", "\t", "\r", "\x1b", "\x7f", "\x1b[A", "\x1b[B", "\x1b[Z", "\x1a", "\x19",
    ];
    let sandbox = Sandbox::larkmoor();
    let before = sandbox.snapshot();
    let mut seed = 0x2026_1127_u64;
    let mut random = move |below: usize| {
        seed = seed
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) as usize % below
    };
    let mut term = Term::new(&sandbox, 100, 30, &["draft", "berth", "notices"]);
    term.wait(&["draft  notices"]);
    let mut pressed = 0;
    while pressed < 10_000 {
        let many = 1 + random(60);
        let keys: String = (0..many).map(|_| KEYS[random(KEYS.len())]).collect();
        pressed += many;
        if !term.try_press(&keys) {
            // It was left by its own keys.
            assert_eq!(term.end().0, 0);
            term = Term::new(&sandbox, 100, 30, &["draft"]);
            term.wait(&["draft  notices"]);
        }
        if random(4) == 0 {
            term.resize(20 + random(160) as u16, 5 + random(50) as u16);
        }
    }
    term.resize(100, 30);
    // What ends no sequence that was begun is a sign.
    term.press("~\x03", &["the draft is kept"]);
    assert_eq!(term.end().0, 0);
    let mut after = sandbox.snapshot();
    // A rewrite file is an output that its keys may name.
    after.retain(|(path, _)| before.iter().any(|(known, _)| known == path));
    assert_eq!(after, before);
}
