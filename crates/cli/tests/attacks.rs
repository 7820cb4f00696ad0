//! Attacks on files, journals, plans and outputs, with the built program.

use crate::support::term::Term;
use crate::support::{self, Sandbox};
use rustix::process::{Pid, Signal, kill_process};
use std::fs;
use std::os::unix::fs::{FileTypeExt, MetadataExt, PermissionsExt, symlink};
use std::path::Path;
use std::process::{Child, Stdio};

const COPY: &str = ".bquill-0123456789abcdef0123456789abcdef";

fn pipe(path: &Path) {
    let mode = rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR;
    rustix::fs::mkfifoat(rustix::fs::CWD, path, mode).unwrap();
}

/// Starts the program; it must end by itself, however its surroundings are.
fn spawn(sandbox: &Sandbox, line: &str) -> Child {
    let mut command = sandbox.command();
    command.args(support::words(line)).stdin(Stdio::piped());
    command.stdout(Stdio::piped()).stderr(Stdio::piped());
    command.spawn().unwrap()
}

/// Copies beside files: what is left of runs, and of programs.
fn copies(sandbox: &Sandbox) -> Vec<String> {
    let mut found = Vec::new();
    let mut folders = vec![sandbox.path().to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).unwrap().flatten() {
            let name = entry.file_name().into_string().unwrap_or_default();
            if entry.file_type().is_ok_and(|kind| kind.is_dir()) {
                folders.push(entry.path());
            } else if name.contains(".bquill-") {
                found.push(name);
            }
        }
    }
    found
}

/// Files whose names look like those of copies are left to their owners.
#[test]
fn files_of_others_stay() {
    let port = Sandbox::with("a.txt", "quay\n");
    for name in [".bquill-1-0", COPY, ".bquill-1-0-kept"] {
        port.write(name, "quay, precious");
    }
    let got = port.run("apply quay --with Q . --hidden --yes").ok();
    assert!(
        got.err.contains(&format!(
            "another run is at work, or was interrupted, here: {}",
            port.file(COPY).display()
        )),
        "{got:#?}"
    );
    assert_eq!(port.text("a.txt"), "Q\n");
    assert_eq!(port.text(COPY), "quay, precious");
    // By their own names, copies are refused.
    let named = port.run(&format!("apply precious --with P {COPY} --yes"));
    assert!(
        named.status == 3 && named.err.contains("a copy that a run of bquill has made"),
        "{named:#?}"
    );
    port.run("undo --yes").ok();
    assert_eq!(copies(&port).len(), 3);
    assert_eq!(port.text("a.txt"), "quay\n");
}

/// Two users, or two state folders, at work on the same files: each file holds what one of them
/// wrote, and all of them what the same one did.
#[test]
fn two_journals_at_work() {
    for _ in 0..4 {
        let port = Sandbox::new();
        let files: Vec<String> = (0..40).map(|n| format!("{n}.txt")).collect();
        files
            .iter()
            .for_each(|name| port.write(name, format!("quay in {name}\n")));
        let other = tempfile::tempdir().unwrap();
        let start = |with: &str, state: &Path| {
            let mut command = port.command();
            command.args(["apply", "quay", "--with", with, ".", "--yes"]);
            command.env("XDG_STATE_HOME", state);
            command
                .stdin(Stdio::null())
                .stdout(Stdio::null())
                .stderr(Stdio::null());
            command.spawn().unwrap()
        };
        let both = [start("east", port.state()), start("west", other.path())];
        let ended = both.map(|mut child| child.wait().unwrap().success());
        let texts: Vec<String> = files.iter().map(|name| port.text(name)).collect();
        let all = |word: &str| {
            (texts.iter().zip(&files)).all(|(text, name)| *text == format!("{word} in {name}\n"))
        };
        assert!(
            all("east") && ended[0] || all("west") && ended[1] || all("quay"),
            "{ended:?} {texts:?}"
        );
        assert_eq!(copies(&port), Vec::<String>::new());
    }
}

/// One file under two names, however that came about after the preview.
#[test]
fn one_file_under_two_names() {
    type Meddle = fn(&Sandbox);
    let cases: [(&str, Meddle, &str); 4] = [
        (
            "a link",
            |port| {
                fs::remove_file(port.file("b")).unwrap();
                symlink("a", port.file("b")).unwrap();
            },
            "leads elsewhere now: b",
        ),
        (
            "a second name",
            |port| {
                fs::remove_file(port.file("b")).unwrap();
                fs::hard_link(port.file("a"), port.file("b")).unwrap();
            },
            "one file under two names",
        ),
        (
            "a link to the folder",
            |port| {
                fs::create_dir(port.file("c")).unwrap();
                fs::rename(port.file("b"), port.file("c/b")).unwrap();
                fs::remove_file(port.file("a")).unwrap();
                symlink("c/b", port.file("a")).unwrap();
                symlink("c/b", port.file("b")).unwrap();
            },
            "leads elsewhere now: a",
        ),
        ("nothing", |_| {}, ""),
    ];
    for (case, meddle, said) in cases {
        let port = Sandbox::with("a", "quay\n");
        port.write("b", "quay\n");
        port.run("preview quay --with Q a b --save-plan p.plan")
            .ok();
        meddle(&port);
        let before = port.snapshot();
        let got = port.run("apply --yes");
        assert_eq!(
            got.status,
            if said.is_empty() { 0 } else { 3 },
            "{case}: {got:#?}"
        );
        assert!(got.err.contains(said), "{case}: {got:#?}");
        assert_eq!(port.snapshot() == before, !said.is_empty(), "{case}");
        if case == "nothing" {
            // The same path in other words, in a plan.
            let plan = port
                .text("p.plan")
                .replace("\"path\":\"b\"", "\"path\":\"./a\"");
            port.write("a", "quay\n");
            port.write("q.plan", plan);
            for verb in [
                "apply --plan q.plan --yes",
                "apply --plan q.plan --skip-problems --yes",
                "apply --plan q.plan --renew --yes",
            ] {
                let got = port.run(verb);
                assert!(
                    got.status == 3 && got.err.contains("one file under two names"),
                    "{verb}: {got:#?}"
                );
                assert_eq!(port.text("a"), "quay\n", "{verb}");
            }
        }
    }
}

