//! A plan in a file: read with limits, its decisions appended, and turned into what is written.
//!
//! The file may come from someone else. It is read as a stream; what is kept in memory is the
//! core's [`PlanIndex`], and a change is read again where its texts are needed. Paths in it are
//! confined to a root.

use crate::change::Change;
use crate::changes::Spooler;
use crate::error::system_words;
use crate::fs::open::{open_to_append, regular};
use crate::fs::{Confinement, FileId, Stat};
use crate::plan::{Plan, PlannedFile};
use crate::read::facts::{Facts, Newline};
use crate::short_plan::{self, MAGIC, ShortFault};
use crate::source::{FilePath, Source};
use crate::store::store_of::StoreOf;
use crate::store::text_file::{TextFile, TextFiles};
use brisk_quill_core::plan::fault::{PlanFault, RECORD_MOST};
use brisk_quill_core::plan::{PartOf, PlanFile, PlanIndex, parse_change, text_of};
use brisk_quill_core::records::plan::ChangeRecord;
use std::cmp::Reverse;
use std::collections::HashMap;
use std::ffi::OsStr;
use std::fs::{File, Metadata, TryLockError};
use std::io::{self, BufRead, BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// The most times that a lock is tried, and the time between two tries.
const LOCK_TRIES: u32 = 100;
const LOCK_WAIT: Duration = Duration::from_millis(20);
/// Kinds that are distinguished.
const KINDS_MOST: usize = 100_000;

/// Why a plan cannot be used.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum PlanFileError {
    /// The plan cannot be read or written.
    #[error("{}", system_words(.0))]
    Io(#[from] io::Error),
    /// A line of it is not what it must be.
    #[error("line {line}: {fault}")]
    Line {
        /// From 1.
        line: u64,
        /// The fault in it.
        fault: PlanFault,
    },
    /// A decision in it does not fit.
    #[error("{0}")]
    Decision(PlanFault),
    /// The plan holds nothing.
    #[error("it is empty")]
    Empty,
    /// A kept preview is not as it was written.
    #[error("it was cut off, or is damaged")]
    Damaged,
    /// Some of the changes that add a column to a file would be written, and others not.
    #[error(
        "{taken} of the {of} changes that add a column to {path} would be written: a table cannot have rows of two widths"
    )]
    Widened {
        /// The file, as it is shown.
        path: String,
        /// Changes that would be written.
        taken: u64,
        /// All of them.
        of: u64,
    },
    /// A path that leads out of the root.
    #[error("`{0}` leads out of the folder that the plan may write in")]
    LeadsOut(String),
}

impl From<ShortFault> for PlanFileError {
    fn from(fault: ShortFault) -> Self {
        match fault {
            ShortFault::Damaged => Self::Damaged,
            ShortFault::Io(error) => Self::Io(error),
        }
    }
}

/// Why decisions could not be added to a plan.
#[derive(Debug, thiserror::Error)]
pub enum AppendError {
    /// Another file has come to have its name, or its contents are others.
    #[error("the plan has been replaced, removed or changed since it was read")]
    Replaced,
    /// The plan cannot be read or written.
    #[error("{}", system_words(.0))]
    Io(#[from] io::Error),
}

/// A plan that was read. It stays bound to the file that it was read from: whatever comes to have
/// its name is never written to.
#[derive(Debug)]
pub struct PlanDoc {
    file: File,
    /// The records of a plan in short form, but for those that were appended to it.
    records: Option<MadeRecords>,
    path: PathBuf,
    /// The contents.
    pub index: PlanIndex,
    /// Bytes of whole lines; what lies behind them was cut off.
    length: u64,
    is_torn: bool,
    /// The BLAKE3 hash of all lines but those of decisions.
    hash: blake3::Hash,
    /// The hash of all whole lines.
    whole: blake3::Hasher,
    /// The file as it was when its contents were last known.
    seen: Stat,
    /// True if another program has added decisions since it was read.
    is_shared: bool,
    texts: TextFiles,
    /// The folder that its paths are meant in; `None` is that of the process.
    folder: Option<Arc<Path>>,
}

/// Records that were made of a plan in short form.
#[derive(Debug)]
struct MadeRecords {
    /// A file without a name.
    file: File,
    /// The length of all of them, in bytes.
    bytes: u64,
    /// The bytes of the short form.
    of: u64,
}

/// Changes with the same old and new bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlanKind {
    /// The old bytes.
    pub before: Vec<u8>,
    /// The new ones.
    pub after: Vec<u8>,
    /// The number of its changes.
    pub count: u64,
    /// The first line.
    pub first: usize,
}

