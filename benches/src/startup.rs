//! The time the program takes to start.
//!
//! The floor is a program linked with the same libraries that does nothing.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, rounds, time_of};
use std::time::Duration;

/// Starts timed together, for one alone is too short to be measured.
const STARTS: u32 = 40;

/// Measures it.
pub fn run(table: &mut Table, count: usize) {
    let file = corpus::lines("small", "berth 7 is closed\n", 2_000);
    let several = |start: &dyn Fn() -> Duration| (0..STARTS).map(|_| start()).sum::<Duration>();
    let nothing = || several(&|| time_of(&mut floor("nothing")));
    let version = || several(&|| time_of(bquill().arg("--version")));
    let preview = || {
        several(&|| {
            let mut command = bquill();
            command.args(["preview", r"berth (\d+)", "--with", "B-$1"]);
            time_of(command.arg(&file))
        })
    };
    let pairs = rounds(count, nothing, version);
    table.add("start: `--version`", &Ratio::of(&pairs), 2.0, None);
    let pairs = rounds(count, nothing, preview);
    table.add(
        "start: `preview` of a small file",
        &Ratio::of(&pairs),
        3.0,
        None,
    );
}

/// The floor. All of the product is linked, and none of it runs.
pub fn nothing() {
    std::hint::black_box(brisk_quill::run as fn(_) -> _);
}
