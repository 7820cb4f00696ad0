//! One large text on several threads, in parts of whole lines.
//!
//! Whoever reads the text cuts it, hands the parts out, and joins what is found in them, in
//! order; helpers evaluate them. Only so many parts are under way that memory stays bounded. A
//! line that is very long ends the sharing: from there on the text is evaluated in turn, which
//! knows what to do with lines that are too long.

use crate::evaluate::{InTurn, Located};
use crate::read::Piece;
use crate::{Coding, Evaluated, FileError, FileSink, OpenText, Skipped, evaluate};
use brisk_quill_core::{Counts, PartStart, Run};
use memchr::memrchr;
use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, Sender, SyncSender, channel, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::Scope;

/// Helpers that one reader can keep busy.
const HELPERS_MOST: usize = 8;
/// Parts under way for each helper.
const AHEAD: usize = 2;
/// So many pieces without a line end are a very long line.
const LONG_LINE: usize = 8;

/// A sink of which each part of a large text has one of its own.
pub trait PartSink: FileSink + Send + Sized {
    /// Takes in what was found in the next part. The sink of a part is shown no bytes: where they
    /// are wanted, this one is shown them next.
    fn join(&mut self, part: Self);
}

/// Who may help with a large text.
pub struct Helpers<'h, 'r, S> {
    /// How many threads; asked only where it matters.
    pub threads: &'h (dyn Fn() -> usize + Sync),
    /// Makes the run of each.
    pub run: &'h (dyn Fn() -> Run<'r> + Sync),
    /// Makes the sink of each part.
    pub sink: &'h (dyn Fn() -> S + Sync),
    /// Whether they are helping with another text.
    pub busy: &'h AtomicBool,
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
    helpers: &Helpers<'_, '_, S>,
) -> Result<Evaluated, FileError> {
    match text {
        Ok(mut text) if text.is_large() && run.is_local(&text.file()) => {
            let free = !helpers.busy.swap(true, Ordering::Relaxed);
            let threads = if free { (helpers.threads)() } else { 1 };
            let done = match threads {
                0 | 1 => evaluate(run, Ok(text), sink),
                n => share(run, &mut text, sink, (helpers, n.min(HELPERS_MOST))),
            };
            if free {
                helpers.busy.store(false, Ordering::Relaxed);
            }
            done
        }
        text => evaluate(run, text, sink),
    }
}

fn share<S: PartSink>(
    run: &mut Run<'_>,
    text: &mut OpenText<'_>,
    sink: &mut S,
    (helpers, threads): (&Helpers<'_, '_, S>, usize),
) -> Result<Evaluated, FileError> {
    let file = text.file();
    let mut whole = Whole {
        sink,
        counts: Counts::default(),
    };
    let rest = std::thread::scope(|scope| {
        let mut team = Team::new(scope, &file, (helpers, threads));
        if whole.sink.wants_bytes() {
            whole.sink.bytes(text.mark());
        }
        let mut cutter = Cutter::new(text.start());
        let mut run = Some(run);
        let mut in_turn: Option<InTurn<'_, '_>> = None;
        text.read_away(|piece, last| {
            if let Some(in_turn) = &mut in_turn {
                in_turn.push(piece.text(), (&Coding::Utf8, last), whole.sink);
                return piece.into_memory();
            }
            match cutter.push(piece, last) {
                Cut::Part(part) => team.give(part, &mut whole),
                Cut::Nothing(memory) => return memory,
                Cut::LongLine(start, begun, memory) => {
                    team.wait(0, &mut whole);
                    // Once it is in turn, it stays so.
                    if let Some(run) = run.take() {
                        let rest = run.part(&file, start);
                        let rest = in_turn.insert(InTurn::behind(rest, start, whole.sink));
                        rest.push(&begun, (&Coding::Utf8, false), whole.sink);
                    }
                    return memory;
                }
            }
            team.spare.pop().unwrap_or_default()
        })?;
        if let Some(part) = cutter.end() {
            team.give(part, &mut whole);
        }
        team.wait(0, &mut whole);
        Ok(in_turn.map(|in_turn| in_turn.finish(&Coding::Utf8, whole.sink)))
    })?;
    let mut counts = whole.counts;
    if let Some(rest) = rest {
        counts.add(&rest);
    }
    Ok(Evaluated::of(text, counts))
}

/// Whole lines of a text; the last one may lack its end where nothing follows.
struct Part {
    start: PartStart,
    /// The beginning of the first line, where that lies in earlier pieces.
    begun: Vec<u8>,
    /// What follows.
    piece: Option<Piece>,
}

impl Part {
    fn texts(&self) -> [&[u8]; 2] {
        [&self.begun, self.piece.as_ref().map_or(b"", Piece::text)]
    }
}

/// Cuts a text into parts.
struct Cutter {
    start: PartStart,
    /// The line that has begun.
    begun: Vec<u8>,
}

