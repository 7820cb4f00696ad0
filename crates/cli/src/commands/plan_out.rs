//! A plan being written: to standard output, to a file that is named, and to the place of the
//! last preview of a folder.
//!
//! The records of each file are made on any thread by a [`PlanPart`], and wait in a spool until
//! their turn comes.

use crate::commands::journal_run;
use crate::commands::pass::{FileNote, rewrite_hints};
use crate::commands::plans::{last_place, make_room};
use crate::diagnostic::Diagnostic;
use crate::options::AskedRewrite;
use crate::output::Output;
use crate::render::json::line::JsonPath;
use crate::render::json::{CHANGE_ID, JsonPlan, json_note};
use crate::render::report::FileReport;
use crate::render::table::RewriteTotals;
use brisk_quill_core::escape::visible_path;
use brisk_quill_files::discover::Source;
use brisk_quill_files::evaluate::FileHunk;
use brisk_quill_files::spool::{Spool, SpoolWriter};
use brisk_quill_files::temporary::Temporary;
use memchr::memchr_iter;
use std::fs;
use std::io::{self, BufRead, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// The largest plan that a preview keeps for `apply`, in bytes.
const LAST_MOST: u64 = 64 << 20;
/// What is held in memory, of all files that wait for their turn, in bytes.
const IN_MEMORY: usize = 64 << 20;
/// Written to a file at a time, in bytes.
const BUFFER: usize = 64 << 10;

/// A plan being written.
pub struct PlanOut<'a> {
    json: JsonPlan<'a>,
    asked: &'a AskedRewrite,
    /// To standard output.
    print: bool,
    save: Option<Target>,
    last: Option<Target>,
    /// Where the changes of files wait: what stands before them is known only at their end.
    spool: Arc<Spool>,
    /// Whether any of it is still wanted.
    wanted: Arc<AtomicBool>,
    /// Files with something in the plan.
    files: u64,
    /// The largest plan that is kept for this folder.
    most: u64,
    /// What follows cannot do without the plan of this folder.
    must_be_kept: bool,
    failed: Option<io::Error>,
}

/// Makes the records of each file, on any thread.
#[derive(Clone)]
pub struct PlanMaker<'a> {
    json: JsonPlan<'a>,
    spool: Arc<Spool>,
    wanted: Arc<AtomicBool>,
    /// Of a larger file, none are needed.
    most: u64,
}

/// The records of the changes of one file.
pub struct PlanPart<'a> {
    maker: PlanMaker<'a>,
    source: &'a Source,
    /// Made once it is needed.
    path: Option<JsonPath>,
    out: SpoolWriter,
    written: u64,
    failed: Option<io::Error>,
}

impl<'a> PlanMaker<'a> {
    /// For a file.
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
    /// Takes the changes of lines.
    pub fn hunk(&mut self, found: &FileHunk<'_>) {
        let maker = &self.maker;
        if self.written > maker.most || !maker.wanted.load(Ordering::Relaxed) {
            return;
        }
        let json = &maker.json;
        let path = self.path.get_or_insert_with(|| JsonPath::of(self.source));
        let written = self.out.write_with(|out| json.hunk(out, path, found));
        match written {
            Ok(bytes) => self.written += bytes as u64,
            Err(error) => self.failed = self.failed.take().or(Some(error)),
        }
    }

    /// Takes in the records of the next part of the file.
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

impl<'a> PlanOut<'a> {
    /// Goes to standard output with `print`, to the file `save`, and is kept for this folder
    /// with `keep`.
    pub fn new(
        asked: &'a AskedRewrite,
        print: bool,
        save: Option<&Path>,
        keep: bool,
    ) -> Result<Self, Diagnostic> {
        let save = match save {
            Some(path) if path.symlink_metadata().is_ok() => {
                let shown = visible_path(path);
                let message = format!("there is already a file: {shown}");
                return Err(Diagnostic::trouble(message).remedy("save the plan under another name"));
            }
            Some(path) => Some(Target::beside(path).map_err(|error| cannot_save(path, &error))?),
            None => None,
        };
        // A plan that cannot be kept is one that `apply` will not find, and no reason to stop.
        let last = last_place().filter(|_| keep).and_then(|place| {
            let _ = fs::remove_file(&place);
            make_room(&place).ok()?;
            Target::beside(&place).ok()
        });
        Ok(Self {
            json: JsonPlan {
                text: &asked.text,
                rewrite: &asked.rewrite,
            },
            asked,
            print,
            wanted: Arc::new(AtomicBool::new(print || save.is_some() || last.is_some())),
            save,
            last,
            spool: Spool::new(IN_MEMORY),
            files: 0,
            most: LAST_MOST,
            must_be_kept: false,
            failed: None,
        })
    }

    /// Is kept for this folder however large it is, and must be.
    pub fn to_be_reviewed(asked: &'a AskedRewrite) -> Result<Self, Diagnostic> {
        let mut plan = Self::new(asked, false, None, true)?;
        if plan.last.is_none() {
            return Err(cannot_keep());
        }
        (plan.most, plan.must_be_kept) = (u64::MAX, true);
        Ok(plan)
    }

