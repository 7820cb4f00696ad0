//! Where bytes go: one buffered standard output, one standard error.

use crate::args::When;
use crate::complaint::Complaint;
use crate::render::{self, Paint};
use crate::status::Status;
use std::io::{self, BufWriter, IsTerminal, Stdout, Write};

/// Columns shown of a line where there is no terminal to tell.
const WIDTH_ELSEWHERE: usize = 240;

/// Problems told one by one; the rest is counted.
const PROBLEMS_TOLD: u64 = 20;

/// The program's own standard streams.
pub struct Output {
    out: BufWriter<Stdout>,
    paint: Paint,
    width: usize,
    terminal: bool,
    color: When,
    problems: u64,
    /// The first failure to write; later writes are dropped.
    failed: Option<io::Error>,
}

impl Output {
    pub fn new(color: When) -> Self {
        let terminal = io::stdout().is_terminal();
        let width = match terminal_size::terminal_size() {
            Some((width, _)) if terminal => usize::from(width.0).max(20),
            _ => WIDTH_ELSEWHERE,
        };
        Self {
            out: BufWriter::with_capacity(1 << 16, io::stdout()),
            paint: Paint::new(wanted(color, terminal)),
            width,
            terminal,
            color,
            problems: 0,
            failed: None,
        }
    }

    /// The colours to use on standard output.
    pub fn paint(&self) -> Paint {
        self.paint
    }

    /// How many columns a line may take.
    pub fn width(&self) -> usize {
        self.width
    }

    /// Whether a person is looking.
    pub fn is_terminal(&self) -> bool {
        self.terminal
    }

    /// Whether the reader has gone: nothing more needs to be computed for it.
    pub fn is_closed(&self) -> bool {
        self.failed.is_some()
    }

    /// Prints `bytes`.
    pub fn print(&mut self, bytes: &[u8]) {
        if self.failed.is_none() {
            self.failed = self.out.write_all(bytes).err();
        }
    }

    /// Brings what has been printed before the reader's eyes.
    pub fn show(&mut self) {
        if self.failed.is_none() {
            self.failed = self.out.flush().err();
        }
    }

    /// Tells on standard error what is wrong.
    pub fn complain(&mut self, complaint: &Complaint) -> Status {
        let text = render::complaint(complaint, wanted(self.color, io::stderr().is_terminal()));
        self.note(&text);
        complaint.status
    }

    /// Tells of one of perhaps many units that were left alone.
    pub fn problem(&mut self, complaint: &Complaint) {
        self.problems += 1;
        if self.problems <= PROBLEMS_TOLD {
            self.complain(complaint);
        }
    }

    /// Writes to standard error.
    pub fn note(&mut self, text: &str) {
        self.show();
        // There is nowhere left to tell that this failed.
        let _ = io::stderr().write_all(text.as_bytes());
    }

    /// Ends the output. A reader that went away early is no failure; a full disk is.
    pub fn close(mut self, status: Status) -> Status {
        self.show();
        if let Some(more) = self.problems.checked_sub(PROBLEMS_TOLD).filter(|n| *n > 0) {
            self.note(&format!("… and {more} more problems\n"));
        }
        match self.failed.take() {
            Some(error) if error.kind() != io::ErrorKind::BrokenPipe => {
                let complaint = Complaint::trouble(format!("cannot write the output: {error}"));
                self.complain(&complaint).max(status)
            }
            _ => status,
        }
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.out.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}

fn wanted(color: When, terminal: bool) -> bool {
    match color {
        When::Always => true,
        When::Never => false,
        When::Auto => {
            let refused = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
            let dumb = std::env::var_os("TERM").is_some_and(|term| term == "dumb");
            terminal && !refused && !dumb
        }
    }
}
