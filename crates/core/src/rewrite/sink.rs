//! The receiver of what a rewrite makes of a text.

use crate::problem::Problem;
use crate::query::note::Note;
use crate::rewrite::hunk::Hunk;

/// A unit that does not match what it must after the rewrite.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unmet {
    /// The line it begins in, from 1, in the original text.
    pub line: u64,
    /// Its text after the rewrite.
    pub text: Vec<u8>,
}

/// Takes what an evaluation finds, in order of place.
pub trait Sink {
    /// Lines that change, with every change in them.
    fn hunk(&mut self, hunk: &Hunk<'_>);

    /// A unit that was left alone because something went wrong.
    fn problem(&mut self, problem: Problem);

    /// A unit that does not match what it must.
    fn unmet(&mut self, unmet: Unmet) {
        let _ = unmet;
    }

    /// Something that a step (counted from 0) has to tell of the text.
    fn note(&mut self, step: usize, note: Note) {
        let _ = (step, note);
    }
}
