//! The full-screen review, driven in a pseudo-terminal.

use crate::support::Sandbox;
use crate::support::term::Term;

const REVIEW: &[&str] = &["review", r"berth (\d+)", "-i", "--with", "B-$1", "notices"];

fn counts(open: u32, accepted: u32, refused: u32, modified: u32) -> String {
    format!("· {open} open   ✓ {accepted} accepted   ✗ {refused} refused   ≠ {modified} modified")
}

/// Every change is judged in one way or another; what is accepted is written, and nothing else.
#[test]
fn a_walk_through_the_changes() {
    let sandbox = Sandbox::new();
    let text = "Notice 1\nberth 7 is closed\nberth 8 is open\nberth 7 and berth 9\nBerth 7 stays\n";
    sandbox.write("notices/a.md", text);
    sandbox.write("notices/b.md", "BERTH 7\n");
    let mut term = Term::new(&sandbox, 110, 30, REVIEW);
    term.wait(&[
        &counts(6, 0, 0, 0),
        "change 1.1, line 2",
        "2 was berth·7 is closed",
        "now B-7 is closed",
        "$1       ‹7›",
        "kind 1, 2 changes",
    ]);
    term.press("a", &[&counts(5, 1, 0, 0), "change 1.2, line 3"]);
    term.press("r", &[&counts(4, 1, 1, 0), "change 1.3, line 4"]);
    // What is accepted beside it shows in its line.
    term.press("a", &["now B-7 and B-9", "change 1.4"]);
    term.press("m", &["Enter takes it"]);
    term.press(
        "\u{7f}\u{7f}é9\r",
        &[&counts(2, 2, 1, 1), "change 1.4", "now B-7 and Bé9"],
    );
    term.press("U", &["there is nothing to do again"]);
    term.press("u", &[&counts(3, 2, 1, 0), "change 1.4"]);
    term.press("U", &[&counts(2, 2, 1, 1)]);
    // A text that changes nothing refuses.
    term.press("\x1b[F", &["change 2.1"]);
    term.press(
        "m\x1b[H\x1b[3~\x1b[3~\x1b[3~BERTH 7\x1b[3~\x1b[3~\x1b[3~\r",
        &[&counts(1, 2, 2, 1)],
    );
    term.press(
        "\x1b[Hw",
        &[
            "✓    2 ▸   B-7 is closed",
            "✓    4     B-7 and Bé9",
            "w back",
        ],
    );
    term.press("\x1b", &["change 1.1"]);
    term.press(
        "?",
        &["keys (any key: back)", "every…: accept or refuse all"],
    );
    term.press(
        " t",
        &["kind    count  was → now", "1        2  berth 7 → B-7"],
    );
    term.press("\x1b[H\r", &["change 1 of 2", "only kind 1 (x)"]);
    term.press("x/berth 9\r", &["change 1 of 1", "only with `berth 9` (/)"]);
    term.press("/", &["changes that hold: berth 9"]);
    term.press(&"\u{7f}".repeat(7), &["changes that hold:"]);
    term.press("\rv", &["only open ones (v)", "change 1.5"]);
    term.press(
        "vq",
        &[
            "leave? (any other key: back)",
            "1  apply the 2 accepted and 1 modified",
        ],
    );
    term.press(
        "1",
        &[
            "Write 3 changes in 1 file?",
            "2 accepted, 1 modified; 2 refused and 1 open stay as they are.",
        ],
    );
    term.press("n", &["change 1.5"]);
    term.press("q1y", &["Wrote 3 changes in 1 file: run 1."]);
    let (status, said) = term.end();
    assert_eq!(status, 0, "{said}");
    assert_eq!(
        sandbox.text("notices/a.md"),
        "Notice 1\nB-7 is closed\nberth 8 is open\nB-7 and Bé9\nBerth 7 stays\n"
    );
    assert_eq!(sandbox.text("notices/b.md"), "BERTH 7\n");
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.text("notices/a.md"), text);
}

/// Whole kinds, files and the rest; dropping gives back what was there before.
#[test]
fn every_and_drop() {
    let sandbox = Sandbox::larkmoor();
    sandbox
        .run("preview 'berth (\\d+)' -i --with 'B-$1' notices --save-plan p.plan")
        .ok();
    let plan = sandbox.read("p.plan");
    let all = sandbox.run("review --plan p.plan --accept 1.1 --json").ok();
    let total = all.records()[0]["changes"].as_u64().unwrap();
    let mut term = Term::new(&sandbox, 120, 36, &["review", "--plan", "p.plan"]);
    term.wait(&["change 1.2"]);
    term.press("e", &["all of this kind:", "all that is open:"]);
    term.press("1", &["accepted; u undoes that"]);
    // What is accepted stays, unless the same key says so again.
    term.press(
        "e4",
        &["3 refused; 2 stay accepted: the same key overrules that"],
    );
    term.press("\x1bf", &["notices/"]);
    term.press("e5", &["· 0 open", "nothing is open any more"]);
    term.press(
        "q4y",
        &["Nothing has been written. `bquill review --plan p.plan` goes on."],
    );
    let (status, said) = term.end();
    assert!(
        status == 0 && said.contains(&format!("1 accepted; {} open stay as they are.", total - 1)),
        "{said}"
    );
    assert!(sandbox.read("p.plan").starts_with(&plan));
}

