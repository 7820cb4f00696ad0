//! One file read, and searched or rewritten, on this thread or in parts on several.

use crate::collector::{Collector, Events};
use crate::evaluate::{EvaluationRun, TextFound};
use crate::file_note::FileNote;
use crate::schedule::in_parts::{Helpers, Joiner, Part, read_in_parts};
use crate::summary::{FileEnd, FileRead};
use crate::text_worker::TextWorker;
use brisk_quill_core::query::note::Note;
use brisk_quill_core::query::table_end::TableEnd;
use brisk_quill_core::rewrite::part_start::PartStart;
use brisk_quill_files::error::FileError;
use brisk_quill_files::read::Reader;
use brisk_quill_files::read::open_text::OpenText;
use brisk_quill_files::source::Source;
use brisk_quill_files::text_map::AsItIs;
use std::path::Path;

/// The means that all files of a request share.
pub(crate) struct FileRuns<'h, 'r, M> {
    /// Makes the collector of a file.
    pub make: &'h M,
    /// Makes a worker for another thread.
    pub worker: &'h (dyn Fn() -> TextWorker<'r> + Sync),
    /// The threads that may help with a large file.
    pub helpers: &'h Helpers<'h>,
}

impl<'r, M> FileRuns<'_, 'r, M> {
    /// Works on one file. Collectors that are full go to `hand_over`; the last one is returned.
    pub fn run<'s, C: Collector>(
        &self,
        (worker, reader): (&mut TextWorker<'r>, &mut Reader),
        source: &'s Source,
        hand_over: &mut dyn FnMut(C),
    ) -> (C, FileEnd)
    where
        M: Fn(&'s Source) -> C + Sync,
    {
        let mut collector = (self.make)(source);
        reader.set_packs(collector.wants_bytes());
        let end = opened(reader, source, |text| {
            self.read(text, worker, source, (&mut collector, hand_over))
        });
        (collector, end)
    }

    fn read<'s, C: Collector>(
        &self,
        mut text: OpenText<'_>,
        worker: &mut TextWorker<'r>,
        source: &'s Source,
        (collector, hand_over): (&mut C, &mut dyn FnMut(C)),
    ) -> Result<FileRead, FileError>
    where
        M: Fn(&'s Source) -> C + Sync,
    {
        let hand_over = &mut |collector: &mut C| {
            if collector.is_full() {
                let next = (self.make)(source).for_part();
                hand_over(std::mem::replace(collector, next));
            }
        };
        let is_whole = collector.wants_bytes() || collector.numbers_rows() || !text.is_large();
        let called = match is_whole {
            true => None,
            false => self.helpers.call(),
        };
        let called = called.and_then(|called| Some((called, worker.part_cut(text.file())?)));
        let found = match called {
            None => read_here(&mut text, worker, collector, hand_over)?,
            Some((called, cut)) => {
                let file = text.file();
                let mut whole = WholeFile {
                    worker: Some(worker),
                    file,
                    collector,
                    hand_over,
                    found: TextFound::default(),
                    rest: None,
                };
                let work = |worker: &mut TextWorker<'r>, part: &Part| {
                    let mut collector = (self.make)(source).for_part();
                    collector.number_later();
                    let found = run_part(worker, file, part, &mut collector);
                    PartFound { collector, found }
                };
                read_in_parts((&mut text, cut), &called, self.worker, work, &mut whole)?;
                whole.end()
            }
        };
        Ok(file_read(&mut text, source, found))
    }
}

