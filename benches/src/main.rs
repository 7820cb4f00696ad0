//! Speed, as a ratio to a floor in the same run. Not a test: times differ from machine to
//! machine, ratios less so.
//!
//!     cargo build --release
//!     cargo run --release -p brisk-quill-benches -- [journal|columns [MEGABYTES]]…
//!
//! Each floor is a bare program on the same libraries that does nothing else.

mod columns;
mod corpus;
mod journal;
mod measure;

use std::path::Path;

fn main() {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    match words[..] {
        [] => {
            journal::run();
            columns::measure(500, 5);
        }
        ["journal"] => journal::run(),
        ["columns"] => columns::measure(500, 5),
        ["columns", megabytes] => {
            columns::measure(megabytes.parse().expect("a number of megabytes"), 5);
        }
        ["floor", "columns", table, out] => columns::bare(Path::new(table), Path::new(out)),
        _ => panic!("there is no such bench: {words:?}"),
    }
}
