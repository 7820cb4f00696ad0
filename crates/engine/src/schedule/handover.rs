//! Values handed from one thread to another through a queue of a fixed length.
//!
//! Note to the maintainer. A channel of the standard library is compiled anew for each type of value, at some nine thousand
//! lines of machine code in the making, and every collector of every front is such a type: they were a fifth of the program. So
//! values wait in a list, and only the word that one is there goes through a channel.

use std::collections::VecDeque;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The end of a queue that gives.
#[derive(Clone)]
pub(super) struct Giver<T> {
    waiting: Arc<Waiting<T>>,
    room: SyncSender<()>,
}

/// The end of a queue that takes.
pub(super) struct Taker<T> {
    waiting: Arc<Waiting<T>>,
    filled: Receiver<()>,
}

/// The values that wait; `None` once the taker is gone.
struct Waiting<T>(Mutex<Option<VecDeque<T>>>);

impl<T> Waiting<T> {
    fn list(&self) -> MutexGuard<'_, Option<VecDeque<T>>> {
        // A thread that panicked left the list as it was.
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// The ends of a new queue, in which this many values may wait before the giver has to.
pub(super) fn handover<T>(room: usize) -> (Giver<T>, Taker<T>) {
    let (sender, filled) = sync_channel(room);
    let waiting = Arc::new(Waiting(Mutex::new(Some(VecDeque::new()))));
    let giver = Giver {
        waiting: Arc::clone(&waiting),
        room: sender,
    };
    (giver, Taker { waiting, filled })
}

impl<T> Giver<T> {
    /// Gives a value; waits where there is no room. False if the taker is gone.
    pub fn give(&self, value: T) -> bool {
        match &mut *self.waiting.list() {
            Some(list) => list.push_back(value),
            None => return false,
        }
        self.room.send(()).is_ok()
    }
}

impl<T> Taker<T> {
    /// Waits for the next value; `None` once all givers are gone.
    pub fn take(&self) -> Option<T> {
        self.filled.recv().ok()?;
        self.waiting.list().as_mut()?.pop_front()
    }
}

impl<T> Drop for Taker<T> {
    /// Drops what waits, which may be the end of a queue that another thread gives to.
    fn drop(&mut self) {
        let waiting = self.waiting.list().take();
        drop(waiting);
    }
}

/// The work of a thread.
pub(super) type Work<'w> = Box<dyn FnOnce() + Send + 'w>;

/// Runs `workers`, each on a thread of its own, and `meanwhile` on this one; returns once all have ended. A panic in any of
/// them goes on here.
pub(super) fn beside<'w>(workers: Vec<Work<'w>>, meanwhile: Box<dyn FnOnce() + 'w>) {
    std::thread::scope(|scope| {
        for worker in workers {
            scope.spawn(worker);
        }
        meanwhile();
    });
}