/// Makes run 1 look as if it had been killed once it had put all in place, before its end was
/// recorded.
fn interrupt(port: &Sandbox) {
    let runs = port.state().join("brisk-quill/runs");
    let log = fs::read_to_string(runs.join("1/log")).unwrap();
    let decided: Vec<&str> = log
        .lines()
        .take_while(|line| !line.contains("\"done\""))
        .collect();
    assert!(decided.last().unwrap().contains("\"commit\""), "{log}");
    fs::write(runs.join("1/log"), decided.join("\n") + "\n").unwrap();
    fs::write(runs.join("1.open"), "").unwrap();
}

/// A run whose folder is gone can be neither completed nor rolled back; it is in no one's
/// way, and can be closed.
#[test]
fn there_is_always_a_way_out() {
    let port = Sandbox::new();
    for n in 0..4 {
        port.write(&format!("in/{n}.txt"), "quay\n");
    }
    port.write("other/a.txt", "quay\n");
    port.run("apply quay --with Q in --yes").ok();
    interrupt(&port);
    // Another folder stands in its place.
    fs::rename(port.file("in"), port.file("away")).unwrap();
    port.write("in/1.txt", "edited\n");
    let got = port.run("recover");
    assert!(
        got.status == 3 && got.err.contains("recover --abandon 1"),
        "{got:#?}"
    );
    // Elsewhere one goes on, here not.
    port.run("apply quay --with pier other --yes").ok();
    let here = port.run("apply edited --with pier in/1.txt --yes");
    assert!(
        here.status == 3
            && here
                .err
                .contains("run 1 was interrupted in the same folder"),
        "{here:#?}"
    );
    let closed = port.run("recover --abandon 1").ok();
    for words in [
        "in/0.txt is missing",
        "in/1.txt holds something else",
        "in/2.txt is missing\n  old bytes  not found\n  new bytes  not found",
        "history --forget 1`",
    ] {
        assert!(closed.out.contains(words), "{words}: {closed:#?}");
    }
    assert!(port.run("history").ok().out.contains("abandoned"));
    assert_eq!(port.run("recover --abandon 1").status, 1);
    assert_eq!(port.run("undo 1 --yes").status, 3);
    assert_eq!(port.run("recover --abandon 9").status, 1);
    port.run("apply edited --with pier in/1.txt --yes").ok();
    port.run("history --forget 1 --yes").ok();
}

/// A recovery leaves what another program did, names it, and holds up nothing else; what still
/// holds new bytes, because its old ones are gone, is undone file by file.
#[test]
fn what_others_did_holds_up_nothing() {
    for option in ["", " --back", " --abandon 1"] {
        let port = Sandbox::new();
        for n in 0..4 {
            port.write(&format!("{n}.txt"), "quay\n");
        }
        port.run("apply quay --with Q . --yes").ok();
        interrupt(&port);
        fs::remove_file(port.file("0.txt")).unwrap();
        port.write("1.txt", "edited\n");
        let got = port.run(&format!("recover{option}")).ok();
        for part in ["0.txt ", "1.txt ", "2.txt "] {
            assert!(got.out.contains(part), "{option}: {got:#?}");
        }
        assert!(
            port.run("recover")
                .ok()
                .out
                .contains("No run was interrupted")
        );
        port.run("undo 1 --only 2.txt --yes").ok();
        assert_eq!(port.run("undo 1 --only 1.txt --yes").status, 3);
        let texts = ["1.txt", "2.txt", "3.txt"].map(|name| port.text(name));
        assert_eq!(texts, ["edited\n", "quay\n", "Q\n"], "{option}");
    }
}

