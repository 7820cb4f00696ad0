//! Plans being written: to a stream, to a file that is named, and to the place of the last preview
//! of a folder.
//!
//! What is kept of each file is made on any thread by a [`PlanPart`], and waits in a spool until its
//! turn comes: as records where a user or a program reads them now, else in short form, from which records are made on request.

use crate::collector::FileHunk;
use crate::file_note::FileNote;
use crate::host::{Host, make_room};
use crate::plan_records::{self, RecordPath};
use crate::summary::Summary;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::records::plan::PENDING_ID;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_files::fs::FileId;
use brisk_quill_files::hash::Hashing;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::short_plan::{self, EntryKind, MAGIC};
use brisk_quill_files::source::Source;
use brisk_quill_files::spool::{Spool, SpoolWriter};
use brisk_quill_files::temporary::{Temporaries, Temporary};
use memchr::memchr_iter;
use std::fs;
use std::io::{self, BufRead, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// The largest plan that a preview keeps for `apply`, in bytes.
const LAST_MOST: u64 = 64 << 20;
/// Bytes held in memory, of all files that wait for their turn.
const IN_MEMORY: usize = 32 << 20;
/// Written to a file at a time, in bytes.
const BUFFER: usize = 64 << 10;

/// Why a plan could not be written.
///
#[doc = include_str!("../doc/plans.md")]
#[derive(Debug, thiserror::Error)]
pub enum PlanWriteError {
    /// There is a file where it should be saved.
    #[error("there is already a file: {}", .0.display())]
    AlreadyThere(PathBuf),
    /// The plan cannot be saved in the file.
    #[error("cannot save the plan in {}: {source}", path.display())]
    Save {
        /// The file.
        path: PathBuf,
        /// The reason.
        source: io::Error,
    },
    /// The plan cannot be kept as the last preview of the folder.
    #[error("the plan cannot be kept")]
    Keep {
        /// The place, where there is one.
        place: Option<PathBuf>,
    },
}

/// The targets of a plan.
///
#[doc = include_str!("../doc/plans.md")]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Keeping {
    /// The plan is not kept for the current folder.
    Never,
    /// The plan is kept unless it is too large or cannot be kept.
    IfPossible,
    /// The plan must be kept, however large it is.
    Always,
}

/// A plan being written.
///
#[doc = include_str!("../doc/plans.md")]
pub struct PlanWriter<'a> {
    text: &'a RewriteText,
    rewrite: &'a Rewrite,
    save: Option<Target>,
    last: Option<Target>,
    /// The place of the last preview, where there is one.
    place: Option<PathBuf>,
    /// The spool of the changes of files: what precedes them is known only at their end.
    spool: Arc<Spool>,
    /// True if any of it is still wanted.
    wanted: Arc<AtomicBool>,
    /// Files with something in the plan.
    files: u64,
    keep: Keeping,
    is_too_large: bool,
    failed: Option<io::Error>,
    form: Form,
}

/// The form of a plan while it is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    /// The records that a user or a program reads.
    Records,
    /// The short form, for a plan that is only kept.
    Short,
}

/// The outcome of writing a plan.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PlanEnd {
    /// True if it was saved in the file that was named; `None` where none was.
    pub saved: Option<bool>,
    /// Which file it is, where it was kept as the last preview of the folder.
    pub last: Option<FileId>,
    /// True if it was to be kept and grew too large.
    pub is_too_large: bool,
}

/// A stream that takes a plan, or none.
pub type Stream<'o> = Option<&'o mut dyn Write>;

/// Makes the records of each file, on any thread.
#[derive(Clone)]
pub struct PlanMaker<'a> {
    rewrite: &'a Rewrite,
    spool: Arc<Spool>,
    wanted: Arc<AtomicBool>,
    /// Of a larger file, none are needed.
    most: u64,
    form: Form,
}

