//! Work on many items at a time.

use brisk_quill_engine::schedule::in_order::in_order;
use std::ops::ControlFlow;

#[test]
fn order_does_not_depend_on_threads() {
    let items: Vec<u64> = (0..2000).collect();
    for threads in [1, 2, 8] {
        for stop_at in [0, 700, 5000] {
            let mut seen = Vec::new();
            in_order(
                &items,
                threads,
                || 0u64,
                |busy, item, send| {
                    // Work of very different length.
                    (0..item % 97 * 50).for_each(|n| *busy = busy.wrapping_add(n));
                    (0..item % 5).all(|n| send((*item, n)));
                },
                |item, message| {
                    assert_eq!(*item, message.0);
                    seen.push(message);
                    match *item >= stop_at {
                        true => ControlFlow::Break(()),
                        false => ControlFlow::Continue(()),
                    }
                },
            );
            let all = items
                .iter()
                .flat_map(|item| (0..item % 5).map(|n| (*item, n)));
            let last = all.clone().position(|(item, _)| item >= stop_at);
            let wanted: Vec<_> = all.take(last.map_or(usize::MAX, |last| last + 1)).collect();
            assert_eq!(seen, wanted, "{threads} threads");
        }
    }
}