/// Files that a complete run could not remove are named, and block nothing.
#[test]
fn what_is_left_over_blocks_nothing() {
    let port = Sandbox::with("a.txt", "quay\n");
    port.run("apply quay --with Q a.txt --yes").ok();
    let state = port.state().join("brisk-quill/runs");
    // As it is when the run is killed between its end and the removal of what was replaced.
    let log = fs::read_to_string(state.join("1/log")).unwrap();
    let lines: Vec<&str> = log.lines().collect();
    assert!(lines.last().unwrap().contains("clean"), "{log}");
    let name = log
        .split("\"staged\":\"")
        .nth(1)
        .unwrap()
        .split('"')
        .next()
        .unwrap()
        .to_owned();
    let undo_clean = |port: &Sandbox| {
        fs::write(
            state.join("1/log"),
            lines[..lines.len() - 1].join("\n") + "\n",
        )
        .unwrap();
        fs::write(state.join("1.open"), "").unwrap();
        port.write(&name, "quay\n");
    };
    undo_clean(&port);
    // The name is right, and the number is not: it belongs to another program.
    let got = port.run("recover").ok();
    assert!(
        got.out.contains("Run 1 was complete") && got.err.contains(&name),
        "{got:#?}"
    );
    assert_eq!(port.text(&name), "quay\n");
    assert!(
        port.run("recover")
            .ok()
            .out
            .contains("No run was interrupted")
    );
    undo_clean(&port);
    fs::remove_dir_all(port.path()).unwrap();
    fs::create_dir(port.path()).unwrap();
    port.write("b.txt", "quay\n");
    port.run("apply quay --with Q b.txt --yes").ok();
    port.run("history --forget 1 --yes").ok();
}

/// The same record twice is what two recoveries at once have left.
#[test]
fn a_surplus_record_is_read() {
    let port = Sandbox::with("a.txt", "quay\n");
    port.run("apply quay --with Q a.txt --yes").ok();
    let log = port.state().join("brisk-quill/runs/1/log");
    let text = fs::read_to_string(&log).unwrap();
    let done = text.lines().rev().nth(1).unwrap();
    fs::write(&log, format!("{text}{done}\n")).unwrap();
    assert!(port.run("history").ok().out.contains("done"));
    port.run("undo --yes").ok();
}

/// A new file has the attributes of the old, and none that its folder would hand down.
#[test]
fn a_folder_hands_nothing_down() {
    let port = Sandbox::with("in/a.txt", "quay\n");
    // user::rw-, user:65534:rwx, group::r--, mask::rwx, other::---
    let entry = |tag: u16, perm: u16, id: u32| {
        [
            &tag.to_le_bytes()[..],
            &perm.to_le_bytes(),
            &id.to_le_bytes(),
        ]
        .concat()
    };
    let none = u32::MAX;
    let list = [
        2u32.to_le_bytes().to_vec(),
        entry(1, 6, none),
        entry(2, 7, 65534),
        entry(4, 4, none),
        entry(0x10, 7, none),
        entry(0x20, 0, none),
    ]
    .concat();
    fs::set_permissions(port.file("in/a.txt"), PermissionsExt::from_mode(0o640)).unwrap();
    if xattr::set(port.file("in"), "system.posix_acl_default", &list).is_err() {
        println!("skipped: there are no access lists here");
        return;
    }
    for command in [
        "apply quay --with Q in --yes",
        "undo --yes",
        "apply quay --with Q in --yes",
    ] {
        port.run(command).ok();
        let found = xattr::get(port.file("in/a.txt"), "system.posix_acl_access").unwrap();
        assert_eq!(found, None, "{command}");
        let mode = port.file("in/a.txt").metadata().unwrap().mode() & 0o777;
        assert_eq!(mode, 0o640, "{command}");
    }
}

/// A plan from elsewhere reads nothing outside of its root, and waits for nothing.
#[test]
fn a_doctored_plan_reads_nothing_else() {
    let port = Sandbox::with("in/a.txt", "quay\n");
    port.write("secret.csv", "quay,secret\n");
    port.write("in/table.csv", "quay,pier\n");
    let make = |table: &str| {
        let mut command = port.command();
        command.current_dir(port.file("in"));
        let got = support::finish(
            command
                .args([
                    "preview",
                    "quay",
                    "--with",
                    "${0 | map table.csv}",
                    "a.txt",
                    "--json",
                ])
                .stdin(Stdio::null()),
        )
        .ok();
        port.write("in/p.plan", got.out.replace("table.csv", table));
    };
    let apply = |line: &str| {
        let mut command = port.command();
        command.current_dir(port.file("in"));
        support::finish(command.args(support::words(line)).stdin(Stdio::null()))
    };
    fs::create_dir(port.file("in/sub")).unwrap();
    symlink("../../secret.csv", port.file("in/sub/link.csv")).unwrap();
    pipe(&port.file("in/sub/pipe.csv"));
    fs::File::create(port.file("in/sub/large.csv"))
        .unwrap()
        .set_len(65 << 20)
        .unwrap();
    for (table, said) in [
        (
            "../secret.csv",
            "a symbolic link, or another folder, stands in its path",
        ),
        (
            "sub/link.csv",
            "a symbolic link, or another folder, stands in its path",
        ),
        ("sub/pipe.csv", "not a regular file"),
        (
            "/dev/zero",
            "a symbolic link, or another folder, stands in its path",
        ),
        ("sub/large.csv", "larger than 64 MiB"),
    ] {
        make(table);
        let got = apply("apply --plan p.plan --renew --yes");
        assert!(
            got.status == 2 && got.err.contains(said),
            "{table}: {got:#?}"
        );
        assert_eq!(port.text("in/a.txt"), "quay\n", "{table}");
        // Without being evaluated again, it is what it says it is, and no table is needed.
        apply("apply --plan p.plan --yes").ok();
        assert_eq!(port.text("in/a.txt"), "pier\n", "{table}");
        apply("undo --yes").ok();
    }
    // What the command line names may lie anywhere, but must be a file.
    let got = port.run("preview quay --with '${0 | map in/sub/pipe.csv}' in/a.txt");
    assert!(
        got.status == 2 && got.err.contains("a pipe that nobody writes to"),
        "{got:#?}"
    );
}