/// The records of the changes of one file.
///
#[doc = include_str!("../doc/plans.md")]
pub struct PlanPart<'a> {
    maker: PlanMaker<'a>,
    source: &'a Source,
    /// Made once it is needed.
    path: Option<RecordPath<'a>>,
    out: SpoolWriter,
    written: u64,
    failed: Option<io::Error>,
}

impl<'a> PlanMaker<'a> {
    /// The records of a file.
    pub fn part(&self, source: &'a Source) -> PlanPart<'a> {
        PlanPart {
            maker: self.clone(),
            source,
            path: None,
            out: SpoolWriter::new(&self.spool),
            written: 0,
            failed: None,
        }
    }
}

impl PlanPart<'_> {
    /// Adds the changes of a hunk.
    pub fn hunk(&mut self, found: &FileHunk<'_>) {
        let maker = &self.maker;
        if self.written > maker.most || !maker.wanted.load(Ordering::Relaxed) {
            return;
        }
        let (path, source) = (&mut self.path, self.source);
        let written = self.out.write_with(|out| match maker.form {
            Form::Short => plan_records::push_short_hunk(out, found),
            Form::Records => {
                let path = path.get_or_insert_with(|| RecordPath::of(source));
                plan_records::push_hunk(out, maker.rewrite, path, found);
            }
        });
        match written {
            Ok(bytes) => self.written += bytes as u64,
            Err(error) => self.failed = self.failed.take().or(Some(error)),
        }
    }

    /// Adds the records of the next part of the file.
    pub fn join(&mut self, mut part: Self) {
        self.written += part.written;
        let joined = part.failed.map_or(Ok(()), Err);
        let joined = joined.and_then(|()| self.out.join(&mut part.out));
        self.failed = self.failed.take().or(joined.err());
        if self.written > self.maker.most {
            self.maker.wanted.store(false, Ordering::Relaxed);
        }
    }
}

impl<'a> PlanWriter<'a> {
    /// A plan of the rewrite in `text`. It goes to the stream of each call where it `streams`, to
    /// the file `save`, and is kept for the current folder as `keep` says.
    ///
    /// # Errors
    ///
    /// When there is a file to be saved in already, it cannot be made, or the plan must be kept
    /// and cannot be.
    pub fn new(
        (text, rewrite): (&'a RewriteText, &'a Rewrite),
        host: &Host,
        streams: bool,
        save: Option<&Path>,
        keep: Keeping,
    ) -> Result<Self, PlanWriteError> {
        let save = match save {
            Some(path) if host.path(path).symlink_metadata().is_ok() => {
                return Err(PlanWriteError::AlreadyThere(path.to_owned()));
            }
            Some(path) => {
                let target = Target::beside(&host.path(path), host.temporaries());
                Some(target.map_err(|error| cannot_save(path, error))?)
            }
            None => None,
        };
        // A plan that cannot be kept is one that `apply` will not find, and no reason to stop.
        let last = host
            .last_plan()
            .filter(|_| keep != Keeping::Never)
            .and_then(|place| {
                let _ = fs::remove_file(&place);
                make_room(&place).ok()?;
                Target::beside(&place, host.temporaries()).ok()
            });
        if keep == Keeping::Always && last.is_none() {
            return Err(cannot_keep(host.last_plan()));
        }
        let form = match streams || save.is_some() {
            true => Form::Records,
            false => Form::Short,
        };
        Ok(Self {
            text,
            rewrite,
            form,
            wanted: Arc::new(AtomicBool::new(form == Form::Records || last.is_some())),
            save,
            last,
            place: host.last_plan(),
            spool: Spool::new(IN_MEMORY),
            files: 0,
            keep,
            is_too_large: false,
            failed: None,
        })
    }

    /// True if it goes elsewhere than to a stream.
    pub fn is_kept(&self) -> bool {
        self.save.is_some() || self.last.is_some()
    }

