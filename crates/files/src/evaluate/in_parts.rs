//! A rewrite over the parts of one large text.

use crate::coding::Coding;
use crate::error::FileError;
use crate::evaluate::{Evaluated, FileSink, Follower, InTurn, Located, evaluate};
use crate::parts::{Helpers, Joiner, Part, read_in_parts};
use crate::read::{OpenText, Skipped};
use brisk_quill_core::rewrite::{Counts, PartStart, Run};
use std::path::Path;

/// A sink of which each part of a large text has one of its own.
///
/// Not one that wants to see the bytes: copying is bound by memory, and parts go through more of
/// it, so such a sink is shown the whole text in turn.
pub trait PartSink: FileSink + Send + Sized {
    /// Makes it one for a part.
    #[must_use]
    fn for_part(self) -> Self {
        self
    }

    /// Takes in what was found in the next part.
    fn join(&mut self, part: Self);
}

/// How a large text is evaluated on several threads.
pub struct Sharing<'h, 'r, S> {
    /// Who may help.
    pub helpers: &'h Helpers<'h>,
    /// Makes the run of each.
    pub run: &'h (dyn Fn() -> Run<'r> + Sync),
    /// Makes the sink of each part.
    pub sink: &'h (dyn Fn() -> S + Sync),
}

/// The same as [`evaluate`], on several threads where the text is large and its lines do not
/// depend on each other. What is found does not depend on it.
///
/// # Errors
///
/// As [`evaluate`].
pub fn evaluate_in_parts<S: PartSink>(
    run: &mut Run<'_>,
    text: Result<OpenText<'_>, Skipped>,
    sink: &mut S,
    sharing: &Sharing<'_, '_, S>,
) -> Result<Evaluated, FileError> {
    let mut text = match text {
        Ok(text) => text,
        Err(skipped) => return Ok(Evaluated::Skipped(skipped)),
    };
    let called = match sink.wants_bytes() {
        true => None,
        false => sharing.helpers.call(&text),
    };
    let Some(called) = called.filter(|_| run.is_local(text.file())) else {
        return evaluate(run, Ok(text), sink);
    };
    let file = text.file();
    let mut whole = Whole {
        run: Some(run),
        file,
        sink,
        counts: Counts::default(),
        rest: None,
    };
    let work = |run: &mut Run<'_>, part: &Part| {
        let mut sink = (sharing.sink)().for_part();
        let counts = evaluate_part(run, file, part, &mut sink);
        (sink, counts)
    };
    read_in_parts(&mut text, &called, sharing.run, work, &mut whole)?;
    let counts = whole.end();
    Ok(Evaluated::of(&mut text, counts))
}

fn evaluate_part(run: &mut Run<'_>, file: &Path, part: &Part, sink: &mut dyn FileSink) -> Counts {
    // What is UTF-8 can always be written, so nothing is refused.
    let mut refused = Counts::default();
    let mut located = Located::new(&Coding::Utf8, sink, &mut refused);
    let mut evaluation = run.part(file, part.start());
    let [begun, piece] = part.texts();
    evaluation.push(begun, &mut located);
    // Nothing follows in this part, so no line needs to be counted for what does.
    evaluation.push_last(piece, &mut located);
    evaluation.finish(&mut located)
}

/// What is found in all parts.
struct Whole<'w, 'r, S> {
    /// For the rest, which is not shared out.
    run: Option<&'w mut Run<'r>>,
    file: &'w Path,
    sink: &'w mut S,
    counts: Counts,
    rest: Option<InTurn<'w, 'r>>,
}

impl<S: PartSink> Joiner<(S, Counts)> for Whole<'_, '_, S> {
    fn join(&mut self, (sink, counts): (S, Counts)) {
        self.sink.join(sink);
        self.counts.add(&counts);
    }

    fn rest(&mut self, start: PartStart, bytes: &[u8], last: bool) {
        if let Some(run) = self.run.take() {
            let rest = run.part(self.file, start);
            self.rest = Some(InTurn::new(rest, Follower::default()));
        }
        if let Some(rest) = &mut self.rest {
            rest.push(bytes, (&Coding::Utf8, last), self.sink);
        }
    }
}

impl<S: PartSink> Whole<'_, '_, S> {
    fn end(mut self) -> Counts {
        if let Some(rest) = self.rest {
            self.counts.add(&rest.finish(&Coding::Utf8, self.sink));
        }
        self.counts
    }
}
