//! Output: one buffered standard output, one standard error.
//!
//! Another thread writes on a [`Page`] of its own, which is printed when its turn comes. What is
//! printed at once is never torn, so a reader sees whole lines.

use crate::args::definitions::When;
use crate::diagnostic::Diagnostic;
use crate::host::{cancel_token, variable};
use crate::progress::{self, Progress};
use crate::render;
use crate::render::highlight::Canvas;
use crate::render::labelled::{Labelled, Role};
use crate::render::paint::Paint;
use crate::status::Status;
use crate::theme::{Background, Theme};
use brisk_quill_core::escape::push_gated;
use brisk_quill_files::source::Source;
use std::io::{self, IsTerminal, Write};
use std::ops::ControlFlow;

/// Columns shown of a line where there is no terminal to say.
const WIDTH_ELSEWHERE: usize = 240;

/// Problems reported one by one; the rest is counted.
const PROBLEMS_TOLD: u64 = 20;

/// Lines after which no blank line is needed.
const FEW_LINES: usize = 3;

/// Bytes held back before they are written.
const BUFFER: usize = 64 << 10;

/// The program's own standard streams.
pub struct Output {
    /// Printed and not yet written.
    out: Vec<u8>,
    paint: Paint,
    width: usize,
    terminal: bool,
    color: When,
    theme: Theme,
    problems: u64,
    /// The remedy of the last of them.
    told_remedy: Option<String>,
    outlives: bool,
    /// Text for a person is left out: a program reads records.
    records: bool,
    /// Lines of text for a person at a terminal.
    lines: usize,
    /// The first failure to write; later writes are dropped.
    failed: Option<io::Error>,
}

/// Output of another thread, until its turn comes.
#[derive(Debug, Default)]
pub struct Page {
    printed: Vec<u8>,
    /// The output before that, and the problems between.
    said: Vec<Said>,
    /// The bytes of that output.
    said_bytes: usize,
    /// Numbers of rows that are to be put in, each with its offset in all output; `None` where they are known at once.
    numbers: Option<Vec<(usize, u64)>>,
    /// The rows before those that are counted.
    rows_before: u64,
}

#[derive(Debug)]
enum Said {
    Printed(Vec<u8>),
    Problem(Diagnostic),
}

impl Page {
    /// Prints data as it is: records, rows, and lines of files for another program.
    pub fn data(&mut self, bytes: &[u8]) {
        self.printed.extend_from_slice(bytes);
    }

    /// The data printed last, where nothing went wrong in between.
    pub fn into_data(self) -> Vec<u8> {
        self.printed
    }

    /// Numbers of rows count from the start of a part, until it is known how many come before.
    pub fn number_later(&mut self) {
        self.numbers = Some(Vec::new());
    }

    /// Prints the number of a row.
    pub fn row_number(&mut self, number: u64) {
        match &mut self.numbers {
            Some(numbers) => numbers.push((self.said_bytes + self.printed.len(), number)),
            None => push_number(&mut self.printed, self.rows_before + number),
        }
    }

    /// Puts in the numbers of rows, where this many rows come before the part; they come before those that follow, too.
    pub fn after_rows(&mut self, rows: u64) {
        self.rows_before = rows;
        let numbers = self.numbers.take().unwrap_or_default();
        if numbers.is_empty() {
            return;
        }
        let mut numbers = numbers.into_iter().peekable();
        let mut done = 0;
        let of_said = self.said.iter_mut().filter_map(|said| match said {
            Said::Printed(bytes) => Some(bytes),
            Said::Problem(_) => None,
        });
        for output in of_said.chain([&mut self.printed]) {
            let mut out = Vec::with_capacity(output.len() + output.len() / 4);
            let mut at = 0;
            while let Some((offset, number)) = numbers.next_if(|(at, _)| *at < done + output.len())
            {
                out.extend_from_slice(&output[at..offset - done]);
                push_number(&mut out, rows + number);
                at = offset - done;
            }
            out.extend_from_slice(&output[at..]);
            done += output.len();
            *output = out;
        }
    }

    /// Prints text for a person, through the gate.
    pub fn say(&mut self, text: &str) {
        let mut gated = String::new();
        push_gated(&mut gated, text);
        self.data(gated.as_bytes());
    }

