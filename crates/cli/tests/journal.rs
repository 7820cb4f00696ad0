//! History, undo, recovery, and runs that are stopped: the built program on real files.

use crate::support::Sandbox;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::process::Stdio;

const BERTHS: &str = r"'berth (\d+)' --with 'B-$1' notices code";

#[test]
fn undo_and_undo_of_undo() {
    let sandbox = Sandbox::larkmoor();
    std::fs::set_permissions(
        sandbox.file("notices/01-dredging.md"),
        PermissionsExt::from_mode(0o640),
    )
    .unwrap();
    let _ = xattr::set(
        sandbox.file("notices/01-dredging.md"),
        "user.port",
        b"Larkmoor",
    );
    let look = |sandbox: &Sandbox| {
        let file = sandbox.file("notices/01-dredging.md");
        let attribute = xattr::get(&file, "user.port").ok().flatten();
        (
            sandbox.snapshot(),
            file.metadata().unwrap().mode(),
            attribute,
        )
    };
    let old = look(&sandbox);
    let applied = sandbox.run(&format!("apply {BERTHS} --yes")).ok();
    let changes = applied.count("changes").unwrap();
    let new = look(&sandbox);
    assert!(old.0 != new.0 && old.1 == new.1 && old.2 == new.2);
    for (number, wanted) in [(2, &old), (3, &new), (4, &old)] {
        let run = number - 1;
        let got = sandbox.run(&format!("undo {run} --yes")).ok();
        let name = match run {
            1 => "run 1".to_owned(),
            _ => format!("run {run}, itself an undo of run {}", run - 1),
        };
        let said = format!("Reverted {name}: {changes} changes in");
        assert!(got.out.contains(&said), "{}", got.out);
        assert_eq!(&look(&sandbox), wanted, "{number}");
    }
    let listed = sandbox.run("history").ok().out;
    let rows: Vec<&str> = listed.lines().collect();
    assert_eq!(rows.len(), 6, "{listed}");
    assert!(rows[5].ends_with(" are kept to undo them."), "{listed}");
    assert!(
        rows[1].starts_with("×     1  ")
            && rows[1].contains("reverted")
            && rows[1].contains(r"`berth (\d+)` becomes `B-$1`"),
        "{listed}"
    );
    assert!(
        rows[4].starts_with("      4  ") && rows[4].contains("reverts run 3"),
        "{listed}"
    );
    let states = sandbox.run("history --json").ok().records();
    let states: Vec<_> = states
        .iter()
        .map(|run| (run["state"].as_str(), &run["reverted_by"]))
        .collect();
    assert_eq!(states[0], (Some("reverted"), &serde_json::json!([2, 3, 4])));
    assert_eq!(states[1], (Some("done"), &serde_json::json!([3, 4])));
    let one = sandbox.run("history 1 --show 1").ok().out;
    assert!(
        one.contains("was  ‹berth 2›\n") && one.contains("now  ‹B-2›\n"),
        "{one}"
    );
    let json = sandbox.run("history 1 --json").ok();
    assert_eq!(json.of_kind("run")[0]["changes"], changes);
    assert_eq!(json.of_kind("change").len() as u64, changes);
}

#[test]
fn undo_names_what_was_changed_since() {
    let sandbox = Sandbox::with("a.txt", "quay 1\nquay 2\n");
    sandbox.write("b.txt", "quay 3");
    sandbox.run("apply quay --with Q . --yes").ok();
    sandbox.write("b.txt", "Q 3, edited");
    let before = sandbox.snapshot();
    let refused = sandbox.run("undo --yes");
    assert_eq!(refused.status, 3);
    assert!(
        refused.err.contains("b.txt was edited after run 1")
            && refused.err.contains("undo 1 --review"),
        "{}",
        refused.err
    );
    assert_eq!(sandbox.snapshot(), before);
    sandbox.run("undo --yes --only a.txt").ok();
    assert_eq!(
        (
            sandbox.text("a.txt").as_str(),
            sandbox.text("b.txt").as_str()
        ),
        ("quay 1\nquay 2\n", "Q 3, edited")
    );
    for (line, status, said) in [
        ("undo 9 --yes", 1, "there is no run 9"),
        ("undo", 3, "b.txt was edited after run 1"),
        ("history 9", 1, "there is no run 9"),
        ("recover", 0, ""),
    ] {
        let got = sandbox.run(line);
        assert_eq!(got.status, status, "{line}: {got:#?}");
        assert!(got.err.contains(said), "{line}: {}", got.err);
    }
    let elsewhere = Sandbox::new().run("undo --yes");
    assert!(
        elsewhere
            .err
            .contains("no run has been made in this folder"),
        "{}",
        elsewhere.err
    );
}

