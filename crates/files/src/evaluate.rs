//! A rewrite over one text: the core's evaluation fed from a file.

use crate::{Facts, FileError, OpenText, Skipped};
use brisk_quill_core::{Counts, Run, Sink};

/// What became of a source.
#[derive(Debug)]
pub enum Evaluated {
    /// It was read to its end.
    Read {
        /// What is known of it.
        facts: Facts,
        /// What was counted in it.
        counts: Counts,
    },
    /// It was not looked at.
    Skipped(Skipped),
}

/// Evaluates the rewrite of `run` over an opened text; offsets are those on disk.
///
/// # Errors
///
/// When the text cannot be read to its end. What `sink` was given until then is void.
pub fn evaluate(
    run: &mut Run<'_>,
    text: Result<OpenText<'_>, Skipped>,
    sink: &mut dyn Sink,
) -> Result<Evaluated, FileError> {
    let mut text = match text {
        Ok(text) => text,
        Err(skipped) => return Ok(Evaluated::Skipped(skipped)),
    };
    let mut evaluation = run.text_at(text.start());
    while let Some(piece) = text.next_piece()? {
        evaluation.push(piece, sink);
    }
    let counts = evaluation.finish(sink);
    Ok(Evaluated::Read {
        facts: text.facts(),
        counts,
    })
}