    /// Reports one of perhaps many units that were left alone.
    pub fn problem(&mut self, diagnostic: Diagnostic) {
        if !self.printed.is_empty() {
            self.said_bytes += self.printed.len();
            self.said
                .push(Said::Printed(std::mem::take(&mut self.printed)));
        }
        self.said.push(Said::Problem(diagnostic));
    }

    /// True if it holds so much that it should be printed soon.
    pub fn is_full(&self) -> bool {
        self.printed.len() > BUFFER || !self.said.is_empty()
    }

    /// Adds what stands on the page after this one, its numbers put in.
    pub fn append(&mut self, next: Self) {
        for said in next.said {
            match said {
                Said::Printed(bytes) => self.data(&bytes),
                Said::Problem(diagnostic) => self.problem(diagnostic),
            }
        }
        self.data(&next.printed);
    }
}

fn push_number(out: &mut Vec<u8>, number: u64) {
    out.extend_from_slice(itoa::Buffer::new().format(number).as_bytes());
}

impl Output {
    pub fn new(color: When, theme: Theme) -> Self {
        let terminal = io::stdout().is_terminal();
        let width = match crossterm::terminal::window_size() {
            Ok(size) if terminal && size.columns > 0 => usize::from(size.columns).max(20),
            _ => WIDTH_ELSEWHERE,
        };
        Self {
            out: Vec::new(),
            paint: Paint::new(wanted((color, theme), terminal)),
            width,
            terminal,
            color,
            theme,
            problems: 0,
            told_remedy: None,
            outlives: false,
            records: false,
            lines: 0,
            failed: None,
        }
    }

    /// Prints a page.
    pub fn print_page(&mut self, page: Page) {
        for said in page.said {
            match said {
                Said::Printed(bytes) => self.data(&bytes),
                Said::Problem(diagnostic) => self.problem(&diagnostic),
            }
        }
        self.data(&page.printed);
    }

    /// The background that standard output has colours for, where it has some.
    pub fn background(&self) -> Option<Background> {
        self.paint.background()
    }

    /// The colours that are wanted.
    pub fn theme(&self) -> Theme {
        self.theme
    }

    /// The columns that a line may take.
    pub fn width(&self) -> usize {
        self.width
    }

    /// The place on which is drawn: on a terminal, lines may go on below.
    pub fn canvas(&self) -> Canvas {
        Canvas {
            width: self.width,
            wraps: self.terminal,
        }
    }

    /// True if a person is looking.
    pub fn is_terminal(&self) -> bool {
        self.terminal
    }

    /// True if reading was stopped because no one listens.
    pub fn is_deserted(&self) -> bool {
        self.failed.is_some() && cancel_token().is_stopped()
    }

    /// There is more to be done than to print, so it does not end with its reader.
    pub fn outlives_its_reader(&mut self) {
        self.outlives = true;
    }

    /// True if to go on: not once the reader has gone, for nothing more needs to be computed for
    /// it, nor once all is to stop.
    pub fn flow(&self) -> ControlFlow<()> {
        let watch = cancel_token();
        if self.failed.is_some() && !self.outlives {
            watch.stop();
        }
        match watch.is_stopped() {
            true => ControlFlow::Break(()),
            false => ControlFlow::Continue(()),
        }
    }

    /// Prints records alone from here on.
    pub fn only_records(&mut self) {
        self.records = true;
    }

    /// True if a program reads records.
    pub fn prints_records(&self) -> bool {
        self.records
    }

    /// Prints text in the look of its labels.
    pub fn draw(&mut self, text: &Labelled) {
        if self.records {
            return;
        }
        let painted = self.paint.draw(text);
        if self.terminal {
            self.lines += painted.matches('\n').count();
        }
        self.data(painted.as_bytes());
    }

    /// Prints text for a person, through the gate.
    pub fn say(&mut self, text: &str) {
        self.draw(&Labelled::from(text));
    }

    /// Prints sentences, through the gate; on a terminal in lines that it holds. What may be copied from there, such as a
    /// path or a command, is not a sentence.
    pub fn prose(&mut self, text: &str) {
        self.draw_prose(&Labelled::from(text));
    }

