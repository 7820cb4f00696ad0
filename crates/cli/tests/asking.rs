//! `apply` on a terminal: it shows the counts and asks.

use crate::support::Sandbox;
use portable_pty::{CommandBuilder, PtySize, native_pty_system};
use std::io::{Read, Write};

/// Runs `apply` in a pseudo-terminal; `answer` sees the question's screen and gives the reply.
fn ask(sandbox: &Sandbox, answer: impl FnOnce() -> &'static str) -> (u32, String) {
    let pair = native_pty_system().openpty(PtySize::default()).unwrap();
    let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_bquill"));
    command.args(["apply", "quay", "--with", "Q", "a.txt"]);
    command.cwd(sandbox.path());
    command.env("XDG_STATE_HOME", sandbox.state());
    let mut child = pair.slave.spawn_command(command).unwrap();
    drop(pair.slave);
    let mut reader = pair.master.try_clone_reader().unwrap();
    let mut writer = pair.master.take_writer().unwrap();
    let mut screen = Vec::new();
    let mut byte = [0];
    while !screen.ends_with(b"[y/N] ") {
        assert_eq!(reader.read(&mut byte).unwrap(), 1);
        screen.push(byte[0]);
    }
    writer.write_all(answer().as_bytes()).unwrap();
    // The terminal reports an error instead of an end when the program has gone.
    while matches!(reader.read(&mut byte), Ok(1)) {
        screen.push(byte[0]);
    }
    let status = child.wait().unwrap().exit_code();
    (status, String::from_utf8_lossy(&screen).into_owned())
}

#[test]
fn the_answer_decides() {
    for (reply, status, text, said) in [
        ("y\r", 0, "Q 7\n", "Wrote 1 change in 1 file: run 1."),
        ("n\r", 1, "quay 7\n", "Nothing has been written."),
        ("\r", 1, "quay 7\n", "Nothing has been written."),
        ("\u{4}", 1, "quay 7\n", "Nothing has been written."),
    ] {
        let sandbox = Sandbox::with("a.txt", "quay 7\n");
        let (ended, screen) = ask(&sandbox, || reply);
        assert!(
            screen.contains("Write 1 change in 1 file? [y/N]"),
            "{screen}"
        );
        assert!(screen.contains(said), "{screen}");
        assert_eq!(
            (ended, sandbox.text("a.txt").as_str()),
            (status, text),
            "{reply:?}"
        );
    }
}

#[test]
fn a_file_that_changes_while_the_question_stands_is_left_alone() {
    let sandbox = Sandbox::with("a.txt", "quay 7\n");
    let (status, screen) = ask(&sandbox, || {
        sandbox.write("a.txt", "quay 7, and more\n");
        "y\r"
    });
    assert_eq!(status, 3, "{screen}");
    assert!(
        screen.contains("changed since its changes were computed"),
        "{screen}"
    );
    assert_eq!(sandbox.text("a.txt"), "quay 7, and more\n");
}

/// There is nothing to tidy up while it waits, so an interrupt ends it at once.
#[test]
fn an_interrupt_is_an_answer() {
    let sandbox = Sandbox::with("a.txt", "quay 7\n");
    let (status, screen) = ask(&sandbox, || "\u{3}");
    assert_ne!(status, 0, "{screen}");
    assert!(!screen.contains("Wrote"), "{screen}");
    assert_eq!(sandbox.text("a.txt"), "quay 7\n");
    let got = sandbox.run("history");
    assert!(!got.out.contains("run 1"), "{got:?}");
}
