//! `serve`: a front for editors.

use crate::args::definitions::ServeArgs;
use crate::diagnostic::Diagnostic;
use crate::host::host;
use crate::status::Status;

pub fn run(args: &ServeArgs) -> Result<Status, Diagnostic> {
    // Some editors say that they mean these streams, which are the only ones.
    let ServeArgs { stdio: _ } = args;
    match brisk_quill_serve::serve(&host()) {
        Ok(()) => Ok(Status::Fine),
        Err(error) => Err(Diagnostic::trouble(error.to_string())
            .remedy("this is for editors: see `bquill serve --help`")),
    }
}