/// Files of bquill's own are not rewritten.
#[test]
fn the_journal_is_not_rewritten() {
    let port = Sandbox::with("a.txt", "quay\n");
    let run = |line: &str| {
        let mut command = port.command();
        command.env("XDG_STATE_HOME", port.file("state"));
        support::finish(command.args(support::words(line)).stdin(Stdio::null()))
    };
    run("apply quay --with 'quay 7' . --yes").ok();
    let found = run("find quay . --hidden --json").ok();
    assert_eq!(found.of_kind("match").len(), 1, "{found:#?}");
    let log = "state/brisk-quill/runs/1/log";
    let before = port.read(log);
    for line in [
        format!("apply quay --with Q {log} --yes"),
        "find quay state/brisk-quill".into(),
    ] {
        let got = run(&line);
        assert!(
            got.status == 3 && got.err.contains("part of bquill's own state"),
            "{got:#?}"
        );
    }
    port.write(
        "p.plan",
        run("preview quay --with Q a.txt --json")
            .ok()
            .out
            .replace("\"a.txt\"", &format!("\"{log}\"")),
    );
    let got = run("apply --plan p.plan --yes");
    assert!(got.err.contains("part of bquill's own state"), "{got:#?}");
    assert_eq!(port.read(log), before);
    run("undo --yes").ok();
}

/// Pipes, sockets and devices keep no one waiting.
#[test]
fn what_is_no_file_is_refused_at_once() {
    let port = Sandbox::with("a.txt", "quay\n");
    pipe(&port.file("p"));
    let _socket = std::os::unix::net::UnixListener::bind(port.file("s")).unwrap();
    for line in [
        "apply quay --with Q p --yes",
        "apply quay --with Q s --yes",
        "apply quay --with Q a.txt /dev/null --yes",
        "infer --edited p a.txt",
    ] {
        let got = port.run(line);
        assert!(
            got.status == 3 && got.err.contains("not a regular file")
                || got.err.contains("neither a file"),
            "{line}: {got:#?}"
        );
    }
    assert_eq!(port.text("a.txt"), "quay\n");
    // A target that has become a pipe since.
    port.run("preview quay --with Q a.txt").ok();
    fs::remove_file(port.file("a.txt")).unwrap();
    pipe(&port.file("a.txt"));
    let got = port.run("apply --yes");
    assert!(
        got.status == 3 && got.err.contains("not a regular file"),
        "{got:#?}"
    );
    fs::remove_file(port.file("a.txt")).unwrap();
    port.write("a.txt", "quay\n");
    port.run("apply quay --with Q a.txt --yes").ok();
    fs::remove_file(port.file("a.txt")).unwrap();
    pipe(&port.file("a.txt"));
    assert_eq!(port.run("undo --yes").status, 3);
}

/// The first signal ends a wait for what no one writes.
#[test]
fn a_signal_ends_a_wait() {
    for line in [
        "find quay p",
        "apply quay --with Q -",
        "find quay -",
        "preview quay --with Q p",
    ] {
        let port = Sandbox::new();
        pipe(&port.file("p"));
        let mut child = spawn(&port, line);
        // It is kept waiting: by a pipe that nobody opens, or one that nobody writes to.
        std::thread::sleep(std::time::Duration::from_millis(150));
        assert!(child.try_wait().unwrap().is_none(), "{line}");
        kill_process(Pid::from_child(&child), Signal::INT).unwrap();
        let held_open = child.stdin.take();
        let status = child.wait().unwrap();
        drop(held_open);
        let signal = std::os::unix::process::ExitStatusExt::signal(&status);
        assert_eq!(signal, Some(Signal::INT.as_raw()), "{line}: {status:?}");
    }
}