    /// Whether it goes elsewhere than to standard output.
    pub fn is_kept(&self) -> bool {
        self.save.is_some() || self.last.is_some()
    }

    /// What makes the records of files.
    pub fn maker(&self) -> PlanMaker<'a> {
        PlanMaker {
            json: self.json,
            spool: Arc::clone(&self.spool),
            wanted: Arc::clone(&self.wanted),
            most: match self.print || self.save.is_some() {
                true => u64::MAX,
                false => self.most,
            },
        }
    }

    /// Writes the first record.
    pub fn begin(&mut self, output: &mut Output) {
        let head = self.json.head();
        self.put(&head, output);
    }

    /// Adds a file that has changes, or something to tell.
    pub fn file(&mut self, report: &FileReport<'_>, part: PlanPart<'_>, output: &mut Output) {
        self.files += 1;
        if let Some(last) = &self.last
            && last.written + part.written > self.most
        {
            self.last = None;
            let wanted = self.print || self.save.is_some();
            self.wanted.store(wanted, Ordering::Relaxed);
        }
        let head = self.json.file(report.source, report.facts);
        self.put(&head, output);
        if let Err(error) = self.put_part(part, output) {
            self.failed = Some(error);
        }
        let troubles = self.json.troubles(report);
        self.put(&troubles, output);
    }

    fn put_part(&mut self, mut part: PlanPart<'_>, output: &mut Output) -> io::Result<()> {
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
            for hole in memchr_iter(CHANGE_ID, records) {
                self.put(&records[done..hole], output);
                change += 1;
                id.truncate(before_change);
                id.push_str(itoa::Buffer::new().format(change));
                self.put(id.as_bytes(), output);
                done = hole + 1;
            }
            self.put(&records[done..], output);
            let read = records.len();
            reader.consume(read);
        }
    }

    fn put(&mut self, bytes: &[u8], output: &mut Output) {
        if self.print {
            output.print(bytes);
        }
        if let Some(save) = &mut self.save
            && self.failed.is_none()
        {
            self.failed = save.write(bytes).err();
        }
        if let Some(last) = &mut self.last
            && (last.write(bytes).is_err() || last.written > self.most)
        {
            self.last = None;
        }
    }

    /// Ends the plan; it is kept for this folder where it `holds`, and saved unless a guard
    /// stands against it.
    pub fn end(
        mut self,
        totals: &RewriteTotals,
        notes: &[FileNote],
        (holds, guarded): (bool, bool),
        output: &mut Output,
    ) -> Result<(), Diagnostic> {
        for note in notes {
            self.put(&json_note(&note.source, note.line, &note.message), output);
        }
        for (name, message) in rewrite_hints(&self.asked.rewrite) {
            let hint = self.json.hint(name, &message);
            self.put(&hint, output);
        }
        let totals = self.json.totals(totals);
        self.put(&totals, output);
        if holds && self.must_be_kept && self.last.is_none() {
            return Err(cannot_keep());
        }
        if let Some(last) = self.last.take().filter(|_| holds) {
            let kept = last.keep();
            if self.must_be_kept && kept.is_err() {
                return Err(cannot_keep());
            }
        }
        let Some(save) = self.save.take() else {
            return Ok(());
        };
        let path = save.path.clone();
        if guarded {
            output.note("note: the plan has not been saved\n");
            return Ok(());
        }
        let done = match self.failed.take() {
            Some(error) => Err(error),
            None => save.save(),
        };
        done.map_err(|error| cannot_save(&path, &error))
    }
}

fn cannot_save(path: &Path, error: &io::Error) -> Diagnostic {
    let shown = visible_path(path);
    Diagnostic::trouble(format!("cannot save the plan in {shown}: {error}"))
}

/// A file that a plan is written to.
struct Target {
    out: BufWriter<Temporary>,
    path: PathBuf,
    written: u64,
}

impl Target {
    fn beside(path: &Path) -> io::Result<Self> {
        let file = journal_run::temporaries().beside(path)?;
        Ok(Self {
            out: BufWriter::with_capacity(BUFFER, file),
            path: path.to_owned(),
            written: 0,
        })
    }

    fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.written += bytes.len() as u64;
        self.out.write_all(bytes)
    }

    /// A plan that was asked for is on the disk before anybody is told so.
    fn save(self) -> io::Result<()> {
        let file = self.out.into_inner()?;
        file.file()?.sync_data()?;
        file.keep_as(&self.path).map(drop)
    }

    /// The last preview is not worth the wait: one that a power cut tore lacks its end, and is
    /// refused.
    fn keep(self) -> io::Result<()> {
        let file = self.out.into_inner()?;
        file.replace(&self.path)
    }
}

/// The plan of this folder cannot be written.
fn cannot_keep() -> Diagnostic {
    let place =
        last_place().map_or_else(String::new, |place| format!(" as {}", visible_path(&place)));
    Diagnostic::trouble(format!("the plan cannot be kept{place}"))
        .remedy("make room there, or name another folder with XDG_STATE_HOME")
}