    /// Makes the records of files.
    pub fn maker(&self) -> PlanMaker<'a> {
        PlanMaker {
            rewrite: self.rewrite,
            spool: Arc::clone(&self.spool),
            wanted: Arc::clone(&self.wanted),
            form: self.form,
            most: match self.form {
                Form::Records => u64::MAX,
                Form::Short => self.most(),
            },
        }
    }

    /// The largest plan that is kept for the folder, in bytes.
    fn most(&self) -> u64 {
        match self.keep {
            Keeping::Always => u64::MAX,
            Keeping::Never | Keeping::IfPossible => LAST_MOST,
        }
    }

    /// Writes the first record.
    pub fn begin(&mut self, stream: &mut Stream<'_>) {
        let head = plan_records::head(self.text, self.rewrite);
        if self.form == Form::Short {
            self.put(MAGIC, stream);
        }
        self.record(EntryKind::Line, &head, stream);
        if self.form == Form::Short {
            let steps = self.rewrite.steps().iter();
            let names = steps.map(|step| {
                let groups = step.query.pattern.groups();
                (0..groups.len()).map(|number| groups.name(number))
            });
            let mut entry = Vec::new();
            short_plan::push_names(&mut entry, names);
            self.put(&entry, stream);
        }
    }

    fn line(&mut self, line: &[u8], stream: &mut Stream<'_>) {
        self.record(EntryKind::Line, line, stream);
    }

    /// A plan in short form ends with its hash.
    fn finish(&mut self, stream: &mut Stream<'_>) {
        if let (Form::Short, Some(last)) = (self.form, &mut self.last) {
            // What cannot be written now cannot be written later, when that is looked at.
            let _ = last.out.flush();
            let hash = last.out.get_ref().hash().0;
            self.record(EntryKind::End, hash.as_bytes(), stream);
        }
    }

    /// Adds a record, in short form as the rest of an entry of a kind.
    fn record(&mut self, kind: EntryKind, line: &[u8], stream: &mut Stream<'_>) {
        match self.form {
            Form::Records => self.put(line, stream),
            Form::Short => {
                let mut entry = Vec::new();
                short_plan::push_plain(&mut entry, kind, line);
                self.put(&entry, stream);
            }
        }
    }

    /// Adds a file that has changes, or something to say.
    pub fn file(
        &mut self,
        (source, facts): (&Source, &Facts),
        part: PlanPart<'_>,
        (problems, unmet): (&[Problem], &[Unmet]),
        stream: &mut Stream<'_>,
    ) {
        self.files += 1;
        if let Some(last) = &self.last
            && last.written + part.written > self.most()
        {
            self.last = None;
            self.is_too_large = true;
            let wanted = self.form == Form::Records;
            self.wanted.store(wanted, Ordering::Relaxed);
        }
        let head = plan_records::file(source, facts);
        self.record(EntryKind::File, &head, stream);
        if let Err(error) = self.put_part(part, stream) {
            self.failed = Some(error);
        }
        for problem in problems {
            self.line(&plan_records::problem(source, problem), stream);
        }
        for unmet in unmet {
            self.line(&plan_records::unmet(source, unmet), stream);
        }
    }

    fn put_part(&mut self, mut part: PlanPart<'_>, stream: &mut Stream<'_>) -> io::Result<()> {
        if let Some(error) = part.failed {
            return Err(error);
        }
        let kept = part.out.finish()?;
        let mut id = format!("{}.", self.files);
        let (before_change, mut change) = (id.len(), 0u64);
        let mut reader = kept.reader();
        loop {
            let records = reader.fill_buf()?;
            if records.is_empty() {
                return Ok(());
            }
            let mut done = 0;
            let with_ids = match self.form {
                Form::Records => records,
                // An entry has no id, and any bytes.
                Form::Short => &[],
            };
            for pending in memchr_iter(PENDING_ID, with_ids) {
                self.put(&records[done..pending], stream);
                change += 1;
                id.truncate(before_change);
                id.push_str(itoa::Buffer::new().format(change));
                self.put(id.as_bytes(), stream);
                done = pending + 1;
            }
            self.put(&records[done..], stream);
            let read = records.len();
            reader.consume(read);
        }
    }

    fn put(&mut self, bytes: &[u8], stream: &mut Stream<'_>) {
        if let Some(stream) = stream {
            // Whoever made the stream sees to its failures.
            let _ = stream.write_all(bytes);
        }
        if let Some(save) = &mut self.save
            && self.failed.is_none()
        {
            self.failed = save.write(bytes).err();
        }
        let most = self.most();
        if let Some(last) = &mut self.last {
            let is_written = last.write(bytes).is_ok();
            let is_too_large = last.written > most;
            if !is_written || is_too_large {
                self.last = None;
                self.is_too_large |= is_too_large;
            }
        }
    }

    /// Ends the plan. It is kept for the folder where it `holds`, and saved unless it is
    /// `guarded` against.
    ///
    /// # Errors
    ///
    /// When it cannot be saved, or must be kept and cannot be.
    pub fn end(
        mut self,
        summary: &Summary,
        (holds, guarded): (bool, bool),
        stream: &mut Stream<'_>,
    ) -> Result<PlanEnd, PlanWriteError> {
        for note in &summary.notes {
            let note: &FileNote = note;
            self.line(&plan_records::note(note), stream);
        }
        for hint in &summary.hints.shown {
            self.line(&plan_records::hint(hint), stream);
        }
        self.line(&plan_records::totals(summary), stream);
        self.finish(stream);
        let must_be_kept = self.keep == Keeping::Always;
        if holds && must_be_kept && self.last.is_none() {
            return Err(cannot_keep(self.place.clone()));
        }
        let is_too_large = self.is_too_large && holds;
        let mut last = None;
        if let Some(target) = self.last.take().filter(|_| holds) {
            let kept = target.keep();
            if must_be_kept && kept.is_err() {
                return Err(cannot_keep(self.place.clone()));
            }
            last = kept.ok();
        }
        let Some(save) = self.save.take() else {
            return Ok(PlanEnd {
                saved: None,
                last,
                is_too_large,
            });
        };
        let path = save.path.clone();
        let saved = Some(!guarded);
        if guarded {
            return Ok(PlanEnd {
                saved,
                last,
                is_too_large,
            });
        }
        let done = match self.failed.take() {
            Some(error) => Err(error),
            None => save.save(),
        };
        done.map_err(|error| cannot_save(&path, error))?;
        Ok(PlanEnd {
            saved,
            last,
            is_too_large,
        })
    }
}

