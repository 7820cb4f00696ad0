//! One large text on several threads, in parts of whole lines or rows.
//!
//! The reader of the text cuts it, hands the parts out, and joins what is found in them, in
//! order; helpers look at them. Only this many parts are under way that memory stays bounded. Where
//! the first rows name the columns, the others wait for them. A line that is very long ends the
//! sharing: what follows is left to the joiner, which has to know what to do with lines that are
//! too long.

use crate::schedule::handover::{Giver, Taker, Work, beside, handover};
use brisk_quill_core::rewrite::part_start::{PartCut, PartStart};
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::open_text::{OpenText, Piece};
use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// Helpers that one reader can keep busy.
const HELPERS_MOST: usize = 8;
/// Parts under way for each helper.
const AHEAD: usize = 2;
/// So many pieces without a line end are a very long line.
const LONG_LINE: usize = 8;

/// Threads that may help with one large text at a time.
pub struct Helpers<'h> {
    threads: &'h (dyn Fn() -> usize + Sync),
    busy: AtomicBool,
}

impl<'h> Helpers<'h> {
    /// As many as `threads` says, which is asked only where it matters.
    pub fn new(threads: &'h (dyn Fn() -> usize + Sync)) -> Self {
        Self {
            threads,
            busy: AtomicBool::new(false),
        }
    }

    /// Calls them for a large text, unless they are busy with another, or there is only one.
    pub fn call(&self) -> Option<Called<'_>> {
        if self.busy.swap(true, Ordering::Relaxed) {
            return None;
        }
        let called = Called {
            threads: (self.threads)().min(HELPERS_MOST),
            busy: &self.busy,
        };
        (called.threads > 1).then_some(called)
    }
}

/// Helpers that have been called; dropped, they are free again.
pub struct Called<'h> {
    threads: usize,
    busy: &'h AtomicBool,
}

impl Drop for Called<'_> {
    fn drop(&mut self) {
        self.busy.store(false, Ordering::Relaxed);
    }
}

/// Puts together what helpers find.
pub trait Joiner<F> {
    /// Takes what was found in the next part.
    fn join(&mut self, found: F);

    /// Tells the next part, which has this start, what those before it say of the columns; false where they do
    /// not say enough.
    fn tell(&self, start: &mut PartStart) -> bool;

    /// Takes the next bytes of what is not shared out, which begins at `start`; `last` says that
    /// they are the last, where that is known.
    fn rest(&mut self, start: &PartStart, bytes: &[u8], last: bool);
}

/// Whole lines or rows of a text; only the last of all may lack its end.
pub struct Part {
    start: PartStart,
    /// The first one, where that begins in earlier pieces.
    begun: Vec<u8>,
    /// The bytes that follow.
    piece: Option<Piece>,
}

impl Part {
    /// The start.
    pub fn start(&self) -> PartStart {
        self.start.clone()
    }

    /// The bytes, in two runs of whole lines or rows of which each may be empty.
    pub fn texts(&self) -> [&[u8]; 2] {
        [&self.begun, self.piece.as_ref().map_or(b"", Piece::text)]
    }
}

