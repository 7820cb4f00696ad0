//! Reports about the end of a file, and of a request that was stopped.

use crate::diagnostic::Diagnostic;
use crate::output::Output;
use brisk_quill_engine::sources::Sources;
use brisk_quill_engine::summary::FileEnd;

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

/// Not all files were read.
pub fn stopped() -> Diagnostic {
    Diagnostic::trouble("stopped before everything was looked at")
        .remedy("nothing has been written")
}