fn cannot_save(path: &Path, source: io::Error) -> PlanWriteError {
    PlanWriteError::Save {
        path: path.to_owned(),
        source,
    }
}

fn cannot_keep(place: Option<PathBuf>) -> PlanWriteError {
    PlanWriteError::Keep { place }
}

/// A file that a plan is written to.
struct Target {
    out: BufWriter<Hashing<Temporary>>,
    path: PathBuf,
    written: u64,
}

impl Target {
    fn beside(path: &Path, temporaries: &Arc<Temporaries>) -> io::Result<Self> {
        let file = temporaries.beside(path)?;
        Ok(Self {
            out: BufWriter::with_capacity(BUFFER, Hashing::new(file)),
            path: path.to_owned(),
            written: 0,
        })
    }

    fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.written += bytes.len() as u64;
        self.out.write_all(bytes)
    }

    /// A plan that was asked for is on the disk before anybody hears of it.
    fn save(self) -> io::Result<()> {
        let file = self.out.into_inner()?.into_inner();
        file.file()?.sync_data()?;
        file.keep_as(&self.path).map(drop)
    }

    /// The last preview is not worth the wait: one that a power cut tore lacks its end, and is
    /// refused.
    fn keep(self) -> io::Result<FileId> {
        let file = self.out.into_inner()?.into_inner();
        file.replace(&self.path)
    }
}
