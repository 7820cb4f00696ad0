//! A draft in a pseudo-terminal: how soon a key is answered while a tree is evaluated.
//!
//! The floor for keys is a bare program on the same screen library that echoes what is typed; for
//! rows and counts it is `find` with the same pattern.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, time_of};
use crossterm::event::{Event, KeyCode, read};
use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use std::fs;
use std::io::{Read, Write};
use std::num::NonZero;
use std::path::Path;
use std::process::Command;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

const FILES: usize = 15_000;
const COLUMNS: u16 = 140;
const ROWS: u16 = 44;
/// Keys typed in a round, and the time between two of them, in which the evaluation goes on.
const KEYS: usize = 100;
const BETWEEN: Duration = Duration::from_millis(40);
/// Of this many keys all but one in twenty are answered within the time that is compared.
const PERCENTILE: usize = 95;
/// The longest time an answer may take.
const PATIENCE: Duration = Duration::from_secs(60);

const PATTERN: &str = r"berth (\d+)";

/// Measures it.
pub fn run(table: &mut Table, count: usize) {
    let tree = corpus::tree(FILES);
    let mut of_keys = Vec::new();
    let mut of_rows = Vec::new();
    let mut of_counts = Vec::new();
    let mut peak = 0;
    let find = |option: &[&str]| {
        let mut command = bquill();
        command.args(["find", PATTERN]).args(option).arg(&tree);
        command
    };
    let matches = count_of(&mut find(&["--count"]));
    for round in 0..=count {
        let mut echo = Screen::start(&mut floor("echo"));
        let echoed = echo.keys();
        echo.end();
        let mut draft = Screen::draft(&tree);
        let rows = draft.typed("‹berth");
        draft.end();
        // What was counted once is known, so that is measured anew.
        let mut draft = Screen::draft(&tree);
        let counts = draft.typed(&format!("{matches} matches  "));
        let answered = draft.keys();
        peak = peak.max(draft.peak());
        draft.end();
        let shown = time_of(&mut find(&["--show", "40", "--no-hints"]));
        let counted = time_of(&mut find(&["--count", "--no-hints"]));
        // The first round warms up.
        if round > 0 {
            of_keys.push((echoed, answered));
            of_rows.push((shown, rows));
            of_counts.push((counted, counts));
        }
    }
    let work = "draft: a key while 350 MB are evaluated, 95th percentile, against an echo";
    table.add(work, &Ratio::of(&of_keys), 2.0, Some(peak));
    let work = "draft: a key to the first rows, against `find --show 40`";
    table.add(work, &Ratio::of(&of_rows), 1.5, None);
    let work = "draft: a key to all counts, against `find --count`";
    table.add(work, &Ratio::of(&of_counts), 1.2, None);
}

/// The number of matches, as it is shown.
fn count_of(command: &mut Command) -> String {
    let out = command.output().expect("a program").stdout;
    let text = String::from_utf8_lossy(&out);
    let last = text.lines().next_back().expect("a last line");
    let number = last.split_whitespace().next().expect("a count");
    number.to_owned()
}

/// A program on a terminal.
struct Screen {
    child: Box<dyn Child + Send + Sync>,
    writer: Box<dyn Write + Send>,
    _master: Box<dyn MasterPty + Send>,
    bytes: Receiver<Vec<u8>>,
    parser: vt100::Parser,
}

impl Screen {
    fn start(command: &mut Command) -> Self {
        let size = PtySize {
            cols: COLUMNS,
            rows: ROWS,
            ..PtySize::default()
        };
        let pair = native_pty_system().openpty(size).expect("a terminal");
        let mut builder = CommandBuilder::new(command.get_program());
        builder.args(command.get_args());
        builder.env("TERM", "xterm-256color");
        for (name, value) in command.get_envs() {
            builder.env(name, value.unwrap_or_default());
        }
        builder.cwd(corpus::folder());
        let child = pair.slave.spawn_command(builder).expect("a program");
        drop(pair.slave);
        let mut reader = pair.master.try_clone_reader().expect("a reader");
        let (sender, bytes) = channel();
        std::thread::spawn(move || {
            let mut buffer = [0; 1 << 16];
            while let Ok(read) = reader.read(&mut buffer) {
                if read == 0 || sender.send(buffer[..read].to_vec()).is_err() {
                    return;
                }
            }
        });
        let cells = |n: u16| NonZero::new(n).expect("cells");
        Self {
            child,
            writer: pair.master.take_writer().expect("a writer"),
            _master: pair.master,
            bytes,
            parser: vt100::Parser::new(cells(ROWS), cells(COLUMNS), 0),
        }
    }

