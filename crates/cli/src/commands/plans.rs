//! Where plans are written to and found: standard output, a file that is named, and the place of
//! the last preview of a folder.

use super::pass::{Note, template_hints};
use super::{renew, state};
use crate::args::{Part, PlanArgs, StepArgs};
use crate::complaint::Complaint;
use crate::options::AskedRewrite;
use crate::output::Output;
use crate::render::{
    FILE_NUMBER, FileReport, JsonPlan, RewriteTotals, counted, json_note, number, rewrite_sentence,
};
use crate::tables::FileTables;
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::plan::{PlanFile, PlanIndex};
use brisk_quill_files::{
    FilePassage, Journal, Plan, PlanDoc, PlanFileError, Source, Spool, SpoolWriter,
};
use memchr::memchr_iter;
use std::ffi::OsStr;
use std::fs;
use std::io::{self, BufRead, BufWriter, Write};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use tempfile::NamedTempFile;

/// The largest plan that a preview keeps for `apply`, in bytes.
const LAST_MOST: u64 = 64 << 20;
/// Folders whose last preview is kept.
const FOLDERS_MOST: usize = 20;
/// What is held in memory, of all files that wait for their turn, in bytes.
const IN_MEMORY: usize = 16 << 20;

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
    source: Source,
    out: SpoolWriter,
    written: u64,
    changes: u64,
    records: Vec<u8>,
    failed: Option<io::Error>,
}

impl<'a> PlanMaker<'a> {
    /// For a file.
    pub fn part(&self, source: &Source) -> PlanPart<'a> {
        PlanPart {
            maker: self.clone(),
            source: source.clone(),
            out: SpoolWriter::new(&self.spool),
            written: 0,
            changes: 0,
            records: Vec::new(),
            failed: None,
        }
    }
}

impl PlanPart<'_> {
    /// Takes the changes of lines.
    pub fn passage(&mut self, found: &FilePassage<'_>) {
        let maker = &self.maker;
        if self.written > maker.most || !maker.wanted.load(Ordering::Relaxed) {
            return;
        }
        self.records.clear();
        let json = &maker.json;
        json.passage(&mut self.records, &self.source, found, self.changes);
        self.changes += found.edits.len() as u64;
        self.written += self.records.len() as u64;
        if self.failed.is_none() {
            self.failed = self.out.write_all(&self.records).err();
        }
    }
}

struct Target {
    out: BufWriter<NamedTempFile>,
    path: PathBuf,
    written: u64,
}

impl Target {
    fn beside(path: &Path) -> io::Result<Self> {
        let folder = match path.parent() {
            Some(folder) if !folder.as_os_str().is_empty() => folder,
            _ => Path::new("."),
        };
        Ok(Self {
            out: BufWriter::new(NamedTempFile::new_in(folder)?),
            path: path.to_owned(),
            written: 0,
        })
    }

    fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.written += bytes.len() as u64;
        self.out.write_all(bytes)
    }

    fn put_in_place(self, replace: bool) -> io::Result<()> {
        let file = self.out.into_inner()?;
        file.as_file().sync_data()?;
        let put = match replace {
            true => file.persist(&self.path),
            false => file.persist_noclobber(&self.path),
        };
        put.map(drop).map_err(|error| error.error)
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
    ) -> Result<Self, Complaint> {
        let save = match save {
            Some(path) if path.symlink_metadata().is_ok() => {
                let shown = visible_path(path);
                let message = format!("there is already a file: {shown}");
                return Err(Complaint::trouble(message).remedy("save the plan under another name"));
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
            failed: None,
        })
    }

    /// It is kept for this folder however large it is.
    #[must_use]
    pub fn without_limit(mut self) -> Self {
        self.most = u64::MAX;
        self
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
        let number = self.files.to_string();
        let mut reader = kept.reader();
        loop {
            let records = reader.fill_buf()?;
            if records.is_empty() {
                return Ok(());
            }
            let mut done = 0;
            for hole in memchr_iter(FILE_NUMBER, records) {
                self.put(&records[done..hole], output);
                self.put(number.as_bytes(), output);
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
        notes: &[Note],
        (holds, guarded): (bool, bool),
        output: &mut Output,
    ) -> Result<(), Complaint> {
        for note in notes {
            self.put(&json_note(&note.path, note.line, &note.message), output);
        }
        for (name, message) in template_hints(&self.asked.rewrite) {
            let hint = self.json.hint(name, &message);
            self.put(&hint, output);
        }
        let totals = self.json.totals(totals);
        self.put(&totals, output);
        if let Some(last) = self.last.take().filter(|_| holds) {
            let _ = last.put_in_place(true);
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
            None => save.put_in_place(false),
        };
        done.map_err(|error| cannot_save(&path, &error))
    }
}

fn cannot_save(path: &Path, error: &io::Error) -> Complaint {
    let shown = visible_path(path);
    Complaint::trouble(format!("cannot save the plan in {shown}: {error}"))
}

/// Where the last preview of this folder lies.
pub fn last_place() -> Option<PathBuf> {
    let here = std::env::current_dir().ok()?;
    let name = blake3::hash(here.as_os_str().as_encoded_bytes()).to_hex();
    let state = Journal::place()?;
    Some(state.join("last").join(format!("{}.plan", &name[..24])))
}

/// Makes the folder of the last previews, and forgets the oldest of too many.
fn make_room(place: &Path) -> io::Result<()> {
    let folder = place.parent().unwrap_or(Path::new("."));
    fs::DirBuilder::new()
        .recursive(true)
        .mode(0o700)
        .create(folder)?;
    let mut plans: Vec<_> = fs::read_dir(folder)?
        .filter_map(|entry| {
            let entry = entry.ok()?;
            Some((entry.metadata().ok()?.modified().ok()?, entry.path()))
        })
        .collect();
    plans.sort();
    let many = (plans.len() + 1).saturating_sub(FOLDERS_MOST);
    for (_, path) in plans.iter().take(many) {
        let _ = fs::remove_file(path);
    }
    Ok(())
}

/// The plan in a file; `last`, or nothing, is the last preview of this folder.
pub fn open(file: Option<&Path>) -> Result<PlanDoc, Complaint> {
    let file = file.filter(|file| file.as_os_str() != "last");
    let place = match file {
        Some(file) => file.to_owned(),
        None => last_place().filter(|place| place.exists()).ok_or_else(|| {
            Complaint::no("there is no preview to go on with in this folder").remedy(
                "`bquill preview PATTERN --with TEMPLATE …` makes one, or name a plan with \
                 `--plan FILE`",
            )
        })?,
    };
    let name = name_of(file);
    PlanDoc::open(&place).map_err(|error| cannot_use(&name, &error))
}

/// What a plan is called.
fn name_of(file: Option<&Path>) -> String {
    match file.filter(|file| file.as_os_str() != "last") {
        Some(file) => format!("the plan {}", visible_path(file)),
        None => "the last preview".to_owned(),
    }
}

fn cannot_use(name: &str, error: &PlanFileError) -> Complaint {
    let remedy = match error {
        PlanFileError::LeadsOut(_) => "say with `--root DIR` where its files lie",
        _ => "make it anew with `preview --save FILE`",
    };
    Complaint::trouble(format!("{name} cannot be used: {error}"))
        .remedy(format!("nothing has been written; {remedy}"))
}

/// Whether no rewrite is named at all.
pub fn nothing_named(parts: &[Part]) -> bool {
    matches!(parts, [part] if part.words.is_empty() && part.step == StepArgs::default())
}

/// A plan says all that is to be done.
pub fn check_alone(parts: &[Part], ensures: bool) -> Result<(), Complaint> {
    if nothing_named(parts) && !ensures {
        return Ok(());
    }
    Err(
        Complaint::wrong("a plan says all that is to be done, and a rewrite is named too")
            .remedy("leave one of them out"),
    )
}

/// A plan that is meant to be judged or written.
pub struct Meant {
    pub doc: PlanDoc,
    /// What it is called.
    pub name: String,
    /// The command that goes on with it.
    pub again: String,
    /// Its paths must lie below this folder; `None` where it is our own.
    root: Option<PathBuf>,
}

/// The plan that the options mean; renewed, where that is asked for.
pub fn meant(args: &PlanArgs, yes: bool, output: &mut Output) -> Result<Meant, Complaint> {
    let file = args
        .plan
        .as_deref()
        .filter(|file| file.as_os_str() != "last");
    let file = file.map(std::path::absolute).transpose();
    let file =
        file.map_err(|error| Complaint::trouble(format!("cannot find the plan: {error}")))?;
    let doc = open(file.as_deref())?;
    if let Some(root) = &args.root {
        std::env::set_current_dir(root).map_err(|error| {
            Complaint::trouble(format!("cannot go to {}: {error}", visible_path(root)))
        })?;
    }
    let here = std::env::current_dir()
        .map_err(|error| Complaint::trouble(format!("this folder cannot be read: {error}")))?;
    let mut meant = Meant {
        doc,
        name: name_of(args.plan.as_deref()),
        again: match file {
            Some(_) => format!(
                "bquill review --plan {}",
                args.plan.as_deref().map(visible_path).unwrap_or_default()
            ),
            None => "bquill review".to_owned(),
        },
        root: file.map(|_| here),
    };
    if !meant.doc.is_whole() && !yes {
        let changes = counted(meant.doc.index.entries.len() as u64, "change");
        let message = format!("{} was cut off; {changes} of it can be read", meant.name);
        return Err(Complaint::trouble(message)
            .remedy("make it anew, or add `--yes` to go on with what is there"));
    }
    if args.renew {
        renew::renew(&mut meant, output)?;
    }
    Ok(meant)
}

impl Meant {
    /// What it would write.
    pub fn to_plan(&self) -> Result<Plan, Complaint> {
        let plan = self.doc.to_plan(self.root.as_deref());
        plan.map_err(|error| cannot_use(&self.name, &error))
    }

    /// How its rewrite was understood.
    pub fn sentence(&self) -> String {
        let index = &self.doc.index;
        let sources: Vec<Source> = index.files.iter().map(source_of).collect();
        let mut tables = FileTables::new(Path::new(""));
        let words = match index.rewrite.build(&mut tables) {
            Ok(rewrite) => rewrite_sentence(&rewrite, &sources),
            Err(_) => format!("In {}.", counted(sources.len() as u64, "file")),
        };
        let name = &self.name;
        let mut chars = name.chars();
        let first = chars.next().map(|c| c.to_uppercase().to_string());
        format!("{}{}.\n{words}", first.unwrap_or_default(), chars.as_str())
    }

    /// Makes the run, and says so. A preview that was applied is no longer the last one.
    pub fn write(&self, plan: &Plan, output: &mut Output) -> Result<(), Complaint> {
        let rewrite = serde_json::to_value(&self.doc.index.rewrite).unwrap_or_default();
        let done = state::make(plan, rewrite, None)?;
        let what = state::changes_in_files(done.changes, done.files);
        let run = done.run;
        output.print(format!("Wrote {what}: run {run}. `bquill undo` takes it back.\n").as_bytes());
        if self.root.is_none() {
            let _ = fs::remove_file(self.doc.path());
        }
        Ok(())
    }
}

/// A file of a plan.
pub fn source_of(file: &PlanFile) -> Source {
    Source::File(PathBuf::from(OsStr::from_bytes(&file.path)))
}

/// The counts of decisions, and what they mean.
pub fn decisions(index: &PlanIndex) -> String {
    let counts = index.counts();
    let mut text = String::new();
    let none = index.is_undecided(&counts);
    for (name, count, note) in [
        ("changes", counts.total(), ""),
        ("accepted", counts.accepted, ""),
        ("mended", counts.mended, "accepted with other text"),
        ("refused", counts.refused, ""),
        ("open", counts.open, "not written while others are decided"),
    ] {
        let note = if none && name == "open" {
            "nothing is decided, so all are written"
        } else {
            note
        };
        if count > 0 || name == "changes" {
            let row = format!("  {name:<8}  {:>8}   {note}", number(count));
            text.push_str(row.trim_end());
            text.push('\n');
        }
    }
    text
}
