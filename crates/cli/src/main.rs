//! `bquill`: preview, review and safely apply regex rewrites.

use std::process::ExitCode;

fn main() -> ExitCode {
    brisk_quill::run(&Vec::from_iter(std::env::args_os()))
}