/// Decisions are written down as they are made, so a killed review goes on where it was.
#[test]
fn a_killed_review_goes_on() {
    let sandbox = Sandbox::larkmoor();
    let mut term = Term::new(&sandbox, 100, 30, REVIEW);
    term.wait(&["change 1.1"]);
    term.press("ar", &["✓ 1 accepted   ✗ 1 refused", "change 1.3"]);
    // It learns that its terminal has gone.
    term.killed();
    let mut term = Term::new(&sandbox, 100, 30, &["review"]);
    term.wait(&["✓ 1 accepted   ✗ 1 refused", "change 1.3"]);
    term.press(
        "\u{3}",
        &["Nothing has been written. `bquill review` goes on."],
    );
    assert_eq!(term.end().0, 0);
}

/// Every size has a layout, down to one that only says that it is too small.
#[test]
fn sizes() {
    let sandbox = Sandbox::new();
    let long = format!(
        "{}berth 7 日本 {}\n",
        "lighthouse ".repeat(90),
        "x".repeat(2000)
    );
    sandbox.write("notices/a.md", format!("\u{1b}[2Jberth 1\n{long}"));
    let mut term = Term::new(&sandbox, 80, 24, REVIEW);
    let text = term.wait(&["change 1.1", "1 was ‹ESC›[2Jberth·1", "/ find  ? keys"]);
    assert!(
        text.lines().all(|line| line.chars().count() <= 80),
        "{text}"
    );
    term.press("\x1b[B", &["change 1.2", "2 was …", "berth·7 日本"]);
    term.press("\x1b[C\x1b[C", &["change 1.2"]);
    for (cols, rows, shown) in [
        (20, 5, "too small: 20x5"),
        (200, 50, "change 1.2"),
        (44, 12, "change 1.2"),
    ] {
        term.resize(cols, rows);
        term.wait(&[shown]);
    }
    // A key that comes together with a new size is not lost.
    for n in 0..100 {
        let (cols, rows) = (60 + n % 7, 14 + n % 5);
        let (key, shown) = match n % 2 {
            0 => ("\x1b[A", "change 1.1"),
            _ => ("\x1b[B", "change 1.2"),
        };
        term.resize(cols, rows);
        term.press(key, &[shown]);
    }
    term.press("q", &["leave?"]);
    term.press("3", &["Nothing has been written."]);
    assert_eq!(term.end().0, 0);
}

/// A signal ends the review by that signal; the terminal is given back, and decisions stay.
#[test]
fn signals_end_the_review() {
    use rustix::process::Signal;
    for (signal, name) in [
        (Signal::TERM, "Terminated"),
        (Signal::HUP, "Hangup"),
        (Signal::INT, "Interrupt"),
        (Signal::QUIT, "Quit"),
        (Signal::ABORT, "Abort"),
    ] {
        let sandbox = Sandbox::larkmoor();
        let mut term = Term::new(&sandbox, 90, 24, REVIEW);
        term.wait(&["change 1.1"]);
        term.press("a", &["✓ 1 accepted"]);
        let ended = term.end_by(signal);
        assert!(
            ended.signal().is_some_and(|by| by.contains(name)),
            "{ended:?}"
        );
        let mut again = Term::new(&sandbox, 90, 24, &["review"]);
        again.wait(&["✓ 1 accepted"]);
        again.press("q", &["leave?"]);
        again.press("3", &["Nothing has been written."]);
        assert_eq!(again.end().0, 0);
    }
}

#[test]
fn without_a_terminal_options_decide() {
    let sandbox = Sandbox::larkmoor();
    let got = sandbox.run("review 'berth (\\d+)' --with 'B-$1' notices");
    assert!(
        got.status == 2 && got.err.contains("--accept WHICH"),
        "{got:#?}"
    );
    let got = sandbox
        .run("review 'berth (\\d+)' --with 'B-$1' notices --accept kind:1 --refuse rest")
        .ok();
    assert!(
        got.out.contains("accepted") && !got.out.contains("open"),
        "{}",
        got.out
    );
    let got = sandbox.run("review zzz --with y notices --accept rest");
    assert_eq!(got.status, 1, "{got:#?}");
}