/// Nothing is written elsewhere when a folder is swapped for a link while a plan is applied.
#[test]
fn a_folder_swapped_for_a_link() {
    let port = Sandbox::new();
    for n in 0..30 {
        port.write(&format!("root/in/{n}.txt"), "quay\n");
        port.write(&format!("outside/{n}.txt"), "quay\n");
    }
    let before: Vec<_> = port
        .snapshot()
        .into_iter()
        .filter(|(path, _)| path.starts_with("outside"))
        .collect();
    let run = |line: &str| {
        let mut command = port.command();
        command.current_dir(port.file("root"));
        command.args(support::words(line)).stdin(Stdio::null());
        command
    };
    support::finish(&mut run("preview quay --with Q in --save-plan p.plan")).ok();
    let done = std::sync::atomic::AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            let (real, away) = (port.file("root/in"), port.file("root/away"));
            while !done.load(std::sync::atomic::Ordering::Relaxed) {
                let _ = fs::rename(&real, &away);
                let _ = symlink("../outside", &real);
                let _ = fs::remove_file(&real);
                let _ = fs::rename(&away, &real);
            }
        });
        for _ in 0..25 {
            let got = support::finish(&mut run("apply --plan p.plan --yes"));
            if got.status == 0 {
                support::finish(&mut run("undo --yes"));
            }
            let _ = support::finish(&mut run("recover"));
        }
        done.store(true, std::sync::atomic::Ordering::Relaxed);
    });
    let after: Vec<_> = port
        .snapshot()
        .into_iter()
        .filter(|(path, _)| path.starts_with("outside"))
        .collect();
    assert_eq!(after, before);
}

/// No template takes all memory.
#[test]
fn templates_have_limits() {
    let port = Sandbox::with("a.txt", "quay\n");
    for (with, status, said) in [
        (
            "${0 | pad 99999999999}",
            2,
            "fills to at most 100000 characters",
        ),
        (
            "${0 | pad-right 100001 x}",
            2,
            "fills to at most 100000 characters",
        ),
        (
            "${0 | pad 90000 | swap 0 0000000000000000000000000000}",
            3,
            "over 1 MiB longer than the match",
        ),
        (
            "${0 | swap q qqqqqqqqqqqqqqqq | swap q qqqqqqqqqqqqqqqq | swap q qqqqqqqqqqqqqqqq | swap q qqqqqqqqqqqqqqqq | swap q qqqqqqqqqqqqqqqq | swap q qqqqqqqqqqqqqqqq}",
            3,
            "over 1 MiB longer than the match",
        ),
    ] {
        let got = port.args(&["apply", "quay", "--with", with, "a.txt", "--yes"]);
        assert!(
            got.status == status && got.err.contains(said),
            "{with}: {got:#?}"
        );
    }
    port.write("long.txt", "q".repeat(700));
    let got = port.run("apply q --with '${0 | pad-right 99999}' --unit text long.txt --yes");
    assert!(
        got.status == 3 && got.err.contains("over 64 MiB longer than the old"),
        "{got:#?}"
    );
    assert_eq!(port.text("a.txt"), "quay\n");
}

/// A file that may not grow ends nothing by a signal, leaves no temporary file, and no run.
#[test]
fn a_size_limit_leaves_nothing() {
    let port = Sandbox::with("a.txt", "quay 7\n".repeat(4_000));
    let before = port.snapshot();
    for (line, bytes) in [
        ("preview quay --with Q a.txt", 1 << 10),
        ("preview quay --with Q a.txt --save-plan p.plan", 1 << 10),
        ("apply quay --with Q a.txt --to out/b.txt", 1 << 10),
        ("apply quay --with Q a.txt --yes", 1 << 10),
        ("apply quay --with Q a.txt --yes", 0),
    ] {
        let got = port.run_limited(bytes, line);
        let keeps_nothing = line.ends_with("a.txt") && line.starts_with("preview");
        assert_eq!(
            got.status,
            if keeps_nothing { 0 } else { 3 },
            "{line}: {got:#?}"
        );
        assert_eq!(port.snapshot(), before, "{line}");
        assert!(!port.file("out").exists(), "{line}");
        let told = port.run("find port a.txt");
        assert!(told.err.is_empty(), "{line}: {told:#?}");
        assert!(
            port.run("history")
                .ok()
                .out
                .contains("No run has been made"),
            "{line}"
        );
    }
    port.run("apply quay --with Q a.txt --yes").ok();
}

/// Files that a killed program has left are removed at the next start, and nothing else.
#[test]
fn a_killed_program_leaves_nothing_for_long() {
    let port = Sandbox::with("a.txt", "quay\n".repeat(200_000));
    for line in [
        "preview quay --with Q a.txt z.pipe --save-plan p.plan",
        "apply quay --with Q a.txt z.pipe --to out",
    ] {
        pipe(&port.file("z.pipe"));
        let mut child = spawn(&port, line);
        let started = std::time::Instant::now();
        while copies(&port).is_empty() && started.elapsed().as_secs() < 20 {
            std::thread::yield_now();
        }
        child.kill().unwrap();
        child.wait().unwrap();
        fs::remove_file(port.file("z.pipe")).unwrap();
        assert!(!copies(&port).is_empty(), "{line}: something was left");
        port.write(COPY, "precious");
        port.run("preview quay --with Q a.txt --show 0").ok();
        assert_eq!(copies(&port), [COPY], "{line}");
        fs::remove_file(port.file(COPY)).unwrap();
        let lists = port.state().join("brisk-quill/temporary");
        assert_eq!(fs::read_dir(lists).unwrap().count(), 0, "{line}");
    }
}