/// Opens a source and reads it; gives the end of it.
fn opened(
    reader: &mut Reader,
    source: &Source,
    read: impl FnOnce(OpenText<'_>) -> Result<FileRead, FileError>,
) -> FileEnd {
    let end = match reader.open(source) {
        Ok(Ok(text)) => read(text).map(|read| FileEnd::Read(Box::new(read))),
        Ok(Err(skipped)) => Ok(FileEnd::Skipped(skipped)),
        Err(error) => Err(error),
    };
    end.unwrap_or_else(FileEnd::Failed)
}

/// Works on one file on this thread, with a collector that lives on.
pub(crate) fn run_in_turn<E: Events>(
    worker: &mut TextWorker<'_>,
    reader: &mut Reader,
    source: &Source,
    events: &mut E,
) -> FileEnd {
    reader.set_packs(events.wants_bytes());
    opened(reader, source, |mut text| {
        let found = read_here(&mut text, worker, events, &mut |_| {})?;
        Ok(file_read(&mut text, source, found))
    })
}

/// Works on a text on this thread; `after_piece` is called after each piece of it.
fn read_here<E: Events>(
    text: &mut OpenText<'_>,
    worker: &mut TextWorker<'_>,
    events: &mut E,
    after_piece: &mut dyn FnMut(&mut E),
) -> Result<TextFound, FileError> {
    let mut run = worker.begin(text, events);
    text.read(|piece, map, last| {
        run.push(piece, (map, last), events);
        after_piece(events);
    })?;
    Ok(run.finish(text.map(), events))
}

/// A text that has been read to its end.
fn file_read(text: &mut OpenText<'_>, source: &Source, found: TextFound) -> FileRead {
    let TextFound { counts, notes, .. } = found;
    let found = counts.changes + counts.problems + counts.unmet > 0;
    let facts = text.facts(found);
    let mut notes: Vec<FileNote> = (notes.iter())
        .map(|note| FileNote::new(source, note))
        .collect();
    let undecodable = text.map().meaningless();
    notes.extend(
        undecodable
            .map(|(line, places)| FileNote::undecodable(source, line, places, facts.encoding)),
    );
    FileRead {
        facts,
        counts,
        notes,
    }
}

fn run_part<C: Collector>(
    worker: &mut TextWorker<'_>,
    file: &Path,
    part: &Part,
    collector: &mut C,
) -> TextFound {
    let mut run = worker.begin_part(file, part.start(), collector);
    let [begun, piece] = part.texts();
    run.push(begun, (&AsItIs, false), collector);
    // Nothing follows in this part, so no line needs to be counted for what does.
    run.push(piece, (&AsItIs, true), collector);
    run.finish(&AsItIs, collector)
}

/// The results of a part.
struct PartFound<C> {
    collector: C,
    found: TextFound,
}

/// The results of all parts of a file. Only UTF-8 is read in parts.
struct WholeFile<'w, 'r, C> {
    /// Works on the rest, which is not shared out.
    worker: Option<&'w mut TextWorker<'r>>,
    file: &'w Path,
    collector: &'w mut C,
    hand_over: &'w mut dyn FnMut(&mut C),
    found: TextFound,
    rest: Option<EvaluationRun<'w, 'r>>,
}

impl<C: Collector> Joiner<PartFound<C>> for WholeFile<'_, '_, C> {
    fn join(&mut self, mut part: PartFound<C>) {
        part.collector.after_rows(self.rows());
        self.collector.join(part.collector);
        self.add(part.found);
        (self.hand_over)(self.collector);
    }

    fn tell(&self, start: &mut PartStart) -> bool {
        start.go_by(&self.found.table_ends)
    }

    fn rest(&mut self, start: &PartStart, bytes: &[u8], last: bool) {
        // A collector that was handed over does not know of it.
        self.collector.after_rows(self.rows());
        if let Some(worker) = self.worker.take() {
            self.rest = Some(worker.begin_part(self.file, start.clone(), self.collector));
        }
        if let Some(rest) = &mut self.rest {
            rest.push(bytes, (&AsItIs, last), self.collector);
            (self.hand_over)(self.collector);
        }
    }
}

impl<C: Collector> WholeFile<'_, '_, C> {
    /// The rows of the parts that have been added.
    fn rows(&self) -> u64 {
        self.found.table_ends.first().map_or(0, TableEnd::rows)
    }

    fn add(&mut self, part: TextFound) {
        self.found.counts.add(&part.counts);
        for note in part.notes {
            note.push_to(&mut self.found.notes);
        }
        if self.found.table_ends.is_empty() {
            self.found.table_ends = part.table_ends;
            return;
        }
        for (end, next) in self.found.table_ends.iter_mut().zip(part.table_ends) {
            end.add(next);
        }
    }

    fn end(mut self) -> TextFound {
        if let Some(rest) = self.rest.take() {
            self.collector.after_rows(self.rows());
            let found = rest.finish(&AsItIs, self.collector);
            self.add(found);
        }
        for end in std::mem::take(&mut self.found.table_ends) {
            let (notes, problem) = end.finish();
            self.found.notes.extend(notes.into_iter().map(Note::Column));
            if let Some(problem) = problem {
                self.found.counts.problems += 1;
                self.collector.problem(problem);
            }
        }
        self.found
    }
}