/// The kinds of a plan, the most frequent first.
#[derive(Clone, Debug, Default)]
pub struct PlanKinds {
    /// Each kind.
    pub kinds: Vec<PlanKind>,
    /// The kind of each change; `u32::MAX` where there are too many kinds.
    pub of: Vec<u32>,
}

impl PlanDoc {
    /// Reads the plan at `path`.
    ///
    /// # Errors
    ///
    /// When it cannot be read, or a line of it does not fit. A last line that was cut off is no
    /// error: see [`PlanDoc::is_whole`].
    pub fn open(path: &Path) -> Result<Self, PlanFileError> {
        let file = open_to_append(path)?;
        let mut doc = Self {
            seen: regular(&file)?,
            whole: blake3::Hasher::new(),
            is_shared: false,
            texts: TextFiles::default(),
            folder: None,
            path: path.to_owned(),
            index: PlanIndex::default(),
            length: 0,
            is_torn: false,
            hash: blake3::hash(b""),
            records: None,
            file: file.try_clone()?,
        };
        let mut hasher = blake3::Hasher::new();
        let mut input = BufReader::with_capacity(1 << 18, file);
        if input.fill_buf()?.starts_with(MAGIC) {
            doc.take_short(&mut input, &mut hasher)?;
        }
        let mut line = Vec::new();
        for number in 1.. {
            line.clear();
            let most = RECORD_MOST as u64 + 1;
            let read = input.by_ref().take(most).read_until(b'\n', &mut line)?;
            let fail = |fault| PlanFileError::Line {
                line: number,
                fault,
            };
            if read as u64 == most {
                return Err(fail(PlanFault::TooLong));
            }
            let Some(record) = line.strip_suffix(b"\n") else {
                doc.is_torn = read > 0;
                break;
            };
            let part = doc.index.take(record, doc.length).map_err(fail)?;
            if part == PartOf::Body {
                hasher.update(&line);
            }
            doc.whole.update(&line);
            doc.length += read as u64;
        }
        doc.hash = hasher.finalize();
        match doc.length {
            0 if doc.is_torn => Err(PlanFileError::Line {
                line: 1,
                fault: PlanFault::NoHead,
            }),
            0 => Err(PlanFileError::Empty),
            _ => Ok(doc),
        }
    }

    /// Takes a plan in short form: its records are written to a file without a name.
    fn take_short(
        &mut self,
        input: &mut impl Read,
        hasher: &mut blake3::Hasher,
    ) -> Result<(), PlanFileError> {
        let file = tempfile::tempfile()?;
        let mut out = BufWriter::with_capacity(1 << 18, &file);
        let (mut number, mut bytes) = (0, 0);
        let index = &mut self.index;
        let of = short_plan::read(input, &mut self.whole, |line| {
            number += 1;
            let record = line.strip_suffix(b"\n").ok_or(PlanFileError::Damaged)?;
            index
                .take(record, bytes)
                .map_err(|fault| PlanFileError::Line {
                    line: number,
                    fault,
                })?;
            hasher.update(line);
            bytes += line.len() as u64;
            Ok::<_, PlanFileError>(out.write_all(line)?)
        })?;
        out.flush()?;
        drop(out);
        self.length = of;
        self.records = Some(MadeRecords { file, bytes, of });
        Ok(())
    }

    /// The file in which the records of changes lie.
    fn changes(&self) -> &File {
        let made = self.records.as_ref();
        made.map_or(&self.file, |records| &records.file)
    }

    /// The place.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The hash of what was evaluated, in hexadecimal: decisions do not change it.
    pub fn hash(&self) -> String {
        self.hash.to_hex().to_string()
    }

    /// True if it was written to its end.
    pub fn is_whole(&self) -> bool {
        self.index.is_complete
    }