#[test]
fn runs_can_be_forgotten() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    sandbox.run("apply quay --with Q . --yes").ok();
    sandbox.run("undo --yes").ok();
    sandbox.run("history --forget 2 --yes").ok();
    assert_eq!(sandbox.run("undo 2 --yes").status, 1);
    for (line, status) in [
        ("history --forget --older-than 1", 1),
        ("history --older-than 1", 2),
        ("history --forget", 2),
        ("history --forget 9", 1),
    ] {
        assert_eq!(sandbox.run(line).status, status, "{line}");
    }
    let again = sandbox.run("apply quay --with Q . --yes").ok();
    assert!(
        again.out.contains("run 3."),
        "a number is not given twice: {}",
        again.out
    );
    let state = sandbox.state().join("brisk-quill");
    std::fs::write(state.join("runs/1/log"), "damaged\n").unwrap();
    let listed = sandbox.run("history");
    assert!(
        listed.status == 3 && listed.err.contains("the journal is damaged"),
        "{listed:#?}"
    );
    assert_eq!(sandbox.run("undo 1 --yes").status, 3);
    sandbox.run("history --forget 1 --yes").ok();
    let mode = |path: &std::path::Path| path.metadata().unwrap().mode() & 0o777;
    assert_eq!(
        (
            mode(&state),
            mode(&state.join("runs/3")),
            mode(&state.join("runs/3/log"))
        ),
        (0o700, 0o700, 0o600)
    );
}

#[test]
fn a_journal_that_cannot_be_used_refuses_the_run() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    std::fs::write(sandbox.state().join("brisk-quill"), "in the way").unwrap();
    let got = sandbox.run("apply quay --with Q a.txt --yes");
    assert_eq!(got.status, 3);
    assert!(
        got.err.contains("the journal cannot be used"),
        "{}",
        got.err
    );
    assert_eq!(sandbox.text("a.txt"), "quay\n");
    sandbox.run("find quay a.txt");
}

#[test]
fn two_runs_at_once() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    sandbox.run("apply quay --with Q a.txt --yes").ok();
    let lock = std::fs::File::open(sandbox.state().join("brisk-quill/lock")).unwrap();
    lock.lock().unwrap();
    let busy = sandbox.run("apply Q --with R a.txt --yes");
    assert_eq!(busy.status, 3);
    assert!(
        busy.err.contains("another bquill is writing"),
        "{}",
        busy.err
    );
    // A program that another test starts at this moment may hold it a little longer.
    lock.unlock().unwrap();
    sandbox.run("apply Q --with R a.txt --yes").ok();
}

#[test]
fn two_runs_that_race() {
    for _ in 0..4 {
        let sandbox = many();
        let both = [start(&sandbox), start(&sandbox)];
        let ended = both.map(|child| child.wait_with_output().unwrap());
        let won = ended
            .iter()
            .filter(|output| output.status.success())
            .count();
        for output in ended.iter().filter(|output| !output.status.success()) {
            let said = String::from_utf8_lossy(&output.stderr);
            // Nothing was left to do, the other was at it, or had been.
            let fair = output.status.code() == Some(1)
                || ["another bquill", "has changed", "no such file"]
                    .iter()
                    .any(|words| said.contains(words));
            assert!(fair, "{said}");
        }
        assert!(won >= 1 && all_or_nothing(&sandbox, "a race"), "{ended:?}");
    }
}

/// Many files, half of them with two lines, for runs that are stopped.
fn many() -> Sandbox {
    let sandbox = Sandbox::new();
    for n in 0..300 {
        sandbox.write(
            &format!("f{}/n{n}.txt", n % 7),
            format!("quay {n}\nthe quay\n"),
        );
    }
    std::fs::hard_link(sandbox.file("f0/n0.txt"), sandbox.file("second.txt")).unwrap();
    sandbox
}