/// Reads a text, does `work` on its parts, and has `joiner` put together what comes out. It may be cut at the places
/// that are given. Each helper has a state of its own, which `worker` makes.
///
/// # Errors
///
/// When the text cannot be read to its end; what has been joined until then is void.
pub fn read_in_parts<W, F: Send>(
    (text, cut): (&mut OpenText<'_>, PartCut),
    helpers: &Called<'_>,
    worker: impl Fn() -> W + Sync,
    work: impl Fn(&mut W, &Part) -> F + Sync,
    joiner: &mut dyn Joiner<F>,
) -> Result<(), FileError> {
    let (mut team, helpers) = Team::new(helpers.threads, &worker, &work);
    let mut read = Ok(());
    let reading = || {
        read = share_out((text, cut), &mut team, joiner);
        // The helpers end when no job can follow.
        drop(team);
    };
    beside(helpers, Box::new(reading));
    read
}

/// Reads a text, hands its parts out, and has joined what is found in them.
fn share_out<F: Send>(
    (text, cut): (&mut OpenText<'_>, PartCut),
    team: &mut Team<F>,
    joiner: &mut dyn Joiner<F>,
) -> Result<(), FileError> {
    let mut cutter = Cutter::new(text.start(), cut);
    let mut waits = cut.names_columns();
    let mut rest = false;
    text.read_away(|piece, last| {
        if rest {
            joiner.rest(&cutter.start, piece.text(), last);
            return piece.into_memory();
        }
        match cutter.push(piece, last) {
            Cut::Part(part) => {
                team.give(part, joiner);
                if waits {
                    team.wait(0, joiner);
                    waits = !joiner.tell(&mut cutter.start);
                }
            }
            Cut::Nothing(memory) => return memory,
            Cut::LongLine(begun, memory) => {
                team.wait(0, joiner);
                joiner.rest(&cutter.start, &begun, false);
                rest = true;
                return memory;
            }
        }
        team.spare.pop().unwrap_or_default()
    })?;
    if let Some(part) = cutter.end() {
        team.give(part, joiner);
    }
    team.wait(0, joiner);
    Ok(())
}

/// Cuts a text into parts.
struct Cutter {
    start: PartStart,
    cut: PartCut,
    /// The line or row that has begun.
    begun: Vec<u8>,
}

enum Cut {
    Part(Part),
    /// No line has ended; with memory to be used again.
    Nothing(Vec<u8>),
    /// A very long line: what has been seen of it, and memory.
    LongLine(Vec<u8>, Vec<u8>),
}

impl Cutter {
    fn new(offset: u64, cut: PartCut) -> Self {
        Self {
            start: PartStart::of_text(offset),
            cut,
            begun: Vec::new(),
        }
    }

    fn push(&mut self, mut piece: Piece, last: bool) -> Cut {
        let text = piece.text();
        let ends = self.cut.ends(text);
        let (first, end) = match last {
            true => (ends.map_or(text.len(), |(first, _)| first), text.len()),
            false => ends.unwrap_or_default(),
        };
        if end == 0 {
            self.begun.extend_from_slice(text);
            let is_long = self.begun.len() > LONG_LINE * text.len();
            let memory = piece.into_memory();
            return match is_long {
                true => Cut::LongLine(std::mem::take(&mut self.begun), memory),
                false => Cut::Nothing(memory),
            };
        }
        let mut begun = std::mem::replace(&mut self.begun, text[end..].to_vec());
        // What has begun ends here: its end may be cut in two.
        let ended = if begun.is_empty() { 0 } else { first };
        begun.extend_from_slice(&text[..ended]);
        piece.keep(ended..end);
        let start = self.start.clone();
        if !last {
            self.start = start.clone().behind(&begun).behind(piece.text());
        }
        let piece = Some(piece);
        Cut::Part(Part {
            start,
            begun,
            piece,
        })
    }

    /// The bytes left where the last ones were not known to be the last.
    fn end(self) -> Option<Part> {
        (!self.begun.is_empty()).then_some(Part {
            start: self.start,
            begun: self.begun,
            piece: None,
        })
    }
}

/// A part to be looked at, and where to send it with what is found in it.
type Job<F> = (Part, Giver<(Part, F)>);

/// The helpers at work.
struct Team<F> {
    jobs: Giver<Job<F>>,
    /// The results of the parts under way, in order.
    under_way: VecDeque<Taker<(Part, F)>>,
    most: usize,
    /// Memory to be used again.
    spare: Vec<Vec<u8>>,
}

impl<F: Send> Team<F> {
    /// A team, and the threads that it is made of.
    fn new<'w, W>(
        threads: usize,
        worker: &'w (impl Fn() -> W + Sync),
        work: &'w (impl Fn(&mut W, &Part) -> F + Sync),
    ) -> (Self, Vec<Work<'w>>)
    where
        F: 'w,
    {
        let most = AHEAD * threads;
        let (jobs, line) = handover::<Job<F>>(most + 1);
        let line = Arc::new(Mutex::new(line));
        let helper = |_| {
            let line = Arc::clone(&line);
            let job_by_job = move || {
                let mut worker = worker();
                loop {
                    // A thread that panicked left the line as it was.
                    let next = line.lock().unwrap_or_else(PoisonError::into_inner).take();
                    let Some((part, done)) = next else { return };
                    let found = work(&mut worker, &part);
                    // Whoever no longer waits for it has failed.
                    done.give((part, found));
                }
            };
            Box::new(job_by_job) as Work<'w>
        };
        let helpers = (0..threads).map(helper).collect();
        let team = Self {
            jobs,
            under_way: VecDeque::new(),
            most,
            spare: Vec::new(),
        };
        (team, helpers)
    }

    /// Hands a part out; waits for those before it where too many are under way.
    fn give(&mut self, part: Part, joiner: &mut dyn Joiner<F>) {
        let (done, found) = handover(1);
        // The line is open as long as the team is there.
        self.jobs.give((part, done));
        self.under_way.push_back(found);
        self.wait(self.most, joiner);
    }

    /// Has joined what is found, until no more than this many parts are under way.
    fn wait(&mut self, most: usize, joiner: &mut dyn Joiner<F>) {
        while self.under_way.len() > most {
            // A helper that panicked ends the scope.
            let found = self.under_way.pop_front().and_then(|found| found.take());
            let Some((part, found)) = found else {
                return self.under_way.clear();
            };
            joiner.join(found);
            self.spare.extend(part.piece.map(Piece::into_memory));
        }
    }
}
