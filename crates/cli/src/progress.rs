//! A bar on standard error for what takes longer than a second, where a person is looking.

use crate::host::cancel_token;
use brisk_quill_files::source::Source;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::{self, IsTerminal};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::sync::{Mutex, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;

/// Work that takes no longer than this shows no bar.
const PATIENCE: Duration = Duration::from_secs(1);
const TICK: Duration = Duration::from_millis(100);

const BAR: &str = "[{bar:40}] {percent:>3} %  {bytes} of {total_bytes} read, {eta} left";

/// The bar on the screen. Whoever writes there puts it aside.
static SHOWN: Mutex<Option<ProgressBar>> = Mutex::new(None);

/// Shows how far reading has come, until it is dropped.
pub struct Progress {
    end: Option<Sender<()>>,
    thread: Option<JoinHandle<()>>,
}

impl Progress {
    /// Of reading `sources`. What is piped in has no known size, and gets no bar.
    pub fn of(sources: &[Source]) -> Self {
        let shown = io::stderr().is_terminal() && !sources.iter().any(Source::is_stdin);
        if !shown {
            return Self {
                end: None,
                thread: None,
            };
        }
        let (end, ended) = channel();
        let sources = sources.to_vec();
        let before = cancel_token().bytes();
        let thread = std::thread::spawn(move || {
            let waits = |time| ended.recv_timeout(time) == Err(RecvTimeoutError::Timeout);
            if !waits(PATIENCE) {
                return;
            }
            begin(sizes(&sources));
            loop {
                advance(cancel_token().bytes() - before);
                if !waits(TICK) {
                    return clear();
                }
            }
        });
        Self {
            end: Some(end),
            thread: Some(thread),
        }
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        // The thread ends when nobody is left to tell it anything.
        self.end = None;
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

/// Writes to the terminal while the bar is not in the way.
pub fn aside<T>(write: impl FnOnce() -> T) -> T {
    match &*shown() {
        Some(bar) => bar.suspend(write),
        None => write(),
    }
}

fn shown() -> std::sync::MutexGuard<'static, Option<ProgressBar>> {
    SHOWN.lock().unwrap_or_else(PoisonError::into_inner)
}

/// The bytes to be read.
fn sizes(sources: &[Source]) -> u64 {
    let size = |source: &Source| source.path().metadata().map_or(0, |found| found.len());
    sources.iter().map(size).sum()
}

fn begin(total: u64) {
    let bar = ProgressBar::with_draw_target(Some(total), ProgressDrawTarget::stderr());
    let style = ProgressStyle::with_template(BAR).expect("a template of its own");
    bar.set_style(style.progress_chars("=> "));
    *shown() = Some(bar);
}

fn advance(bytes: u64) {
    if let Some(bar) = &*shown() {
        bar.set_position(bytes);
    }
}

fn clear() {
    if let Some(bar) = shown().take() {
        bar.finish_and_clear();
    }
}
