//! The same work on many items, several at a time, its results taken in order.

use crate::schedule::handover::{Giver, Taker, Work, beside, handover};
use std::ops::ControlFlow;
use std::sync::{Arc, Mutex, PoisonError};

/// Batches that may be worked on ahead of the one whose turn it is.
const AHEAD: usize = 8;
/// Messages that a batch may send before its turn.
const WAITING: usize = 2;
/// The most items in a batch, and the number of batches into which a thread's share is cut.
const TOGETHER: usize = 128;
const SHARES: usize = 16;

/// Does `work` on every item, on this many threads, and shows `take` what it sends: item by item,
/// in their order, however the work was shared out.
///
/// Each thread has a state of its own, which `worker` makes. An item may send as much as it
/// likes: what is ahead of its turn waits, and the work on it too, so memory is bounded. `send`
/// says whether to go on; it stops once `take` breaks. On one thread, all is done on the
/// caller's own.
///
/// ```
/// use brisk_quill_engine::schedule::in_order::in_order;
/// use std::ops::ControlFlow;
///
/// let mut seen = Vec::new();
/// in_order(&[3, 1, 2], 2, || (), |(), n, send| { send(n * 10); }, |n, ten| {
///     seen.push((*n, ten));
///     ControlFlow::Continue(())
/// });
/// assert_eq!(seen, [(3, 30), (1, 10), (2, 20)]);
/// ```
pub fn in_order<'t, T: Sync, W, M: Send>(
    items: &'t [T],
    threads: usize,
    worker: impl Fn() -> W + Sync,
    work: impl Fn(&mut W, &'t T, &mut dyn FnMut(M) -> bool) + Sync,
    mut take: impl FnMut(&'t T, M) -> ControlFlow<()>,
) {
    let threads = threads.min(items.len());
    if threads <= 1 {
        let mut worker = worker();
        for item in items {
            let mut flow = ControlFlow::Continue(());
            work(&mut worker, item, &mut |message| {
                if flow.is_continue() {
                    flow = take(item, message);
                }
                flow.is_continue()
            });
            if flow.is_break() {
                return;
            }
        }
        return;
    }
    // Handing on takes longer than looking at a small file, so several are handed on together.
    let together = (items.len() / (threads * SHARES)).clamp(1, TOGETHER);
    // The queues of the batches, in order: whoever takes a batch also lines up its queue.
    let (line, turns) = handover::<Taker<Vec<(&T, M)>>>(AHEAD);
    let feed = Arc::new(Mutex::new((items.chunks(together), line)));
    let one = |_| {
        let feed = Arc::clone(&feed);
        let (worker, work) = (&worker, &work);
        let turn_by_turn = move || {
            let mut worker = worker();
            loop {
                let (giver, messages) = handover(WAITING);
                let batch = {
                    // A thread that panicked left the batches as they were.
                    let mut feed = feed.lock().unwrap_or_else(PoisonError::into_inner);
                    let Some(batch) = feed.0.next() else { return };
                    if !feed.1.give(messages) {
                        return;
                    }
                    batch
                };
                do_batch(batch, &mut worker, work, &giver);
            }
        };
        Box::new(turn_by_turn) as Work<'_>
    };
    let workers = (0..threads).map(one).collect();
    // The line ends with the last thread that could lengthen it.
    drop(feed);
    let taking = || {
        let turns = turns;
        while let Some(messages) = turns.take() {
            while let Some(some) = messages.take() {
                for (item, message) in some {
                    if take(item, message).is_break() {
                        return;
                    }
                }
            }
        }
    };
    beside(workers, Box::new(taking));
}

/// Does `work` on some items; what they send is handed on at the end, and in between when an
/// item sends more than once.
fn do_batch<'t, T, W, M>(
    batch: &'t [T],
    worker: &mut W,
    work: &impl Fn(&mut W, &'t T, &mut dyn FnMut(M) -> bool),
    giver: &Giver<Vec<(&'t T, M)>>,
) {
    let mut waiting = Vec::new();
    let mut heard = true;
    for item in batch {
        let mut first = true;
        work(worker, item, &mut |message| {
            if !std::mem::take(&mut first) {
                heard &= giver.give(std::mem::take(&mut waiting));
            }
            waiting.push((item, message));
            heard
        });
        if !heard {
            return;
        }
    }
    // Whoever no longer listens stops at the next batch.
    giver.give(waiting);
}
