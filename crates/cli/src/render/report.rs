//! What a preview has collected of one file.

use brisk_quill_core::{GroupText, Passage, Problem, Sink, Span, edits::StepSet, lines};
use brisk_quill_files::{Facts, Source};

/// One file with its changes.
pub struct FileReport<'a> {
    /// Counted from 1 among the files with changes or problems.
    pub number: u64,
    pub source: &'a Source,
    pub facts: &'a Facts,
    /// As many as were asked for.
    pub passages: &'a [ShownPassage],
    pub problems: &'a [Problem],
}

/// Neighbouring lines that change.
pub struct ShownPassage {
    /// Number of the first line, from 1.
    pub line: u64,
    /// The lines as they were, with their ends.
    pub was: Vec<u8>,
    pub edits: Vec<ShownEdit>,
    /// The neighbours left alone.
    pub around: Neighbours,
}

/// One change.
pub struct ShownEdit {
    /// On disk, from 0.
    pub from: u64,
    /// End excluded.
    pub to: u64,
    /// In the passage's `was`.
    pub span: Span,
    pub line: u64,
    pub after: Vec<u8>,
    pub steps: StepSet,
    pub groups: Option<Vec<GroupText>>,
}

/// Whole lines before and after a passage, with their ends.
#[derive(Default)]
pub struct Neighbours {
    pub before: Vec<Vec<u8>>,
    pub after: Vec<Vec<u8>>,
}

impl ShownPassage {
    fn new(passage: &Passage<'_>, context: usize) -> Self {
        let edits = passage.edits().map(|edit| ShownEdit {
            from: edit.from,
            to: edit.to,
            span: edit.span,
            line: edit.line,
            after: edit.after.to_vec(),
            steps: edit.steps,
            groups: edit.groups.map(<[_]>::to_vec),
        });
        Self {
            line: passage.line,
            was: passage.was.to_vec(),
            edits: edits.collect(),
            around: Neighbours::of(passage.text, passage.place, context),
        }
    }

    /// The changed lines as they become, and where the new text lies in them.
    pub fn now(&self) -> (Vec<u8>, Vec<Span>) {
        let (mut text, mut marks) = (Vec::new(), Vec::new());
        let mut at = 0;
        for edit in &self.edits {
            text.extend_from_slice(&self.was[at..edit.span.from]);
            let from = text.len();
            text.extend_from_slice(&edit.after);
            marks.push(Span::new(from, text.len()));
            at = edit.span.to;
        }
        text.extend_from_slice(&self.was[at..]);
        (text, marks)
    }

    /// How many lines it had.
    pub fn height(&self) -> u64 {
        lines(&self.was).count() as u64
    }
}

impl Neighbours {
    /// At most `most` lines on either side of `place`, which is whole lines of `text`.
    pub fn of(text: &[u8], place: Span, most: usize) -> Self {
        if most == 0 {
            return Self::default();
        }
        let (head, tail) = (&text[..place.from], &text[place.to..]);
        let after = lines(tail).take(most);
        Self {
            before: last_lines(head, most),
            after: after.map(|l| tail[l.whole().range()].to_vec()).collect(),
        }
    }
}

/// The last lines of a text that ends in a line end, without looking at more of it than needed.
fn last_lines(text: &[u8], most: usize) -> Vec<Vec<u8>> {
    let mut start = text.len();
    for _ in 0..most {
        let Some(before) = start.checked_sub(1) else {
            break;
        };
        let end = text[..before].iter().rposition(|b| *b == b'\n');
        start = end.map_or(0, |at| at + 1);
    }
    let tail = &text[start..];
    lines(tail)
        .map(|l| tail[l.whole().range()].to_vec())
        .collect()
}

/// Collects the passages of one file, up to a number of changes.
pub struct Collector {
    context: usize,
    most: usize,
    /// Changes in the passages kept.
    kept: usize,
    pub passages: Vec<ShownPassage>,
    pub problems: Vec<Problem>,
}

impl Collector {
    /// Keeps passages until they hold `most` changes, each with `context` lines around it.
    pub fn new(most: usize, context: usize) -> Self {
        Self {
            context,
            most,
            kept: 0,
            passages: Vec::new(),
            problems: Vec::new(),
        }
    }
}

impl Sink for Collector {
    fn passage(&mut self, passage: &Passage<'_>) {
        if self.kept < self.most {
            let passage = ShownPassage::new(passage, self.context);
            self.kept += passage.edits.len();
            self.passages.push(passage);
        }
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }
}
