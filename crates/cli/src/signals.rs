//! Signals, which stop reading in all threads.
//!
//! The first interrupt asks reading to stop, so that what has been shown ends in a whole line
//! and nothing half made is left behind; the second ends the program at once. Where it waits for
//! an answer, or for what is typed, there is nothing to tidy up, and the first one does.

use crate::host::cancel_token;
use signal_hook::consts::{SIGINT, SIGTERM, SIGXFSZ};
use signal_hook::{SigId, flag, low_level};
use std::io;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

const SIGNALS: [i32; 2] = [SIGINT, SIGTERM];

/// The state of signals.
#[derive(Default)]
struct Signals {
    /// The one that came, or 0.
    came: Arc<AtomicUsize>,
    /// The next one ends the program.
    at_once: Arc<AtomicBool>,
    /// The actions taken when one comes.
    actions: Mutex<Vec<SigId>>,
}

fn signals() -> &'static Signals {
    static SIGNALS: OnceLock<Signals> = OnceLock::new();
    SIGNALS.get_or_init(Signals::default)
}

/// A file that grows over the user's limit is an error of writing, and no reason to die and leave
/// temporary files behind.
pub fn outlive_size_limit() {
    // Without the handler the limit ends the program, as it does any other.
    let _ = flag::register(SIGXFSZ, Arc::new(AtomicBool::new(false)));
}

/// From now on a signal stops reading.
pub fn listen() {
    static LISTENING: OnceLock<()> = OnceLock::new();
    LISTENING.get_or_init(|| {
        // Without the handlers, a signal ends the program as it does any other.
        let _ = register();
    });
}

fn register() -> io::Result<()> {
    let Signals {
        came,
        at_once,
        actions,
    } = signals();
    let stopped = cancel_token().flag();
    let mut actions = actions.lock().unwrap_or_else(PoisonError::into_inner);
    for signal in SIGNALS {
        // They run in this order, so the first signal only sets what the second goes by.
        let end = flag::register_conditional_default(signal, Arc::clone(at_once))?;
        let next = flag::register(signal, Arc::clone(at_once))?;
        let stop = flag::register(signal, Arc::clone(&stopped))?;
        // The numbers of signals are small.
        let tell = flag::register_usize(signal, Arc::clone(came), signal as usize)?;
        actions.extend([end, next, stop, tell]);
    }
    Ok(())
}

/// While `wait` waits for a person, a signal ends the program at once.
pub fn waiting<T>(wait: impl FnOnce() -> T) -> T {
    let at_once = &signals().at_once;
    at_once.store(true, Ordering::SeqCst);
    // One that came just before was only recorded, and nobody would look at it while it waits.
    end_by_signal();
    let done = wait();
    at_once.store(false, Ordering::Relaxed);
    done
}

/// From now on signals do nothing here: the caller handles them.
pub fn hold() {
    let actions = &signals().actions;
    let mut actions = actions.lock().unwrap_or_else(PoisonError::into_inner);
    for id in actions.drain(..) {
        low_level::unregister(id);
    }
}

/// A signal came that the program is to end by, once all else is done.
pub fn end_by(signal: i32) {
    // The numbers of signals are small.
    signals().came.store(signal as usize, Ordering::Relaxed);
}

/// Ends the program by the signal that came, as its sender expects.
pub fn end_by_signal() {
    let came = signals().came.load(Ordering::Relaxed);
    if let Ok(signal @ 1..) = i32::try_from(came) {
        // Should that fail, it ends with its status.
        let _ = low_level::emulate_default_handler(signal);
    }
}
