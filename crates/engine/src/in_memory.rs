//! A rewrite over texts that are in memory, as an editor holds them.

use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::hunk::Hunk;
use brisk_quill_core::rewrite::options::{RunOptions, RunTotals};
use brisk_quill_core::rewrite::sink::Sink;
use brisk_quill_core::rewrite::{Rewrite, Run};
use brisk_quill_core::span::Span;
use brisk_quill_core::stop::Stop;
use std::path::PathBuf;
use std::sync::Arc;

/// A text, and the path that it is to be read by.
#[derive(Clone, Debug)]
pub struct MemoryText {
    /// The path, which gives the form of columns and is what `${@file}` writes.
    pub path: PathBuf,
    /// The text.
    pub text: Arc<str>,
}

/// A change of a text in memory.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MemoryChange {
    /// Byte range of the old text, from 0, end excluded.
    pub span: Span,
    /// The new text.
    pub after: String,
}

/// The changes of one text, in order, and what could not be computed.
#[derive(Clone, Debug, Default)]
pub struct MemoryOutcome {
    /// The changes.
    pub changes: Vec<MemoryChange>,
    /// Units that were left alone.
    pub problems: Vec<Problem>,
}

/// The changes that a rewrite makes in some texts, one outcome for each; `None` once `stop` is set.
///
/// ```
/// use brisk_quill_core::rewrite_file::RewriteText;
/// use brisk_quill_core::stop::Stop;
/// use brisk_quill_core::template::tables::NoTables;
/// use brisk_quill_engine::in_memory::{MemoryText, changes_in};
/// let file = "[[step]]\nmatch = 'quay'\nwith = 'pier'\n";
/// let rewrite = RewriteText::parse(file).expect("a file").build(&mut NoTables).expect("steps");
/// let text = MemoryText { path: "notice.md".into(), text: "old quay\n".into() };
/// let all = changes_in(&rewrite, &[text], &Stop::default()).expect("no one stops it");
/// assert_eq!((all[0].changes[0].span.from, &*all[0].changes[0].after), (4, "pier"));
/// ```
pub fn changes_in(
    rewrite: &Rewrite,
    texts: &[MemoryText],
    stop: &Stop,
) -> Option<Vec<MemoryOutcome>> {
    let rewrite = rewrite.stopped_by(stop);
    let mut totals = RunTotals::default();
    while let Some(step) = rewrite.step_to_count(&totals) {
        let mut run = Run::counting(&rewrite, step, &totals);
        for text in texts {
            evaluate(&mut run, text, &mut MemoryOutcome::default());
        }
        totals.set(step, run.counted());
    }
    let options = RunOptions {
        totals,
        ..RunOptions::default()
    };
    let mut run = Run::new(&rewrite, &options);
    let mut all = Vec::new();
    for text in texts {
        let mut found = MemoryOutcome::default();
        evaluate(&mut run, text, &mut found);
        if stop.is_set() {
            return None;
        }
        all.push(found);
    }
    Some(all)
}

fn evaluate(run: &mut Run<'_>, text: &MemoryText, sink: &mut dyn Sink) {
    let mut evaluation = run.text(&text.path, 0);
    evaluation.push_last(text.text.as_bytes(), sink);
    evaluation.finish(sink);
}

impl Sink for MemoryOutcome {
    fn hunk(&mut self, hunk: &Hunk<'_>) {
        for edit in hunk.edits() {
            // Of a text in UTF-8, every change is UTF-8.
            let Ok(after) = std::str::from_utf8(edit.after) else {
                continue;
            };
            self.changes.push(MemoryChange {
                span: Span::new(edit.from as usize, edit.to as usize),
                after: after.to_owned(),
            });
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }
}