    /// The record of a change.
    ///
    /// # Errors
    ///
    /// When it cannot be read again as it was.
    pub fn change(&self, index: usize) -> io::Result<ChangeRecord<'static>> {
        let mut file = self.changes();
        file.seek(SeekFrom::Start(self.index.entries[index].offset))?;
        read_change(&mut BufReader::new(file))
    }

    /// Every change in order.
    ///
    /// # Errors
    ///
    /// As [`PlanDoc::change`], or when `visit` fails.
    pub fn each(
        &self,
        mut visit: impl FnMut(usize, ChangeRecord<'static>) -> io::Result<()>,
    ) -> io::Result<()> {
        let mut file = self.changes();
        let mut at = 0;
        file.seek(SeekFrom::Start(at))?;
        let mut input = BufReader::with_capacity(1 << 18, file);
        for (index, entry) in self.index.entries.iter().enumerate() {
            let skip = i64::try_from(entry.offset - at).map_err(io::Error::other)?;
            input.seek_relative(skip)?;
            let mut line = Vec::new();
            let read = input.read_until(b'\n', &mut line)?;
            at = entry.offset + read as u64;
            visit(index, parse(&line)?)?;
        }
        Ok(())
    }

    /// The kinds of its changes.
    ///
    /// # Errors
    ///
    /// As [`PlanDoc::change`].
    pub fn kinds(&self) -> io::Result<PlanKinds> {
        // In the order in which they are met.
        let mut met: Vec<PlanKind> = Vec::new();
        let mut numbers: HashMap<(Vec<u8>, Vec<u8>), u32> = HashMap::new();
        let mut of = vec![u32::MAX; self.index.entries.len()];
        self.each(|index, change| {
            let text = text_of(&change).map_err(io::Error::other)?;
            let kind = (text.before.into_owned(), text.after.into_owned());
            of[index] = match numbers.get(&kind) {
                Some(number) => *number,
                None if met.len() >= KINDS_MOST => return Ok(()),
                None => {
                    // Below KINDS_MOST, so it fits.
                    let number = met.len() as u32;
                    met.push(PlanKind {
                        before: kind.0.clone(),
                        after: kind.1.clone(),
                        count: 0,
                        first: index,
                    });
                    numbers.insert(kind, number);
                    number
                }
            };
            met[of[index] as usize].count += 1;
            Ok(())
        })?;
        let mut kinds: Vec<(usize, PlanKind)> = met.into_iter().enumerate().collect();
        // Those that are as frequent stay in the order in which they were met.
        kinds.sort_by_key(|(_, kind)| Reverse(kind.count));
        let mut place = vec![u32::MAX; kinds.len()];
        for (number, (met, _)) in (0..).zip(&kinds) {
            place[*met] = number;
        }
        for kind in of.iter_mut().filter(|kind| **kind != u32::MAX) {
            *kind = place[*kind as usize];
        }
        let kinds = kinds.into_iter().map(|(_, kind)| kind).collect();
        Ok(PlanKinds { kinds, of })
    }

    /// Which file it is.
    pub fn id(&self) -> FileId {
        self.seen.id
    }

    /// The lines from the beginning, those that were added since it was read left out.
    ///
    /// # Errors
    ///
    /// When it cannot be read again.
    pub fn lines(&self) -> io::Result<impl BufRead + '_> {
        let (mut made, mut file) = (self.changes(), &self.file);
        made.seek(SeekFrom::Start(0))?;
        let (bytes, of) = match &self.records {
            Some(records) => (records.bytes, records.of),
            None => (0, 0),
        };
        // Both are one file where nothing was made; then nothing of it is read twice.
        file.seek(SeekFrom::Start(of))?;
        let lines = made.take(bytes).chain(file.take(self.length - of));
        Ok(BufReader::with_capacity(1 << 18, lines))
    }

    /// Appends decision records: from then on they survive the end of this program. They go to the
    /// file that was read, and only while it has its name and its contents.
    ///
    /// # Errors
    ///
    /// When it was replaced, or they cannot be written.
    pub fn append(&mut self, lines: &[u8]) -> Result<(), AppendError> {
        let lock = self.lock()?;
        self.check_same()?;
        if self.is_torn {
            // A line that was cut off must not become one with the next.
            self.file.set_len(self.length)?;
            self.is_torn = false;
        }
        // A line that is cut off on a full disk is removed before the next.
        self.is_torn = true;
        (&self.file).write_all(lines)?;
        self.is_torn = false;
        self.whole.update(lines);
        self.length += lines.len() as u64;
        self.seen = regular(&self.file)?;
        drop(lock);
        Ok(())
    }

    /// Checks that no other program has decided about the plan since it was read.
    ///
    /// # Errors
    ///
    /// When one has ([`AppendError::Replaced`]), or it cannot be read again. One that was
    /// replaced or removed as a whole is fine: what was read is what was shown.
    pub fn check_unshared(&mut self) -> Result<(), AppendError> {
        let _lock = self.lock()?;
        match self.check_same() {
            Ok(()) if self.is_shared => Err(AppendError::Replaced),
            Err(AppendError::Replaced) => Ok(()),
            done => done,
        }
    }

    /// Keeps others from appending until it is dropped.
    fn lock(&self) -> io::Result<PlanLock> {
        let file = self.file.try_clone()?;
        for _ in 0..LOCK_TRIES {
            match file.try_lock() {
                Ok(()) => return Ok(PlanLock(Some(file))),
                Err(TryLockError::WouldBlock) => std::thread::sleep(LOCK_WAIT),
                // A file system without locks.
                Err(TryLockError::Error(_)) => return Ok(PlanLock(None)),
            }
        }
        Err(io::Error::new(
            io::ErrorKind::ResourceBusy,
            "another program is writing to it",
        ))
    }

    /// The name must lead to the file that was read, and that hold what it held; decisions that
    /// another program has added are taken.
    fn check_same(&mut self) -> Result<(), AppendError> {
        let now = regular(&self.file)?;
        if !self.is_met(std::fs::metadata(&self.path)) {
            return Err(AppendError::Replaced);
        }
        let state = |stat: Stat| (stat.bytes, stat.written, stat.changed);
        if state(now) == state(self.seen) {
            return Ok(());
        }
        let mut hasher = blake3::Hasher::new();
        let mut file = &self.file;
        file.seek(SeekFrom::Start(0))?;
        let read = io::copy(&mut file.take(self.length), &mut hasher)?;
        if read != self.length || hasher.finalize() != self.whole.finalize() {
            return Err(AppendError::Replaced);
        }
        self.take_added()?;
        self.seen = now;
        Ok(())
    }

    /// True if this is the file that was read.
    fn is_met(&self, found: io::Result<Metadata>) -> bool {
        let id = self.seen.id;
        found.is_ok_and(|found| (found.dev(), found.ino()) == (id.device, id.inode))
    }

    /// Takes the lines behind those that are known; they must be decisions.
    fn take_added(&mut self) -> Result<(), AppendError> {
        let mut file = self.file.try_clone()?;
        file.seek(SeekFrom::Start(self.length))?;
        let mut input = BufReader::new(file);
        let mut line = Vec::new();
        loop {
            line.clear();
            let most = RECORD_MOST as u64;
            let read = input.by_ref().take(most).read_until(b'\n', &mut line)?;
            let Some(record) = line.strip_suffix(b"\n") else {
                self.is_torn = read > 0;
                return Ok(());
            };
            match self.index.take(record, self.length) {
                Ok(PartOf::Decisions) => {}
                Ok(PartOf::Body) | Err(_) => return Err(AppendError::Replaced),
            }
            self.whole.update(&line);
            self.length += read as u64;
            self.is_shared = true;
        }
    }

    /// Brings what has been appended to the disk.
    ///
    /// # Errors
    ///
    /// When that fails.
    pub fn sync(&self) -> io::Result<()> {
        self.file.sync_data()
    }

    /// Removes the plan, unless another one has come to have its name.
    pub fn remove(&self) {
        if self.is_met(std::fs::symlink_metadata(&self.path)) {
            let _ = std::fs::remove_file(&self.path);
        }
    }

    /// Takes the place of the plan `other`, if that is still the one that was read.
    ///
    /// # Errors
    ///
    /// When it was replaced meanwhile, or cannot be.
    pub fn replace(mut self, other: &mut Self) -> Result<Self, AppendError> {
        let _lock = other.lock()?;
        other.check_same()?;
        if other.is_shared {
            return Err(AppendError::Replaced);
        }
        std::fs::rename(&self.path, &other.path)?;
        self.path.clone_from(&other.path);
        self.seen = regular(&self.file)?;
        Ok(self)
    }

    /// Makes sure that every decision that widens its change fits: it may reach neither into another
    /// change nor out of its file, and the text beside the change must be that of the file. For
    /// `root` see [`PlanDoc::places`].
    ///
    /// # Errors
    ///
    /// [`PlanFileError::Decision`], with the change that is decided about.
    pub fn check_decisions(&self, root: Option<&Path>) -> Result<(), PlanFileError> {
        let index = &self.index;
        let is_wider = |number: &usize| index.modified[number].wider.is_some();
        let mut wider: Vec<usize> = index.modified.keys().copied().filter(is_wider).collect();
        wider.sort_unstable();
        if wider.is_empty() {
            return Ok(());
        }
        let places = self.places(root)?;
        let written = |number: usize| -> Result<_, PlanFileError> {
            let change = self.change(number)?;
            let reach = |_| PlanFileError::Decision(PlanFault::Reach(index.id(number)));
            let written = index.written(number, &change).map_err(reach)?;
            let own = (written.from.min(change.from), written.to.max(change.to));
            Ok((own, written.before.into_owned()))
        };
        for number in wider {
            let id = || index.id(number);
            let of = index.file_of(number);
            let file = &index.files[of];
            let ((from, to), before) = written(number)?;
            let low = match number > file.first {
                true => written(number - 1)?.0.1,
                false => 0,
            };
            let high = match number + 1 < file.end {
                true => written(number + 1)?.0.0,
                false => file.text_bytes,
            };
            if from < low || to > high {
                return Err(PlanFileError::Decision(PlanFault::Reach(id())));
            }
            if !self.holds(&places[of], (from, file.text_bytes), &before) {
                return Err(PlanFileError::Decision(PlanFault::Beside(id())));
            }
        }
        Ok(())
    }

    /// True unless a text that is as long as it was holds something else than `bytes` from an offset:
    /// one that has another length is not the one that was evaluated, and is refused for that.
    fn holds(&self, path: &Path, (from, length): (u64, u64), bytes: &[u8]) -> bool {
        let path = FilePath::within(path.to_owned(), self.folder.clone());
        let Ok(text) = self.texts.open(&path.place()) else {
            return true;
        };
        let mut found = vec![0; bytes.len()];
        text.bytes() != length || text.read_exact_at(&mut found, from).is_ok() && found == bytes
    }

    /// The paths are meant in `folder`; without one, in that of the process.
    #[must_use]
    pub fn within(mut self, folder: Option<Arc<Path>>) -> Self {
        self.folder = folder;
        self
    }

    /// The file numbered so, from 0, as a source.
    pub fn source(&self, file: usize) -> Source {
        let path = path_of(&self.index.files[file].path);
        Source::File(FilePath::within(path, self.folder.clone()))
    }

    /// The text of a file of the plan, as it is now.
    ///
    /// # Errors
    ///
    /// When it cannot be read.
    pub fn text(&self, file: &PlanFile) -> io::Result<TextFile> {
        let path = FilePath::within(path_of(&file.path), self.folder.clone());
        self.texts.open(&path.place())
    }

    /// The paths of the files of the plan. They must lie below `root`, which is the current folder;
    /// without one they are taken as they are.
    ///
    /// # Errors
    ///
    /// When a path leads out of the root.
    pub fn places(&self, root: Option<&Path>) -> Result<Vec<PathBuf>, PlanFileError> {
        let place = |file: &PlanFile| {
            let path = path_of(&file.path);
            match root {
                Some(root) => confined(root, &path),
                None => Ok(path),
            }
        };
        self.index.files.iter().map(place).collect()
    }

    /// The changes to be written: every change that was accepted or modified, or every change at all
    /// while nothing has been decided. For `root` see [`PlanDoc::places`].
    ///
    /// # Errors
    ///
    /// As [`PlanDoc::places`], or when the plan cannot be read again.
    pub fn to_plan(&self, root: Option<&Path>) -> Result<Plan, PlanFileError> {
        let counts = self.index.counts();
        let all = self.index.is_undecided(&counts);
        let places = self.places(root)?;
        let mut spooler = Spooler::default();
        let mut plan = Plan::default();
        let (mut number, mut last) = (0, 0);
        self.each(|index, change| {
            while index >= self.index.files[number].end {
                plan.files
                    .push(self.planned(number, (&places, root), &mut spooler)?);
                number += 1;
                last = 0;
            }
            let decision = self.index.entries[index].decision;
            if !all && !decision.writes() {
                return Ok(());
            }
            let written = self.index.written(index, &change);
            let written = written.map_err(io::Error::other)?;
            if written.from < last || written.to > self.index.files[number].text_bytes {
                let id = self.index.id(index);
                return Err(io::Error::other(format!(
                    "change {id} is modified beyond its place: into the one before it, or out of its file"
                )));
            }
            last = written.to;
            spooler.push(&Change {
                line: change.line.0,
                from: written.from,
                to: written.to,
                before: written.before.into_owned(),
                after: written.after.into_owned(),
            })
        })?;
        for number in number..self.index.files.len() {
            plan.files
                .push(self.planned(number, (&places, root), &mut spooler)?);
        }
        // The order of a run is that of the paths.
        plan.files.sort_by(|a, b| a.source.cmp(&b.source));
        Ok(plan)
    }

    fn planned(
        &self,
        number: usize,
        (places, root): (&[PathBuf], Option<&Path>),
        spooler: &mut Spooler,
    ) -> io::Result<PlannedFile> {
        let file = &self.index.files[number];
        Ok(PlannedFile {
            source: Source::File(FilePath::within(
                places[number].clone(),
                self.folder.clone(),
            )),
            confinement: match root {
                Some(root) => Confinement::Below(root.to_owned()),
                None => Confinement::AsEvaluated(file.real.as_deref().map(path_of)),
            },
            facts: Facts {
                bytes: file.bytes,
                text_bytes: file.text_bytes,
                hash: blake3::Hash::from_hex(&file.hash).ok(),
                real: None,
                store: StoreOf::named(file.store.as_deref()).map_err(io::Error::other)?,
                encoding: "UTF-8",
                newline: Newline::None,
            },
            changes: spooler.end_file()?,
            stands_for: None,
        })
    }
}