    /// The same in the look of its labels.
    pub fn draw_prose(&mut self, text: &Labelled) {
        match self.terminal {
            true => self.draw(&text.wrapped(self.width)),
            false => self.draw(text),
        }
    }

    /// Prints data as it is: records, rows, and lines of files for another program.
    pub fn data(&mut self, bytes: &[u8]) {
        self.out.extend_from_slice(bytes);
        if self.out.len() > BUFFER {
            self.show();
        }
    }

    /// The bar of how far reading `sources` has come, below what has been printed.
    pub fn progress(&mut self, sources: &[Source]) -> Progress {
        if self.terminal {
            // Whoever looks sees at once how the request was understood.
            self.show();
        }
        Progress::of(sources)
    }

    /// Brings what has been printed before the reader's eyes.
    pub fn show(&mut self) {
        if self.failed.is_none() && !self.out.is_empty() {
            self.failed = progress::aside(|| {
                let mut stdout = io::stdout().lock();
                stdout.write_all(&self.out).and_then(|()| stdout.flush())
            })
            .err();
        }
        self.out.clear();
    }

    /// Tells on standard error what is wrong.
    pub fn complain(&mut self, diagnostic: &Diagnostic) -> Status {
        let text = render::diagnostic::diagnostic(diagnostic);
        self.note_labelled(&text);
        diagnostic.status
    }

    /// Tells of one of perhaps many units that were left alone.
    pub fn problem(&mut self, diagnostic: &Diagnostic) {
        self.problems += 1;
        if self.problems > PROBLEMS_TOLD {
            return;
        }
        // What to do is said once where it is the same for all.
        match diagnostic.remedy.is_some() && self.told_remedy == diagnostic.remedy {
            true => self.complain(&Diagnostic {
                remedy: None,
                ..diagnostic.clone()
            }),
            false => self.complain(diagnostic),
        };
        self.told_remedy.clone_from(&diagnostic.remedy);
    }

    /// Writes to standard error what need not catch the eye.
    pub fn quiet_note(&mut self, text: &str) {
        let mut shown = Labelled::default();
        shown.put(Role::Quiet, text.trim_end());
        shown.push('\n');
        self.note_labelled(&shown);
    }

    fn note_labelled(&mut self, text: &Labelled) {
        let wanted = wanted((self.color, self.theme), io::stderr().is_terminal());
        let paint = Paint::new(wanted);
        self.show();
        let painted = match io::stderr().is_terminal() && self.terminal {
            true => paint.draw(&text.wrapped(self.width)),
            false => paint.draw(text),
        };
        // There is nowhere left to report that this failed.
        let _ = progress::aside(|| io::stderr().write_all(painted.as_bytes()));
    }

    /// Writes to standard error, through the gate.
    pub fn note(&mut self, text: &str) {
        self.note_labelled(&Labelled::from(text));
    }

    /// Ends the output. A reader that went away early is not a failure; a full disk is.
    pub fn close(mut self, status: Status) -> Status {
        // On a terminal what comes next stands apart.
        if self.terminal && self.lines > FEW_LINES {
            self.data(b"\n");
        }
        self.show();
        if let Some(more) = self.problems.checked_sub(PROBLEMS_TOLD).filter(|n| *n > 0) {
            self.note(&format!("… and {more} more problems\n"));
        }
        match self.failed.take() {
            Some(error) if error.kind() != io::ErrorKind::BrokenPipe => {
                let diagnostic = Diagnostic::trouble(format!("cannot write the output: {error}"));
                self.complain(&diagnostic).max(status)
            }
            _ => status,
        }
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.data(bytes);
        match self.failed.take() {
            Some(error) => Err(error),
            None => Ok(bytes.len()),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        self.show();
        self.failed.take().map_or(Ok(()), Err)
    }
}

/// The background that there are colours for, where they are wanted.
fn wanted((color, theme): (When, Theme), terminal: bool) -> Option<Background> {
    let is_wanted = match color {
        When::Always => true,
        When::Never => false,
        When::Auto => {
            let refused = variable("NO_COLOR").is_some_and(|value| !value.is_empty());
            let dumb = variable("TERM").is_some_and(|term| term == "dumb");
            terminal && !refused && !dumb
        }
    };
    is_wanted.then(|| theme.background())
}
