//! `bquill`: preview, review and safely apply regex rewrites.

use std::process::ExitCode;

fn main() -> ExitCode {
    brisk_quill::run(&brisk_quill::arguments())
}