/// A lock on a plan; `None` where there can be none.
struct PlanLock(Option<File>);

impl Drop for PlanLock {
    fn drop(&mut self) {
        if let Some(file) = &self.0 {
            let _ = file.unlock();
        }
    }
}

fn path_of(bytes: &[u8]) -> PathBuf {
    PathBuf::from(OsStr::from_bytes(bytes))
}

fn read_change(input: &mut impl BufRead) -> io::Result<ChangeRecord<'static>> {
    let mut line = Vec::new();
    input.read_until(b'\n', &mut line)?;
    parse(&line)
}

fn parse(line: &[u8]) -> io::Result<ChangeRecord<'static>> {
    let line = line.strip_suffix(b"\n").unwrap_or(line);
    parse_change(line).map_err(io::Error::other)
}

/// A path of a plan, which must lie below `root`, also where links lead.
fn confined(root: &Path, path: &Path) -> Result<PathBuf, PlanFileError> {
    let out = || PlanFileError::LeadsOut(brisk_quill_core::escape::visible_path(path));
    let below = match path.is_absolute() {
        true => path.strip_prefix(root).map_err(|_| out())?,
        false => path,
    };
    let plain = |part: Component<'_>| matches!(part, Component::Normal(_) | Component::CurDir);
    if !below.components().all(plain) {
        return Err(out());
    }
    let place = root.join(below);
    // What is not there cannot be written to, which is reported where it is read; but where it would
    // be must lie below the root too.
    let real = place.ancestors().find_map(|part| part.canonicalize().ok());
    if !real.is_some_and(|real| real.starts_with(root.canonicalize().unwrap_or_default())) {
        return Err(out());
    }
    Ok(path.to_owned())
}
