//! The newest of several jobs, done on a thread of its own.

use brisk_quill_files::cancel::CancelToken;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;

/// The priority of the thread: as low as it goes.
const LOW: i32 = 19;

/// Does jobs on a thread: a new one stops the one that is being done, and takes the place of one
/// that waits. Dropped, it stops the job, and the thread ends with it; no one waits for that, since
/// a single search of a very long line cannot be stopped.
///
/// ```
/// use brisk_quill_engine::draft::newest_first::NewestFirst;
/// use std::sync::mpsc::channel;
///
/// let (sender, done) = channel();
/// let jobs = NewestFirst::start(move |job: u32, _| sender.send(job * 10).expect("it is heard"));
/// jobs.give(4);
/// assert_eq!(done.recv(), Ok(40));
/// ```
pub struct NewestFirst<J> {
    shared: Arc<Shared<J>>,
    thread: JoinHandle<()>,
}

struct Shared<J> {
    state: Mutex<State<J>>,
    changed: Condvar,
}

struct State<J> {
    waiting: Option<J>,
    /// Stops the job that is being done.
    token: Arc<CancelToken>,
    is_over: bool,
}

impl<J> Shared<J> {
    fn lock(&self) -> MutexGuard<'_, State<J>> {
        // A job that panicked left the state as it was.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl<J: Send + 'static> NewestFirst<J> {
    /// Does each job with `work`, which is to end soon once its token is stopped.
    pub fn start(mut work: impl FnMut(J, &Arc<CancelToken>) + Send + 'static) -> Self {
        let shared = Arc::new(Shared {
            state: Mutex::new(State {
                waiting: None,
                token: Arc::default(),
                is_over: false,
            }),
            changed: Condvar::new(),
        });
        let of_thread = Arc::clone(&shared);
        let thread = std::thread::spawn(move || {
            // Whoever answers a key goes first; the threads that this one starts are as low.
            let _ = rustix::process::nice(LOW);
            while let Some((job, token)) = next(&of_thread) {
                work(job, &token);
            }
        });
        Self { shared, thread }
    }

    /// Stops the job that is being done, and has this one done next.
    pub fn give(&self, job: J) {
        let mut state = self.shared.lock();
        state.token.stop();
        state.waiting = Some(job);
        self.shared.changed.notify_one();
    }

    /// True if a job panicked: no other will be done.
    pub fn has_panicked(&self) -> bool {
        self.thread.is_finished()
    }

    /// Bytes that the job that is being done has read.
    pub fn bytes(&self) -> u64 {
        self.shared.lock().token.bytes()
    }
}

/// Waits for the next job; `None` once there will be none.
fn next<J>(shared: &Shared<J>) -> Option<(J, Arc<CancelToken>)> {
    let mut state = shared.lock();
    loop {
        if state.is_over {
            return None;
        }
        if let Some(job) = state.waiting.take() {
            state.token = Arc::default();
            return Some((job, Arc::clone(&state.token)));
        }
        state = shared
            .changed
            .wait(state)
            .unwrap_or_else(PoisonError::into_inner);
    }
}

impl<J> Drop for NewestFirst<J> {
    fn drop(&mut self) {
        let mut state = self.shared.lock();
        state.is_over = true;
        state.waiting = None;
        state.token.stop();
        self.shared.changed.notify_one();
    }
}