/// `--to` looks at every place first, and writes through what is not a regular file.
#[test]
fn outputs_that_are_no_new_files() {
    let port = Sandbox::with("in/a.txt", "quay\n");
    port.write("in/z.txt", "quay\n");
    fs::create_dir_all(port.file("out/in/z.txt")).unwrap();
    let got = port.run("apply quay --with Q in --to out --overwrite");
    assert!(
        got.status == 3 && got.err.contains("a folder of this name: out/in/z.txt"),
        "{got:#?}"
    );
    assert!(
        !port.file("out/in/a.txt").exists(),
        "nothing was written before"
    );
    port.write("file", "");
    let got = port.run("apply quay --with Q in --to file");
    assert!(
        got.status == 3 && got.err.contains("a file stands where a folder is needed"),
        "{got:#?}"
    );
    // Links lead to what is written, also where that is not there yet.
    fs::create_dir(port.file("far")).unwrap();
    symlink("far/new.txt", port.file("link")).unwrap();
    port.run("apply quay --with Q in/a.txt --to link").ok();
    assert_eq!(
        (
            port.text("far/new.txt").as_str(),
            port.file("link").is_symlink()
        ),
        ("Q\n", true)
    );
    // Overwriting has a word of its own, keeps the mode, and is undone.
    fs::set_permissions(port.file("far/new.txt"), PermissionsExt::from_mode(0o604)).unwrap();
    assert_eq!(
        port.run("apply quay --with R in/a.txt --to link --yes")
            .status,
        3
    );
    let got = port
        .run("apply quay --with R in/a.txt --to link --overwrite")
        .ok();
    assert!(got.err.contains("1 file overwritten: run 1"), "{got:#?}");
    assert_eq!(
        (
            port.text("far/new.txt").as_str(),
            port.file("link").is_symlink()
        ),
        ("R\n", true)
    );
    assert_eq!(
        port.file("far/new.txt").metadata().unwrap().mode() & 0o777,
        0o604
    );
    assert!(port.run("history").ok().out.contains("`quay` becomes `R`"));
    port.run("undo --yes").ok();
    assert_eq!(port.text("far/new.txt"), "Q\n");
    // Standard output, by either name.
    for to in ["-", "/dev/stdout"] {
        let got = port
            .run(&format!("apply quay --with Q in/a.txt --to {to}"))
            .ok();
        assert_eq!(got.out, "Q\n", "{to}");
    }
    let got = port.run("apply quay --with Q in --to -");
    assert!(
        got.status == 2 && got.err.contains("only one file fits"),
        "{got:#?}"
    );
    // A pipe stays a pipe, and gets the bytes.
    pipe(&port.file("p"));
    let reader = std::thread::spawn({
        let path = port.file("p");
        move || fs::read(path).unwrap()
    });
    port.run("apply quay --with Q in/a.txt --to p").ok();
    assert_eq!(reader.join().unwrap(), b"Q\n");
    assert!(port.file("p").metadata().unwrap().file_type().is_fifo());
    port.run("apply quay --with Q in/a.txt --to /dev/null").ok();
    assert!(
        Path::new("/dev/null")
            .metadata()
            .unwrap()
            .file_type()
            .is_char_device()
    );
}

/// Signs that turn text about, or show as nothing.
const HIDDEN: &str = "\u{202e}\u{200b}\u{3164}\u{115f}\u{fe0f}\u{e0101}\u{180e}";

/// A character that must not reach a terminal as it is.
fn drives(c: char) -> bool {
    (c.is_control() && c != '\n') || HIDDEN.contains(c)
}

/// A rewrite whose title, pattern and template hold some characters.
fn hostile(signs: &[char]) -> String {
    let escaped = |c: &char| format!("\\U{:08X}[31m", u32::from(*c));
    let c: String = signs.iter().map(escaped).collect();
    format!(
        "title = \"t{c}\"\n[[step]]\nmatch = \"q{}\"\nwith = \"Q{c}\"\n",
        c.replace('[', "\\\\[")
    )
}

