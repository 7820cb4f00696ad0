//! Drives the built program in a pseudo-terminal.

use crate::support::Sandbox;
use portable_pty::{CommandBuilder, MasterPty, PtySize, native_pty_system};
use std::io::{Read, Write};
use std::num::NonZero;
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// The longest time a screen may take to appear; only a failing test waits so long.
const PATIENCE: Duration = Duration::from_secs(20);

/// A program on a terminal.
pub struct Term {
    child: Box<dyn portable_pty::Child + Send + Sync>,
    master: Box<dyn MasterPty + Send>,
    writer: Box<dyn Write + Send>,
    bytes: Receiver<Vec<u8>>,
    screen: vt100::Parser,
}

fn size(cols: u16, rows: u16) -> PtySize {
    PtySize {
        cols,
        rows,
        ..PtySize::default()
    }
}

fn cells(n: u16) -> NonZero<u16> {
    NonZero::new(n).unwrap()
}

impl Term {
    pub fn new(sandbox: &Sandbox, cols: u16, rows: u16, args: &[&str]) -> Self {
        Self::running(sandbox, cols, rows, env!("CARGO_BIN_EXE_bquill"), args)
    }

    /// Another program, which may run ours.
    pub fn running(sandbox: &Sandbox, cols: u16, rows: u16, program: &str, args: &[&str]) -> Self {
        let pair = native_pty_system().openpty(size(cols, rows)).unwrap();
        let mut command = CommandBuilder::new(program);
        command.args(args);
        command.cwd(sandbox.path());
        command.env("XDG_STATE_HOME", sandbox.state());
        command.env("TERM", "xterm-256color");
        command.env_remove("NO_COLOR");
        let child = pair.slave.spawn_command(command).unwrap();
        drop(pair.slave);
        let mut reader = pair.master.try_clone_reader().unwrap();
        let (sender, bytes) = channel();
        std::thread::spawn(move || {
            let mut buffer = [0; 4096];
            while let Ok(n) = reader.read(&mut buffer) {
                if n == 0 || sender.send(buffer[..n].to_vec()).is_err() {
                    return;
                }
            }
        });
        Self {
            child,
            writer: pair.master.take_writer().unwrap(),
            master: pair.master,
            bytes,
            screen: vt100::Parser::new(cells(rows), cells(cols), 0),
        }
    }

    pub fn text(&self) -> String {
        self.screen.screen().contents()
    }

    /// Waits until the screen shows all of these.
    pub fn wait(&mut self, wanted: &[&str]) -> String {
        let start = Instant::now();
        loop {
            let text = self.text();
            if wanted.iter().all(|part| text.contains(part)) {
                return text;
            }
            match self
                .bytes
                .recv_timeout(PATIENCE.saturating_sub(start.elapsed()))
            {
                Ok(bytes) => self.screen.process(&bytes),
                Err(_) => {
                    let _ = self.child.kill();
                    panic!("no {wanted:?} on\n{text}");
                }
            }
        }
    }

    /// Types, then waits until the screen shows this.
    pub fn press(&mut self, keys: &str, wanted: &[&str]) -> String {
        self.writer.write_all(keys.as_bytes()).unwrap();
        self.wait(wanted)
    }

    /// Waits for the end; gives the status and all that was said.
    pub fn end(mut self) -> (u32, String) {
        self.read_to_end();
        let status = self.child.wait().unwrap().exit_code();
        assert!(
            !self.screen.screen().alternate_screen(),
            "the terminal is given back"
        );
        (status, self.text())
    }

    fn read_to_end(&mut self) {
        let start = Instant::now();
        loop {
            let left = PATIENCE.saturating_sub(start.elapsed());
            match self.bytes.recv_timeout(left) {
                Ok(bytes) => self.screen.process(&bytes),
                Err(RecvTimeoutError::Disconnected) => return,
                Err(RecvTimeoutError::Timeout) => {
                    let _ = self.child.kill();
                    panic!("no end on\n{}", self.text());
                }
            }
        }
    }

    /// Gives the terminal another size.
    pub fn resize(&mut self, cols: u16, rows: u16) {
        self.master.resize(size(cols, rows)).unwrap();
        self.screen.screen_mut().set_size(cells(rows), cells(cols));
    }

    /// Sends a signal; gives how the program ended, which has given the terminal back.
    pub fn end_by(mut self, signal: rustix::process::Signal) -> portable_pty::ExitStatus {
        let pid = self.child.process_id().unwrap().cast_signed();
        let pid = rustix::process::Pid::from_raw(pid).unwrap();
        rustix::process::kill_process(pid, signal).unwrap();
        self.read_to_end();
        assert!(!self.screen.screen().alternate_screen());
        self.child.wait().unwrap()
    }

    /// Kills the program at once, so that a terminal that it holds is closed.
    pub fn killed_at_once(mut self) {
        let pid = self.child.process_id().unwrap().cast_signed();
        let pid = rustix::process::Pid::from_raw(pid).unwrap();
        rustix::process::kill_process(pid, rustix::process::Signal::KILL).unwrap();
        self.child.wait().unwrap();
    }

    /// Kills the program, which cannot give anything back.
    pub fn killed(mut self) -> portable_pty::ExitStatus {
        self.child.kill().unwrap();
        self.child.wait().unwrap()
    }

    /// Types; false where the program has ended.
    pub fn try_press(&mut self, keys: &str) -> bool {
        while let Ok(bytes) = self.bytes.try_recv() {
            self.screen.process(&bytes);
        }
        let is_there = self.child.try_wait().unwrap().is_none();
        is_there && self.writer.write_all(keys.as_bytes()).is_ok()
    }
}