    /// A draft of a tree, whose files have been read.
    fn draft(tree: &Path) -> Self {
        let mut command = bquill();
        let words = ["draft", "pilot station", "--no-hints"];
        let mut draft = Self::start(command.args(words).arg(tree));
        draft.wait("nothing matches");
        draft
    }

    /// Puts the pattern into its field; gives the time until the screen shows this.
    fn typed(&mut self, wanted: &str) -> Duration {
        let start = Instant::now();
        // The field is emptied, and the pattern pasted.
        self.write(&format!("\x15\x1b[200~{PATTERN}\x1b[201~"));
        self.wait(wanted);
        start.elapsed()
    }

    fn write(&mut self, keys: &str) {
        self.writer.write_all(keys.as_bytes()).expect("a terminal");
    }

    fn text(&self) -> String {
        self.parser.screen().contents()
    }

    /// Waits until the screen shows this.
    fn wait(&mut self, wanted: &str) {
        while !self.text().contains(wanted) {
            let bytes = self.bytes.recv_timeout(PATIENCE);
            let Ok(bytes) = bytes else {
                panic!("no {wanted:?} on\n{}", self.text())
            };
            self.parser.process(&bytes);
        }
    }

    /// Types keys; gives the time within which most were answered on the screen.
    fn keys(&mut self) -> Duration {
        let mut times = Vec::new();
        let mut typed = String::new();
        for key in 0..KEYS {
            let quiet = Instant::now();
            while quiet.elapsed() < BETWEEN {
                if let Ok(bytes) = self
                    .bytes
                    .recv_timeout(BETWEEN - quiet.elapsed().min(BETWEEN))
                {
                    self.parser.process(&bytes);
                }
            }
            let letter = char::from(b'a' + (key % 26) as u8);
            typed.push(letter);
            let start = Instant::now();
            self.write(&letter.to_string());
            // Only the row that is typed in is looked at: that of all costs more than the answer.
            while !self.has_row_with(&typed) {
                let Ok(bytes) = self.bytes.recv_timeout(PATIENCE) else {
                    panic!("no {typed:?} on\n{}", self.text())
                };
                self.parser.process(&bytes);
            }
            times.push(start.elapsed());
        }
        times.sort();
        times[times.len() * PERCENTILE / 100]
    }

    fn has_row_with(&self, text: &str) -> bool {
        let mut rows = self.parser.screen().rows(0, COLUMNS).take(3);
        rows.any(|row| row.contains(text))
    }

    /// The most memory it held, in KiB.
    fn peak(&self) -> u64 {
        let pid = self.child.process_id().expect("a process");
        let status = fs::read_to_string(format!("/proc/{pid}/status")).unwrap_or_default();
        let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        let kib = line.and_then(|line| line.split_whitespace().next()?.parse().ok());
        kib.unwrap_or(0)
    }

    fn end(mut self) {
        self.write("\x03");
        self.child.wait().expect("an end");
    }
}

/// The floor: echoes what is typed.
pub fn echo() {
    let mut terminal = ratatui::init();
    let mut text = String::new();
    loop {
        let line = Line::from(format!(" pattern   {text}"));
        terminal
            .draw(|frame| frame.render_widget(Paragraph::new(line), frame.area()))
            .expect("a terminal");
        let Ok(Event::Key(key)) = read() else {
            continue;
        };
        match key.code {
            KeyCode::Char('c') if !key.modifiers.is_empty() => break,
            KeyCode::Char(c) => text.push(c),
            KeyCode::Backspace => {
                text.pop();
            }
            _ => {}
        }
    }
    ratatui::restore();
}