/// Everything that anybody can write, in every message: nothing of it drives the terminal.
#[test]
fn no_control_reaches_the_terminal() {
    let controls = ('\u{1}'..='\u{1f}')
        .chain('\u{7f}'..='\u{9f}')
        .chain(HIDDEN.chars());
    let controls: Vec<char> = controls.filter(|c| *c != '\n').collect();
    for signs in controls.chunks(8) {
        let port = Sandbox::new();
        let each = |write: fn(&char) -> String| signs.iter().map(write).collect::<String>();
        let c = each(|c| format!("{c}[31m"));
        let odd = format!("a{c}.txt");
        port.write(&odd, format!("quay {c} 7\n"));
        port.write("t.csv", format!("berth{c},note\n7,{c}x\n"));
        port.write(
            "r.toml",
            format!(
                "[[step]]\nmatch = \"quay{}\"\nwit{c}h = \"Q\"\n",
                each(|c| format!("\\U{:08X}", u32::from(*c)))
            ),
        );
        port.write("h.toml", hostile(signs));
        port.write("e.csv", format!("quay 7,Q{c} 7\nquay 8,Q{c} 8\n"));
        let plan = port.args(&["preview", "quay", "--with", "Q", &odd, "--json"]);
        port.write(
            "p.plan",
            plan.out
                .replace("\"encoding\"", &format!("\"enc{c}oding\"")),
        );
        let o = &*odd;
        let word = |before: &str| format!("{before}{c}");
        let lines: Vec<Vec<String>> = [
            vec!["find", "quay", o],
            vec!["find", "quay", o, "--json"],
            vec!["find", "quay", "missing", "X"],
            vec!["find", "(quayX"],
            vec!["find", "quay", "--bogusX"],
            vec!["find", "quay", "--lines", "3X"],
            vec!["find", "quay", "--columns", "berthX", "t.csv"],
            vec!["find", "7", "--columns", "1", "t.csv"],
            vec!["find", "7", "--columns", "1", "t.csv", "--json"],
            vec!["find", "quay", "--unit", "X"],
            vec!["find", "quay", "--include", "[X"],
            vec!["find", "quay", "--encoding", "X"],
            vec!["preview", "quay", "--with", "${9X}", o],
            vec!["preview", "quay", "--with", "${0 | mapX q}", o],
            vec!["preview", "quay", "--with", "X", o],
            vec!["preview", "quay", "--with", "X", o, "--json"],
            vec!["preview", "quay", "--with", "X", o, "--diff"],
            vec!["preview", "quay", "--with", "X", o, "--kinds"],
            vec!["preview", "--rewrite", "r.toml", o],
            vec!["preview", "--rewrite", "X"],
            vec!["apply", "--plan", "p.plan", "--yes"],
            vec!["apply", "--plan", "X", "--yes"],
            vec!["apply", "quay", "--with", "${0 | add 1}X", o, "--yes"],
            vec!["apply", "quay", "--with", "X", o, "--yes"],
            vec!["history"],
            vec!["history", "1"],
            vec!["history", "--json"],
            vec!["history", "1", "--json"],
            vec!["history", "X"],
            vec!["undo", "--yes", "--only", "X"],
            vec!["undo", "--yes"],
            vec!["shapes", o],
            vec!["shapes", o, "--json"],
            vec!["tally", "quay.*", o],
            vec!["tally", "quay.*", o, "--json"],
            vec!["check", "pier", o],
            vec!["check", "pier", o, "--json"],
            vec!["explain", "quayX", "--with", "X"],
            vec!["explain", "(X"],
            vec!["X"],
            vec!["recover", "--abandon", "X"],
            vec!["explain", "--rewrite", "h.toml"],
            vec!["preview", "--rewrite", "h.toml", o],
            vec!["test", "h.toml"],
            vec!["infer", "--examples", "e.csv", o],
            vec!["infer", "--example", "quay 7", "QX", o],
            vec!["infer", "--example", "quay 7", "QX", o, "--json"],
        ]
        .iter()
        .map(|line| {
            line.iter()
                .map(|part| {
                    if part.contains('X') {
                        word(&part.replace('X', ""))
                    } else {
                        (*part).to_owned()
                    }
                })
                .collect()
        })
        .collect();
        for line in lines {
            let got = port.args(&line);
            for (name, text) in [("output", &got.out), ("messages", &got.err)] {
                let bad = text.chars().find(|c| drives(*c));
                // A diff is for programs, and holds what the file holds.
                let raw = line.iter().any(|part| part == "--diff") && name == "output";
                assert!(
                    bad.is_none() || raw,
                    "{c:?} in {line:?}: {bad:?} in {name}: {text:?}"
                );
            }
        }
    }
}

/// The command that a desk leaves behind reads back in a shell, and drives nothing.
#[test]
fn a_printed_command_is_quoted() {
    for c in ['\u{1b}', '\u{9b}', '\u{3164}'] {
        let port = Sandbox::with("a.txt", format!("q{c}[31m 7\n"));
        port.write("h.toml", hostile(&[c]));
        let mut term = Term::new(&port, 120, 30, &["draft", "--rewrite", "h.toml", "a.txt"]);
        term.wait(&["1 match"]);
        term.press("\r", &["views"]);
        term.press("q", &["leave?"]);
        term.try_press("p");
        let (status, screen) = term.end();
        assert_eq!(status, 0, "{screen}");
        let (_, command) = screen.rsplit_once("bquill preview").expect(&screen);
        assert!(command.contains("$'"), "{command:?}");
        assert!(!command.contains(c), "{command:?}");
    }
}

/// A history in JSON says where files are whose names are not UTF-8.
#[test]
fn odd_names_in_the_history() {
    use std::os::unix::ffi::OsStringExt;
    let port = Sandbox::new();
    let odd = std::ffi::OsString::from_vec(b"a\xff.txt".to_vec());
    fs::write(port.path().join(&odd), "quay \u{1}\n").unwrap();
    port.run("apply quay --with Q . --yes").ok();
    let run = &port.run("history 1 --json").ok().of_kind("run")[0];
    assert_eq!(run["paths_b64"][0], "Yf8udHh0");
    let run = &port.run("history --json").ok().of_kind("run")[0];
    assert_eq!(run["paths"][0], "a\u{fffd}.txt");
}

