//! Reports about the end of a file, of a request that was stopped, and about files to be saved.

use crate::diagnostic::Diagnostic;
use crate::output::Output;
use brisk_quill_core::escape::visible_path;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::FileEnd;
use std::path::Path;

/// Reports why a file could not be read.
pub fn report_failed(end: &FileEnd, output: &mut Output) {
    if let FileEnd::Failed(error) = end {
        output.complain(&Diagnostic::of_file(error));
    }
}

/// Reports the paths that cannot be read.
pub fn report_unreadable(sources: &Sources, output: &mut Output) {
    for error in &sources.listing.problems {
        output.complain(&Diagnostic::of_file(error));
    }
}

/// A file that is there is not overwritten; `thing` is what would be saved.
pub fn check_new(file: &Path, thing: &str) -> Result<(), Diagnostic> {
    match file.symlink_metadata() {
        Err(_) => Ok(()),
        Ok(_) => Err(already_there(file, thing)),
    }
}

/// There is a file where `thing` would be saved.
pub fn already_there(file: &Path, thing: &str) -> Diagnostic {
    let shown = visible_path(file);
    Diagnostic::trouble(format!("there is already a file: {shown}"))
        .remedy(format!("save {thing} under another name"))
}

/// Not all files were read.
pub fn stopped() -> Diagnostic {
    Diagnostic::trouble("stopped before everything was looked at")
        .remedy("nothing has been written")
}
