//! `completions`: for packagers.

use crate::args;
use crate::args::definitions::CompletionsArgs;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::status::Status;

pub fn run(args: &CompletionsArgs, output: &mut Output) -> Result<Status, Diagnostic> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut args::definitions(), "bquill", &mut script);
    output.data(&script);
    Ok(Status::Fine)
}