/// As another user than root: what cannot be kept refuses, or is written in place.
#[test]
fn files_that_cannot_be_replaced() {
    if !rustix::process::geteuid().is_root() {
        println!("skipped: only root can make such files");
        return;
    }
    let port = Sandbox::with("a.txt", "quay\n");
    // `run_bound` gives everything to user 65534; its group is given away afterwards.
    port.run_bound("find quay a.txt").ok();
    rustix::fs::chown(
        port.file("a.txt"),
        None,
        Some(rustix::fs::Gid::from_raw(4321)),
    )
    .unwrap();
    fs::set_permissions(port.file("a.txt"), PermissionsExt::from_mode(0o4755)).unwrap();
    let before = port.file("a.txt").metadata().unwrap();
    let bound = |line: &str| {
        use std::os::unix::process::CommandExt;
        let mut command = std::process::Command::new(port.state().join("bquill"));
        command
            .current_dir(port.path())
            .env("XDG_STATE_HOME", port.state());
        command
            .args(support::words(line))
            .stdin(Stdio::null())
            .uid(65534)
            .gid(65534);
        support::finish(&mut command)
    };
    bound("apply quay --with Q a.txt --yes").ok();
    let after = port.file("a.txt").metadata().unwrap();
    assert_eq!(port.text("a.txt"), "Q\n");
    assert_eq!(
        (after.ino(), after.gid(), after.mode()),
        (before.ino(), before.gid(), before.mode()),
        "in place, and with all its bits"
    );
    bound("undo --yes").ok();
    // A folder that may be written in and not read.
    port.write("in/b.txt", "quay\n");
    for path in ["in", "in/b.txt"] {
        let owner = rustix::fs::Uid::from_raw(65534);
        rustix::fs::chown(port.file(path), Some(owner), None).unwrap();
    }
    fs::set_permissions(port.file("in"), PermissionsExt::from_mode(0o333)).unwrap();
    bound("apply quay --with Q in/b.txt --yes").ok();
    assert_eq!(port.text("in/b.txt"), "Q\n");
    let capability = [1, 0, 0, 2, 0, 4, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];
    if xattr::set(port.file("a.txt"), "security.capability", &capability).is_ok() {
        let got = bound("apply quay --with Q a.txt --yes");
        assert!(
            got.status == 3 && got.err.contains("capabilities"),
            "{got:#?}"
        );
        assert_eq!(port.text("a.txt"), "quay\n");
        // Root can give them back.
        port.run("apply quay --with Q a.txt --yes").ok();
        let kept = xattr::get(port.file("a.txt"), "security.capability").unwrap();
        assert_eq!(kept.as_deref(), Some(&capability[..]));
    }
}

/// Attributes of a file stay, and a mounted file is written where it stands.
#[test]
fn flags_and_mounts() {
    use rustix::fs::{IFlags, ioctl_getflags, ioctl_setflags};
    let port = Sandbox::with("a.txt", "quay\n");
    let file = || fs::File::open(port.file("a.txt")).unwrap();
    let flags = ioctl_getflags(file()).unwrap_or(IFlags::empty());
    let set = |flags| ioctl_setflags(file(), flags).is_ok();
    if set(flags | IFlags::NODUMP) {
        port.run("apply quay --with Q a.txt --yes").ok();
        assert_eq!(ioctl_getflags(file()).unwrap(), flags | IFlags::NODUMP);
        for mark in [IFlags::IMMUTABLE, IFlags::APPEND] {
            if set(flags | mark) {
                let got = port.run("apply Q --with R a.txt --yes");
                assert!(set(flags), "it can be removed again");
                assert!(
                    got.status == 3 && got.err.contains("marked as unchangeable"),
                    "{got:#?}"
                );
                assert_eq!(port.text("a.txt"), "Q\n");
            }
        }
    } else {
        println!("skipped: there are no flags here");
    }
    port.write("a.txt", "quay\n");
    port.write("b.txt", "quay, mounted\n");
    let mount = |args: &[&str]| {
        let done = std::process::Command::new(args[0])
            .args(&args[1..])
            .current_dir(port.path())
            .stderr(Stdio::null())
            .status();
        done.is_ok_and(|done| done.success())
    };
    if !mount(&["mount", "--bind", "b.txt", "a.txt"]) {
        println!("skipped: nothing can be mounted here");
        return;
    }
    let got = port.run("apply quay --with Q a.txt --yes");
    assert!(mount(&["umount", "a.txt"]));
    got.ok();
    assert_eq!(
        (port.text("a.txt").as_str(), port.text("b.txt").as_str()),
        ("quay\n", "Q, mounted\n")
    );
    assert_eq!(copies(&port), Vec::<String>::new());
}

/// An explanation grows as its pattern does, however deep its groups are.
#[test]
fn deep_groups_are_explained() {
    let sandbox = Sandbox::new();
    let explained = |deep: usize| {
        let pattern = format!(
            "{}{}{}",
            "(".repeat(deep),
            "ab".repeat(4 * deep),
            ")".repeat(deep)
        );
        sandbox.args(&["explain", &pattern]).ok().out.len()
    };
    let (once, twice) = (explained(100), explained(200));
    assert!(twice < 3 * once, "{once} bytes, then {twice}");
}
