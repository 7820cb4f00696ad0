//! The bar on a terminal: there while something takes long, gone when it is done, never elsewhere.

use crate::support::{self, Sandbox};
use portable_pty::{CommandBuilder, PtySize, native_pty_system};
use std::fs::File;
use std::io::{Read, Write};
use std::num::NonZero;

/// A file, and a pipe that can be held open.
fn port() -> Sandbox {
    let port = Sandbox::with("a.txt", "quay 7\n".repeat(500));
    let mode = rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR;
    rustix::fs::mkfifoat(rustix::fs::CWD, port.file("z.pipe"), mode).unwrap();
    port
}

/// Sentences and endings of the verbs.
const LINES: [(&str, &str); 3] = [
    ("preview quay --with Q --show 1 a.txt z.pipe", "  changes  "),
    ("find quay --show 1 a.txt z.pipe", "  matches  "),
    ("extract quay --show 1 a.txt z.pipe", "501 rows of 2 files."),
];

#[test]
fn a_bar_comes_and_goes() {
    for (line, end) in LINES {
        let port = port();
        let pair = native_pty_system().openpty(PtySize::default()).unwrap();
        let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_bquill"));
        command.args(line.split(' '));
        command.cwd(port.path());
        command.env("XDG_STATE_HOME", port.state());
        command.env("TERM", "xterm");
        let mut child = pair.slave.spawn_command(command).unwrap();
        drop(pair.slave);
        let mut writer = File::options().write(true).open(port.file("z.pipe"));
        writer.as_mut().unwrap().write_all(b"quay 8\n").unwrap();
        let (rows, columns) = (NonZero::new(24).unwrap(), NonZero::new(80).unwrap());
        let mut reader = pair.master.try_clone_reader().unwrap();
        let mut screen = vt100::Parser::new(rows, columns, 0);
        let mut bytes = [0; 4096];
        // The bar is waited for however long it takes to come.
        while !screen.screen().contents().contains(" read, ") {
            let read = reader.read(&mut bytes).unwrap();
            assert!(read > 0, "{line}");
            screen.process(&bytes[..read]);
        }
        let shown = screen.screen().contents();
        assert!(shown.contains("3.42 KiB"), "{line}: {shown}");
        assert!(
            shown.starts_with("In ") || shown.contains("\nIn "),
            "{line}: {shown}"
        );
        drop(writer);
        while let Ok(read @ 1..) = reader.read(&mut bytes) {
            screen.process(&bytes[..read]);
        }
        let shown = screen.screen().contents();
        assert!(!shown.contains(" read, "), "{line}: {shown}");
        assert!(shown.contains(end), "{line}: {shown}");
        assert!(child.wait().unwrap().success(), "{line}");
    }
}

#[test]
fn no_bar_elsewhere() {
    for (line, end) in LINES {
        let port = port();
        let mut command = port.command();
        command
            .args(line.split(' '))
            .stdin(std::process::Stdio::null());
        let writer = std::thread::spawn({
            let pipe = port.file("z.pipe");
            move || std::fs::write(pipe, "quay 8\n").unwrap()
        });
        let got = support::finish(&mut command).ok();
        writer.join().unwrap();
        assert!(!got.out.contains('\u{1b}') && got.err.is_empty(), "{got:?}");
        // Elsewhere than on a terminal, `extract` writes a table for programs.
        let end = if line.starts_with("extract") {
            "quay"
        } else {
            end
        };
        assert!(got.out.contains(end), "{line}: {got:?}");
    }
}
