//! The terminal, taken for a full-screen view and given back however that ends.

use crate::signals;
use crate::theme::Background;
use crossterm::cursor::Show;
use crossterm::event::{DisableBracketedPaste, EnableBracketedPaste};
use crossterm::execute;
use crossterm::terminal::{disable_raw_mode, enable_raw_mode};
use rustix::event::{PollFd, PollFlags, Timespec};
use signal_hook::consts::{SIGABRT, SIGHUP, SIGINT, SIGQUIT, SIGTERM};
use signal_hook::iterator::{Handle, Signals};
use std::fs::File;
use std::io::{self, Read, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// The time to wait for a key before checking whether to end.
pub const WAIT: Duration = Duration::from_millis(250);

/// The longest time a view may take to leave once a signal has come. A terminal that has gone keeps
/// the thread that reads keys from it for ever.
const LEAVING: Duration = Duration::from_secs(1);

/// The longest time that a terminal may take to say what its background is.
const ANSWERING: Duration = Duration::from_millis(150);

/// The least size of a view, in columns and rows.
pub const LEAST: (u16, u16) = (40, 10);

/// A signal, once one has come.
pub struct Came(Arc<AtomicUsize>);

impl Came {
    /// True if a signal has come, and the view is to end.
    pub fn is_set(&self) -> bool {
        self.0.load(Ordering::Relaxed) != 0
    }
}

/// Takes the terminal for `view`, and gives it back however that ends; `None` where a signal ended
/// it. Where a signal finds `view` waiting for a terminal that has gone, `keep` is called on
/// another thread before the program ends.
///
/// # Errors
///
/// Those of `view`, and when the terminal cannot be taken or given back.
pub fn on_terminal<T>(
    view: impl FnOnce(&mut ratatui::DefaultTerminal, &Came) -> io::Result<T>,
    keep: impl Fn() + Send + 'static,
) -> io::Result<Option<T>> {
    signals::hold();
    let signals = SignalWatch::start(keep)?;
    // A panic gives the terminal back too.
    let mut terminal = ratatui::try_init()?;
    let _ = execute!(io::stdout(), EnableBracketedPaste);
    let done = view(&mut terminal, &signals.came);
    let _ = execute!(io::stdout(), DisableBracketedPaste);
    let _ = terminal.show_cursor();
    // Dropping it would print to a terminal that may have gone, and panic over that.
    std::mem::forget(terminal);
    let restored = ratatui::try_restore();
    match signals.end() {
        0 => restored.and(done).map(Some),
        signal => {
            signals::end_by(signal);
            // The terminal may have gone.
            Ok(None)
        }
    }
}

/// The background that the terminal says it has; `None` where it does not answer.
pub fn background() -> Option<Background> {
    enable_raw_mode().ok()?;
    let answer = ask_for_background();
    let _ = disable_raw_mode();
    Background::of_answer(&answer.ok()?)
}

/// Asks for the background, and then for what every terminal answers to, so that no one waits for
/// one that does not know the first question.
fn ask_for_background() -> io::Result<String> {
    let mut terminal = File::options().read(true).write(true).open("/dev/tty")?;
    terminal.write_all(b"\x1b]11;?\x1b\\\x1b[c")?;
    terminal.flush()?;
    let start = Instant::now();
    let mut answer = Vec::new();
    // The answer to the second question ends in this letter.
    while !answer.ends_with(b"c") {
        let left = ANSWERING.saturating_sub(start.elapsed());
        let mut ready = [PollFd::new(&terminal, PollFlags::IN)];
        let timeout = Timespec::try_from(left).map_err(io::Error::other)?;
        if rustix::event::poll(&mut ready, Some(&timeout))? == 0 {
            break;
        }
        let mut piece = [0; 64];
        match terminal.read(&mut piece)? {
            0 => break,
            read => answer.extend_from_slice(&piece[..read]),
        }
    }
    Ok(String::from_utf8_lossy(&answer).into_owned())
}

/// Notices that the terminal has gone, until the view has been left. Not every program gets a signal: of
/// a session, only its leader is.
fn watch_for_hang_up(is_left: Arc<AtomicBool>) {
    // Without a terminal to look at there is none to go.
    let Ok(terminal) = File::open("/dev/tty") else {
        return;
    };
    std::thread::spawn(move || {
        let mut ends = [PollFd::new(&terminal, PollFlags::empty())];
        let wait = Timespec::try_from(WAIT).ok();
        while !is_left.load(Ordering::Relaxed) {
            let polled = rustix::event::poll(&mut ends, wait.as_ref());
            if matches!(polled, Ok(1..)) {
                let own = rustix::process::getpid();
                let _ = rustix::process::kill_process(own, rustix::process::Signal::HUP);
                return;
            }
        }
    });
}

/// Notices signals while keys are waited for.
struct SignalWatch {
    /// The signal that came, or 0.
    came: Came,
    /// True if the view has been left.
    left: Arc<AtomicBool>,
    handle: Handle,
    thread: JoinHandle<()>,
}

impl SignalWatch {
    fn start(keep: impl Fn() + Send + 'static) -> io::Result<Self> {
        let mut signals = Signals::new([SIGHUP, SIGINT, SIGTERM, SIGQUIT, SIGABRT])?;
        let (came, left) = (Arc::<AtomicUsize>::default(), Arc::<AtomicBool>::default());
        let handle = signals.handle();
        let (tell, is_left) = (Arc::clone(&came), Arc::clone(&left));
        let thread = std::thread::spawn(move || {
            for signal in signals.forever() {
                // The numbers of signals are small.
                let before = tell.swap(signal as usize, Ordering::Relaxed);
                if before == 0 {
                    std::thread::sleep(LEAVING);
                }
                if !is_left.load(Ordering::Relaxed) {
                    // Whoever reads keys does not come back, so the terminal is given back here.
                    keep();
                    let _ = execute!(io::stdout(), DisableBracketedPaste, Show);
                    let _ = ratatui::try_restore();
                    signals::end_by(signal);
                    signals::end_by_signal();
                }
            }
        });
        watch_for_hang_up(Arc::clone(&left));
        Ok(Self {
            came: Came(came),
            left,
            handle,
            thread,
        })
    }

    /// Ends it; gives the signal that came, or 0.
    fn end(self) -> i32 {
        self.left.store(true, Ordering::Relaxed);
        self.handle.close();
        let signal = self.came.0.load(Ordering::Relaxed);
        if signal == 0 {
            // It waits for nothing now.
            let _ = self.thread.join();
        }
        i32::try_from(signal).unwrap_or(SIGTERM)
    }
}