/// Begins to rewrite them all.
fn start(sandbox: &Sandbox) -> std::process::Child {
    sandbox
        .command()
        .args(["apply", "quay", "--with", "Q", ".", "--yes"])
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap()
}

/// All old, or all new, and nothing left over; whether new.
fn all_or_nothing(sandbox: &Sandbox, case: &str) -> bool {
    let files = sandbox.snapshot();
    let new = files
        .iter()
        .filter(|(_, text)| text.starts_with(b"Q"))
        .count();
    let old = files
        .iter()
        .filter(|(_, text)| text.starts_with(b"quay"))
        .count();
    assert!(
        new + old == files.len() && (new == 0 || old == 0),
        "{case}: {old} old, {new} new of {}",
        files.len()
    );
    assert_eq!(files.len(), 301, "{case}: nothing is left over");
    new > 0
}

#[test]
fn killed_at_any_moment() {
    let (mut unfinished, mut ends) = (0, [0, 0]);
    for round in 0..20u64 {
        let sandbox = many();
        let mut child = start(&sandbox);
        // Somewhere in its life; where exactly does not matter, for any moment must do.
        std::thread::sleep(std::time::Duration::from_millis(3 + round * 25));
        child.kill().unwrap();
        child.wait().unwrap();
        let told = sandbox.run("find port");
        unfinished += u32::from(told.err.contains("was stopped and is unfinished"));
        if told.err.contains("unfinished") {
            let refused = sandbox.run("apply port --with P --yes second.txt");
            let refused_or_nothing = refused.status == 3 || refused.status == 1;
            assert!(refused_or_nothing, "{refused:#?}");
        }
        let recovered = sandbox.run("recover").ok();
        assert!(recovered.err.is_empty(), "{recovered:#?}");
        // A complete run removes what it has left over when the next one begins.
        sandbox.write("last.txt", "x\n");
        sandbox.run("apply x --with y last.txt --yes").ok();
        std::fs::remove_file(sandbox.file("last.txt")).unwrap();
        ends[usize::from(all_or_nothing(&sandbox, &format!("round {round}")))] += 1;
    }
    println!("{unfinished} of 20 runs were unfinished; {ends:?} ended old and new");
}

/// A database, a workbook and a text in one run that is stopped: all three are old, or all are new, to the byte.
#[test]
fn containers_are_all_old_or_all_new() {
    let made = || {
        let sandbox = Sandbox::with(
            "rows.jsonl",
            "{\"berth\":\"berth 7\"}\n{\"berth\":\"Berth 8\"}\n",
        );
        sandbox.write("harbour.db", include_bytes!("../../../demo/harbour.db"));
        sandbox.write("berths.xlsx", include_bytes!("../../../demo/berths.xlsx"));
        sandbox
    };
    let words = [
        "apply",
        r"^[Bb]erth (\d+)$",
        "--with",
        "B-$1",
        "--columns",
        "berth",
        "--yes",
    ];
    let run = |sandbox: &Sandbox, at: u64| {
        let mut command = sandbox.command();
        command
            .args(words)
            .args(["rows.jsonl", "harbour.db", "berths.xlsx"]);
        command
            .env("BQUILL_STOP_AT", at.to_string())
            .stdin(Stdio::null());
        crate::support::finish(&mut command).status
    };
    let (whole, before) = (made(), made().snapshot());
    assert_eq!(run(&whole, u64::MAX), 0);
    let after = whole.snapshot();
    let each = before.iter().zip(&after);
    assert!(
        each.clone()
            .all(|(old, new)| old.0 == new.0 && old.1 != new.1),
        "each is changed"
    );
    let mut ends = [0, 0];
    for at in (1..).step_by(2) {
        let sandbox = made();
        if run(&sandbox, at) == 0 {
            break;
        }
        sandbox.run("recover").ok();
        let mut found = sandbox.snapshot();
        found.retain(|(name, _)| before.iter().any(|(known, _)| known == name));
        assert!(found == before || found == after, "stopped at {at}");
        ends[usize::from(found == after)] += 1;
    }
    assert!(ends[0] > 3 && ends[1] > 3, "{ends:?} ended old and new");
}