enum Cut {
    Part(Part),
    /// No line has ended; with memory to be used again.
    Nothing(Vec<u8>),
    /// A very long line: where it begins, what has been seen of it, and memory.
    LongLine(PartStart, Vec<u8>, Vec<u8>),
}

impl Cutter {
    fn new(offset: u64) -> Self {
        Self {
            start: PartStart::of_text(offset),
            begun: Vec::new(),
        }
    }

    fn push(&mut self, mut piece: Piece, last: bool) -> Cut {
        let text = piece.text();
        let end = match last {
            true => text.len(),
            false => memrchr(b'\n', text).map_or(0, |at| at + 1),
        };
        if end == 0 {
            self.begun.extend_from_slice(text);
            let is_long = self.begun.len() > LONG_LINE * text.len();
            return match is_long {
                true => {
                    let begun = std::mem::take(&mut self.begun);
                    Cut::LongLine(self.start, begun, piece.into_memory())
                }
                false => Cut::Nothing(piece.into_memory()),
            };
        }
        let begun = std::mem::replace(&mut self.begun, text[end..].to_vec());
        let start = self.start;
        if !last {
            self.start = start.behind(&begun).behind(&text[..end]);
        }
        piece.shorten(end);
        let piece = Some(piece);
        Cut::Part(Part {
            start,
            begun,
            piece,
        })
    }

    /// What is left where the last bytes were not known to be so.
    fn end(self) -> Option<Part> {
        (!self.begun.is_empty()).then_some(Part {
            start: self.start,
            begun: self.begun,
            piece: None,
        })
    }
}

/// What was found in a part.
struct Found<S> {
    part: Part,
    sink: S,
    counts: Counts,
}

/// What was found in all parts so far.
struct Whole<'w, S> {
    sink: &'w mut S,
    counts: Counts,
}

impl<S: PartSink> Whole<'_, S> {
    /// Takes in the next part; gives back its memory.
    fn join(&mut self, found: Found<S>) -> Option<Vec<u8>> {
        self.sink.join(found.sink);
        self.counts.add(&found.counts);
        if self.sink.wants_bytes() {
            for text in found.part.texts() {
                self.sink.bytes(text);
            }
        }
        found.part.piece.map(Piece::into_memory)
    }
}

/// A part to be evaluated, and where to send what is found in it.
type Job<S> = (Part, SyncSender<Found<S>>);

/// The helpers at work.
struct Team<S> {
    jobs: Sender<Job<S>>,
    /// What is found in the parts under way, in order.
    under_way: VecDeque<Receiver<Found<S>>>,
    most: usize,
    /// Memory to be used again.
    spare: Vec<Vec<u8>>,
}

impl<S: PartSink> Team<S> {
    fn new<'s>(
        scope: &'s Scope<'s, '_>,
        file: &'s str,
        (helpers, threads): (&'s Helpers<'_, '_, S>, usize),
    ) -> Self
    where
        S: 's,
    {
        let (jobs, line) = channel::<Job<S>>();
        let line = Arc::new(Mutex::new(line));
        for _ in 0..threads {
            let line = Arc::clone(&line);
            scope.spawn(move || {
                let mut run = (helpers.run)();
                loop {
                    // A thread that panicked left the line as it was.
                    let next = line.lock().unwrap_or_else(PoisonError::into_inner).recv();
                    let Ok((part, done)) = next else { return };
                    // Whoever no longer waits for it has failed.
                    let _ = done.send(do_part(&mut run, file, part, (helpers.sink)()));
                }
            });
        }
        Self {
            jobs,
            under_way: VecDeque::new(),
            most: AHEAD * threads,
            spare: Vec::new(),
        }
    }

    /// Hands a part out; waits for those before it where too many are under way.
    fn give(&mut self, part: Part, whole: &mut Whole<'_, S>) {
        let (done, found) = sync_channel(1);
        // The line is open as long as the team is there.
        let _ = self.jobs.send((part, done));
        self.under_way.push_back(found);
        self.wait(self.most, whole);
    }

    /// Joins what is found, until no more than so many parts are under way.
    fn wait(&mut self, most: usize, whole: &mut Whole<'_, S>) {
        while self.under_way.len() > most {
            // A helper that panicked ends the scope.
            let found = self
                .under_way
                .pop_front()
                .and_then(|found| found.recv().ok());
            let Some(found) = found else {
                return self.under_way.clear();
            };
            self.spare.extend(whole.join(found));
        }
    }
}

fn do_part<S: PartSink>(run: &mut Run<'_>, file: &str, part: Part, mut sink: S) -> Found<S> {
    let mut evaluation = run.part(file, part.start);
    // What is UTF-8 can always be written, so nothing is refused.
    let mut refused = Counts::default();
    let mut located = Located::new(&Coding::Utf8, &mut sink, &mut refused);
    let [begun, piece] = part.texts();
    evaluation.push(begun, &mut located);
    // Nothing follows in this part, so no line needs to be counted for what does.
    evaluation.push_last(piece, &mut located);
    let counts = evaluation.finish(&mut located);
    Found { part, sink, counts }
}