/// Stopped at every operation of the protocol, and then at every operation of the recovery.
#[test]
fn aborted_at_every_operation() {
    let stopped = |sandbox: &Sandbox, at: u64, line: &[&str]| {
        let mut command = sandbox.command();
        command
            .args(line)
            .env("BQUILL_STOP_AT", at.to_string())
            .stdin(Stdio::null());
        crate::support::finish(&mut command).status == -1
    };
    let (mut at, mut ends) = (0, [0, 0]);
    loop {
        at += 1;
        let sandbox = Sandbox::with("a/one.txt", "quay 1\n");
        sandbox.write("b/two.txt", "quay 2\n");
        sandbox.write("b/three.txt", "quay 3\n");
        std::fs::hard_link(sandbox.file("b/three.txt"), sandbox.file("b/names.txt")).unwrap();
        let files = sandbox.snapshot().len();
        if !stopped(
            &sandbox,
            at,
            &["apply", "quay", "--with", "Q", ".", "--yes"],
        ) {
            break;
        }
        for again in 1..4 {
            stopped(&sandbox, at % 5 + again, &["recover"]);
        }
        sandbox.run("recover").ok();
        sandbox.write("last.txt", "x");
        sandbox.run("apply x --with y last.txt --yes").ok();
        std::fs::remove_file(sandbox.file("last.txt")).unwrap();
        let found = sandbox.snapshot();
        let new = found
            .iter()
            .filter(|(_, text)| text.starts_with(b"Q"))
            .count();
        assert!(
            new == 0 || new == files,
            "stopped at {at}: {new} of {files} are new"
        );
        assert_eq!(found.len(), files, "stopped at {at}: nothing is left over");
        ends[usize::from(new > 0)] += 1;
    }
    assert!(
        at > 40 && ends[0] > 10 && ends[1] > 10,
        "{at} operations, {ends:?}"
    );
}

#[test]
fn a_file_that_grows_over_the_limit_changes_nothing() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    sandbox.write("big.txt", "quay ".repeat(20_000));
    let before = sandbox.snapshot();
    let got = sandbox.run_limited(64 << 10, "apply quay --with 'the quay' . --yes");
    assert_eq!(got.status, 3, "{got:#?}");
    assert_eq!(sandbox.snapshot(), before);
    sandbox.run("recover").ok();
    sandbox.run("apply quay --with Q . --yes").ok();
}

#[test]
fn a_full_disk_changes_nothing() {
    let sandbox = Sandbox::new();
    let disk = sandbox.file("disk");
    std::fs::create_dir(&disk).unwrap();
    let mount = std::process::Command::new("mount")
        .args(["-t", "tmpfs", "-o", "size=256k", "tmpfs"])
        .arg(&disk)
        .stderr(Stdio::null())
        .status();
    if !mount.is_ok_and(|done| done.success()) {
        println!("skipped: a small disk cannot be mounted here");
        return;
    }
    let full = std::panic::catch_unwind(|| {
        for n in 0..4 {
            sandbox.write(&format!("disk/{n}.txt"), "quay ".repeat(8_000));
        }
        let before = sandbox.snapshot();
        let got = sandbox.run("apply quay --with 'the long quay' disk --yes");
        assert_eq!(got.status, 3, "{got:#?}");
        assert_eq!(sandbox.snapshot(), before, "all old, and no copy left over");
    });
    let unmounted = std::process::Command::new("umount").arg(&disk).status();
    assert!(unmounted.unwrap().success());
    full.unwrap();
}

#[test]
fn an_interrupt_before_the_decision_takes_everything_back() {
    let sandbox = many();
    let mut child = start(&sandbox);
    // As soon as the run has a folder it listens.
    let runs = sandbox.state().join("brisk-quill/runs/1/changes");
    while !runs.exists() && child.try_wait().unwrap().is_none() {
        std::thread::yield_now();
    }
    let pid = rustix::process::Pid::from_child(&child);
    let _ = rustix::process::kill_process(pid, rustix::process::Signal::INT);
    let output = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&output.stderr);
    let new = all_or_nothing(&sandbox, "interrupted");
    // It came in time, or the run was already decided and was finished.
    assert_eq!(new, output.status.success(), "{said}");
    assert!(
        new || said.contains("stopped, and nothing has been written"),
        "{said}"
    );
}
